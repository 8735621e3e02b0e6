"""PNG (ISO/IEC 15948, third edition) at 8 and 16 bits and in high dynamic range, with cICP, iCCP and eXIf chunks."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterator, Mapping
from dataclasses import replace

import imagecodecs
import numpy as np

from aurelon.core.codecs.shared.exif import notes_of
from aurelon.core.codecs.shared.in_space import LEFT_ASIDE
from aurelon.core.codecs.shared.raster import (
    ANIMATED,
    Format,
    Raster,
    UnreadableError,
    by_code_points,
    exif_orientation,
    exif_upright,
    first_by_pillow,
    split_alpha,
    upright,
)
from aurelon.core.codecs.shared.stated_colours import space_stated
from aurelon.core.codecs.shared.xmp import orientation_in, packed, unpacked, upright_xmp
from aurelon.core.imaging.code_points import BT2020, LINEAR_REC2020, PQ, light_to_pq
from aurelon.core.imaging.rgb_space import RgbSpace

FORMAT = Format(
    "png", "PNG", "image/png", (".png",), ("8", "16", "pq16"), light_in={"pq16": LINEAR_REC2020}, carries_rig=True, order=2
)
XMP = b"XML:com.adobe.xmp\0"  # keyword of the text chunk in which it stands: fixed, byte for byte, by the standard of XMP
SHOWN = (b"IHDR", b"PLTE", b"tRNS", b"IDAT", b"IEND")
RIG = b"Aurelon rig\0"  # keyword of the text chunk in which one travels
MOST_PROFILE = 16 << 20  # bytes
SIGNATURE = b"\x89PNG\r\n\x1a\n"
COLOURS = (b"sRGB", b"gAMA", b"cHRM")
UNIT = 100_000  # to one, of what they state
LEVEL = 4  # of packing
AFTER_HEADER = 8 + 25  # bytes: the signature and the first chunk


def matches(head: bytes) -> bool:
    return head[:8] == SIGNATURE


def _chunks(data: bytes) -> Iterator[tuple[bytes, bytes, bytes]]:
    """(type, content, all of it) of each chunk up to IEND; raises UnreadableError when the file ends before it."""
    place = len(SIGNATURE)
    while place + 12 <= len(data):
        size, kind = struct.unpack_from(">I4s", data, place)
        if place + 12 + size > len(data):
            break
        yield kind, data[place + 8 : place + 8 + size], data[place : place + 12 + size]
        if kind == b"IEND":
            return
        place += 12 + size
    raise UnreadableError("is cut short; copy it again from where it came")


def measure(data: bytes) -> tuple[int, int]:
    if len(data) < 33 or data[12:16] != b"IHDR":
        raise UnreadableError("is cut short; copy it again from where it came")
    width, height = struct.unpack_from(">II", data, 16)
    if width == 0 or height == 0:
        raise UnreadableError("is damaged: its header gives no size")
    return width, height


def _unpacked(profile: bytes) -> bytes | None:
    """A profile, unless it unpacks to more than any has; None where it does not unpack at all."""
    worker = zlib.decompressobj()
    try:
        icc = worker.decompress(profile, MOST_PROFILE)
    except zlib.error:
        return None
    if worker.unconsumed_tail:
        raise UnreadableError("has a colour profile that unpacks to far more than one has; save it with another")
    return icc


def _text(content: bytes) -> bytes | None:
    """The text of an iTXt chunk after its keyword; None where it is damaged, or unpacks to more than any is."""
    parts = content[2:].split(b"\0", 2)
    if len(content) < 2 or len(parts) < 3:
        return None
    if not content[0]:
        return parts[2]
    worker = zlib.decompressobj()
    try:
        text = worker.decompress(parts[2], MOST_PROFILE)
    except zlib.error:
        return None
    return None if worker.unconsumed_tail else text


def _space(stated: Mapping[bytes, bytes]) -> RgbSpace | None:
    """The space by gamma and chromaticities; None where the file calls it the standard one, for then they are for those who do not
    know that."""
    if b"sRGB" in stated:
        return None
    gamma, places = stated.get(b"gAMA", b""), stated.get(b"cHRM", b"")
    return space_stated(
        struct.unpack(">I", gamma)[0] / UNIT if len(gamma) == 4 else None,
        [value / UNIT for value in struct.unpack(">8I", places)] if len(places) == 32 else None,
    )


def read(data: bytes) -> Raster:
    exif = None
    icc = points = None
    rig, xmp = "", None
    stated: dict[bytes, bytes] = {}
    notices: tuple[str, ...] = ()
    shown = [SIGNATURE]  # the file without what it says of itself, which may be damaged, or far more than any reader takes
    for number, (kind, content, whole) in enumerate(_chunks(data)):
        if kind == b"IHDR" and number > 0:
            raise UnreadableError("is damaged: it has two headers")
        if kind in SHOWN:
            shown.append(whole)
        if kind == b"eXIf":
            exif = content
        elif kind == b"cICP" and len(content) == 4:
            points = content[0], content[1]
        elif kind in COLOURS:
            stated[kind] = content
        elif kind == b"acTL":
            notices = (ANIMATED,)
        elif kind == b"iTXt" and content.startswith(XMP):
            xmp = _text(content[len(XMP) :])
        elif kind == b"tEXt" and content.startswith(RIG):
            rig = unpacked(content[len(RIG) :])
        elif kind == b"iCCP":
            name_end = content.find(b"\0")
            icc = _unpacked(content[name_end + 2 :])
            notices += (LEFT_ASIDE,) if icc is None else ()
    notices += notes_of(exif)
    depth = data[24]
    try:
        if depth == 16:
            samples = imagecodecs.png_decode(b"".join(shown))
        else:
            colour, opacity, _ = first_by_pillow(b"".join(shown))
            samples = colour if opacity is None else np.dstack([colour, opacity])
    except (imagecodecs.PngError, OSError, SyntaxError, ValueError) as error:
        raise UnreadableError("is damaged; copy it again from where it came") from error
    turned = exif_orientation(exif) if exif else orientation_in(xmp)
    xmp = upright_xmp(xmp)
    colour, opacity = split_alpha(upright(samples, turned))
    if points is not None:  # and the profile gives way to it
        result = by_code_points(np.ascontiguousarray(colour), opacity, exif_upright(exif), *points)
        return replace(result, xmp=xmp, rig=rig, notices=notices)
    space = None if icc else _space(stated)
    return Raster(np.ascontiguousarray(colour), opacity, icc, exif_upright(exif), space, xmp=xmp, rig=rig, notices=notices)


def _chunk(kind: bytes, content: bytes) -> bytes:
    return struct.pack(">I", len(content)) + kind + content + struct.pack(">I", zlib.crc32(kind + content))


def write(raster: Raster, depth: str, quality: int) -> bytes:
    return encoded(raster, high=depth == "pq16", level=LEVEL)


def encoded(raster: Raster, *, high: bool, level: int) -> bytes:
    """The file; `high`: of linear light in Rec. 2020, by the perceptual quantiser. `level` 1..9 is how hard it is packed."""
    colour = light_to_pq(raster.samples) if high else raster.samples
    samples = colour if raster.alpha is None else np.dstack([colour, raster.alpha])
    if high:
        samples = np.round(samples * np.float32(65535)).astype(np.uint16)
    result = bytes(imagecodecs.png_encode(np.ascontiguousarray(samples), level=level))
    extra = b""
    if high:
        extra += _chunk(b"cICP", bytes((BT2020, PQ, 0, 1)))
    elif raster.icc:
        extra += _chunk(b"iCCP", b"ICC profile\0\0" + zlib.compress(raster.icc))
    if raster.exif:
        exif = raster.exif
        extra += _chunk(b"eXIf", exif[6:] if exif[:6] == b"Exif\0\0" else exif)
    if raster.xmp:
        extra += _chunk(b"iTXt", XMP + b"\0\0\0\0" + raster.xmp)
    if raster.rig:
        extra += _chunk(b"tEXt", RIG + packed(raster.rig).encode())
    return result[:AFTER_HEADER] + extra + result[AFTER_HEADER:]
