"""From a rig on a plate to the bytes of a picture file, band by band."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.codecs import codecs, format_of_path
from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.errors import Cancelled, OutputError
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.pipeline import Evaluation, render_bands, seen_frame
from aurelon.core.imaging.rgb_space import DISPLAY_P3, LINEAR_SRGB, SRGB, RgbSpace
from aurelon.core.plate import Plate
from aurelon.core.rig.model import Rig

Floats = NDArray[np.float32]
Depth = Literal["8", "16", "float"]
ProfileChoice = Literal["keep", "srgb", "display-p3"]
Progress = Callable[[float], None]


@dataclass(frozen=True)
class ExportOptions:
    """How a result is written. `size` (width, height) is the plate's own where None."""

    format: str
    depth: str
    quality: int = 92
    size: tuple[int, int] | None = None
    profile: ProfileChoice = "keep"
    show: str = "result"

    def checked(self, plate: Plate, rig: Rig) -> ExportOptions:
        """The same options. Raises OutputError when they cannot be met."""
        codec = codecs().get(self.format)
        if codec is None:
            raise OutputError(f"there is no format '{self.format}'; there are: {', '.join(codecs())}")
        if self.depth not in codec.FORMAT.depths:
            raise OutputError(
                f"{codec.FORMAT.title} cannot hold {self.depth} bits; it holds {' or '.join(codec.FORMAT.depths)}"
            )
        if self.size is not None:
            width, height = self.size
            tall, wide = seen_frame(plate, rig).shape
            if not (1 <= width <= wide and 1 <= height <= tall):
                raise OutputError(f"{width} x {height} pixels is not within the picture's own {wide} x {tall}")
        return self


def _target_space(plate: Plate, options: ExportOptions) -> RgbSpace:
    if options.profile == "display-p3":
        return DISPLAY_P3
    if options.profile == "srgb":
        return LINEAR_SRGB if options.depth == "float" else SRGB
    # Whole numbers hold linear light badly, so a plate that came in it goes out with the sRGB curve.
    return SRGB if plate.space is LINEAR_SRGB and options.depth != "float" else plate.space


def to_codes(pixels: Floats, plate_space: RgbSpace, target: RgbSpace) -> Floats:
    """Linear light (h, w, 3) in the plate's primaries as code values 0..1 (and above) of `target`."""
    matrix = plate_space.matrix_to(target)
    if matrix is not None:
        pixels = np.maximum(pixels @ matrix.T, 0)
    if len(set(target.curves)) == 1:
        return target.curves[0].encode(pixels)
    return np.stack([target.curves[c].encode(pixels[:, :, c]) for c in range(3)], axis=2)


def export(
    plate: Plate,
    rig: Rig,
    options: ExportOptions,
    *,
    progress: Progress = lambda share: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> bytes:
    """The bytes of the picture file. `progress` is told the share done, 0..1.

    Raises OutputError when the options cannot be met, Cancelled once `cancelled()` is true.
    """
    codec = codecs()[options.checked(plate, rig).format]
    frame = seen_frame(plate, rig, options.size)
    alpha_of = Evaluation(plate, rig, Cache(0)).alpha
    target = _target_space(plate, options)
    kind: Any = {"8": np.uint8, "16": np.uint16, "float": np.float32}[options.depth]
    samples = np.empty((*frame.shape, 3), kind)
    alpha = np.empty(frame.shape, kind) if plate.alpha is not None else None
    for band, pixels in render_bands(plate, rig, frame, show=options.show, cancelled=cancelled):
        codes = to_codes(pixels, plate.space, target)
        cover = alpha_of(band)
        part = slice(band.y0 - frame.y0, band.y1 - frame.y0)
        if cover is not None and not codec.FORMAT.has_alpha:
            # Without alpha, what is transparent becomes white paper.
            codes = codes * cover[:, :, None] + (1 - cover[:, :, None])
        if options.depth == "float":
            samples[part] = codes
        else:
            quantise(codes, 0, part.start, samples[part], options.depth == "8")
        if alpha is not None and cover is not None:
            top = 1 if options.depth == "float" else np.iinfo(kind).max
            alpha[part] = cover if top == 1 else np.round(cover * np.float32(top))
        progress(0.9 * part.stop / frame.shape[0])
        if cancelled():
            raise Cancelled
    raster = Raster(samples, alpha if codec.FORMAT.has_alpha else None, target.icc, plate.exif)
    data = codec.write(raster, options.depth, options.quality)
    progress(1.0)
    return data


def quantise(codes: Floats, x0: int, y0: int, out: NDArray[Any], dithered: bool) -> None:
    """Code values 0..1 as whole numbers, clipped. Dither breaks bands in soft light at 8 bits.

    The dither is interleaved gradient noise of the pixel's own place (Jimenez, SIGGRAPH 2014,
    Advances in Real-Time Rendering), and stays within ±0.49 of a step: a value that lies on a
    step already, as every pixel does that no light has touched, keeps it.
    """
    _quantise(codes, x0, y0, np.float32(np.iinfo(out.dtype).max), np.float32(0.98 if dithered else 0.0), out)


@njit(parallel=True, cache=True)
def _quantise(codes: Floats, x0: int, y0: int, top: np.float32, spread: np.float32, out: NDArray[Any]) -> None:
    rows, columns, channels = codes.shape
    for y in prange(rows):
        for x in range(columns):
            place = 0.06711056 * (x + x0) + 0.00583715 * (y + y0)
            wave = 52.9829189 * (place - np.floor(place))
            dither = np.float32((wave - np.floor(wave) - 0.5) * spread)
            for c in range(channels):
                value = codes[y, x, c] * top
                whole = np.floor(value + np.float32(0.5) + (dither if abs(value - np.round(value)) > 0.004 else 0.0))
                out[y, x, c] = min(max(whole, np.float32(0.0)), top)


def write_whole(path: Path, data: bytes) -> None:
    """Writes a file that is there whole or not at all. Raises OutputError that names it."""
    temporary = None
    try:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=".aurelon-")
        temporary = Path(name)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        temporary.chmod(0o666 & ~_umask())
        temporary.replace(path)
    except OSError as error:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
        raise OutputError(f"{path} cannot be written: {error.strerror or error}; choose another place") from error


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def options_for_path(path: Path, plate: Plate, size: tuple[int, int] | None, show: str) -> ExportOptions:
    """The format that the path's ending names, at the plate's own depth or the most the format has."""
    name = format_of_path(path)
    depths = codecs()[name].FORMAT.depths
    return ExportOptions(name, plate.depth if plate.depth in depths else depths[-1], size=size, show=show)
