"""Names of the arrays that the core works on."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.wide_vectors import use_wide_vectors

Floats = NDArray[np.float32]  # pictures (h, w, C), masks (h, w), planes
Doubles = NDArray[np.float64]  # geometry and tables
f32 = np.float32
u64 = np.uint64


def lines_of(pixels: Floats) -> Floats:
    """Rows of pixels (h, w, 3) as rows of numbers (h, 3w): of what is contiguous the same memory."""
    height, width, channels = pixels.shape
    return np.ascontiguousarray(pixels).reshape(height, width * channels)


# Here, as every file of kernels takes its numbers from this one before it declares any.
use_wide_vectors()
