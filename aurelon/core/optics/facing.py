"""How much of a light that runs across a picture falls on the things in it: Lambert's cosine.

The light is taken to run at the distance of what it falls on, a little from the front. So ground below it is lit, what stands up is
lit from its side, and whatever turns away is not. That needs no depth of the light's own source, which a picture seldom tells.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.frame import in_diagonals
from aurelon.core.imaging.kernels import kernel
from aurelon.core.optics.shading import Placement

FROM_FRONT = 0.35  # how far toward the eye the light comes from, beside its way across the picture


class Origin(NamedTuple):
    """Where light comes from, in diagonals of the plate: a place, or a direction toward it where it is not `near` (1 or 0)."""

    near: np.float32
    x: np.float32
    y: np.float32


def at_place(place: tuple[float, float], size: tuple[int, int]) -> Origin:
    """Light from a place in fractions of a plate of `size`."""
    across, down = in_diagonals(size)
    return Origin(f32(1.0), f32(place[0] * across), f32(place[1] * down))


def toward(x: float, y: float) -> Origin:
    """Light from far away in a direction: x to the right, y down."""
    return Origin(f32(0.0), f32(x), f32(y))


@kernel
def facing(slopes: Floats, origin: Origin, to: Placement, out: Floats) -> None:
    """The cosine (h, w), not below 0, between the normals of slopes (h, w, 2) and the way to the light."""
    rows, columns, _ = slopes.shape
    zero, one, front = f32(0.0), f32(1.0), f32(FROM_FRONT)
    for row in prange(rows):
        dy = origin.y - (f32(row) + to.y0 + f32(0.5)) * to.down * origin.near
        for x in range(columns):
            dx = origin.x - (f32(x) + to.x0 + f32(0.5)) * to.across * origin.near
            right, down = slopes[row, x, 0], slopes[row, x, 1]
            dz = front * np.sqrt(dx * dx + dy * dy)
            lengths = (dx * dx + dy * dy + dz * dz) * (one + right * right + down * down)
            out[row, x] = max(dz - right * dx - down * dy, zero) / np.sqrt(max(lengths, f32(1e-12)))
