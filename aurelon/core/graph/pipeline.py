"""Evaluates a rig on a plate, light by light and stage by stage, through a cache.

Every stage is kept under a key made of the settings it depends on and of the keys above it, so a
change of opacity merges again and does nothing else.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator
from functools import partial
from threading import Lock
from typing import Literal, TypeVar, cast, get_args

import numpy as np
from numpy.typing import NDArray

from aurelon.core.errors import Cancelled, RigError
from aurelon.core.graph.cache import Cache, Sized
from aurelon.core.imaging.blend import merge
from aurelon.core.imaging.colour_matrix import NEUTRAL, Tint
from aurelon.core.imaging.crop_and_straighten import cropped, needed, turned
from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.imaging.overlay import contrasting, mark_covered
from aurelon.core.imaging.tone import levelled, prepare, tint_of, under_house_light
from aurelon.core.lights import kinds
from aurelon.core.lights.shared.kind import Detected, LightField, Reading, Scene
from aurelon.core.masks.shared.mask import Mask, masked
from aurelon.core.masks.shared.part import Ground
from aurelon.core.plate import Plate, read_grey
from aurelon.core.rig.model import Light, Rig
from aurelon.core.settings import Settings

Floats = NDArray[np.float32]
T = TypeVar("T", bound=Sized)
Stage = Literal["source", "spread", "colour", "mask", "merge"]
STAGES: tuple[Stage, ...] = get_args(Stage)

WORKING_EDGE = 768  # long edge of the grid that light travels on; it is soft, and enlarged by a spline
DRAFT_EDGE = 384
DRAFT_READING_EDGE = 1536  # a draft reads the plate's highlights from a reduced version of this size
COLOUR_EDGE = 64
BAND_BYTES = 256 << 20
BAND_PIXELS = 2_000_000  # a rendering without a cache goes in bands of about this many pixels

NO_PICTURE = np.zeros((1, 1, 3), np.float32)  # for kinds that read none

# Kernels share their threads; one rendering at a time has them, and lets go between bands.
engine = Lock()


def _never() -> bool:
    return False


def _key(settings: Settings) -> str:
    return settings.model_dump_json()


def _whole_where_none(mask: Floats | None) -> Floats:
    """An array that the cache can keep: of no size where the mask is all of the plate."""
    return np.empty((0, 0), np.float32) if mask is None else mask


class Evaluation:
    """One rig on one plate. With `draft`, coarser grids and a reduced plate for the sources.

    Pictures at the frame `passing` are seen once and kept only as long as the evaluation.
    """

    def __init__(
        self, plate: Plate, rig: Rig, cache: Cache, *, draft: bool = False, passing: Frame | None = None,
        cancelled: Callable[[], bool] = _never,
    ) -> None:  # fmt: skip
        self.plate = plate
        self.rig = rig
        self.lights = [light for light in rig.stack if light.on]
        self._cache = cache
        self._draft = draft
        self._passing = passing
        # A light that looks at what is below it asks for the same merged band again.
        self._band = Cache(BAND_BYTES)
        self._cancelled = cancelled
        self._reading = Frame.whole(fit_within(plate.size, DRAFT_READING_EDGE) if draft else plate.size)

    def light(self, light_id: str) -> Light:
        """The light of that id, lit or not. Raises RigError when the rig has none."""
        for light in self.rig.stack:
            if light.id == light_id:
                return light
        raise RigError([("lights", f"there is no light with the id '{light_id}'")])

    def _kept(self, key: Hashable, frame: Frame, make: Callable[[], Floats]) -> Floats:
        if self._cancelled():
            raise Cancelled
        return (self._band if frame == self._passing else self._cache).get((key, frame), make)

    # The picture below the lights

    def _prepared_key(self) -> Hashable:
        # What is seen of the picture changes nothing that lights read.
        return ("prepared", self.plate.key, self.rig.prepare.model_dump_json(exclude={"straighten", "crop"}))

    def prepared(self, frame: Frame) -> Floats:
        make = partial(self._prepare, frame)
        return make() if self.rig.prepare == type(self.rig.prepare)() else self._kept(self._prepared_key(), frame, make)

    def _prepare(self, frame: Frame) -> Floats:
        return prepare(self.plate.at(frame), self.rig.prepare, self.plate.space)

    def _base_key(self) -> Hashable:
        house = self.rig.house
        return ("base", self._prepared_key(), house.model_dump_json(exclude={"mask"}), self._mask_key(house.mask))

    def base(self, frame: Frame) -> Floats:
        """The prepared picture under the house light, where the house light's mask lets it be."""

        def make() -> Floats:
            prepared = self.prepared(frame)
            lit = under_house_light(prepared, self.rig.house, self.plate.space)
            mask = None if lit is prepared else self.mask(self.rig.house.mask, frame)
            return lit if mask is None else prepared + (lit - prepared) * mask[:, :, None]

        return self._kept(self._base_key(), frame, make)

    def found_once(self, what: str, frame: Frame, make: Callable[[], T]) -> T:
        """Something found in the prepared picture at a frame, kept until that picture changes."""
        return self._cache.get((what, self._prepared_key(), frame), make)

    # The five stages

    def _picture_key(self, light: Light) -> Hashable:
        if light.look_at == "original":
            return ("original", self.plate.key)
        return self._prepared_key() if light.look_at == "prepared" else self._below_key(light)

    def _picture(self, light: Light, frame: Frame) -> Floats:
        if light.look_at == "original":
            return self.plate.at(frame)
        return self.prepared(frame) if light.look_at == "prepared" else self.below(light, frame)

    def _source_key(self, light: Light) -> Hashable:
        read = self._picture_key(light) if kinds()[light.kind].reads else self.plate.size
        return ("source", light.kind, read, self._reading.size, _key(light.source))

    def source(self, light: Light, frame: Frame) -> Floats:
        """What shines, measured at full size: (h, w, 3) and what channels the kind adds."""
        kind = kinds()[light.kind]

        def make() -> Floats:
            if kind.at_frame:
                return kind.source(Reading(self._picture(light, frame), self.plate.space), light.source, frame)
            return kind.source(self._reading_of(light, self.found(light)), light.source, frame)

        return self._kept(self._source_key(light), frame, make)

    def _reading_of(self, light: Light, found: Detected | None) -> Reading:
        picture = self._picture(light, self._reading) if kinds()[light.kind].reads else NO_PICTURE
        return Reading(picture, self.plate.space, found, self._file)

    def _file(self, name: str) -> bytes | None:
        return self.rig.picture(name) or self.plate.file_of(name)

    def found(self, light: Light) -> Detected | None:
        """What the kind detects in the picture; None for kinds that detect nothing."""
        detect = kinds()[light.kind].detect
        if detect is None:
            return None
        if self._cancelled():
            raise Cancelled

        def make() -> Detected:
            return detect(self._reading_of(light, None), light.source)

        return self._cache.get(("found", self._source_key(light)), make)

    def _spread_key(self, light: Light) -> Hashable:
        return ("spread", self._source_key(light), _key(light.spread), self._draft)

    def _scene(self, light: Light) -> Scene:
        edge = DRAFT_EDGE if self._draft else WORKING_EDGE
        return Scene(
            partial(self.source, light), light.source, partial(self.found, light), self.plate.size, self.plate.space, edge,
            self._file,
        )  # fmt: skip

    def field(self, light: Light) -> LightField:
        """The light as it has travelled over the whole plate."""
        make = partial(kinds()[light.kind].spread, self._scene(light), light.spread)
        if self._cancelled():
            raise Cancelled
        return self._cache.get(self._spread_key(light), make)

    def travelled(self, light: Light, frame: Frame, tint: Tint) -> Floats:
        """The light at a frame, (h, w, 3), its colours through `tint`."""
        return self.field(light).sample(self._scene(light), frame, tint)

    def spread(self, light: Light, frame: Frame) -> Floats:
        return self.travelled(light, frame, NEUTRAL)

    def _colour_key(self, light: Light) -> Hashable:
        return ("colour", self._spread_key(light), _key(light.colour))

    def colour(self, light: Light, frame: Frame) -> Floats:
        def make() -> Floats:
            light_here = self.travelled(light, frame, tint_of(light.colour, self.plate.space))
            return levelled(light_here, light.colour)

        return self._kept(self._colour_key(light), frame, make)

    # Masks

    @property
    def ground(self) -> Ground:
        """What masks are made on. It is not kept: it refers back here, and an evaluation must be gone, with all that
        it holds, as soon as it is let go."""
        plate = self.plate
        return Ground(
            size=plate.size, space=plate.space,
            picture=self.prepared, picture_key=self._prepared_key(), original=plate.at, original_key=plate.key,
            reading=self._reading,
            has_matte=lambda name: self.rig.matte(name) is not None, matte=self.matte, matte_key=self._matte_key,
            grey=self._grey, keep=self._kept, peek=self._peek, cancelled=self._cancelled,
        )  # fmt: skip

    def _peek(self, key: Hashable, frame: Frame) -> Floats | None:
        return cast(Floats | None, (self._band if frame == self._passing else self._cache).peek((key, frame)))

    def _grey(self, name: str) -> Floats | None:
        """A picture by its name, (h, w) of its stored values in 0..1; None where it is not there."""
        known = cast(Floats | None, self._cache.peek(("grey", name)))
        if known is not None:
            return known
        data = self._file(name)
        return None if data is None else self._cache.get(("grey", name), lambda: read_grey(data, name))

    def _matte_key(self, name: str) -> Hashable:
        matte = self.rig.matte(name)
        return None if matte is None else self._mask_key(matte.mask)

    def matte(self, name: str, frame: Frame) -> Floats | None:
        """The area of a matte, (h, w) in 0..1, or None where the rig has no such matte."""
        matte = self.rig.matte(name)
        if matte is None:
            return None
        made = self.mask(matte.mask, frame)
        return np.ones(frame.shape, np.float32) if made is None else made

    def _mask_key(self, mask: Mask) -> Hashable:
        """Names what a mask covers on this plate."""
        if not mask.parts:
            return "mask", mask.start
        of_picture = (self._prepared_key(), self._reading.size) if mask.reads_picture else None
        return "mask", mask.key, of_picture, tuple(self._matte_key(name) for name in mask.mattes())

    def mask(self, mask: Mask, frame: Frame) -> Floats | None:
        """(h, w) in 0..1, or None for all of the plate."""
        if not mask.parts:
            return masked(mask, self.ground, frame)
        made = self._kept(self._mask_key(mask), frame, lambda: _whole_where_none(masked(mask, self.ground, frame)))
        return made if made.size else None

    def _below_key(self, light: Light) -> Hashable:
        key = self._base_key()
        for other in self.lights:
            if other.id == light.id:
                break
            key = self._merge_key(other, key)
        return key

    def _merge_key(self, light: Light, below: Hashable) -> Hashable:
        return ("merge", below, self._colour_key(light), self._mask_key(light.mask), _key(light.merge))

    def below(self, light: Light, frame: Frame) -> Floats:
        """The picture that the light is laid on."""
        picture = self.base(frame)
        key = self._base_key()
        for other in self.lights:
            if other.id == light.id:
                break
            key = self._merge_key(other, key)
            picture = self._kept(key, frame, partial(self.merge, other, picture, frame))
        return picture

    def merge(self, light: Light, below: Floats, frame: Frame) -> Floats:
        m = light.merge
        return merge(
            below, self.colour(light, frame), self.mask(light.mask, frame), self.plate.space.luminance,
            opaque=kinds()[light.kind].opaque, mode=m.mode, intensity=m.intensity, opacity=m.opacity, keep_darks=m.keep_darks,
        )  # fmt: skip

    # What can be shown

    def result(self, frame: Frame) -> Floats:
        if not self.lights:
            return self.base(frame)
        last = self.lights[-1]
        below = self.below(last, frame)
        key = self._merge_key(last, self._below_key(last))
        return self._kept(key, frame, partial(self.merge, last, below, frame))

    def stage(self, light: Light, stage: Stage, frame: Frame) -> Floats:
        """The picture of one stage, (h, w, 3); Merge is the picture with this light and those below it."""
        match stage:
            case "source":
                return self.source(light, frame)[:, :, :3]
            case "spread":
                return self.spread(light, frame)
            case "colour":
                return self.colour(light, frame)
            case "mask":
                return self._grey_of(self.mask(light.mask, frame), frame)
            case "merge":
                return self.merge(light, self.below(light, frame), frame)

    def alone(self, light: Light, frame: Frame) -> Floats:
        """The light by itself where its mask lets it be, at its intensity, on black."""
        mask = self.mask(light.mask, frame)
        shown = self.colour(light, frame) * np.float32(light.merge.intensity * light.merge.opacity)
        return shown if mask is None else shown * mask[:, :, None]

    def _area(self, show: str, frame: Frame) -> Floats | None:
        """The mask that `mask:LIGHT`, `house-mask` or `matte:MATTE` names; None for all of the plate."""
        match show.split(":"):
            case ["mask", light_id]:
                return self.mask(self.light(light_id).mask, frame)
            case ["house-mask"]:
                return self.mask(self.rig.house.mask, frame)
            case ["matte", name]:
                area = self.matte(name, frame)
                if area is not None:
                    return area
        raise RigError([("show", f"'{show}' is no mask of this rig")])

    def _begins_with_everything(self, of: list[str]) -> bool:
        match of:
            case ["mask", light_id]:
                return self.light(light_id).mask.start == "everything"
            case ["house-mask"]:
                return self.rig.house.mask.start == "everything"
        return False

    def covering_colour(self) -> Floats:
        """A colour (3,) that stands out from the plate, to show where a mask is."""
        small = Frame.whole(fit_within(self.plate.size, COLOUR_EDGE))
        return contrasting(self.plate.at(small))

    @staticmethod
    def _grey_of(mask: Floats | None, frame: Frame) -> Floats:
        cover = np.ones(frame.shape, np.float32) if mask is None else mask
        return np.repeat(cover[:, :, None], 3, axis=2)

    def show(self, show: str, frame: Frame) -> Floats:
        """What `show` asks for, as the straightened frame shows it. Raises RigError for what cannot be shown."""
        angle = self.rig.prepare.straighten
        upright = needed(frame, angle)
        if self._passing is not None:
            self._passing = upright
        return turned(self._upright(show, upright), upright, frame, angle)

    def alpha(self, frame: Frame) -> Floats | None:
        """(h, w) in 0..1 as the straightened frame shows it, or None where the plate has none."""
        angle = self.rig.prepare.straighten
        upright = needed(frame, angle)
        cover = self.plate.alpha_at(upright)
        return cover if cover is None or angle == 0 else np.minimum(turned(cover, upright, frame, angle)[:, :, 0], 1)

    def _upright(self, show: str, frame: Frame) -> Floats:
        """`result`, `before`, `stage:LIGHT:STAGE` and so on. Raises RigError for anything else."""
        match show.split(":"):
            case ["result"]:
                return self.result(frame)
            case ["before"]:
                return self.plate.at(frame)
            case ["mask", _]:
                return self._grey_of(self._area(show, frame), frame)
            case ["house-mask"] | ["matte", _]:
                return self._grey_of(self._area(show, frame), frame)
            case ["light", light_id]:
                return self.alone(self.light(light_id), frame)
            case ["over", *of]:
                area = self._area(":".join(of), frame)
                held_off = self._begins_with_everything(of)
                return mark_covered(self.result(frame), area, self.covering_colour(), held_off=held_off)
            case ["stage", light_id, stage] if stage in STAGES:
                return self.stage(self.light(light_id), stage, frame)
        raise RigError(
            [("show", f"'{show}' cannot be shown; ask for result, before, stage:LIGHT:STAGE, mask:LIGHT, light:LIGHT, "
              f"house-mask, matte:MATTE or over: before one of the masks, with a stage of {', '.join(STAGES)}")]
        )  # fmt: skip


def render(
    plate: Plate,
    rig: Rig,
    *,
    size: tuple[int, int] | None = None,
    region: tuple[int, int, int, int] | None = None,
    show: str = "result",
    cache: Cache | None = None,
    draft: bool = False,
    cancelled: Callable[[], bool] = _never,
) -> Floats:
    """The picture, float32 (h, w, 3), linear light in the plate's primaries.

    `size` is the (width, height) of the picture that is seen, after straightening and crop; its own
    where left out. `region` is the part (x0, y0, x1, y1) of that which is wanted. With a `cache` stages
    are kept from call to call. Raises RigError for a `show` that the rig cannot give, Cancelled once
    `cancelled()` is true.
    """
    frame = seen_frame(plate, rig, size)
    if region is not None:
        x0, y0, x1, y1 = region
        rows, columns = frame.shape
        if not (0 <= x0 < x1 <= columns and 0 <= y0 < y1 <= rows):
            raise ValueError(f"region {region} does not lie within {columns} x {rows}")
        frame = Frame(frame.width, frame.height, frame.x0 + x0, frame.y0 + y0, frame.x0 + x1, frame.y0 + y1)
    if cache is not None:
        return show_frame(plate, rig, frame, cache, show=show, draft=draft, cancelled=cancelled)
    out = np.empty((*frame.shape, 3), np.float32)
    for band, pixels in render_bands(plate, rig, frame, show=show, cancelled=cancelled):
        out[band.y0 - frame.y0 : band.y1 - frame.y0] = pixels
    return out


def seen_frame(plate: Plate, rig: Rig, size: tuple[int, int] | None = None) -> Frame:
    """The part of the frame that is seen, at `size` (width, height) or as large as on the plate."""
    return cropped(rig.prepare.box(plate.size), plate.size, size)


def show_frame(
    plate: Plate, rig: Rig, frame: Frame, cache: Cache, *, show: str = "result", draft: bool = False,
    cancelled: Callable[[], bool] = _never,
) -> Floats:  # fmt: skip
    """Any part of the straightened frame, cropped away or not, through a cache; as `render` else."""
    with engine:
        return Evaluation(plate, rig, cache, draft=draft, cancelled=cancelled).show(show, frame)


def render_bands(
    plate: Plate, rig: Rig, frame: Frame, *, show: str = "result", cancelled: Callable[[], bool] = _never
) -> Iterator[tuple[Frame, Floats]]:
    """Yields (band, pixels) of a part of the straightened frame from top to bottom, keeping what bands share."""
    shared = Cache(1 << 30)
    _, columns = frame.shape
    high = max(1, BAND_PIXELS // columns)
    for y in range(frame.y0, frame.y1, high):
        band = frame.rows(y, min(y + high, frame.y1))
        with engine:
            pixels = Evaluation(plate, rig, shared, passing=band, cancelled=cancelled).show(show, band)
        yield band, pixels
