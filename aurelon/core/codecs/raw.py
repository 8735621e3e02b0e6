"""Camera raw and DNG by LibRaw: linear light in Rec. 2020 by the camera's matrix and the white balance as shot, with what is
brighter than white kept."""

from __future__ import annotations

import io
import struct
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
import rawpy

from aurelon.core.codecs.shared.raster import CUT_SHORT, Format, Raster, UnreadableError
from aurelon.core.errors import OutputError
from aurelon.core.imaging.code_points import LINEAR_REC2020

SUFFIXES = (".dng", ".cr2", ".cr3", ".nef", ".arw", ".raf", ".orf", ".rw2", ".pef", ".srw")
FORMAT = Format("raw", "camera raw", "image/x-adobe-dng", SUFFIXES, (), written=False)
PHOTOMETRIC, SUB_DIRECTORIES, DNG_VERSION = 262, 330, 50706
COLOUR_FILTERS, LINEAR_RAW = 32803, 34892
MOST_DIRECTORIES = 12


def matches(head: bytes) -> bool:
    if head[:15] == b"FUJIFILMCCD-RAW" or head[:4] in (b"IIRO", b"IIRS", b"MMOR", b"IIU\0"):
        return True
    if head[4:11] == b"ftypcrx":
        return True
    return head[:4] in (b"II*\0", b"MM\0*") and _is_raw_tiff(head)


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
    with _opened(data) as raw:
        # What is decoded counts, its margins too.
        return int(raw.sizes.raw_width), int(raw.sizes.raw_height)


def read(data: bytes) -> Raster:
    with _opened(data) as raw:
        balance = np.array(raw.camera_whitebalance[:3], float)
        known = bool((balance > 0).all())
        made = raw.postprocess(
            gamma=(1, 1),
            no_auto_bright=True,
            output_bps=16,
            use_camera_wb=known,
            use_auto_wb=False,
            output_color=rawpy.ColorSpace.Rec2020,
            highlight_mode=rawpy.HighlightMode.Blend,
        )
        multipliers = balance if known else np.array(raw.daylight_whitebalance[:3], float)
    if not (multipliers > 0).all():
        multipliers = np.ones(3)
    # Highlights are kept by developing darker, by as much as the balance lifts its strongest channel above its weakest.
    gain = float(multipliers.max() / multipliers.min())
    return Raster(np.asarray(made, np.float32) * np.float32(gain / 65535), space=LINEAR_REC2020)


def write(raster: Raster, depth: str, quality: int) -> bytes:
    raise OutputError("a camera raw file cannot be written; choose OpenEXR or TIFF, which keep as much")
