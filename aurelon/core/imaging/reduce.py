"""Area-exact reduction of pictures.

Every reduced pixel is the mean of exactly the area it covers, fractions of pixels included, so a
view of a region agrees with the same region of a view of the whole. Reduction only: a size above
the plate's own repeats pixels.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats, f32, u64
from aurelon.core.imaging.four import FourType, load, plus, scaled, store
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import in_python, inlined, kernel

Indices = NDArray[np.int64]
Places = NDArray[np.uint32]


class Reduction(NamedTuple):
    """From a picture at its full size to a part of a smaller version: its first column and row, and pixels to a pixel.

    `height` counts the rows of the whole picture, of which those from `top` on are given.
    """

    x0: int
    y0: int
    ratio_x: float
    ratio_y: float
    height: int
    top: int


def reduction_to(frame: Frame, size: tuple[int, int], top: int = 0) -> Reduction:
    """From a picture of `size` (width, height), given from row `top` on, to a frame."""
    width, height = size
    return Reduction(frame.x0, frame.y0, width / frame.width, height / frame.height, height, top)


def rows_under(frame: Frame, height: int) -> tuple[int, int]:
    """The rows, first to before the last, of a picture of `height` rows from which a smaller frame is made."""
    ratio = height / frame.height
    span = in_python(source_span)
    return span(frame.y0, ratio, height)[0], span(frame.y1 - 1, ratio, height)[1] + 1


def reduce_to(pixels: Floats, frame: Frame) -> Floats:
    """The frame's part of `pixels` (H, W, C) reduced to the frame's size: (h, w, C) float32."""
    height, width, channels = pixels.shape
    if (width, height) == frame.size:
        return pixels[frame.y0 : frame.y1, frame.x0 : frame.x1]
    out = np.empty((*frame.shape, channels), np.float32)
    reduce_rows(pixels, reduction_to(frame, (width, height)), out)
    return out


@njit()
def source_span(index: int, ratio: float, limit: int) -> tuple[int, int, float, float]:
    """First and last source pixel under a reduced pixel, with the weights of those two."""
    start = index * ratio
    end = min((index + 1) * ratio, float(limit))
    first = min(int(start), limit - 1)
    last = min(max(int(np.ceil(end)) - 1, first), limit - 1)
    if first == last:
        return first, last, 1.0, 1.0
    return first, last, first + 1 - start, end - last


@njit()
def source_columns(x0: int, columns: int, ratio: float, limit: int) -> tuple[Places, Floats, int, int]:
    """The area under every reduced column: first pixel, and weights (taps, columns) that sum to 1.

    Pixels are counted from the first that is needed, which comes next, then how many there are.
    """
    begin = source_span(x0, ratio, limit)[0]
    count = source_span(x0 + columns - 1, ratio, limit)[1] + 1 - begin
    taps = min(int(np.ceil(ratio)) + 1, count)
    first = np.empty(columns, np.uint32)
    weights = np.zeros((taps, columns), np.float32)
    for column in range(columns):
        left, right, left_part, right_part = source_span(column + x0, ratio, limit)
        # The last columns begin earlier, so that no tap lies beyond the last pixel.
        origin = min(left - begin, count - taps)
        first[column] = origin
        share = 1.0 / (left_part + (right - left - 1 + right_part if right > left else 0.0))
        for x in range(left, right + 1):
            part = left_part if x == left else (right_part if x == right else 1.0)
            weights[x - begin - origin, column] = part * share
    return first, weights, begin, count


@inlined
def sum_of_four(line: Floats, first: np.uint32, weights: Floats, column: int) -> FourType:
    """What one reduced column is made of, from a line of four channels."""
    p = u64(4) * u64(first)
    result = scaled(load(line, p), weights[0, column])
    for k in range(1, weights.shape[0]):
        result = plus(result, scaled(load(line, p + u64(4 * k)), weights[k, column]))
    return result


@inlined
def _gather_row(line: Floats, channels: int, first: Places, weights: Floats, scale: np.float32, out: Floats) -> None:
    """An interleaved reduced row, from a line that holds the sum of its rows."""
    taps = weights.shape[0]
    step = u64(channels)
    if channels == 4:
        for column in range(first.size):
            store(out, u64(4) * u64(column), scaled(sum_of_four(line, first[column], weights, column), scale))
    elif channels == 3:
        # A fourth number goes along, that of the next pixel, which is written after; but for the last pixel.
        end = first.size - 1
        for column in range(end):
            p = u64(3) * u64(first[column])
            result = scaled(load(line, p), weights[0, column])
            for k in range(1, taps):
                result = plus(result, scaled(load(line, p + u64(3 * k)), weights[k, column]))
            store(out, u64(3) * u64(column), scaled(result, scale))
        for c in range(3):
            x = f32(0.0)
            for k in range(taps):
                x += weights[k, end] * line[3 * (u64(first[end]) + u64(k)) + u64(c)]
            out[3 * end + c] = scale * x
    else:
        for column in range(first.size):
            p, o = step * u64(first[column]), step * u64(column)
            for c in range(channels):
                x = f32(0.0)
                for k in range(taps):
                    x += weights[k, column] * line[p + step * u64(k) + u64(c)]
                out[o + u64(c)] = scale * x


@njit()
def _runs(first: Places) -> Places:
    """Where the columns' first pixels stop following one another: the first column of every run, and the end."""
    ends = np.empty(first.size + 2, np.uint32)
    ends[0], count = 0, 1
    for column in range(1, first.size):
        if first[column] != first[column - 1] + np.uint32(1):
            ends[count] = column
            count += 1
    ends[count] = first.size
    return ends[: count + 1]


LONG_RUN = 16  # columns; from here on a run is quicker than reading column by column


@inlined
def _gather_runs(line: Floats, channels: int, first: Places, weights: Floats, runs: Places, scale: np.float32, out: Floats) -> None:
    """An interleaved reduced row of a size near the picture's own, where columns read neighbouring pixels in long runs.

    `weights` (taps, columns * channels) has each column's weight for every channel.
    """
    step = u64(channels)
    for run in range(runs.size - 1):
        begin, end = u64(runs[run]) * step, u64(runs[run + 1]) * step
        source = u64(first[runs[run]]) * step
        n = end - begin
        result, a, b = out[begin:end], weights[0, begin:end], line[source : source + n]
        for i in range(n):
            result[i] = scale * a[i] * b[i]
        for k in range(1, weights.shape[0]):
            shift = source + u64(k) * step
            a, b = weights[k, begin:end], line[shift : shift + n]
            for i in range(n):
                result[i] += scale * a[i] * b[i]


@kernel
def reduce_rows(pixels: Floats, to: Reduction, out: Floats) -> None:
    """Reduces the rows (n, W, C) that are given of a picture to a part of a smaller version, (h, w, C)."""
    _, width, channels = pixels.shape
    rows, columns, _ = out.shape
    first, weights, left, n = source_columns(to.x0, columns, to.ratio_x, width)
    runs = _runs(first)
    in_runs = LONG_RUN * (runs.size - 1) < columns
    each = np.empty((weights.shape[0], columns * channels if in_runs else 0), np.float32)
    for k in range(each.shape[0]):
        for i in range(each.shape[1]):
            each[k, i] = weights[k, i // channels]
    flat, result = pixels.reshape(-1), out.reshape(-1)
    for row in prange(rows):
        top, bottom, top_part, bottom_part = source_span(row + to.y0, to.ratio_y, to.height)
        room = np.empty(n * channels + 1, np.float32)  # and one that is read beside the last pixel
        room[n * channels] = f32(0.0)
        line = room[: n * channels]
        total = 0.0
        for y in range(top, bottom + 1):
            weight = top_part if y == top else (bottom_part if y == bottom else 1.0)
            total += weight
            begin = ((y - to.top) * width + left) * channels
            if y == top:
                scale_row(flat[begin : begin + n * channels], f32(weight), line)
            else:
                add_row(flat[begin : begin + n * channels], f32(weight), line)
        target = result[row * columns * channels : (row + 1) * columns * channels]
        if in_runs:
            _gather_runs(room, channels, first, each, runs, f32(1.0 / total), target)
        else:
            _gather_row(room, channels, first, weights, f32(1.0 / total), target)


@inlined
def scale_row(plane: Floats, weight: np.float32, line: Floats) -> None:
    for x in range(line.size):
        line[x] = weight * plane[x]


@inlined
def add_row(plane: Floats, weight: np.float32, line: Floats) -> None:
    for x in range(line.size):
        line[x] += weight * plane[x]
