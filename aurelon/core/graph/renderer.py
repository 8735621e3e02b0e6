"""Renders rigs on one plate: the only place that has the kernels work, one thing after another."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from threading import Lock

import numpy as np

from aurelon.core.errors import OutputError
from aurelon.core.graph.backdrop import Backdrop
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.input_space import as_input
from aurelon.core.graph.mask_nodes import ground_for
from aurelon.core.graph.nodes import Work
from aurelon.core.graph.rendering import Rendering
from aurelon.core.graph.resolve import Graph, resolve
from aurelon.core.graph.show import RESULT, Show, drawing_of, parse_show
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.crop_and_straighten import cropped, needed, turned
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.memory import working_bytes
from aurelon.core.masks.shared.part import Ground
from aurelon.core.plate import Plate
from aurelon.core.reel import Reel
from aurelon.core.rig.model import Rig

BAND_PIXELS = 2_000_000  # a rendering that is not kept goes in bands of about this many pixels


def never() -> bool:
    """For work that is never cancelled."""
    return False


@dataclass(frozen=True)
class Working:
    """A rig on a plate while it is worked on: its nodes, and what evaluates them."""

    graph: Graph
    work: Work

    @property
    def ground(self) -> Ground:
        """What masks are made on."""
        plate, graph = self.graph.plate, self.graph
        backdrop = Backdrop(plate, plate.file_of, Frame.whole(plate.size), 0)
        return ground_for(backdrop, graph.original, graph.prepared, graph.mattes, self.work)


class Renderer:
    """A plate with what is kept of its renderings. Safe between threads: what it is asked for is done in turn, and an
    exact rendering gives way to others between its bands."""

    def __init__(self, plate: Plate, cache: Cache | None = None) -> None:
        self.plate = plate
        self.cache = cache
        self._lock = Lock()

    def for_input(self, rig: Rig) -> Renderer:
        """The renderer of the plate in the colour space that the rig says its file is in."""
        plate = as_input(self.plate, rig)
        return self if plate is self.plate else Renderer(plate, self.cache)

    @contextmanager
    def working(
        self,
        rig: Rig,
        *,
        draft: bool = False,
        cancelled: Callable[[], bool] = never,
        passing: Frame | None = None,
        cache: Cache | None = None,
    ) -> Iterator[Working]:
        """A rig resolved on the plate, while no other thread works on this plate."""
        kept = cache or self.cache or Cache(working_bytes())
        graph = resolve(self.plate, rig, draft=draft)
        with self._lock:
            yield Working(graph, Work(kept, cancelled, passing))

    def render(
        self,
        rig: Rig,
        *,
        size: tuple[int, int] | None = None,
        region: tuple[int, int, int, int] | None = None,
        show: Show | str = RESULT,
        draft: bool = False,
        cancelled: Callable[[], bool] = never,
    ) -> Floats:
        """The picture, float32 (h, w, 3), linear light in the plate's primaries; see `aurelon.core.render`."""
        rig = rig.at(self.plate.frame)
        frame = seen_frame(self.plate, rig, size)
        if region is not None:
            x0, y0, x1, y1 = region
            rows, columns = frame.shape
            if not (0 <= x0 < x1 <= columns and 0 <= y0 < y1 <= rows):
                raise ValueError(f"region {region} does not lie within {columns} x {rows}")
            frame = Frame(frame.width, frame.height, frame.x0 + x0, frame.y0 + y0, frame.x0 + x1, frame.y0 + y1)
        if self.cache is not None:
            return self.part(rig, frame, show=show, draft=draft, cancelled=cancelled)
        out = np.empty((*frame.shape, 3), np.float32)
        for band, pixels in self.bands(rig, frame, show=show, cancelled=cancelled):
            out[band.y0 - frame.y0 : band.y1 - frame.y0] = pixels
        return out

    def part(
        self, rig: Rig, frame: Frame, *, show: Show | str = RESULT, draft: bool = False, cancelled: Callable[[], bool] = never
    ) -> Floats:
        """Any part of the straightened frame, cropped away or not; as `render` else."""
        with self.working(rig, draft=draft, cancelled=cancelled) as now:
            return shown(now, show, frame)

    def bands(
        self, rig: Rig, frame: Frame, *, show: Show | str = RESULT, cancelled: Callable[[], bool] = never
    ) -> Iterator[tuple[Frame, Floats]]:
        """Yields (band, pixels) of a part of the straightened frame from top to bottom, keeping what bands share."""
        for band, (pixels,) in self.bands_of(rig, frame, [show], cancelled=cancelled):
            yield band, pixels

    def bands_of(
        self, rig: Rig, frame: Frame, shows: Sequence[Show | str], *, cancelled: Callable[[], bool] = never
    ) -> Iterator[tuple[Frame, list[Floats]]]:
        """The same of several things to show at once: what they share is made once for each band."""
        rig = rig.at(self.plate.frame)
        between = Cache(working_bytes())
        for band in frame.bands(BAND_PIXELS):
            passing = needed(band, rig.prepare.straighten)
            working = partial(self.working, rig, cancelled=cancelled)
            with working(passing=passing, cache=between) as now:
                pictures = [shown(now, show, band) for show in shows]
            yield band, pictures

    def alpha(self, rig: Rig, frame: Frame) -> Floats | None:
        """(h, w) in 0..1 as the straightened frame shows it, or None without one."""
        angle = rig.at(self.plate.frame).prepare.straighten
        upright = needed(frame, angle)
        cover = self.plate.alpha_at(upright)
        return cover if cover is None or angle == 0 else np.minimum(turned(cover, upright, frame, angle)[:, :, 0], 1)


def shown(now: Working, show: Show | str, frame: Frame) -> Floats:
    """What `show` asks for, as the straightened frame shows it. Raises RigError for what cannot be shown."""
    angle = now.graph.rig.prepare.straighten
    upright = needed(frame, angle)
    draw = drawing_of(now.graph, parse_show(show) if isinstance(show, str) else show)
    return turned(draw(now.work, upright), upright, frame, angle)


def seen_frame(plate: Plate, rig: Rig, size: tuple[int, int] | None = None) -> Frame:
    """The part of the frame that is seen, at `size` (width, height) or as large as on the plate."""
    return cropped(rig.at(plate.frame).prepare.box(plate.size), plate.size, size)


SAME_SHAPE = 1.0  # pixel by which a size may differ from the picture's own proportions


def check_proportions(size: tuple[int, int], own: tuple[int, int]) -> None:
    """Raises OutputError for a (width, height) of other proportions than the picture's own."""
    (width, height), (wide, tall) = size, own
    if abs(width - wide * height / tall) > SAME_SHAPE and abs(height - tall * width / wide) > SAME_SHAPE:
        fit = max(1, round(tall * width / wide))
        raise OutputError(
            f"{width} x {height} has other proportions than the picture, which is {wide} x {tall}; use {width}x{fit}, or give the "
            "long edge alone"
        )


def render(
    plate: Plate | Reel,
    rig: Rig,
    *,
    frame: int = 0,
    size: tuple[int, int] | None = None,
    region: tuple[int, int, int, int] | None = None,
    show: Show | str = RESULT,
    cache: Cache | None = None,
    draft: bool = False,
    cancelled: Callable[[], bool] = never,
) -> Rendering:
    """The picture, float32 (h, w, 3), linear light in the plate's primaries.

    `size` is the (width, height) of the picture that is seen, after straightening and crop; its own
    where left out. `region` is the wanted part (x0, y0, x1, y1) of it. With a `cache` stages
    are kept from call to call. Of a reel the `frame` of that number, counted from 0, is rendered. Raises OutputError for a size of
    other proportions than the picture's, RigError for a `show` that the rig cannot give, Cancelled once `cancelled()` is true.
    """
    plate = as_input(plate[frame] if isinstance(plate, Reel) else plate, rig)
    if size is not None:
        tall, wide = seen_frame(plate, rig).shape
        check_proportions(size, (wide, tall))
    result = Renderer(plate, cache).render(rig, size=size, region=region, show=show, draft=draft, cancelled=cancelled)
    return Rendering.of(result, plate.space)
