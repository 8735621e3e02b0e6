"""Area-exact reduction of pictures, alone or together with the measuring of highlights.

Every reduced pixel is the mean of exactly the area it covers, fractions of pixels included, so a
view of a region agrees with the same region of a view of the whole. Reduction only: a size above
the plate's own repeats pixels.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.fastmath import srgb_encode
from aurelon.core.frame import Frame

Floats = NDArray[np.float32]
Indices = NDArray[np.int64]
f32 = np.float32


def reduce_to(pixels: Floats, frame: Frame) -> Floats:
    """The frame's part of `pixels` (H, W, C) reduced to the frame's size: (h, w, C) float32."""
    height, width, channels = pixels.shape
    rows, columns = frame.shape
    if (width, height) == frame.size:
        return pixels[frame.y0 : frame.y1, frame.x0 : frame.x1]
    out = np.empty((rows, columns, channels), np.float32)
    _reduce(pixels, frame.x0, frame.y0, width / frame.width, height / frame.height, out)
    return out


@njit()
def _span(index: int, ratio: float, limit: int) -> tuple[int, int, float, float]:
    """First and last source pixel under a reduced pixel, with the weights of those two."""
    start = index * ratio
    end = min((index + 1) * ratio, float(limit))
    first = min(int(start), limit - 1)
    last = min(max(int(np.ceil(end)) - 1, first), limit - 1)
    if first == last:
        return first, last, 1.0, 1.0
    return first, last, first + 1 - start, end - last


@njit()
def _columns(x0: int, columns: int, ratio: float, limit: int) -> tuple[Indices, Floats]:
    """Of every reduced column: its first and last pixel, and the weights of first, last and between."""
    ends = np.empty((columns, 2), np.int64)
    weights = np.empty((columns, 3), np.float32)
    begin = _span(x0, ratio, limit)[0]
    for column in range(columns):
        left, right, left_part, right_part = _span(column + x0, ratio, limit)
        share = 1.0 / (left_part + (right - left - 1 + right_part if right > left else 0.0))
        ends[column, 0], ends[column, 1] = left - begin, right - begin
        weights[column, 0] = left_part * share
        weights[column, 1] = right_part * share if right > left else 0.0
        weights[column, 2] = share
    return ends, weights


@njit(fastmath=True)
def _gather(line: Floats, ends: Indices, weights: Floats, scale: np.float32, out: Floats) -> None:
    """One reduced row (n, C) from a line that already holds the sum of its rows."""
    for column in range(out.shape[0]):
        left, right = ends[column, 0], ends[column, 1]
        first, last, between = weights[column, 0] * scale, weights[column, 1] * scale, weights[column, 2] * scale
        for c in range(out.shape[1]):
            total = first * line[left, c] + last * line[right, c]
            for x in range(left + 1, right):
                total += between * line[x, c]
            out[column, c] = total


@njit(parallel=True, cache=True, fastmath=True)
def _reduce(pixels: Floats, x0: int, y0: int, ratio_x: float, ratio_y: float, out: Floats) -> None:
    height, width, channels = pixels.shape
    rows, columns, _ = out.shape
    ends, weights = _columns(x0, columns, ratio_x, width)
    left = _span(x0, ratio_x, width)[0]
    right = _span(x0 + columns - 1, ratio_x, width)[1] + 1
    for row in prange(rows):
        top, bottom, top_part, bottom_part = _span(row + y0, ratio_y, height)
        line = np.zeros((right - left, channels), np.float32)
        total = 0.0
        for y in range(top, bottom + 1):
            weight = top_part if y == top else (bottom_part if y == bottom else 1.0)
            total += weight
            line += f32(weight) * pixels[y, left:right]
        _gather(line, ends, weights, f32(1.0 / total), out[row])


def highlights(
    pixels: Floats, luminance: Floats, threshold: float, knee: float, frame: Frame
) -> Floats:
    """What shines in `pixels` (H, W, 3), measured at full size and then reduced: (h, w, 4).

    The fourth channel is the openness w = smoothstep(threshold, threshold + knee, Y), with Y the
    display-encoded luminance; the first three are w times the picture's own linear light.
    """
    height, width, _ = pixels.shape
    rows, columns = frame.shape
    out = np.empty((rows, columns, 4), np.float32)
    _highlights(
        pixels, luminance, f32(threshold), f32(1.0 / max(knee, 1e-4)),
        frame.x0, frame.y0, width / frame.width, height / frame.height, out,
    )  # fmt: skip
    return out


@njit(fastmath=True)
def _add_open(
    pixels: Floats, red: np.float32, green: np.float32, blue: np.float32,
    threshold: np.float32, per_knee: np.float32, weight: np.float32, line: Floats,
) -> None:  # fmt: skip
    """Adds one row of pixels (n, 3), times its openness and weight, to `line` (n, 4)."""
    for x in range(pixels.shape[0]):
        r, g, b = pixels[x, 0], pixels[x, 1], pixels[x, 2]
        level = max(r * red + g * green + b * blue, f32(0.0))
        # Above display white the curve goes on along its tangent at 1, so that a threshold can
        # reach into an HDR plate.
        code = srgb_encode(min(level, f32(1.0))) + f32(0.4396) * max(level - f32(1.0), f32(0.0))
        t = min(max((code - threshold) * per_knee, f32(0.0)), f32(1.0))
        w = t * t * (f32(3.0) - f32(2.0) * t) * weight
        line[x, 0] += w * r
        line[x, 1] += w * g
        line[x, 2] += w * b
        line[x, 3] += w


@njit(parallel=True, cache=True, fastmath=True)
def _highlights(
    pixels: Floats, luminance: Floats, threshold: np.float32, per_knee: np.float32,
    x0: int, y0: int, ratio_x: float, ratio_y: float, out: Floats,
) -> None:  # fmt: skip
    height, width, _ = pixels.shape
    rows, columns, _ = out.shape
    red, green, blue = luminance[0], luminance[1], luminance[2]
    ends, weights = _columns(x0, columns, ratio_x, width)
    left = _span(x0, ratio_x, width)[0]
    right = _span(x0 + columns - 1, ratio_x, width)[1] + 1
    for row in prange(rows):
        top, bottom, top_part, bottom_part = _span(row + y0, ratio_y, height)
        if ratio_x == 1.0 and ratio_y == 1.0:
            out[row] = f32(0.0)
            _add_open(pixels[top, left:right], red, green, blue, threshold, per_knee, f32(1.0), out[row])
            continue
        line = np.zeros((right - left, 4), np.float32)
        total = 0.0
        for y in range(top, bottom + 1):
            weight = top_part if y == top else (bottom_part if y == bottom else 1.0)
            total += weight
            _add_open(pixels[y, left:right], red, green, blue, threshold, per_knee, f32(weight), line)
        _gather(line, ends, weights, f32(1.0 / total), out[row])


def enlarge_to(grid: Floats, frame: Frame) -> Floats:
    """The frame's part of a coarser `grid` (h, w, C), by the uniform cubic B-spline: (h, w, C).

    Its weights are never negative and its second derivative is continuous, so soft light shows
    neither rings nor the grid's cells (Unser, "Splines: A Perfect Fit", 1999). Where the frame is
    the smaller of the two the grid is reduced by area.
    """
    height, width, channels = grid.shape
    if frame.width <= width:
        return reduce_to(grid, frame)
    out = np.empty((*frame.shape, channels), np.float32)
    _enlarge(
        grid, *_taps(frame.x0, frame.x1, width / frame.width, width),
        *_taps(frame.y0, frame.y1, height / frame.height, height), out,
    )  # fmt: skip
    return out


def _taps(first: int, last: int, ratio: float, limit: int) -> tuple[Indices, Floats]:
    """Four cells and their weights for each pixel first..last."""
    place = (np.arange(first, last) + 0.5) * ratio - 0.5
    cell = np.floor(place)
    t = place - cell
    cells = np.clip(cell[:, None] + np.arange(-1, 3), 0, limit - 1).astype(np.int64)
    weights = np.stack(
        [(1 - t) ** 3, 3 * t**3 - 6 * t**2 + 4, -3 * t**3 + 3 * t**2 + 3 * t + 1, t**3], axis=1
    )
    return cells, (weights / 6).astype(np.float32)


@njit(parallel=True, cache=True, fastmath=True)
def _enlarge(grid: Floats, columns: Indices, across: Floats, rows: Indices, down: Floats, out: Floats) -> None:
    channels = grid.shape[2]
    left, right = columns[0, 0], columns[-1, 3] + 1
    for y in prange(rows.shape[0]):
        line = (
            down[y, 0] * grid[rows[y, 0], left:right] + down[y, 1] * grid[rows[y, 1], left:right]
            + down[y, 2] * grid[rows[y, 2], left:right] + down[y, 3] * grid[rows[y, 3], left:right]
        )  # fmt: skip
        for x in range(columns.shape[0]):
            a, b, c, d = across[x, 0], across[x, 1], across[x, 2], across[x, 3]
            i, j, k, l = columns[x, 0] - left, columns[x, 1] - left, columns[x, 2] - left, columns[x, 3] - left
            for ch in range(channels):
                out[y, x, ch] = a * line[i, ch] + b * line[j, ch] + c * line[k, ch] + d * line[l, ch]
