"""Work on the samples of whole pictures, row beside row: what takes long where it is done in several steps."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats


@njit(parallel=True, cache=True)
def look_up(samples: NDArray[Any], tables: Floats, out: Floats) -> None:
    """Each sample (h, w, 1 or 3) by the table of its channel (3, n), into (h, w, 3)."""
    height, width, channels = samples.shape
    for y in prange(height):
        for x in range(width):
            for c in range(3):
                out[y, x, c] = tables[c, samples[y, x, min(c, channels - 1)]]


def widened(samples: NDArray[Any], bits: int) -> NDArray[Any]:
    """Whole numbers of so many bits over the whole range of their type, to the nearest. In place where that can be."""
    whole = np.require(samples, requirements=("C", "W"))
    low, high = (1 << bits) - 1, np.iinfo(whole.dtype).max
    table = np.minimum((np.arange(high + 1) * high + low // 2) // low, high).astype(whole.dtype)
    _translate(whole.reshape(-1), table)
    return whole


@njit(parallel=True, cache=True)
def _translate(samples: NDArray[Any], table: NDArray[Any]) -> None:
    for i in prange(samples.size):
        samples[i] = table[samples[i]]


HALF_EXPONENT = np.uint16(0x7C00)  # all of whose bits are set in what is infinite or no number (IEEE 754)
HALVES = np.arange(1 << 16, dtype=np.uint16).view(np.float16).astype(np.float32)  # every number of 16 bits there is


def from_halves(planes: list[NDArray[np.float16]]) -> tuple[Floats, bool]:
    """Planes (h, w) of half-precision numbers side by side, (h, w, n) float32, and whether all of them are finite."""
    out = np.empty((*planes[0].shape, len(planes)), np.float32)
    finite = [_put_halves(np.ascontiguousarray(plane).view(np.uint16), HALVES, out, c) for c, plane in enumerate(planes)]
    return out, all(finite)


def from_planes(planes: list[Floats]) -> tuple[Floats, bool]:
    """The same of planes of float32."""
    out = np.empty((*planes[0].shape, len(planes)), np.float32)
    finite = [_put(np.ascontiguousarray(plane), out, c) for c, plane in enumerate(planes)]
    return out, all(finite)


@njit(parallel=True, cache=True)
def _put(plane: Floats, out: Floats, channel: int) -> bool:
    finite = np.ones(plane.shape[0], np.bool_)
    for y in prange(plane.shape[0]):
        total = np.float32(0)
        for x in range(plane.shape[1]):
            out[y, x, channel] = plane[y, x]
            total += plane[y, x] * np.float32(0)  # as in all_finite
        finite[y] = total == 0
    return bool(finite.all())


@njit(parallel=True, cache=True)
def _put_halves(codes: NDArray[np.uint16], numbers: Floats, out: Floats, channel: int) -> bool:
    finite = np.ones(codes.shape[0], np.bool_)
    for y in prange(codes.shape[0]):
        most = np.uint16(0)
        for x in range(codes.shape[1]):
            out[y, x, channel] = numbers[codes[y, x]]
            most = max(most, codes[y, x] & HALF_EXPONENT)
        finite[y] = most < HALF_EXPONENT
    return bool(finite.all())


BLOCK = 1 << 16


def all_finite(numbers: Floats) -> bool:
    """Whether none is infinite or no number."""
    return _are_finite(np.ascontiguousarray(numbers).reshape(-1))


@njit(parallel=True, cache=True)
def _are_finite(numbers: Floats) -> bool:
    blocks = (numbers.size + BLOCK - 1) // BLOCK
    good = np.ones(blocks, np.bool_)
    for block in prange(blocks):
        total = np.float32(0)
        for i in range(block * BLOCK, min((block + 1) * BLOCK, numbers.size)):
            total += numbers[i] * np.float32(0)  # which is 0 but for what is no number, without a question at each
        good[block] = total == 0
    return bool(good.all())
