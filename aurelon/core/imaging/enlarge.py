"""Enlarging coarse grids of soft light to a frame, by a cubic spline."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats, f32, u64
from aurelon.core.imaging.four import FourType, load, plus, scaled, store
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.imaging.reduce import reduce_to
from aurelon.core.imaging.runs import copy_to

Indices = NDArray[np.int64]
Places = NDArray[np.uint32]


def enlarge_to(grid: Floats, frame: Frame, gain: float = 1.0) -> Floats:
    """The frame's part of a coarser `grid` (h, w, C), by the uniform cubic B-spline, times `gain`: (h, w, C).

    Its weights are never negative and its second derivative is continuous, so soft light shows
    neither rings nor the grid's cells (Unser, "Splines: A Perfect Fit", 1999). Where the frame is
    the smaller of the two the grid is reduced by area.
    """
    _, width, channels = grid.shape
    if frame.width <= width:
        reduced = reduce_to(grid, frame)
        return reduced if gain == 1 else reduced * f32(gain)
    out = np.empty((*frame.shape, channels), np.float32)
    rows, down = spline_rows(grid, frame)
    _heighten(widened(grid, frame, rows), rows - rows[0, 0], down * f32(gain), out.reshape(frame.shape[0], -1))
    return out


def spline_rows(grid: Floats, frame: Frame) -> tuple[Indices, Floats]:
    """For each row of a finer frame the four rows of `grid` (h, w, C) that it is made of, and their weights: (h, 4)."""
    height = grid.shape[0]
    rows, down = _taps(frame.y0, frame.y1, height / frame.height, height)
    return np.clip(rows, 0, height - 1), down


def widened(grid: Floats, frame: Frame, rows: Indices) -> Floats:
    """The rows of `grid` (h, w, C) that `rows` needs, from its first on, at the frame's columns: (n, columns * C)."""
    height, width, channels = grid.shape
    columns, across = _taps(frame.x0, frame.x1, width / frame.width, width)
    top, left = int(rows[0, 0]), int(columns[0, 0])
    a, b, c, d = np.ascontiguousarray(across.T)
    wide = np.empty((int(rows[-1, 3]) + 1 - top, frame.shape[1] * channels), np.float32)
    _widen(
        grid.reshape(height, -1),
        channels,
        top,
        left,
        int(columns[-1, 3]) + 1 - left,
        (columns[:, 0] - left).astype(np.uint32),
        a,
        b,
        c,
        d,
        wide,
    )
    return wide


@lru_cache(64)
def _taps(first: int, last: int, ratio: float, limit: int) -> tuple[Indices, Floats]:
    """Four cells and their weights for each pixel first..last; cells beyond the grid are its last ones."""
    place = (np.arange(first, last) + 0.5) * ratio - 0.5
    cell = np.clip(np.floor(place), -1, limit - 1)
    t = place - cell
    cells = (cell[:, None] + np.arange(-1, 3)).astype(np.int64)
    weights = np.stack([(1 - t) ** 3, 3 * t**3 - 6 * t**2 + 4, -3 * t**3 + 3 * t**2 + 3 * t + 1, t**3], axis=1)
    found = cells, (weights / 6).astype(np.float32)
    for result in found:
        result.flags.writeable = False  # many frames share them
    return found


@inlined
def _spline(line: Floats, p: np.uint64, a: np.float32, b: np.float32, c: np.float32, d: np.float32) -> FourType:
    """Four numbers from those at `p` and those of the next three pixels of three channels."""
    first = plus(scaled(load(line, p), a), scaled(load(line, p + u64(3)), b))
    return plus(first, plus(scaled(load(line, p + u64(6)), c), scaled(load(line, p + u64(9)), d)))


@inlined
def _across(line: Floats, channels: int, first: Places, a: Floats, b: Floats, c: Floats, d: Floats, out: Floats) -> None:
    """The four taps along a row; `line` holds every cell that is read, its border repeated."""
    if channels == 3:
        # A fourth number goes along, that of the next pixel, which is written after; but for the last pixel.
        end = first.size - 1
        for x in range(end):
            store(out, u64(3) * u64(x), _spline(line, u64(3) * u64(first[x]), a[x], b[x], c[x], d[x]))
        p, o = u64(3) * u64(first[end]), u64(3) * u64(end)
        for ch in range(3):
            q = p + u64(ch)
            out[o + u64(ch)] = a[end] * line[q] + b[end] * line[q + u64(3)] + c[end] * line[q + u64(6)] + d[end] * line[q + u64(9)]
        return
    if channels == 1:
        for x in range(first.size):
            p = u64(first[x])
            out[x] = a[x] * line[p] + b[x] * line[p + u64(1)] + c[x] * line[p + u64(2)] + d[x] * line[p + u64(3)]
        return
    for x in range(first.size):
        for ch in range(channels):
            p = channels * first[x] + ch
            out[channels * x + ch] = (
                a[x] * line[p] + b[x] * line[p + channels] + c[x] * line[p + 2 * channels] + d[x] * line[p + 3 * channels]
            )


@kernel
def _widen(
    grid: Floats,
    channels: int,
    top: int,
    left: int,
    cells: int,
    first: Places,
    a: Floats,
    b: Floats,
    c: Floats,
    d: Floats,
    out: Floats,
) -> None:
    """Rows `top` and on of `grid`, each to the width of `out`; `left` is the first cell that is read."""
    width = grid.shape[1] // channels
    lowest, highest = max(left, 0), min(left + cells, width)
    pad, n = (lowest - left) * channels, (highest - lowest) * channels
    for y in prange(out.shape[0]):
        line = np.empty(cells * channels + 1, np.float32)  # and one that is read beside the last cell
        copy_to(line[pad : pad + n], grid[y + top, lowest * channels : highest * channels])
        for x in range(pad - 1, -1, -1):
            line[x] = line[x + channels]
        for x in range(pad + n, line.size):
            line[x] = line[x - channels]
        _across(line, channels, first, a, b, c, d, out[y])


@kernel
def _heighten(wide: Floats, rows: Indices, down: Floats, out: Floats) -> None:
    for y in prange(out.shape[0]):
        i, j, k, l = wide[rows[y, 0]], wide[rows[y, 1]], wide[rows[y, 2]], wide[rows[y, 3]]
        a, b, c, d = down[y, 0], down[y, 1], down[y, 2], down[y, 3]
        line = out[y]
        for x in range(line.size):
            line[x] = a * i[x] + b * j[x] + c * k[x] + d * l[x]
