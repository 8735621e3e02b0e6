"""JPEG XL (ISO/IEC 18181): read at every depth with its profile; written in sRGB at 8 bits and in float as linear light, which
is what the encoder can state. Quality 100 is lossless. EXIF and XMP stand in boxes of the container (18181-2)."""

from __future__ import annotations

import io

import imagecodecs
import numpy as np
from pillow_jxl import JpegXLImagePlugin

from aurelon.core.codecs.shared.heif_items import box, boxes
from aurelon.core.codecs.shared.raster import (
    ANIMATED,
    CUT_SHORT,
    Format,
    Raster,
    UnreadableError,
    all_numbers,
    exif_upright,
    split_alpha,
)
from aurelon.core.codecs.shared.xmp import rig_in, upright_xmp, with_rig
from aurelon.core.imaging.code_points import BT709, SRGB_TRANSFER, code_points_of
from aurelon.core.imaging.rgb_space import LINEAR_SRGB, RgbSpace


def _holds(space: RgbSpace) -> bool:
    return code_points_of(space) == (BT709, SRGB_TRANSFER)


FORMAT = Format(
    "jxl",
    "JPEG XL",
    "image/jxl",
    (".jxl",),
    ("8", "float"),
    has_quality=True,
    light_in={"float": LINEAR_SRGB},
    holds=_holds,
    carries_rig=True,
    order=6,
)
MOST_XMP = 16 << 20  # bytes
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
    return _size(_head(data))


def _head(data: bytes) -> _Bits:
    stream = data if data[:2] == CODESTREAM else _code_stream(data)
    if len(stream) < 12:
        raise UnreadableError(CUT_SHORT)
    return _Bits(stream[2:])


def _size(bits: _Bits) -> tuple[int, int]:
    """Width and height of a size header."""
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


def _moves(data: bytes) -> bool:
    """Whether it holds several pictures, by the metadata that come after the size (18181-1, D.3)."""
    bits = _head(data)
    _size(bits)
    if bits.take(1) or not bits.take(1):  # all as usual, or nothing beyond that
        return False
    bits.take(3)  # orientation
    if bits.take(1):
        _size(bits)  # at which it is to be seen
    return not bits.take(1) and bool(bits.take(1))  # without a preview, an animation


def _code_stream(data: bytes) -> bytes:
    """The start of the code stream in a container."""
    for kind, start, _ in boxes(data):
        if kind in (b"jxlc", b"jxlp"):
            return data[start + (4 if kind == b"jxlp" else 0) : start + 80]
    raise UnreadableError(CUT_SHORT)


def _xmp(data: bytes) -> bytes | None:
    """The metadata in a container, which may be packed."""
    for kind, start, end in boxes(data) if data[:12] == CONTAINER else ():
        if kind == b"xml ":
            return data[start:end]
        if kind == b"brob" and data[start : start + 4] == b"xml ":
            try:
                return bytes(imagecodecs.brotli_decode(data[start + 4 : end], out=MOST_XMP))
            except (imagecodecs.BrotliError, ValueError, RuntimeError):
                return None
    return None


def read(data: bytes) -> Raster:
    try:
        samples = imagecodecs.jpegxl_decode(data, index=0)
        # The other reader knows no depth but 8 bits, but what the file says of its colours.
        stated = JpegXLImagePlugin.JXLImageFile(io.BytesIO(data)).info
    except (imagecodecs.JpegxlError, ValueError, RuntimeError, OSError, SyntaxError) as error:
        raise UnreadableError(CUT_SHORT) from error
    if samples.dtype.kind == "f":
        samples = all_numbers(samples)
    if samples.ndim not in (2, 3) or (samples.ndim == 3 and samples.shape[2] > 4):
        raise UnreadableError("has a layout of samples that Aurelon does not read; save it as plain RGB or grey")
    colour, alpha = split_alpha(samples)
    icc, exif, xmp = stated.get("icc_profile"), exif_upright(stated.get("exif")), upright_xmp(_xmp(data))
    return Raster(
        np.ascontiguousarray(colour), alpha, icc, exif, xmp=xmp, rig=rig_in(xmp), said=(ANIMATED,) if _moves(data) else ()
    )


def write(raster: Raster, depth: str, quality: int) -> bytes:
    samples = np.ascontiguousarray(raster.samples if raster.alpha is None else np.dstack([raster.samples, raster.alpha]))
    stream = bytes(imagecodecs.jpegxl_encode(samples, quality, effort=EFFORT, lossless=quality == 100, usecontainer=False))
    exif, xmp = raster.exif or b"", with_rig(raster.xmp, raster.rig)
    about = box(b"Exif", b"\0\0\0\0" + exif.removeprefix(b"Exif\0\0")) if exif else b""
    about += box(b"xml ", xmp) if xmp else b""
    if not about:
        return stream
    if stream[:12] == CONTAINER:  # which the encoder makes where it must: behind its head, before the code stream
        at = stream.index(b"jxlc", 12) - 4
        return stream[:at] + about + stream[at:]
    return CONTAINER + box(b"ftyp", b"jxl \0\0\0\0jxl ") + about + box(b"jxlc", stream)
