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
LENGTHS = 6  # of those lengths, after which nothing of it is seen


def disc_glare(openness: Floats, grid: Frame, place: Place, radius: float, ends: float) -> Floats:
    """What a lens spreads of the part of a disc that is seen, (h, w): a sum of two exponentials, in which most stays close (the
    outline of the CIE general disability glare equation; Vos, 1984).

    `openness` (h, w) is how far the picture is open on the grid, `radius` that of the disc, and `ends` where the glare has come to
    nothing, both in diagonals.
    """
    result = np.zeros(grid.shape, np.float32)
    lengths = [max(scale * radius * grid.diagonal, 0.5) for _, scale in GLARE]
    edge = int(np.ceil(LENGTHS * max(lengths)))
    near = grid.near(place, radius * grid.diagonal + edge + 1)  # elsewhere there is nothing
    if near is None:
        return result
    rows, columns = slice(near.y0 - grid.y0, near.y1 - grid.y0), slice(near.x0 - grid.x0, near.x1 - grid.x0)
    left = smoothstep(np.clip(2 - 2 * distances_from(near, place) / np.float32(ends), 0, 1))
    y, x = np.mgrid[-edge : edge + 1, -edge : edge + 1]
    distances, kernel = np.hypot(x, y), np.zeros(x.shape)
    for (share, _), length in zip(GLARE, lengths, strict=True):
        falls = np.exp(-distances / length)
        kernel += falls * (share / falls.sum())
    disc = disc_at(near, place, radius) * openness[rows, columns]
    result[rows, columns] = left * cv2.filter2D(disc, -1, kernel.astype(np.float32), borderType=cv2.BORDER_CONSTANT)
    return result
