"""PPM, the portable pixel map (Netpbm): binary, 8 bits."""

from __future__ import annotations

import re
import sys

import numpy as np

from aurelon.core.codecs.shared.raster import Format, Raster, UnreadableError

FORMAT = Format("ppm", "PPM", "image/x-portable-pixmap", (".ppm",), ("8",), has_alpha=False)
HEADER = re.compile(rb"P6\s+(\d+)\s+(\d+)\s+255\s")


def matches(head: bytes) -> bool:
    return head.startswith(b"P6")


def measure(data: bytes) -> tuple[int, int]:
    found = HEADER.match(data)
    if found is None:
        raise UnreadableError("has a header that cannot be read")
    return int(found[1]), int(found[2])


def read(data: bytes) -> Raster:
    width, height = measure(data)
    found = HEADER.match(data)
    body = data[found.end() :] if found else b""
    if len(body) < 3 * width * height:
        raise UnreadableError("is cut short")
    return Raster(np.frombuffer(body, np.uint8, 3 * width * height).reshape(height, width, 3))


def write(raster: Raster, depth: str, quality: int) -> bytes:
    height, width, _ = raster.samples.shape
    return b"P6 %d %d 255\n" % (width, height) + np.ascontiguousarray(raster.samples).tobytes()


CODEC = sys.modules[__name__]
