"""What a lens spreads of a bright disc, so that it eats into the outline of what stands before it."""

from __future__ import annotations

import cv2
import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.fastmath import smoothstep
from aurelon.core.imaging.frame import Frame
from aurelon.core.lights.shared.sun_hole import disc_at, distances_from
from aurelon.core.settings import Place

GLARE = ((0.6, 0.35), (0.4, 1.5))  # shares of the glare, and the lengths over which they fall to 1/e, in radii of the disc


def disc_glare(openness: Floats, grid: Frame, place: Place, radius: float, ends: float) -> Floats:
    """What a lens spreads of the part of a disc that is seen, (h, w): a sum of two exponentials, in which most stays close (the
    outline of the CIE general disability glare equation; Vos, 1984).

    `openness` (h, w) is how far the picture is open on the grid, `radius` that of the disc, and `ends` where the glare has come to
    nothing, both in diagonals.
    """
    disc = disc_at(grid, place, radius) * openness
    left = smoothstep(np.clip(2 - 2 * distances_from(grid, place) / np.float32(ends), 0, 1))
    result = np.zeros(grid.shape, np.float32)
    for share, scale in GLARE:
        length = max(scale * radius * grid.diagonal, 0.5)
        edge = int(np.ceil(6 * length))
        y, x = np.mgrid[-edge : edge + 1, -edge : edge + 1]
        kernel = np.exp(-np.hypot(x, y) / length).astype(np.float32)
        result += cv2.filter2D(disc, -1, kernel / kernel.sum() * np.float32(share), borderType=cv2.BORDER_CONSTANT)
    return np.asarray(result * left, np.float32)
