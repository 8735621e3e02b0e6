"""The glow of a source in hazy air, and how much of it is seen before what stands in front."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.fastmath import exp_minus
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.optics.air import FORWARD

BEYOND = 0.6  # share of the glow that comes from beyond what stands in front
BEFORE = 0.15  # share of that of haze which comes from before it
ROUND = 0.8  # as BEYOND for a lamp in the haze: most of what is dark about it stands behind


class Glow(NamedTuple):
    """A source's glow as numbers for a kernel: where it is in pixels, how quickly it fades a pixel, its strength, that of the
    haze, diagonals to a pixel, and the radius of a lamp's globe within the haze, in diagonals, 0 for a light behind it."""

    x: np.float32
    y: np.float32
    per_size: np.float32
    strength: np.float32
    haze: np.float32
    per_pixel: np.float32
    globe: np.float32


@inlined
def _glow(glow: Glow, down: np.float32, bright: Floats) -> None:
    """The glow along a row of pixels, with nothing in front of it; by itself, so that it vectorises."""
    one, g = f32(1.0), f32(FORWARD)
    scale2, globe2 = glow.per_pixel * glow.per_pixel, glow.globe * glow.globe
    if glow.globe > f32(0.0):
        for x in range(bright.size):
            across = f32(np.int32(x)) + f32(0.5) - glow.x
            away2 = across * across + down * down
            # As `glow_within`.
            bent = glow.globe / np.sqrt(away2 * scale2 + globe2)
            bright[x] = glow.strength * exp_minus(np.sqrt(away2) * glow.per_size) + glow.haze * bent
        return
    for x in range(bright.size):
        across = f32(np.int32(x)) + f32(0.5) - glow.x
        away2 = across * across + down * down
        # As `glow_at`.
        cosine = one / np.sqrt(one + away2 * scale2)
        bent = (one - g) * (one - g) / (one + g * g - f32(2.0) * g * cosine)
        bright[x] = glow.strength * exp_minus(np.sqrt(away2) * glow.per_size) + glow.haze * bent * np.sqrt(bent)


@kernel
def mix_in_glow_beyond(emission: Floats, glow: Glow, light: Floats) -> None:
    """Mixes the glow from behind the occluders into the last channel of `light` (h, w, 4)."""
    rows, columns, _ = light.shape
    for row in prange(rows):
        bright = np.empty(columns, np.float32)
        _glow(glow, f32(row) + f32(0.5) - glow.y, bright)
        line, seen = light[row].reshape(-1), emission[row].reshape(-1)
        everywhere = glow.globe > f32(0.0)
        share = f32(ROUND) if everywhere else f32(BEYOND)
        before = f32(1.0) if everywhere else f32(BEFORE) * glow.haze / max(glow.haze + glow.strength, f32(1e-6))
        for x in range(columns):
            shown = before + (f32(1.0) - before) * seen[4 * x + 3]
            line[4 * x + 3] += share * (bright[x] * shown - line[4 * x + 3])
