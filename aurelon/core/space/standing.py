"""Carries what is known of nearness in some places to all others, along the picture's own surfaces.

The nearness n of every pixel minimises

    sum of c (n - d)^2  +  sum over neighbours of w (n - n')^2

with what is known d, how sure it is c, and weights w that are small across edges. They are larger upward than sideways, so that
what stands up has the nearness of its foot. Nothing is carried from one region to another. (Levin, Lischinski and Weiss,
"Colorization using Optimization", 2004, with these weights.)
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats

EDGE_CONTRAST = 0.03  # display-encoded step across which little is carried
ACROSS_EDGES = 1e-2  # weight that is left across the strongest edge
UPWARD = 10.0  # how much more is carried upward than sideways


def neighbours(index: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Every pair of neighbours on a grid of indices (h, w): those one above the other, then those side by side."""
    one = np.concatenate([index[:-1].ravel(), index[:, :-1].ravel()])
    return one, np.concatenate([index[1:].ravel(), index[:, 1:].ravel()])


def carried(
    codes: Floats,
    known: Floats,
    sure: Floats,
    regions: NDArray[np.int32],
    *,
    upward: float = UPWARD,
    contrast: float = EDGE_CONTRAST,
) -> Floats:
    """Nearness (h, w) from what is `known` (h, w) and how `sure` that is (h, w, above 0 somewhere in each region).

    `codes` (h, w, 3) is the picture, display-encoded; `regions` (h, w) are labels. Little is carried across a step of `contrast`.
    """
    from scipy import sparse  # slow to load, and not every start needs it
    from scipy.sparse.linalg import spsolve

    height, width, _ = codes.shape
    index = np.arange(height * width).reshape(height, width)

    def weights(axis: int) -> Floats:
        step = np.abs(np.diff(codes, axis=axis)).max(axis=2)
        same = np.diff(regions, axis=axis) == 0
        return np.asarray((np.exp(-((step / contrast) ** 2)) + ACROSS_EDGES) * same, np.float32)

    down, across = upward * weights(0), weights(1)
    one, other = neighbours(index)
    weight = np.concatenate([down.ravel(), across.ravel()]).astype(np.float64)
    pairs = sparse.coo_matrix(
        (np.concatenate([-weight, -weight]), (np.concatenate([one, other]), np.concatenate([other, one]))), shape=(index.size,) * 2
    )
    total = np.bincount(one, weight, index.size) + np.bincount(other, weight, index.size)
    system = (pairs + sparse.diags(total + sure.ravel())).tocsc()
    return np.asarray(spsolve(system, (sure * known).ravel(), permc_spec="MMD_AT_PLUS_A").reshape(height, width), np.float32)
