"""Interleaved pixels as planes and back, inside kernels."""

from __future__ import annotations

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.kernels import inlined


@inlined
def split(pixels: Floats, red: Floats, green: Floats, blue: Floats) -> None:
    """Interleaved pixels as three planes: only over planes do some loops vectorise."""
    for x in range(red.size):
        red[x], green[x], blue[x] = pixels[3 * x], pixels[3 * x + 1], pixels[3 * x + 2]


@inlined
def join(red: Floats, green: Floats, blue: Floats, pixels: Floats) -> None:
    for x in range(red.size):
        pixels[3 * x], pixels[3 * x + 1], pixels[3 * x + 2] = red[x], green[x], blue[x]
