"""JPEG XL (ISO/IEC 18181): read at every depth, written at 8 bits with any profile and in float as linear light; quality 100 is
lossless."""

from __future__ import annotations

import io
import struct

import imagecodecs
import numpy as np
from PIL import Image
from pillow_jxl import JpegXLImagePlugin

from aurelon.core.codecs.shared.raster import (
    CUT_SHORT,
    Format,
    Raster,
    UnreadableError,
    all_numbers,
    exif_upright,
    said_of,
    split_alpha,
)
from aurelon.core.codecs.shared.xmp import rig_in, upright_xmp
from aurelon.core.imaging.rgb_space import LINEAR_SRGB

# In float only light of sRGB's primaries can be stated.
FORMAT = Format(
    "jxl",
    "JPEG XL",
    "image/jxl",
    (".jxl",),
    ("8", "float"),
    has_quality=True,
    light_in={"float": LINEAR_SRGB},
    without_exif=("float",),
    order=6,
)
EFFORT = 4  # of the encoder, 1..9
CODESTREAM, CONTAINER = b"\xff\x0a", b"\0\0\0\x0cJXL \r\n\x87\n"


def matches(head: bytes) -> bool:
    return head[:2] == CODESTREAM or head[:12] == CONTAINER


class _Bits:
    """Reads a code stream's header, least significant bit first."""

    def __init__(self, data: bytes) -> None:
        self._whole = int.from_bytes(data[:64], "little")

    def take(self, count: int) -> int:
        value = self._whole & ((1 << count) - 1)
        self._whole >>= count
        return value

    def size(self) -> int:
        """U32 of the size header (18181-1, D.2): one more than it says."""
        return self.take((9, 13, 18, 30)[self.take(2)]) + 1


RATIOS = {1: (1, 1), 2: (12, 10), 3: (4, 3), 4: (3, 2), 5: (16, 9), 6: (5, 4), 7: (2, 1)}


def measure(data: bytes) -> tuple[int, int]:
    stream = data if data[:2] == CODESTREAM else _code_stream(data)
    if len(stream) < 12:
        raise UnreadableError(CUT_SHORT)
    bits = _Bits(stream[2:])
    if bits.take(1):  # both sides are multiples of 8 up to 256
        height = (bits.take(5) + 1) * 8
        ratio = bits.take(3)
        width = (bits.take(5) + 1) * 8 if ratio == 0 else 0
    else:
        height = bits.size()
        ratio = bits.take(3)
        width = bits.size() if ratio == 0 else 0
    if ratio:
        over, under = RATIOS[ratio]
        width = height * over // under
    return width, height


def _code_stream(data: bytes) -> bytes:
    """The start of the code stream in a container."""
    stream, place = io.BytesIO(data), 0
    while place + 8 <= len(data):
        stream.seek(place)
        length, kind = struct.unpack(">I4s", stream.read(8))
        start = place + 8
        if length == 1:
            if start + 8 > len(data):
                break
            (length,) = struct.unpack(">Q", stream.read(8))
            start += 8
        if kind in (b"jxlc", b"jxlp"):
            return data[start + (4 if kind == b"jxlp" else 0) : start + 80]
        if length < 8:
            break
        place += length
    raise UnreadableError(CUT_SHORT)


def read(data: bytes) -> Raster:
    try:
        samples = imagecodecs.jpegxl_decode(data, index=0)
        # The other reader knows no depth but 8 bits, but what the file says of its colours.
        opened = JpegXLImagePlugin.JXLImageFile(io.BytesIO(data))
        stated = opened.info
    except (imagecodecs.JpegxlError, ValueError, RuntimeError, OSError, SyntaxError) as error:
        raise UnreadableError(CUT_SHORT) from error
    if samples.dtype.kind == "f":
        samples = all_numbers(samples)
    if samples.ndim not in (2, 3) or (samples.ndim == 3 and samples.shape[2] > 4):
        raise UnreadableError("has a layout of samples that Aurelon does not read; save it as plain RGB or grey")
    colour, alpha = split_alpha(samples)
    icc, exif, xmp = stated.get("icc_profile"), exif_upright(stated.get("exif")), upright_xmp(stated.get("xmp"))
    return Raster(np.ascontiguousarray(colour), alpha, icc, exif, xmp=xmp, rig=rig_in(xmp), said=said_of(opened))


def write(raster: Raster, depth: str, quality: int) -> bytes:
    samples = raster.samples if raster.alpha is None else np.dstack([raster.samples, raster.alpha])
    lossless = quality == 100
    if depth == "float":
        return bytes(imagecodecs.jpegxl_encode(np.ascontiguousarray(samples), quality, effort=EFFORT, lossless=lossless))
    out = io.BytesIO()
    Image.fromarray(samples).save(
        out, "JXL", quality=quality, lossless=lossless, effort=EFFORT, icc_profile=raster.icc, exif=raster.exif or b""
    )
    return out.getvalue()
