"""AVIF (AV1 Image File Format) at 8, 10 and 12 bits. Read with its profile or code points, PQ and HLG among them; written with
code points (ITU-T H.273), EXIF and XMP."""

from __future__ import annotations

import struct
from dataclasses import replace
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from aurelon.core.codecs.shared.depth import EVEN_DEPTH, NO_DEPTH, nearness_of_codes
from aurelon.core.codecs.shared.exif import DAMAGED, notes_of
from aurelon.core.codecs.shared.heif_depth import with_depth_first
from aurelon.core.codecs.shared.heif_items import with_metadata
from aurelon.core.codecs.shared.raster import (
    CUT_SHORT,
    Format,
    Raster,
    UnreadableError,
    by_code_points,
    exif_orientation,
    exif_upright,
    is_animated,
    notices_of,
    open_with_pillow,
    split_alpha,
    upright,
)
from aurelon.core.codecs.shared.xmp import rig_in, upright_xmp, with_rig
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.code_points import (
    BT709,
    BT2020,
    LINEAR_REC2020,
    PQ,
    SRGB_TRANSFER,
    UNSPECIFIED,
    code_points_of,
    light_to_pq,
)
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.imaging.samples import widened

EXIF_ITEM, NO_ITEM = b"\0Exif\0", b"\0none\0"  # as an item of the file says its type
SPEED = 8  # of the encoder, 0..10; slower ones gain little


def _holds(space: RgbSpace) -> bool:
    return code_points_of(space) is not None


FORMAT = Format(
    "avif",
    "AVIF",
    "image/avif",
    (".avif",),
    ("8", "10", "12", "pq10", "pq12"),
    has_quality=True,
    largest=65536,
    light_in={"pq10": LINEAR_REC2020, "pq12": LINEAR_REC2020},
    holds=_holds,
    carries_rig=True,
    order=5,
)


def matches(head: bytes) -> bool:
    return head[4:8] == b"ftyp" and any(brand in head[8:64] for brand in (b"avif", b"avis"))


def measure(data: bytes) -> tuple[int, int]:
    return _opened(data)[0].size


def _opened(data: bytes) -> tuple[Image.Image, bytes, tuple[str, ...]]:
    """The file, its bytes, and what there is to say. Invalid EXIF, at which the library gives the whole file up, is passed
    over."""
    try:
        return open_with_pillow(data), data, ()
    except UnreadableError:
        without = data.replace(EXIF_ITEM, NO_ITEM, 1)
        if without == data:
            raise
        return open_with_pillow(without), without, (DAMAGED,)


def read(data: bytes) -> Raster:
    picture, data, notices = _opened(data)
    try:
        # The other reader knows every depth, but overruns its memory on files of several pictures.
        samples = _first_of(picture) if is_animated(picture) else imagecodecs.avif_decode(data)
    except (imagecodecs.AvifError, ValueError, RuntimeError) as error:
        raise UnreadableError(CUT_SHORT) from error
    if samples.dtype == np.uint16:
        samples = widened(samples, _bits(data))
    # How the file says that it is to be turned comes as EXIF says it.
    colour, alpha = split_alpha(upright(samples, exif_orientation(picture.info.get("exif"))))
    icc, exif = picture.info.get("icc_profile"), exif_upright(picture.info.get("exif"))
    notices, xmp = (*notices, *notices_of(picture), *notes_of(exif)), upright_xmp(picture.info.get("xmp"))
    nearness, of_depth = _nearness(data, exif_orientation(picture.info.get("exif")))
    points, notices = None if icc else _stated(data), (*notices, *of_depth)
    if points is None:
        result = Raster(np.ascontiguousarray(colour), alpha, icc, exif)
    else:
        result = by_code_points(np.ascontiguousarray(colour), alpha, exif, *points)
    return replace(result, xmp=xmp, rig=rig_in(xmp), nearness=nearness, notices=notices)


def _nearness(data: bytes, orientation: int) -> tuple[Floats | None, tuple[str, ...]]:
    """Nearness (h, w) by the depth picture of a file, and what there is to say of it."""
    depth = with_depth_first(data)
    if depth is None:
        return None, ()
    try:
        codes = imagecodecs.avif_decode(depth)
    except (imagecodecs.AvifError, ValueError, RuntimeError):
        return None, (NO_DEPTH,)
    result = nearness_of_codes(upright(codes if codes.ndim == 2 else codes[:, :, 0], orientation))
    return result, (EVEN_DEPTH,) if result is None else ()


def _first_of(picture: Image.Image) -> NDArray[Any]:
    return np.asarray(picture.convert("RGBA" if picture.has_transparency_data else "RGB"))


def _stated(data: bytes) -> tuple[int, int] | None:
    """Primaries and transfer of the `colr` box of type `nclx`; None where the file states none."""
    place = data.find(b"colrnclx")
    if place < 0 or place + 12 > len(data):
        return None
    primaries, transfer = struct.unpack_from(">HH", data, place + 8)
    return BT709 if primaries == UNSPECIFIED else primaries, SRGB_TRANSFER if transfer == UNSPECIFIED else transfer


def _bits(data: bytes) -> int:
    """Bits a sample by the AV1 configuration box: `high_bitdepth` and `twelve_bit` of its third byte."""
    place = data.find(b"av1C")
    if place < 0 or place + 7 > len(data) or not data[place + 6] & 0x40:
        return 8
    return 12 if data[place + 6] & 0x20 else 10


def write(raster: Raster, depth: str, quality: int) -> bytes:
    high = depth.startswith("pq")
    bits = int(depth.removeprefix("pq"))
    colour = light_to_pq(raster.samples) if high else raster.samples
    samples = colour if raster.alpha is None else np.dstack([colour, raster.alpha])
    if bits > 8:
        samples = np.round(samples * np.float32(((1 << bits) - 1) / (1 if high else 65535))).astype(np.uint16)
    primaries, transfer = (BT2020, PQ) if high else _points(raster.space)
    result = imagecodecs.avif_encode(
        np.ascontiguousarray(samples),
        quality,
        speed=SPEED,
        bitspersample=bits,
        pixelformat="444" if quality >= 90 else "420",
        primaries=primaries,
        transfer=transfer,
    )
    return with_metadata(bytes(result), raster.exif, with_rig(raster.xmp, raster.rig))


def _points(space: RgbSpace | None) -> tuple[int, int]:
    found = None if space is None else code_points_of(space)
    return found or (BT709, SRGB_TRANSFER)
