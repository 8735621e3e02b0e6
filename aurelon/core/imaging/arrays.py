"""Names of the arrays that the core works on."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from aurelon.core.wide_vectors import use_wide_vectors

Floats = NDArray[np.float32]  # pictures (h, w, C), masks (h, w), planes
Doubles = NDArray[np.float64]  # geometry and tables
f32 = np.float32
u64 = np.uint64

# Here, as every file of kernels takes its numbers from this one before it declares any.
use_wide_vectors()
