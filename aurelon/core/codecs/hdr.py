"""Radiance HDR: a shared exponent for three channels (Ward, "Real Pixels", Graphics Gems II, 1991)."""

from __future__ import annotations

import re

import imagecodecs
import numpy as np

from aurelon.core.codecs.shared.raster import CUT_SHORT, Format, Raster, UnreadableError, all_numbers
from aurelon.core.imaging.code_points import linear_space_of
from aurelon.core.imaging.rgb_space import LINEAR_SRGB, RgbSpace, chromaticities_of

FORMAT = Format(
    "hdr",
    "Radiance HDR",
    "image/vnd.radiance",
    (".hdr",),
    ("float",),
    has_alpha=False,
    linear=True,
    without_exif=("float",),
    order=8,
)
HEADER_ROOM = 4096  # bytes
SIZE = re.compile(rb"\n([-+][XY]) (\d+) ([-+][XY]) (\d+)\n")
PRIMARIES = re.compile(rb"\nPRIMARIES=((?:\s*-?[\d.]+){8})")


def matches(head: bytes) -> bool:
    return head[:10] == b"#?RADIANCE" or head[:6] == b"#?RGBE"


def measure(data: bytes) -> tuple[int, int]:
    found = SIZE.search(data[:65536])
    if found is None:
        raise UnreadableError("is damaged: its header gives no size")
    if found[1] != b"-Y" or found[3] != b"+X":
        raise UnreadableError("is stored turned or mirrored; save it upright")
    return int(found[4]), int(found[2])


def read(data: bytes) -> Raster:
    try:
        samples = imagecodecs.rgbe_decode(data)
    except (imagecodecs.RgbeError, ValueError, RuntimeError) as error:
        raise UnreadableError(CUT_SHORT) from error
    return Raster(np.ascontiguousarray(all_numbers(samples)), space=_space(data[:65536]))


def _space(header: bytes) -> RgbSpace:
    found = PRIMARIES.search(header)
    if found is None:
        return LINEAR_SRGB
    stated = [float(value) for value in found[1].split()]
    if not any(stated):  # as some write what they do not know
        return LINEAR_SRGB
    try:
        return linear_space_of(stated)
    except (ValueError, np.linalg.LinAlgError) as error:
        raise UnreadableError("is damaged: its primaries span no colours") from error


def write(raster: Raster, depth: str, quality: int) -> bytes:
    light = np.ascontiguousarray(raster.samples, np.float32)
    height, width, _ = light.shape
    # Noise grows by run lengths; by itself the encoder leaves no room for that.
    room = bytearray(HEADER_ROOM + height * (4 + 4 * width + 4 * width // 64))
    result = bytes(imagecodecs.rgbe_encode(light, rle=True, out=room))
    if raster.space is None or raster.space is LINEAR_SRGB:
        return result
    first, rest = result.split(b"\n", 1)
    stated = " ".join(f"{value:.4f}" for value in chromaticities_of(raster.space))
    return first + b"\nPRIMARIES=" + stated.encode() + b"\n" + rest
