"""From code values to the whole numbers of a file, with dither against bands."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.kernels import inlined, kernel


def quantise(codes: Floats, x0: int, y0: int, out: NDArray[Any], dithered: bool) -> None:
    """Code values 0..1 as whole numbers, clipped. Dither breaks bands in soft light at 8 bits.

    The dither is interleaved gradient noise of the pixel's own place (Jimenez, SIGGRAPH 2014,
    Advances in Real-Time Rendering), and stays within ±0.49 of a step: a value that lies on a
    step already, as every pixel does that no light has touched, keeps it.
    """
    _quantise(np.ascontiguousarray(codes), x0, y0, np.float32(np.iinfo(out.dtype).max), np.float32(0.98 if dithered else 0.0), out)


@inlined
def _waves(y: int, x0: int, spread: np.float32, out: Floats) -> None:
    """The dither of a row of pixels, for each of their channels alike."""
    columns = out.size // 3
    for x in range(columns):
        place = 0.06711056 * np.float64(np.int32(x + x0)) + 0.00583715 * np.float64(y)
        wave = 52.9829189 * (place - np.floor(place))
        dither = np.float32((wave - np.floor(wave) - 0.5) * spread)
        out[3 * x] = out[3 * x + 1] = out[3 * x + 2] = dither


@inlined
def _round(codes: Floats, dither: Floats, top: np.float32, out: NDArray[Any]) -> None:
    half, step = np.float32(0.5), np.float32(0.004)
    for i in range(codes.size):
        value = codes[i] * top
        wave = dither[i] if abs(value - np.floor(value + half)) > step else np.float32(0.0)
        out[i] = np.uint16(min(max(np.floor(value + half + wave), np.float32(0.0)), top))


@kernel
def _quantise(codes: Floats, x0: int, y0: int, top: np.float32, spread: np.float32, out: NDArray[Any]) -> None:
    rows, columns, _ = codes.shape
    for y in prange(rows):
        dither = np.empty(3 * columns, np.float32)
        _waves(y + y0, x0, spread, dither)
        _round(codes[y].reshape(-1), dither, top, out[y].reshape(-1))
