"""Noise that has no seam: value noise on a circle, tied to a seed and never to pixels.

Reference: Perlin, "Improving Noise" (2002), for the quintic fade.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Doubles = NDArray[np.float64]


def periodic_noise(place: Doubles, period: int, seed: tuple[int, ...]) -> Doubles:
    """Value noise in 0..1 at `place` (any shape, in cells), repeating every `period` cells."""
    values = np.random.default_rng(seed).random(period)
    cell = np.floor(place)
    t = place - cell
    t = t * t * t * (t * (6 * t - 15) + 10)
    low = cell.astype(np.int64) % period
    return np.asarray(values[low] * (1 - t) + values[(low + 1) % period] * t)


def ray_variation(bars: Doubles, count: int, variety: float, seed: int) -> NDArray[np.float32]:
    """How bright each ray is, mean about 1: even at variety 0, strong bars at 1.

    `bars` is the place of each ray counted in bars; it repeats every `count` of them. The places
    are warped first, so that the bars differ in width, and three octaves are mixed.
    """
    few = max(2, count // 3)
    warp = periodic_noise(bars * few / count, few, (seed, 0)) - 0.5
    place = bars + 1.6 * warp
    mixed = (
        0.60 * periodic_noise(place, count, (seed, 1))
        + 0.27 * periodic_noise(2 * place, 2 * count, (seed, 2))
        + 0.13 * periodic_noise(5 * place, 5 * count, (seed, 3))
    )
    t = np.clip((mixed - 0.22) / 0.56, 0, 1)
    bright = t * t * (3 - 2 * t)
    return np.asarray(1 - variety + variety * 2 * bright, np.float32)
