"""The curve of Catmull and Rom, "A Class of Local Interpolating Splines" (1974), through points."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Doubles


def catmull_rom(points: Doubles, counts: NDArray[np.int64]) -> Doubles:
    """A chain of points on the curve through `points` (n, C), `counts` (n - 1,) to each of its parts: (sum + 1, C)."""
    part = np.repeat(np.arange(len(counts)), counts)
    within = np.arange(len(part)) - np.repeat(np.cumsum(counts) - counts, counts)
    t = ((within + 1) / counts[part])[:, None]
    before = np.concatenate([points[:1], points[:-2]])[part]
    after = np.concatenate([points[2:], points[-1:]])[part]
    a, b = points[:-1][part], points[1:][part]
    curve = 0.5 * (2 * a + t * (b - before + t * (2 * before - 5 * a + 4 * b - after + t * (3 * a - before - 3 * b + after))))
    return np.concatenate([points[:1], curve])
