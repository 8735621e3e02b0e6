"""A single picture file: from a rig on a plate to its bytes, band by band."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from math import floor
from typing import Any, Literal, NamedTuple, Protocol

import numpy as np
from pydantic import Field, model_validator

from aurelon.core.codecs import codecs
from aurelon.core.codecs.shared.metadata import NOTES, Notes, kept_exif, kept_xmp
from aurelon.core.codecs.shared.raster import Format, Raster
from aurelon.core.codecs.shared.xmp import with_rig
from aurelon.core.errors import Cancelled, OutputError
from aurelon.core.export.shared.target import Exported, ExportTarget, Progress
from aurelon.core.graph.renderer import Renderer, check_proportions, never, seen_frame
from aurelon.core.graph.show import RESULT, Show
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.profiles import SPACES, TITLES
from aurelon.core.imaging.quantise import quantise
from aurelon.core.imaging.rgb_space import DISPLAY_P3, LINEAR_CURVE, LINEAR_SRGB, SRGB, RgbSpace, make_space
from aurelon.core.plate import Plate
from aurelon.core.rig import Rig
from aurelon.core.rig.finish import WORDS, Finish
from aurelon.core.settings import Settings, choice, flag, whole

QUALITY = 92
TRIAL_EDGE = 640  # pixels of the middle that is written to learn how large the file will be
PROFILES = {"keep": "The plate's own", **TITLES}
ProfileName = Literal["keep", "srgb", "display-p3", "oprgb", "romm"]
WHOLE, EXACT = np.uint16, np.float32
SAMPLES: dict[str, Any] = {"8": np.uint8, "10": WHOLE, "12": WHOLE, "16": WHOLE, "half": EXACT, "float": EXACT}
SAMPLES |= dict.fromkeys(("pq10", "pq12", "pq16", "gain-map"), EXACT)
LARGEST_SCALE = 4.0  # of what is seen of the plate


class Sized(Protocol):
    """Options that say how large a picture is to be."""

    @property
    def long_edge(self) -> int | None: ...
    @property
    def size(self) -> tuple[int, int] | None: ...


class PictureExport(Settings):
    """How a picture is written. Its size is what is seen of the plate, or that brought to a `long_edge`, which may
    enlarge it up to four times; or `size` (width, height), which must have the picture's proportions."""

    target: Literal["picture"] = "picture"
    format: str
    depth: str
    quality: int = whole(QUALITY, "Quality against size of the file", unit="", low=1, high=100)
    profile: ProfileName = choice("keep", "Colour profile of the file", words=PROFILES)
    above_white: Literal["as_shown", "cut", "roll_off"] = choice(
        "as_shown",
        "What becomes of light above white where the file cannot hold it",
        label="Above white",
        words={"as_shown": "As the bench shows it", **WORDS},
    )
    metadata: Notes = choice(
        "usual",
        "How it was taken: camera, lens, exposure, date and copyright; place, serial numbers and names only with all of it",
        label="Camera's notes",
        words=NOTES,
    )
    with_rig: bool = flag(False, "The rig travels in the file, and is found when the file is brought in", label="Rig in the file")
    long_edge: int | None = Field(None, ge=1, description="Pixels on the long edge; all there are where left out")
    size: tuple[int, int] | None = None
    show: Show = RESULT

    @model_validator(mode="before")
    @classmethod
    def _as_it_was_called(cls, data: Any) -> Any:
        """Runs that were kept before a rig had a finish call it `highlights`."""
        if not isinstance(data, dict) or "highlights" not in data:
            return data
        kept = {name: value for name, value in data.items() if name != "highlights"}
        return {"above_white": "roll_off" if data["highlights"] == "shoulder" else "cut", **kept}


class PixelSize(NamedTuple):
    """Pixels of the picture that an export writes, how many times that is the picture's own size, and pixels of the long edge:
    of the picture's own size, and the largest that may be asked for."""

    width: int
    height: int
    enlarged: float
    full_edge: int
    largest_edge: int


class _Edge(NamedTuple):
    long_edge: int | None
    size: None = None


def pixel_size(plate: Plate, rig: Rig, long_edge: int | None) -> PixelSize:
    """The size of the picture at a long edge, or as it comes. Raises OutputError for an edge that it cannot have."""
    full = max(seen_frame(plate, rig).shape)
    height, width = frame_for(plate, rig, _Edge(long_edge)).shape
    return PixelSize(width, height, max(width, height) / full, full, floor(full * LARGEST_SCALE))


def frame_for(plate: Plate, rig: Rig, options: Sized) -> Frame:
    """The frame of the picture that is written. Raises OutputError for a size that it cannot have."""
    full = seen_frame(plate, rig)
    tall, wide = full.shape
    if options.size is not None and options.long_edge is not None:
        raise OutputError("give either a size or a long edge, not both")
    if options.long_edge is not None:
        scale = options.long_edge / max(wide, tall)
        width, height = max(1, round(wide * scale)), max(1, round(tall * scale))
    elif options.size is not None:
        width, height = options.size
        scale = max(width / wide, height / tall)
        check_proportions((width, height), (wide, tall))
    else:
        return full
    if scale > LARGEST_SCALE:
        raise OutputError(
            f"{width} x {height} is more than {LARGEST_SCALE:g} times the picture's own {wide} x {tall}; choose a smaller size"
        )
    if (width, height) == (wide, tall):
        return full
    return seen_frame(plate, rig, (width, height))


def check(plate: Plate, rig: Rig, options: PictureExport) -> None:
    """Raises OutputError when the options cannot be met."""
    codec = codecs().get(options.format)
    if codec is None or not codec.FORMAT.written:
        there = (name for name, known in codecs().items() if known.FORMAT.written)
        raise OutputError(f"there is no format '{options.format}' to write; there are: {', '.join(there)}")
    if options.depth not in codec.FORMAT.depths:
        raise OutputError(f"{codec.FORMAT.title} cannot hold {options.depth} bits; it holds {' or '.join(codec.FORMAT.depths)}")
    frame = frame_for(plate, rig, options)
    if max(frame.shape) > codec.FORMAT.largest:
        raise OutputError(f"{codec.FORMAT.title} holds up to {codec.FORMAT.largest} pixels a side; choose a smaller size")
    if options.with_rig:
        _check_rig_fits(kept_xmp(plate.xmp, options.metadata), rig, codec.FORMAT)


def _check_rig_fits(xmp: bytes | None, rig: Rig, form: Format) -> None:
    if not form.carries_rig:
        raise OutputError(f"{form.title} cannot carry the rig; leave it out, or choose PNG or TIFF")
    if form.most_xmp is not None and len(with_rig(xmp, rig.model_dump_json()) or b"") > form.most_xmp:
        raise OutputError(f"this rig is too large to travel in a {form.title} file; leave it out, or choose PNG or TIFF")


def target_space(own: RgbSpace, options: PictureExport, form: Format) -> RgbSpace:
    """The space of the file: the one that is asked for, or the nearest that the format can state."""
    if options.depth in form.light_in:
        return form.light_in[options.depth]
    exact = SAMPLES.get(options.depth, WHOLE) is EXACT
    space = SPACES.get(options.profile, own)
    if form.linear:
        return in_linear_light(space)
    if exact and options.profile == "srgb":
        return LINEAR_SRGB
    # Whole numbers hold linear light badly, so a plate that came in it goes out with the sRGB curve.
    if not exact and all(curve.is_linear for curve in space.curves):
        space = SRGB if space.matrix_to(SRGB) is None else DISPLAY_P3
    if form.holds is None or form.holds(space):
        return space
    return DISPLAY_P3 if form.holds(DISPLAY_P3) and space.matrix_to(SRGB) is not None else SRGB


def in_linear_light(space: RgbSpace) -> RgbSpace:
    """The space of the same primaries without a curve."""
    if all(curve.is_linear for curve in space.curves):
        return space
    return LINEAR_SRGB if space.matrix_to(SRGB) is None else make_space(f"Linear light, {space.name}", space.to_pcs, LINEAR_CURVE)


def to_codes(pixels: Floats, plate_space: RgbSpace, target: RgbSpace, *, held: bool = False) -> Floats:
    """Linear light (h, w, 3) in the plate's primaries as code values 0..1 (and above, unless `held`) of `target`."""
    matrix = plate_space.matrix_to(target)
    if matrix is not None:
        pixels = pixels @ matrix.T
        if not all(curve.is_linear for curve in target.curves):
            pixels = np.maximum(pixels, 0)
    if len(set(target.curves)) == 1:
        return target.curves[0].encode(pixels, held=held)
    return np.stack([target.curves[c].encode(pixels[:, :, c], held=held) for c in range(3)], axis=2)


def export(
    plate: Plate,
    rig: Rig,
    options: PictureExport,
    *,
    progress: Progress = lambda share: None,
    cancelled: Callable[[], bool] = never,
) -> bytes:
    """The bytes of the picture file. `progress` is told the share done, 0..1.

    Raises OutputError when the options cannot be met, Cancelled once `cancelled()` is true.
    """
    check(plate, rig, options)
    frame = frame_for(plate, rig, options)
    raster = _raster(Renderer(plate).for_input(rig), rig, options, frame, frame.y0, progress, cancelled)
    data = codecs()[options.format].write(raster, options.depth, options.quality)
    progress(1.0)
    return data


def strip_of(renderer: Renderer, rig: Rig, options: PictureExport, number: int, of: int) -> Raster:
    """The samples of one of so many strips, counted from 0 at the top, into which a large picture is cut, to be made in
    different places. Raises OutputError when the options cannot be met."""
    check(renderer.plate, rig, options)
    whole = frame_for(renderer.plate, rig, options)
    rows = whole.shape[0]
    strip = whole.rows(whole.y0 + rows * number // of, whole.y0 + rows * (number + 1) // of)
    return _raster(renderer.for_input(rig), rig, options, strip, whole.y0, lambda share: None, never)


def joined(strips: Sequence[Raster], options: PictureExport) -> bytes:
    """The bytes of the picture file whose strips, from top to bottom, are given: those that `export` gives."""
    first = strips[0]
    alpha = None if first.alpha is None else np.concatenate([strip.alpha for strip in strips if strip.alpha is not None])
    whole = replace(first, samples=np.concatenate([strip.samples for strip in strips]), alpha=alpha)
    return codecs()[options.format].write(whole, options.depth, options.quality)


def trial_size(renderer: Renderer, rig: Rig, options: PictureExport) -> int:
    """About how many bytes the file will have, by a real trial: the middle of the picture is written, and reckoned up.

    Raises OutputError when the options cannot be met.
    """
    plate = renderer.plate
    check(plate, rig, options)
    whole = frame_for(plate, rig, options)
    tall, wide = whole.shape
    height, width = min(tall, TRIAL_EDGE), min(wide, TRIAL_EDGE)
    x0, y0 = whole.x0 + (wide - width) // 2, whole.y0 + (tall - height) // 2
    middle = Frame(whole.width, whole.height, x0, y0, x0 + width, y0 + height)
    raster = _raster(renderer.for_input(rig), rig, options, middle, whole.y0, lambda share: None, never)
    codec = codecs()[options.format]
    # What every file of the kind has, whatever it shows, counts once.
    tiny = replace(raster, samples=raster.samples[:1, :1], alpha=None if raster.alpha is None else raster.alpha[:1, :1])
    around = len(codec.write(tiny, options.depth, options.quality))
    result = len(codec.write(raster, options.depth, options.quality))
    return around + round(max(result - around, 0) * (tall * wide) / (height * width))


def _raster(
    renderer: Renderer, rig: Rig, options: PictureExport, frame: Frame, top: int, progress: Progress, cancelled: Callable[[], bool]
) -> Raster:
    """What is written of a frame; `top` is the first row of the whole picture, on which dither is laid."""
    plate, codec = renderer.plate, codecs()[options.format]
    kind = SAMPLES[options.depth]
    finish = rig.finish if options.above_white == "as_shown" else Finish(above_white=options.above_white)
    target = target_space(plate.space if kind is EXACT else finish.space(plate.space), options, codec.FORMAT)
    samples = np.empty((*frame.shape, 3), kind)
    alpha = np.empty(frame.shape, kind) if plate.alpha is not None else None
    held = kind is not np.float32 and plate.alpha is None
    for band, pixels in renderer.bands(rig, frame, show=options.show, cancelled=cancelled):
        light = (pixels, plate.space) if kind is EXACT else finish.finished(pixels, plate.space)
        codes = to_codes(*light, target, held=held)
        cover = renderer.alpha(rig, band)
        part = slice(band.y0 - frame.y0, band.y1 - frame.y0)
        if cover is not None and not codec.FORMAT.has_alpha:
            # Without alpha, what is transparent becomes white paper.
            codes = codes * cover[:, :, None] + (1 - cover[:, :, None])
        if kind is np.float32:
            samples[part] = codes
        else:
            quantise(codes, 0, band.y0 - top, samples[part], options.depth == "8")
        if alpha is not None and cover is not None:
            alpha[part] = cover if kind is np.float32 else np.round(cover * np.float32(np.iinfo(kind).max))
        progress(0.9 * part.stop / frame.shape[0])
        if cancelled():
            raise Cancelled
    return Raster(
        samples,
        alpha if codec.FORMAT.has_alpha else None,
        target.icc,
        kept_exif(plate.exif, options.metadata),
        target,
        kept_xmp(plate.xmp, options.metadata),
        rig.model_dump_json() if options.with_rig else "",
    )


def _run(plate: Plate, rig: Rig, options: PictureExport, progress: Progress, cancelled: Callable[[], bool]) -> Exported:
    form = codecs()[options.format].FORMAT
    data = export(plate, rig, options, progress=progress, cancelled=cancelled)
    return Exported(data, form.suffixes[0], form.media_type)


def picture_formats() -> list[Format]:
    return [codec.FORMAT for codec in codecs().values() if codec.FORMAT.written]


def options_in(form: Format, plate: Plate, **options: Any) -> PictureExport:
    """A picture in a format, at the plate's own depth or the most the format has."""
    if "depth" in options:
        return PictureExport(format=form.name, **options)
    # High dynamic range is for those who ask for it.
    plain = [depth for depth in form.depths if depth not in form.light_in] or list(form.depths)
    return PictureExport(format=form.name, depth=plate.depth if plate.depth in form.depths else plain[-1], **options)


TARGET = ExportTarget(
    name="picture",
    order=1,
    title="One picture",
    options=PictureExport,
    formats=picture_formats,
    for_path=options_in,
    check=check,
    run=_run,
    trial_size=trial_size,
    strips=True,
)
