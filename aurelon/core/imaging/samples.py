"""Work on the samples of whole pictures, row beside row: what takes long where it is done in several steps."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.kernels import strict_kernel

Flags = NDArray[np.bool_]


@strict_kernel
def look_up(samples: NDArray[Any], tables: Floats, out: Floats) -> None:
    """Each sample (h, w, 1 or 3) by the table of its channel (3, n), into (h, w, 3)."""
    height, width, channels = samples.shape
    for y in prange(height):
        for x in range(width):
            for c in range(3):
                out[y, x, c] = tables[c, samples[y, x, min(c, channels - 1)]]


def widened(samples: NDArray[Any], bits: int) -> NDArray[Any]:
    """Scales whole numbers of this many bits to the whole range of their type, to the nearest. In place where that can be."""
    whole = np.require(samples, requirements=("C", "W"))
    low, high = (1 << bits) - 1, np.iinfo(whole.dtype).max
    table = np.minimum((np.arange(high + 1) * high + low // 2) // low, high).astype(whole.dtype)
    _translate(whole.reshape(-1), table)
    return whole


@strict_kernel
def _translate(samples: NDArray[Any], table: NDArray[Any]) -> None:
    for i in prange(samples.size):
        samples[i] = table[samples[i]]


HALF_EXPONENT = np.uint16(0x7C00)  # all of whose bits are set in what is infinite or no number (IEEE 754)
HALVES = np.arange(1 << 16, dtype=np.uint16).view(np.float16).astype(np.float32)  # every number of 16 bits there is


def from_halves(planes: list[NDArray[np.float16]]) -> tuple[Floats, bool]:
    """Planes (h, w) of half-precision numbers side by side, (h, w, n) float32, and whether all of them are finite."""
    out, finite = _room_for(planes)
    for c, plane in enumerate(planes):
        _put_halves(np.ascontiguousarray(plane).view(np.uint16), HALVES, c, out, finite[c])
    return out, bool(finite.all())


def from_planes(planes: list[Floats]) -> tuple[Floats, bool]:
    """The same of planes of float32."""
    out, finite = _room_for(planes)
    for c, plane in enumerate(planes):
        _put(np.ascontiguousarray(plane), c, out, finite[c])
    return out, bool(finite.all())


def _room_for(planes: Sequence[NDArray[Any]]) -> tuple[Floats, Flags]:
    """Where planes (h, w) come to lie side by side, (h, w, n), and for each whether its rows are finite, (n, h)."""
    height, width = planes[0].shape
    return np.empty((height, width, len(planes)), np.float32), np.ones((len(planes), height), np.bool_)


@strict_kernel
def _put(plane: Floats, channel: int, out: Floats, finite: Flags) -> None:
    for y in prange(plane.shape[0]):
        total = np.float32(0)
        for x in range(plane.shape[1]):
            out[y, x, channel] = plane[y, x]
            total += plane[y, x] * np.float32(0)  # as in all_finite
        finite[y] = total == 0


@strict_kernel
def _put_halves(codes: NDArray[np.uint16], numbers: Floats, channel: int, out: Floats, finite: Flags) -> None:
    for y in prange(codes.shape[0]):
        most = np.uint16(0)
        for x in range(codes.shape[1]):
            out[y, x, channel] = numbers[codes[y, x]]
            most = max(most, codes[y, x] & HALF_EXPONENT)
        finite[y] = most < HALF_EXPONENT


BLOCK = 1 << 16


def all_finite(numbers: Floats) -> bool:
    """Whether none is infinite or no number."""
    flat = np.ascontiguousarray(numbers).reshape(-1)
    good = np.ones((flat.size + BLOCK - 1) // BLOCK, np.bool_)
    _are_finite(flat, good)
    return bool(good.all())


@strict_kernel
def _are_finite(numbers: Floats, good: Flags) -> None:
    for block in prange(good.size):
        total = np.float32(0)
        for i in range(block * BLOCK, min((block + 1) * BLOCK, numbers.size)):
            total += numbers[i] * np.float32(0)  # which is 0 but for what is no number, without a question at each
        good[block] = total == 0
