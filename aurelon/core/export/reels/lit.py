"""From a rig on a reel to a file of moving pictures, segment by segment."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import ExitStack
from fractions import Fraction
from pathlib import PurePath
from typing import Any, BinaryIO, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from aurelon.core.errors import Cancelled, OutputError
from aurelon.core.export.picture import QUALITY, frame_for, to_codes
from aurelon.core.graph.input_space import as_input
from aurelon.core.graph.renderer import Renderer, never, seen_frame
from aurelon.core.imaging.code_points import BT709, BT2020, HLG, PQ, SRGB_TRANSFER, code_points_of, light_to_pq, space_of
from aurelon.core.imaging.quantise import quantise
from aurelon.core.imaging.rgb_space import DISPLAY_P3, SRGB, RgbSpace
from aurelon.core.plate import Plate
from aurelon.core.reel import Reel
from aurelon.core.reels.shared.footage import Chapter
from aurelon.core.reels.shared.writing import Look, ReelFormat, Sound, Timed, Timeline
from aurelon.core.reels.writers import reel_format, reel_format_of_path
from aurelon.core.rig import Rig
from aurelon.core.settings import Settings, flag, whole

SEGMENT = 24  # frames
TRIAL = Fraction(1)  # seconds from the middle that are written to learn how large the file will be
MOST_TRIAL = 30  # frames


class ReelExport(Settings):
    """How a lit reel is written: its frames from `first` up to, without, `last`; all there are where left out."""

    target: Literal["reel"] = "reel"
    format: str
    depth: str = "8"
    quality: int = whole(QUALITY, "Quality against size of the file", unit="", low=1, high=100)
    sound: bool = flag(True, "The reel's sound goes along", label="With sound")
    long_edge: int | None = Field(None, ge=1, description="Pixels on the long edge; all there are where left out")
    size: tuple[int, int] | None = None
    first: int = Field(0, ge=0, description="The first frame, counted from 0")
    last: int | None = Field(None, ge=1, description="The frame before which it ends")

    def span(self, reel: Reel) -> tuple[int, int]:
        return self.first, len(reel) if self.last is None else self.last


def options_for_reel(path: PurePath, reel: Reel, **chosen: Any) -> ReelExport:
    """The format that the path's ending names, at the reel's own depth or the most the format has. Raises OutputError for an ending
    that no format has."""
    form = reel_format(chosen.pop("format"))[0] if "format" in chosen else reel_format_of_path(path)
    if form is None or form.suffix != path.suffix.lower():
        raise OutputError(f"{path.name} has no ending that Aurelon can write reels to; use .mkv, .webm, .mp4 or .webp")
    own = "8" if reel.footage.depth == "8" else "16"
    chosen.setdefault("depth", own if own in form.depths else form.depths[-1])
    return ReelExport(format=form.name, **chosen)


def check_reel(reel: Reel, rig: Rig, options: ReelExport) -> tuple[int, int]:
    """The size of the frames. Raises OutputError when the options cannot be met."""
    form, _ = reel_format(options.format)
    if options.depth not in form.depths:
        raise OutputError(f"{form.title} cannot hold {options.depth} bits; it holds {' or '.join(form.depths)}")
    first, last = options.span(reel)
    if not 0 <= first < last <= len(reel):
        raise OutputError(
            f"{reel.name} has the frames 0 to {len(reel) - 1}; the frames {first} up to {last} are not all among them"
        )
    plate = reel[first]
    tall, wide = frame_for(plate, rig, options).shape
    if form.even and (wide % 2 or tall % 2):
        raise OutputError(
            f"{form.title} holds pictures of even sides only, and these are {wide} x {tall}; crop them, or choose WebM"
        )
    return wide, tall


def spans_of(reel: Reel, options: ReelExport, length: int = SEGMENT) -> list[tuple[int, int]]:
    """The segments: the first frame of each, and the one before which it ends."""
    first, last = options.span(reel)
    return [(at, min(at + length, last)) for at in range(first, last, length)]


def segment_of(reel: Reel, rig: Rig, options: ReelExport, first: int, last: int, cancelled: Callable[[], bool] = never) -> bytes:
    """Frames from `first` up to, without, `last`, as a file of their own. Raises OutputError, PlateError, and Cancelled."""
    form, writer = reel_format(options.format)
    look = _look(reel, rig, options)
    times = reel.footage.times

    def frames() -> Iterator[Timed]:
        for number in range(first, last):
            if cancelled():
                raise Cancelled
            yield Timed(samples_of(reel[number], rig, look, form), times[number] - times[first])

    return writer.segment(form, look, frames())


def join_reel(reel: Reel, rig: Rig, options: ReelExport, segments: Iterable[bytes], out: BinaryIO) -> None:
    """Writes the whole file, of its segments in their order."""
    form, writer = reel_format(options.format)
    first, last = options.span(reel)
    begin = reel.footage.times[first]
    ends = [*reel.footage.times[first:last], reel.footage.times[last - 1] + reel.shown(last - 1)]
    sound = None
    with ExitStack() as stack:
        if options.sound and reel.footage.sounds and reel.opened is not None and form.sound:
            sound = Sound(stack.enter_context(reel.opened()), begin, begin + ends[-1] - ends[0])
        timeline = Timeline([time - begin for time in ends], sound, _within(reel.footage.chapters, begin, ends[-1]))
        writer.join(form, _look(reel, rig, options), segments, timeline, out)


def _within(chapters: Sequence[Chapter], begin: Fraction, end: Fraction) -> list[Chapter]:
    """Chapters of the part from `begin` to `end`, counted from its own beginning."""
    cut = ((max(first, begin) - begin, min(last, end) - begin, title) for first, last, title in chapters)
    return [chapter for chapter in cut if chapter[0] < chapter[1]]


def trial_size(reel: Reel, rig: Rig, options: ReelExport, cancelled: Callable[[], bool] = never) -> int:
    """About how many bytes the file will have, by a real trial: a second of the middle is written, and reckoned up. Sound is not
    counted. Raises OutputError, and Cancelled."""
    check_reel(reel, rig, options)
    first, last = options.span(reel)
    begin = (first + last) // 2
    end = begin + 1
    while end < min(last, begin + MOST_TRIAL) and reel.footage.times[end] - reel.footage.times[begin] < TRIAL:
        end += 1
    return len(segment_of(reel, rig, options, begin, end, cancelled)) * (last - first) // (end - begin)


def samples_of(plate: Plate, rig: Rig, look: Look, form: ReelFormat) -> NDArray[Any]:
    """A frame as it is stored: (h, w, 3) uint8 or uint16."""
    plate = as_input(plate, rig)
    renderer, wide, tall = Renderer(plate), *look.size
    frame = seen_frame(plate, rig)
    if frame.shape != (tall, wide):
        frame = seen_frame(plate, rig, look.size)
    target = _space(look)
    samples: NDArray[Any] = np.empty((tall, wide, 3), np.uint8 if look.depth == "8" else np.uint16)
    for band, pixels in renderer.bands(rig, frame):
        # PQ and HLG hold light above white.
        light = (pixels, plate.space) if look.points[1] in (PQ, HLG) else rig.finish.finished(pixels, plate.space)
        codes = to_codes(*light, target)
        cover = renderer.alpha(rig, band)
        if look.points[1] == PQ:
            codes = light_to_pq(codes)
        if cover is not None:
            codes = codes * cover[:, :, None] + (1 - cover[:, :, None])
        part = samples[band.y0 - frame.y0 : band.y1 - frame.y0]
        quantise(codes, 0, band.y0 - frame.y0, part, look.depth == "8")
    return samples


def _look(reel: Reel, rig: Rig, options: ReelExport) -> Look:
    """How all frames are stored; the first frame says it, which is far from most segments."""
    return reel.found(("look", rig.digest, options.digest), lambda: _made_look(reel, rig, options))


def _made_look(reel: Reel, rig: Rig, options: ReelExport) -> Look:
    first, _ = options.span(reel)
    rate = Fraction(len(reel)) / reel.footage.end
    return Look(
        size=check_reel(reel, rig, options),
        depth=options.depth,
        quality=options.quality,
        rate=rate,
        points=_points(reel, rig.finish.space(as_input(reel[first], rig).space), options),
    )


def _points(reel: Reel, space: RgbSpace, options: ReelExport) -> tuple[int, int]:
    """Primaries and transfer of the file: the reel's own where the format can state and hold them."""
    stated = reel.footage.points
    if stated is None:
        return code_points_of(space) or (code_points_of(_nearest(space)) or (BT709, SRGB_TRANSFER))
    if stated[1] not in (PQ, HLG):
        return stated
    return (BT2020, PQ) if options.depth != "8" else (BT709, SRGB_TRANSFER)


def _nearest(space: RgbSpace) -> RgbSpace:
    return SRGB if space.matrix_to(SRGB) is None else DISPLAY_P3


def _space(look: Look) -> RgbSpace:
    return space_of(*look.points)
