"""Camera raw and DNG by LibRaw: linear light in Rec. 2020 by the camera's matrix and the white balance as shot, with what is
brighter than white kept."""

from __future__ import annotations

import io
import struct
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Any

import numpy as np
import rawpy
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.codecs.shared.dng import COLOUR_FILTERS, LINEAR_RAW, LinearRaw, cropped, facts_of, linear_raw
from aurelon.core.codecs.shared.exif import exif_in_tiff
from aurelon.core.codecs.shared.raster import CUT_SHORT, Format, Raster, UnreadableError
from aurelon.core.errors import OutputError
from aurelon.core.imaging.arrays import Doubles, Floats
from aurelon.core.imaging.code_points import LINEAR_REC2020
from aurelon.core.imaging.kernels import strict_kernel
from aurelon.core.imaging.rgb_space import SRGB

SUFFIXES = (".dng", ".cr2", ".cr3", ".nef", ".arw", ".raf", ".orf", ".rw2", ".pef", ".srw")
FORMAT = Format("raw", "Camera raw", "image/x-raw", SUFFIXES, (), written=False, order=0)
PHOTOMETRIC, SUB_DIRECTORIES, DNG_VERSION = 262, 330, 50706
MOST_DIRECTORIES = 12
TIFF = b"II*\0", b"MM\0*"
FULL = np.float32(0.97)  # of the level at which a photosite is full, from which it counts as such


def matches(head: bytes) -> bool:
    if head[:15] == b"FUJIFILMCCD-RAW" or head[:4] in (b"IIRO", b"IIRS", b"MMOR", b"IIU\0"):
        return True
    if head[4:11] == b"ftypcrx":
        return True
    return head[:4] in TIFF and _is_raw_tiff(head)


def _is_raw_tiff(data: bytes) -> bool:
    """Whether a TIFF holds what a sensor saw: a DNG, or a picture of colour filters in it or in what hangs below it."""
    if data[8:10] == b"CR":
        return True
    order = "<" if data[:2] == b"II" else ">"
    try:
        waiting, seen = [struct.unpack_from(order + "I", data, 4)[0]], 0
        while waiting and seen < MOST_DIRECTORIES:
            place, seen = waiting.pop(0), seen + 1
            (count,) = struct.unpack_from(order + "H", data, place)
            for k in range(count):
                tag, kind, number, value = struct.unpack_from(order + "HHII", data, place + 2 + 12 * k)
                if tag == DNG_VERSION:
                    return True
                if tag == PHOTOMETRIC:
                    (stated,) = struct.unpack_from(order + "H", data, place + 2 + 12 * k + 8)
                    if stated in (COLOUR_FILTERS, LINEAR_RAW):
                        return True
                if tag == SUB_DIRECTORIES and kind in (4, 13):
                    offsets = [value] if number == 1 else struct.unpack_from(f"{order}{min(number, 8)}I", data, value)
                    waiting.extend(offsets)
    except struct.error:
        return False
    return False


@contextmanager
def _opened(data: bytes) -> Iterator[Any]:
    try:
        with rawpy.imread(io.BytesIO(data)) as raw:
            yield raw
    except rawpy.LibRawFileUnsupportedError as error:
        raise UnreadableError("is of a camera that Aurelon does not know; convert it to DNG first") from error
    except rawpy.LibRawError as error:
        raise UnreadableError(CUT_SHORT) from error


def measure(data: bytes) -> tuple[int, int]:
    if data[:4] in TIFF and (facts := facts_of(data)).linear:
        return facts.size
    with _opened(data) as raw:
        # What is decoded counts, its margins too.
        return int(raw.sizes.raw_width), int(raw.sizes.raw_height)


def read(data: bytes) -> Raster:
    if data[:4] in TIFF and (linear := linear_raw(data)) is not None:
        return _with_notes(_of_linear(linear), data)
    with _opened(data) as raw:
        return _with_notes(_cropped(_developed(raw, half=False), raw, data), data)


def _of_linear(linear: LinearRaw) -> Raster:
    """Linear light in Rec. 2020 of a picture that needs no developing."""
    if linear.light.shape[2] == 1:
        return Raster(np.repeat(linear.light, 3, axis=2), space=LINEAR_REC2020)
    if linear.from_xyz is None:
        raise UnreadableError("says nothing of the colours of its camera; convert it to DNG first")
    balanced = linear.light / linear.neutral.astype(np.float32)
    matrix = _to_rec2020(linear.from_xyz, np.zeros((3, 3))).astype(np.float32)
    return Raster(np.ascontiguousarray(balanced @ matrix.T, np.float32), space=LINEAR_REC2020)


def _cropped(result: Raster, raw: Any, data: bytes, scale: int = 1) -> Raster:
    """Within the crop that the file states, `scale` times smaller than the whole."""
    crop = facts_of(data).crop if data[:4] in TIFF else None
    turned = {3: 3, 5: 8, 6: 6}.get(int(raw.sizes.flip), 1)
    return result if crop is None else replace(result, samples=cropped(result.samples, crop, turned, scale))


def _with_notes(result: Raster, data: bytes) -> Raster:
    """With what the camera noted, where the file is of the make of TIFF, and as bright as it says that it is to be."""
    if data[:4] not in TIFF:
        return result
    exif, notices = exif_in_tiff(data)
    stops = facts_of(data).stops
    light = result.samples if stops == 0 else np.asarray(result.samples * np.float32(2.0**stops), np.float32)
    return replace(result, samples=light, exif=exif, notices=notices)


def glance(data: bytes) -> tuple[Raster, tuple[int, int]]:
    """The picture at half its size, for which no missing colour has to be made up, and the whole one's width and height."""
    if data[:4] in TIFF and facts_of(data).linear:
        whole = read(data)
        return whole, (whole.samples.shape[1], whole.samples.shape[0])
    with _opened(data) as raw:
        sizes = raw.sizes
        turned = sizes.flip in (5, 6)
        size = (int(sizes.height), int(sizes.width)) if turned else (int(sizes.width), int(sizes.height))
        small = _developed(raw, half=True)
        rows, columns = small.samples.shape[:2]
        small = _cropped(small, raw, data, 2)
    if abs(2 * columns - size[0]) > 3 or abs(2 * rows - size[1]) > 3:  # photosites that do not lie in rows and columns of squares
        whole = read(data)
        return whole, (whole.samples.shape[1], whole.samples.shape[0])
    crop = facts_of(data).crop if data[:4] in TIFF else None
    if crop is not None:
        size = (crop[3], crop[2]) if turned else (crop[2], crop[3])
    return _with_notes(small, data), size


def _developed(raw: Any, *, half: bool) -> Raster:
    """Linear light in Rec. 2020."""
    seen = raw.raw_image_visible
    if seen is not None and int(seen.min()) == int(seen.max()):
        raise UnreadableError("has the same value in every sample, so what the sensor saw is lost; copy it again from the camera")
    balance = np.array(raw.camera_whitebalance[:3], float)
    known = bool((balance > 0).all())
    result = raw.postprocess(
        half_size=half,
        gamma=(1, 1),
        no_auto_bright=True,
        output_bps=16,
        use_camera_wb=known,
        use_auto_wb=False,
        output_color=rawpy.ColorSpace.raw,
        highlight_mode=rawpy.HighlightMode.Ignore,
        adjust_maximum_thr=0,  # or a dark picture would be brightened
    )
    multipliers = balance if known else np.array(raw.daylight_whitebalance[:3], float)
    from_xyz, to_srgb = np.array(raw.rgb_xyz_matrix[:3], float), np.array(raw.color_matrix[:3, :3], float)
    if not (multipliers > 0).all():
        multipliers = np.ones(3)
    # LibRaw develops darker, by as much as the balance lifts its strongest channel above its weakest, so that nothing is cut off.
    full = (multipliers / multipliers.min()).astype(np.float32)
    light = np.empty(result.shape, np.float32)
    to_light(result, full, _to_rec2020(from_xyz, to_srgb).astype(np.float32), light)
    return Raster(light, space=LINEAR_REC2020)


def _to_rec2020(from_xyz: Doubles, to_srgb: Doubles) -> Doubles:
    """From the camera's balanced channels, by the matrix that takes XYZ to them or, where the camera is not known, by the
    file's own to sRGB; white stays white, as in DNG 1.4, ch. 6."""
    if abs(np.linalg.det(from_xyz)) < 1e-9:
        if abs(np.linalg.det(to_srgb)) < 1e-9:
            raise UnreadableError("says nothing of the colours of its camera; convert it to DNG first")
        return np.asarray(SRGB.matrix_to(LINEAR_REC2020), np.float64) @ to_srgb
    seen = from_xyz @ np.linalg.inv(LINEAR_REC2020.from_d65)
    return np.asarray(np.linalg.inv(seen / seen.sum(axis=1, keepdims=True)))


@strict_kernel
def to_light(result: NDArray[np.uint16], full: Floats, matrix: Floats, out: Floats) -> None:
    """Balanced channels of 16 bits (h, w, 3), full at `full`, as light in the primaries that `matrix` takes them to.

    Where a channel has reached the level at which its photosites are full, it was at least as bright as the brightest beside it:
    so that a lamp is white and not the colour of what the balance lifts.
    """
    unit = full.max() / np.float32(65535)
    for y in prange(result.shape[0]):
        for x in range(result.shape[1]):
            red, green, blue = result[y, x, 0] * unit, result[y, x, 1] * unit, result[y, x, 2] * unit
            most = max(red, green, blue)
            red += _filled(red, full[0]) * (most - red)
            green += _filled(green, full[1]) * (most - green)
            blue += _filled(blue, full[2]) * (most - blue)
            for c in range(3):
                out[y, x, c] = matrix[c, 0] * red + matrix[c, 1] * green + matrix[c, 2] * blue


@njit(inline="always")
def _filled(value: np.float32, full: np.float32) -> np.float32:
    """How full a photosite is: 0 below the level from which it counts, 1 at its brim."""
    return min(max((value / full - FULL) / (np.float32(1) - FULL), np.float32(0)), np.float32(1))


def write(raster: Raster, depth: str, quality: int) -> bytes:
    raise OutputError("a camera raw file cannot be written; choose OpenEXR or TIFF, which keep as much")
