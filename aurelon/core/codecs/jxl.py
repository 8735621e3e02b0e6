"""JPEG XL (ISO/IEC 18181): read at every depth, PQ and HLG among them; written at 8 to 16 bits with code points (ITU-T H.273), in
PQ, and in float as linear light. Quality 100 is lossless. EXIF and XMP stand in boxes of the container (18181-2)."""

from __future__ import annotations

import io
from dataclasses import replace
from typing import Any

import cv2
import imagecodecs
import numpy as np
from numpy.typing import NDArray
from pillow_jxl import JpegXLImagePlugin

from aurelon.core.codecs.shared.exif import notes_of
from aurelon.core.codecs.shared.heif_items import box, boxes
from aurelon.core.codecs.shared.jxl_header import USUAL_PEAK, restated, stream_info
from aurelon.core.codecs.shared.raster import (
    ANIMATED,
    CUT_SHORT,
    Format,
    Raster,
    UnreadableError,
    all_numbers,
    by_code_points,
    exif_upright,
    split_alpha,
)
from aurelon.core.codecs.shared.xmp import rig_in, upright_xmp, with_rig
from aurelon.core.imaging.code_points import (
    BT709,
    BT2020,
    LINEAR_REC2020,
    PQ,
    REFERENCE_WHITE,
    SRGB_TRANSFER,
    code_points_of,
    light_to_pq,
    space_of,
)
from aurelon.core.imaging.rgb_space import LINEAR_SRGB, SRGB, RgbSpace
from aurelon.core.imaging.samples import look_up, widened

USUAL = BT709, SRGB_TRANSFER


def _holds(space: RgbSpace) -> bool:
    return code_points_of(space) is not None


FORMAT = Format(
    "jxl",
    "JPEG XL",
    "image/jxl",
    (".jxl",),
    ("8", "10", "12", "16", "pq10", "pq12", "float"),
    has_quality=True,
    light_in={"float": LINEAR_SRGB, "pq10": LINEAR_REC2020, "pq12": LINEAR_REC2020},
    holds=_holds,
    carries_rig=True,
    order=6,
)
MOST_TOLD = 16 << 20  # bytes of unpacked metadata
EFFORT = 4  # of the encoder, 1..9
SHORTEST = 12  # bytes of a code stream
PQ_PEAK = 10_000.0  # cd/m², of SMPTE ST 2084
CODESTREAM, CONTAINER = b"\xff\x0a", b"\0\0\0\x0cJXL \r\n\x87\n"


def matches(head: bytes) -> bool:
    return head[:2] == CODESTREAM or head[:12] == CONTAINER


def measure(data: bytes) -> tuple[int, int]:
    return stream_info(_code_stream(data)).size


def _code_stream(data: bytes) -> bytes:
    """The code stream, or its first part; its header is there."""
    if data[:2] != CODESTREAM:
        kind, start, end = next((found for found in boxes(data) if found[0] in (b"jxlc", b"jxlp")), (b"", 0, 0))
        data = data[start + (4 if kind == b"jxlp" else 0) : end]
    if len(data) < SHORTEST:
        raise UnreadableError(CUT_SHORT)
    return data


def _box_content(data: bytes, wanted: bytes) -> bytes | None:
    """What a box of metadata in a container holds, which may be packed."""
    for kind, start, end in boxes(data) if data[:12] == CONTAINER else ():
        if kind == wanted:
            return data[start:end]
        if kind == b"brob" and data[start : start + 4] == wanted:
            try:
                return bytes(imagecodecs.brotli_decode(data[start + 4 : end], out=MOST_TOLD))
            except (imagecodecs.BrotliError, ValueError, RuntimeError):
                return None
    return None


def _exif(data: bytes) -> bytes | None:
    """EXIF after the four bytes that say where it begins."""
    content = _box_content(data, b"Exif")
    if content is None or len(content) < 4:
        return None
    return content[4 + int.from_bytes(content[:4], "big") :] or None


def _profile(data: bytes) -> bytes | None:
    """The profile, by a reader that decodes the picture once more for it."""
    icc: bytes | None = JpegXLImagePlugin.JXLImageFile(io.BytesIO(data)).info.get("icc_profile")
    return icc


def read(data: bytes) -> Raster:
    info = stream_info(_code_stream(data))
    try:
        samples = imagecodecs.jpegxl_decode(data, index=0)
        icc = _profile(data) if info.points is None else None
    except (imagecodecs.JpegxlError, ValueError, RuntimeError, OSError, SyntaxError) as error:
        raise UnreadableError(CUT_SHORT) from error
    if samples.ndim not in (2, 3) or (samples.ndim == 3 and samples.shape[2] > 4):
        raise UnreadableError("has a layout of samples that Aurelon does not read; save it as plain RGB or grey")
    if samples.dtype.kind == "f":
        samples = all_numbers(samples)
    elif 0 < info.bits < 8 * samples.itemsize:
        samples = widened(samples, info.bits)
    colour, alpha = split_alpha(samples)
    exif, xmp = exif_upright(_exif(data)), upright_xmp(_box_content(data, b"xml "))
    if info.points is None:
        raster = Raster(np.ascontiguousarray(colour), alpha, icc, exif)
    else:
        raster = by_code_points(np.ascontiguousarray(colour), alpha, exif, *info.points)
    return replace(raster, xmp=xmp, rig=rig_in(xmp), notices=(*((ANIMATED,) if info.animated else ()), *notes_of(exif)))


def write(raster: Raster, depth: str, quality: int) -> bytes:
    points = (BT2020, PQ) if depth.startswith("pq") else code_points_of(raster.space or SRGB) or USUAL
    lossless = quality == 100
    if depth == "float" or (depth == "8" and points == USUAL):
        samples, bits = _with_alpha(raster.samples, raster.alpha), None
    else:
        bits = int(depth.removeprefix("pq"))
        samples = _codes(raster, bits, points) if lossless else _light(raster, points)
    coded = imagecodecs.jpegxl_encode(
        np.ascontiguousarray(samples),
        quality,
        effort=EFFORT,
        lossless=lossless,
        bitspersample=bits if lossless else None,
        usecontainer=False,
    )
    stream, level = _code_stream(bytes(coded)), b""
    if coded[:12] == CONTAINER:  # which the encoder makes where it must say that not every decoder is up to it
        level = b"".join(box(kind, bytes(coded[start:end])) for kind, start, end in boxes(bytes(coded)) if kind == b"jxll")
    if bits is not None:
        stream = restated(stream, bits, points, PQ_PEAK if points[1] == PQ else USUAL_PEAK)
    exif, xmp = raster.exif or b"", with_rig(raster.xmp, raster.rig)
    about = level + (box(b"Exif", b"\0\0\0\0" + exif.removeprefix(b"Exif\0\0")) if exif else b"")
    about += box(b"xml ", xmp) if xmp else b""
    return CONTAINER + box(b"ftyp", b"jxl \0\0\0\0jxl ") + about + box(b"jxlc", stream) if about else stream


def _with_alpha(colour: NDArray[Any], alpha: NDArray[Any] | None) -> NDArray[Any]:
    return colour if alpha is None else np.dstack([colour, alpha])


def _codes(raster: Raster, bits: int, points: tuple[int, int]) -> NDArray[Any]:
    """How whole numbers of this many bits are read."""
    colour = light_to_pq(raster.samples) if points[1] == PQ else raster.samples
    samples = _with_alpha(colour, raster.alpha)
    most = 1 if samples.dtype.kind == "f" else np.iinfo(samples.dtype).max
    if most == (1 << bits) - 1:
        return samples
    return np.round(samples * np.float32(((1 << bits) - 1) / most)).astype(np.uint16)


def _light(raster: Raster, points: tuple[int, int]) -> NDArray[np.float32]:
    """Linear light in sRGB's primaries, beyond them where it must be, as the lossy encoder takes it: 1 is its usual peak."""
    alpha = raster.alpha
    if points[1] == PQ:
        light, home = raster.samples * np.float32(REFERENCE_WHITE / USUAL_PEAK), LINEAR_REC2020
    else:
        home = space_of(*points)
        most = np.iinfo(raster.samples.dtype).max
        table = home.curves[0].decode(np.arange(most + 1) / most).astype(np.float32)
        light = np.empty((*raster.samples.shape[:2], 3), np.float32)
        look_up(raster.samples, np.stack([table] * 3), light)
        alpha = None if alpha is None else alpha / np.float32(most)
    matrix = home.matrix_to(LINEAR_SRGB)
    if matrix is not None:
        light = np.asarray(cv2.transform(light, matrix.astype(np.float32)), np.float32)
    return np.asarray(_with_alpha(light, alpha), np.float32)
