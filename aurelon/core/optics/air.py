"""Light that haze scatters toward the eye.

Henyey and Greenstein, "Diffuse Radiation in the Galaxy" (1941), is the phase function: how much light turns by which angle.
Pictures are seen as through a normal lens, whose focal length is the picture's diagonal, so that a distance in diagonals from
the middle is the tangent of an angle.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.kernels import kernel
from aurelon.core.optics.shading import Lamp

FORWARD = 0.76  # g of droplets and dust (Bruneton and Neyret, "Precomputed Atmospheric Scattering", 2008, give 0.76 for haze)
GLOBE = 0.006  # diagonals; radius of a lamp's own globe, within which the air about it grows no brighter
STEPS = 24  # along a line of sight, even in angle as seen from the lamp


def phase(cosine: Any, g: float = FORWARD) -> Any:
    """Henyey and Greenstein's phase function of the cosine of the angle by which light turns, 1 for light that goes straight
    on. Numbers or arrays."""
    return ((1 - g) ** 2 / (1 + g * g - 2 * g * cosine)) ** 1.5


def glow_at(distance: Doubles) -> Doubles:
    """How haze glows at a distance (diagonals) from a light in the picture, 1 at the light itself: a light that is far behind
    the air turns by the angle between it and the line of sight."""
    return np.asarray(phase(1 / np.sqrt(1 + distance**2)))


def glow_within(distance: Doubles, globe: float) -> Doubles:
    """How haze glows at a distance (diagonals) from a lamp that stands in it, 1 at its globe (diagonals): along a line of sight
    ∫ p dz / d² is ∫ p dφ over the line's distance from the lamp (see `airlight`), and the first is the same for every line that
    runs far past the lamp on both sides."""
    return np.asarray(globe / np.sqrt(distance**2 + globe**2))


@kernel
def airlight(lamp: Lamp, x: Floats, y: Floats, out: Floats) -> None:
    """Light of a near lamp that the air above the picture scatters to an eye straight above, into `out` (h, w), for columns at
    `x` and rows at `y`, in diagonals.

    Single scattering along the line of sight from the picture up, ∫ p(θ) window cone / d² dz. As in Sun, Ramamoorthi,
    Narasimhan and Nayar, "A Practical Analytic Single Scattering Model" (2005), the angle seen from the lamp is the variable:
    dz / d² is dφ over the distance of the line from the lamp.
    """
    one, zero, g = f32(1.0), f32(0.0), f32(FORWARD)
    per_range = one / max(lamp.range, f32(1e-6))
    for row in prange(y.size):
        dy = y[row] - lamp.y
        for column in range(x.size):
            dx = x[column] - lamp.x
            beside = np.sqrt(dx * dx + dy * dy + f32(GLOBE * GLOBE))
            low = np.arctan(-lamp.z / beside)
            step = (f32(np.pi / 2) - low) / f32(STEPS)
            total = zero
            for k in range(STEPS):
                turn = low + (f32(k) + f32(0.5)) * step
                sine, cosine = np.sin(turn), np.cos(turn)
                far2 = beside / max(cosine, f32(1e-6)) * per_range
                far2 = min(far2 * far2, one)
                # Away from the lamp along the unit vector (cos φ · d / |d|, sin φ).
                along = (dx * lamp.toward_x + dy * lamp.toward_y) / beside * cosine + lamp.toward_z * sine
                angular = min(max(lamp.offset + along * lamp.cone, zero), one)
                under = one + g * g - f32(2.0) * g * sine
                bent = (one - g) * (one - g) / under
                total += bent * np.sqrt(bent) * (one - far2 * far2) * angular * angular
            out[row, column] = total * step / beside
