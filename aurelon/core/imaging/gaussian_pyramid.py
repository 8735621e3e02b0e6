"""Wide blurs as a pyramid: a mixture of Gaussians whose cost does not depend on its widths.

Each Gaussian is made on the coarsest level that still resolves it; levels go up again through the
cubic B-spline, whose own spread, like that of the reduction, is taken off the Gaussian's variance
(Burt and Adelson, "The Laplacian Pyramid as a Compact Image Code", 1983, for the pyramid). Light
is mirrored at the border, so that none is lost and a flat picture stays flat.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.reduce import reduce_to

RESOLVED = 1.9  # cells of its level that a Gaussian's sigma has at least, where a coarser level would do
SMALLEST_EDGE = 4
# Variance, in cells², that going down (a box) and up again (B-splines over all levels) adds.
OWN_VARIANCE = 1 / 12 + (1 / 3) / (1 - 1 / 4)


def gaussian_mixture(grid: Floats, sigmas: Sequence[float], weights: Sequence[float], *, finest: int = 0) -> Floats:
    """Σ weightᵢ · G(sigmaᵢ) of `grid` (h, w, C); sigmas in cells of the grid. Returns (h, w, C).

    With `finest` it stops that many octaves below the grid, or at the coarsest that a Gaussian is made on.
    """
    height, width, _ = grid.shape
    deepest = max(0, int(np.floor(np.log2(max(min(height, width) / SMALLEST_EDGE, 1)))))
    levels: list[list[tuple[float, float]]] = [[] for _ in range(deepest + 1)]
    for sigma, weight in zip(sigmas, weights, strict=True):
        level = int(np.clip(np.floor(np.log2(max(sigma / RESOLVED, 1.0))), 0, deepest))
        levels[level].append((sigma / 2**level, weight))
    top = max((k for k, parts in enumerate(levels) if parts), default=0)
    frames = [Frame.whole((max(1, round(width / 2**k)), max(1, round(height / 2**k)))) for k in range(top + 1)]
    down = [grid]
    for frame in frames[1:]:
        down.append(reduce_to(down[-1], frame))
    total: Floats | None = None
    for k in range(top, min(finest, top) - 1, -1):
        if total is not None:
            total = enlarge_to(total, frames[k])
        for sigma, weight in levels[k]:
            variance = max(sigma**2 - (OWN_VARIANCE if k else 0.0), 0.0)
            blurred = _gaussian(down[k], float(np.sqrt(variance)))
            total = blurred * np.float32(weight) if total is None else np.asarray(cv2.scaleAdd(blurred, weight, total), np.float32)
    assert total is not None
    return np.asarray(total, np.float32).reshape(*total.shape[:2], grid.shape[2])


def _gaussian(picture: Floats, sigma: float) -> Floats:
    if sigma < 0.2:
        return picture
    size = 2 * max(1, int(np.ceil(3.5 * sigma))) + 1
    # OpenCV mirrors once only; a border wider than the picture is mirrored by hand.
    reach = size // 2
    height, width = picture.shape[:2]
    if reach < min(height, width):
        return np.asarray(cv2.GaussianBlur(picture, (size, size), sigma, borderType=cv2.BORDER_REFLECT), np.float32)
    padded = np.pad(picture, ((reach, reach), (reach, reach), (0, 0)), mode="symmetric")
    blurred = np.asarray(cv2.GaussianBlur(padded, (size, size), sigma)).reshape(padded.shape)
    return np.ascontiguousarray(blurred[reach:-reach, reach:-reach])
