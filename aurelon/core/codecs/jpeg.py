"""JPEG (ITU-T T.81) with the ICC profile in APP2 and EXIF in APP1; and with a gain map (ISO 21496-1), by which a screen of high
dynamic range shows light above white, and any other the picture as ever."""

from __future__ import annotations

import io
import struct
from collections.abc import Iterator
from dataclasses import replace

import imagecodecs
import numpy as np
from PIL import Image

from aurelon.core.codecs.shared.conversion import from_cmyk
from aurelon.core.codecs.shared.exif import notes_of
from aurelon.core.codecs.shared.raster import (
    Format,
    Raster,
    UnreadableError,
    exif_orientation,
    exif_upright,
    open_with_pillow,
    upright,
)
from aurelon.core.codecs.shared.xmp import rig_in, upright_xmp, with_rig
from aurelon.core.imaging.code_points import LINEAR, P3_D65, space_of
from aurelon.core.imaging.icc import ProfileError, read_profile
from aurelon.core.imaging.rgb_space import LINEAR_CURVE, LINEAR_SRGB, make_space

LINEAR_P3 = space_of(P3_D65, LINEAR)
FORMAT = Format(
    "jpeg",
    "JPEG",
    "image/jpeg",
    (".jpg", ".jpeg"),
    ("8", "gain-map"),
    has_quality=True,
    has_alpha=False,
    largest=65500,
    light_in={"gain-map": LINEAR_P3},
    carries_rig=True,
    most_xmp=65000,  # in one segment
    order=1,
)
# What says that a gain map lies behind the picture.
GAIN_MAP = (b"hdrgm:Version", b"urn:iso:std:iso:ts:21496:-1")
HEADERS = 1 << 18  # bytes in which that stands
P3_GAMUT, LINEAR_TRANSFER = 1, 0  # in the encoder's own numbers
HALF_MOST = 65504.0
WHITE_NITS, NITS = 203.0, (210.0, 10000.0)  # of white (ITU-R BT.2408), and what the encoder takes for a peak
OWN_MAP = b"hdrgm:"  # as XMP says it
APP1, APP2, SCAN = 0xE1, 0xE2, 0xDA  # markers of segments
SEVERAL, PICTURES = b"MPF\0", 0xB002  # the list of pictures, and its tag of their lengths and places


def matches(head: bytes) -> bool:
    return head[:3] == b"\xff\xd8\xff"


def measure(data: bytes) -> tuple[int, int]:
    return open_with_pillow(data).size


def read(data: bytes) -> Raster:
    picture = open_with_pillow(data)
    inks = picture.mode == "CMYK"
    try:
        samples = np.asarray(picture if inks or picture.mode in ("L", "RGB") else picture.convert("RGB"))
    except (OSError, SyntaxError, ValueError) as error:
        raise UnreadableError("is cut short or damaged; copy it again from where it came") from error
    exif: bytes | None = picture.info.get("exif")
    if any(mark in data[:HEADERS] for mark in GAIN_MAP):
        brighter = _with_gain_map(data, picture.info.get("icc_profile"), exif)
        if brighter is not None:
            xmp = upright_xmp(picture.info.get("xmp"))
            # What it says of its own map would be untrue of any other file.
            return replace(brighter, xmp=None if OWN_MAP in (xmp or b"") else xmp, rig=rig_in(xmp), notices=notes_of(exif))
    if samples.ndim == 2:
        samples = samples[:, :, None]
    samples = upright(samples, exif_orientation(exif))
    icc, xmp = picture.info.get("icc_profile"), upright_xmp(picture.info.get("xmp"))
    notices = notes_of(exif)
    if inks:
        colours, space, how = from_cmyk(samples, icc)
        return Raster(colours, exif=exif_upright(exif), space=space, xmp=xmp, rig=rig_in(xmp), notices=(how, *notices))
    return Raster(samples, icc=icc, exif=exif_upright(exif), xmp=xmp, rig=rig_in(xmp), notices=notices)


def _with_gain_map(data: bytes, icc: bytes | None, exif: bytes | None) -> Raster | None:
    """Linear light, 1 at the picture's own white; None where the map is of a kind that is not known, and the picture by itself
    is what there is."""
    try:
        light = imagecodecs.ultrahdr_decode(data, dtype=np.float16, transfer=LINEAR_TRANSFER)
        space = read_profile(icc) if icc else None
    except (imagecodecs.UltrahdrError, ProfileError, ValueError, RuntimeError):
        return None
    linear = LINEAR_SRGB if space is None else make_space(f"Linear light, {space.name}", space.to_pcs, LINEAR_CURVE)
    samples = upright(np.ascontiguousarray(light[:, :, :3], np.float32), exif_orientation(exif))
    return Raster(samples, exif=exif_upright(exif), space=linear)


def write(raster: Raster, depth: str, quality: int) -> bytes:
    if depth == "gain-map":
        light = np.clip(raster.samples, 0, HALF_MOST)
        whole = np.dstack([light, np.ones(light.shape[:2], np.float32)]).astype(np.float16)
        # The map's codes go from white to the picture's own peak, and its file says so (ISO 21496-1, HDR headroom).
        nits = float(np.clip(WHITE_NITS * float(light.max()), *NITS))
        result = bytes(imagecodecs.ultrahdr_encode(whole, quality, gamut=P3_GAMUT, transfer=LINEAR_TRANSFER, nits=nits))
        return _with_notes(result, _notes(raster))
    out = io.BytesIO()
    Image.fromarray(raster.samples).save(
        out,
        "JPEG",
        quality=quality,
        subsampling="4:4:4" if quality >= 90 else "4:2:0",
        icc_profile=raster.icc,
        exif=raster.exif or b"",
        xmp=with_rig(raster.xmp, raster.rig) or b"",
    )
    return out.getvalue()


def _notes(raster: Raster) -> bytes:
    """The segments of EXIF and XMP as they stand in a JPEG of any picture."""
    tiny = io.BytesIO()
    xmp = with_rig(raster.xmp, raster.rig) or b""
    Image.new("RGB", (8, 8)).save(tiny, "JPEG", exif=(raster.exif or b""), xmp=xmp)
    data = tiny.getvalue()
    return b"".join(data[start:end] for kind, start, end in _segments(data) if kind == APP1)


def _segments(data: bytes) -> Iterator[tuple[int, int, int]]:
    """The marker of each segment before the picture (ISO/IEC 10918-1, B.1.1), and where the segment begins and ends."""
    place = 2
    while place + 4 <= len(data) and data[place] == 0xFF and data[place + 1] != SCAN:
        (length,) = struct.unpack_from(">H", data, place + 2)
        yield data[place + 1], place, place + 2 + length
        place += 2 + length


def _with_notes(data: bytes, notes: bytes) -> bytes:
    """A file of several pictures with more segments in its first one, whose length the list of pictures says (CIPA DC-007). Where
    the others are it counts from itself, and it moves with them."""
    if not notes:
        return data
    result = bytearray(data[:2] + notes + data[2:])
    for kind, start, end in _segments(bytes(result)):
        head = start + 4 + len(SEVERAL)
        if kind != APP2 or result[start + 4 : head] != SEVERAL:
            continue
        order = "<" if result[head : head + 2] == b"II" else ">"
        (at,) = struct.unpack_from(order + "I", result, head + 4)
        (count,) = struct.unpack_from(order + "H", result, head + at)
        for entry in range(head + at + 2, min(head + at + 2 + 12 * count, end), 12):
            tag, _, _, place = struct.unpack_from(order + "HHII", result, entry)
            if tag == PICTURES:
                (length,) = struct.unpack_from(order + "I", result, head + place + 4)
                struct.pack_into(order + "I", result, head + place + 4, length + len(notes))
    return bytes(result)
