"""The disc of a sun at the frame's own size, and what stands before it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.fastmath import smoothstep, unit
from aurelon.core.imaging.kernels import kernel


class SunDisc(NamedTuple):
    """A sun's disc as numbers for a kernel: where it is in pixels, diagonals to a pixel, its radius in diagonals, one over the
    width of its rim, its strength, one over how far from it what stands before it hides the glow, and how much of it."""

    x: np.float32
    y: np.float32
    per_pixel: np.float32
    radius: np.float32
    per_rim: np.float32
    strength: np.float32
    per_near: np.float32
    hidden: np.float32


@kernel
def draw_behind(openness: Floats, sun: SunDisc, colour: Floats, through: Floats, drawn: Floats) -> None:
    """How much of the glow is seen at each pixel (h, w), and the disc where the picture is open, (h, w, 3)."""
    one = f32(1.0)
    for row in prange(openness.shape[0]):
        down = f32(row) + f32(0.5) - sun.y
        for column in range(openness.shape[1]):
            across = f32(column) + f32(0.5) - sun.x
            away = np.sqrt(across * across + down * down) * sun.per_pixel
            seen = unit(openness[row, column])
            through[row, column] = one - sun.hidden * smoothstep(unit(one - away * sun.per_near)) * (one - seen)
            if away > sun.radius + one / sun.per_rim:
                continue
            inside = away / sun.radius
            # Limb darkening of the sun, u = 0.6 (Cox, "Allen's Astrophysical Quantities", 14.7).
            limb = f32(0.4) + f32(0.6) * np.sqrt(max(one - inside * inside, f32(0.0)))
            disc = sun.strength * smoothstep(unit((sun.radius - away) * sun.per_rim + f32(0.5))) * limb * openness[row, column]
            for c in range(3):
                drawn[row, column, c] = disc * colour[c]
