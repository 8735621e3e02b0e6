"""The colour of light at a spot of a picture."""

from __future__ import annotations

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.colour import temperature_of
from aurelon.core.imaging.frame import diagonal
from aurelon.core.imaging.headroom import CLIPPED
from aurelon.core.imaging.rgb_space import RgbSpace

EDGE = 512  # long edge of the version that is looked at
SPOT = 0.015  # diagonals; radius of the spot
WIDENINGS, COLOURED = 5, 0.3  # how often a spot grows, and the share of it that must have a colour
KELVIN, TINT = -1, 2  # digits to which what is found is told


def colour_at(pixels: Floats, space: RgbSpace, spot: tuple[float, float]) -> tuple[float, float]:
    """Temperature (K) and tint of a small version (h, w, 3) of a picture at `spot` (fractions of it).

    The brighter half of what lies within SPOT counts, as that is what the light there falls on. What is
    clipped has lost its colour; where all is, as on a lamp, the spot grows until it reaches what is not.
    """
    height, width, _ = pixels.shape
    y, x = np.mgrid[0:height, 0:width] + 0.5
    place = np.clip(spot, 0, 1) * np.array((width, height))
    away = np.hypot(x - place[0], y - place[1])
    reach = max(SPOT * diagonal((width, height)), float(away.min()))
    clipped = np.asarray((pixels >= CLIPPED).any(axis=2))
    for _ in range(WIDENINGS):
        if np.mean(clipped, where=away <= reach) < 1 - COLOURED:
            break
        reach *= 1.5
    near = pixels[(away <= reach) & ~clipped]
    if not len(near):
        near = pixels[away <= reach]
    level = near @ space.luminance
    kelvin, tint = temperature_of(near[level >= np.median(level)].mean(axis=0), space)
    return round(kelvin, KELVIN), round(tint, TINT)
