"""A lamp among things that are near and far: how much of its light reaches them, and how much of its glow is seen before them.

The eye is a pinhole. A place of nearness n lies F (N / n - 1) behind a lamp that stands at nearness N, before it where that is
below 0, in diagonals of the plate as they measure beside the lamp. F is the focal length; here it is that of a wide lens, so that
light reaches about as far into the picture as an eye expects that takes the lamp's height and range across it.
"""

from __future__ import annotations

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.optics.shading import Lamp, Placement

FOCAL = 0.45  # diagonals: 20 mm before a frame of 36 mm by 24 mm
FARTHEST = 1e-3  # nearness of what counts as infinitely far
DEEPEST = 4.0  # diagonals behind a lamp, where none of its light is left
HALF_TURN = 3.14159265


@inlined
def _behind(nearness: np.float32, stands_at: np.float32) -> np.float32:
    """How far behind the lamp a place lies, in diagonals."""
    return f32(FOCAL) * (stands_at / max(nearness, f32(FARTHEST)) - f32(1.0))


@kernel
def fall_off(nearness: Floats, lamp: Lamp, stands_at: np.float32, to: Placement, out: Floats) -> None:
    """The share (h, w) of a near lamp's light that is left where a place lies before or behind the plane that the lamp hangs over:
    what the inverse square and the window of its range lose on the longer way."""
    zero, one = f32(0.0), f32(1.0)
    rows, columns = nearness.shape
    per_range = one / max(lamp.range, f32(1e-6))
    for row in prange(rows):
        dy = lamp.y - (f32(row) + to.y0 + f32(0.5)) * to.down
        for x in range(columns):
            dx = lamp.x - (f32(x) + to.x0 + f32(0.5)) * to.across
            aside = dx * dx + dy * dy
            dz = lamp.z + abs(_behind(nearness[row, x], stands_at))
            near2, far2 = aside + lamp.z * lamp.z, aside + dz * dz
            near_by_range, far_by_range = near2 * per_range * per_range, far2 * per_range * per_range
            left = max(one - far_by_range * far_by_range, zero) / max(one - near_by_range * near_by_range, f32(1e-6))
            out[row, x] = near2 / max(far2, f32(1e-12)) * min(left, one)


@kernel
def deepen(nearness: Floats, height: Floats, stands_at: np.float32, out: Floats) -> None:
    """Heights (h, w) of a surface toward the eye, in diagonals beside the lamp: what it has of its own, and how far each place lies
    before or behind the plane that the lamp hangs over."""
    for row in prange(nearness.shape[0]):
        for x in range(nearness.shape[1]):
            out[row, x] = height[row, x] - min(_behind(nearness[row, x], stands_at), f32(DEEPEST))


@kernel
def seen_of_glow(nearness: Floats, lamp: Lamp, stands_at: np.float32, to: Placement, out: Floats) -> None:
    """The share (h, w) of a lamp's glow that lies before each place: the airlight integral of 1 / (a² + z²) along the view ray that
    passes the lamp at a distance a, up to what is seen (Sun, Ramamoorthi, Narasimhan and Nayar, "A Practical Analytic Single
    Scattering Model for Real Time Rendering", 2005, without extinction)."""
    rows, columns = nearness.shape
    for row in prange(rows):
        dy = lamp.y - (f32(row) + to.y0 + f32(0.5)) * to.down
        for x in range(columns):
            dx = lamp.x - (f32(x) + to.x0 + f32(0.5)) * to.across
            aside = np.sqrt(dx * dx + dy * dy)
            behind = lamp.z + _behind(nearness[row, x], stands_at)
            out[row, x] = f32(0.5) + np.arctan2(behind, max(aside, f32(1e-6))) / f32(HALF_TURN)
