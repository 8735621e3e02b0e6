"""From code values to the whole numbers of a file, with dither against bands."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats


def quantise(codes: Floats, x0: int, y0: int, out: NDArray[Any], dithered: bool) -> None:
    """Code values 0..1 as whole numbers, clipped. Dither breaks bands in soft light at 8 bits.

    The dither is interleaved gradient noise of the pixel's own place (Jimenez, SIGGRAPH 2014,
    Advances in Real-Time Rendering), and stays within ±0.49 of a step: a value that lies on a
    step already, as every pixel does that no light has touched, keeps it.
    """
    _quantise(codes, x0, y0, np.float32(np.iinfo(out.dtype).max), np.float32(0.98 if dithered else 0.0), out)


@njit(parallel=True, cache=True)
def _quantise(codes: Floats, x0: int, y0: int, top: np.float32, spread: np.float32, out: NDArray[Any]) -> None:
    rows, columns, channels = codes.shape
    for y in prange(rows):
        for x in range(columns):
            place = 0.06711056 * (x + x0) + 0.00583715 * (y + y0)
            wave = 52.9829189 * (place - np.floor(place))
            dither = np.float32((wave - np.floor(wave) - 0.5) * spread)
            for c in range(channels):
                value = codes[y, x, c] * top
                whole = np.floor(value + np.float32(0.5) + (dither if abs(value - np.round(value)) > 0.004 else 0.0))
                out[y, x, c] = min(max(whole, np.float32(0.0)), top)
