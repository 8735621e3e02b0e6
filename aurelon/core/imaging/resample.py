"""Area-exact reduction of pictures, alone or together with the measuring of highlights.

Every reduced pixel is the mean of exactly the area it covers, fractions of pixels included, so a
view of a region agrees with the same region of a view of the whole. Reduction only: a size above
the plate's own repeats pixels.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.imaging.blend import split
from aurelon.core.imaging.fastmath import srgb_encode
from aurelon.core.imaging.frame import Frame

Floats = NDArray[np.float32]
Indices = NDArray[np.int64]
Places = NDArray[np.uint32]
f32 = np.float32
u64 = np.uint64


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
def _columns(x0: int, columns: int, ratio: float, limit: int) -> tuple[Places, Floats, int, int]:
    """The area under every reduced column: first pixel, and weights (taps, columns) that sum to 1.

    Pixels are counted from the first that is needed, which comes next, then how many there are.
    """
    begin = _span(x0, ratio, limit)[0]
    count = _span(x0 + columns - 1, ratio, limit)[1] + 1 - begin
    taps = min(int(np.ceil(ratio)) + 1, count)
    first = np.empty(columns, np.uint32)
    weights = np.zeros((taps, columns), np.float32)
    for column in range(columns):
        left, right, left_part, right_part = _span(column + x0, ratio, limit)
        # The last columns begin earlier, so that no tap lies beyond the last pixel.
        origin = min(left - begin, count - taps)
        first[column] = origin
        share = 1.0 / (left_part + (right - left - 1 + right_part if right > left else 0.0))
        for x in range(left, right + 1):
            part = left_part if x == left else (right_part if x == right else 1.0)
            weights[x - begin - origin, column] = part * share
    return first, weights, begin, count


@njit(fastmath=True)
def _gather(
    line: Floats, stride: int, channel: int, first: Places, weights: Floats, scale: np.float32, total: Floats, out: Floats,
    channels: int,
) -> None:  # fmt: skip
    """One channel of a reduced row, interleaved into `out`, from a line that holds the sum of its rows.

    `line` has `stride` channels, of which `channel` is read; `total` (columns,) is scratch.
    """
    taps = weights.shape[0]
    step, offset = u64(stride), u64(channel)
    for k in range(taps):
        part = weights[k]
        shift = u64(k) * step + offset
        if k == 0:
            for column in range(total.size):
                total[column] = part[column] * line[u64(first[column]) * step + shift]
        else:
            for column in range(total.size):
                total[column] += part[column] * line[u64(first[column]) * step + shift]
    for column in range(total.size):
        out[u64(column) * u64(channels) + offset] = total[column] * scale


@njit(parallel=True, cache=True, fastmath=True)
def _reduce(pixels: Floats, x0: int, y0: int, ratio_x: float, ratio_y: float, out: Floats) -> None:
    height, width, channels = pixels.shape
    rows, columns, _ = out.shape
    first, weights, left, n = _columns(x0, columns, ratio_x, width)
    flat, result = pixels.reshape(-1), out.reshape(-1)
    for row in prange(rows):
        top, bottom, top_part, bottom_part = _span(row + y0, ratio_y, height)
        line = np.zeros(n * channels, np.float32)
        sums = np.empty(columns, np.float32)
        total = 0.0
        for y in range(top, bottom + 1):
            weight = top_part if y == top else (bottom_part if y == bottom else 1.0)
            total += weight
            begin = (y * width + left) * channels
            _add(flat[begin : begin + n * channels], f32(weight), line)
        target = result[row * columns * channels : (row + 1) * columns * channels]
        for c in range(channels):
            _gather(line, channels, c, first, weights, f32(1.0 / total), sums, target, channels)


@njit(fastmath=True)
def _add(plane: Floats, weight: np.float32, line: Floats) -> None:
    for x in range(line.size):
        line[x] += weight * plane[x]


def highlights(
    pixels: Floats, luminance: Floats, threshold: float, knee: float, frame: Frame,
    *, picked: Floats | None = None, tolerance: float = 1.0,
) -> Floats:  # fmt: skip
    """What shines in `pixels` (H, W, 3), measured at full size and then reduced: (h, w, 4).

    The fourth channel is the openness w = smoothstep(threshold, threshold + knee, Y), with Y the
    display-encoded luminance; the first three are w times the picture's own linear light. With a
    `picked` linear colour (3,), w falls off with the distance of r : g : b from the picked one, to
    nothing at `tolerance`.
    """
    height, width, _ = pixels.shape
    rows, columns = frame.shape
    out = np.empty((rows, columns, 4), np.float32)
    _highlights(
        pixels, luminance, f32(threshold), f32(1.0 / max(knee, 1e-4)),
        frame.x0, frame.y0, width / frame.width, height / frame.height,
        picked is not None, NO_COLOUR if picked is None else picked / picked.sum(), f32(tolerance), out,
    )  # fmt: skip
    return out


NO_COLOUR = np.zeros(3, np.float32)


@njit(fastmath=True)
def _keep_colour(red: Floats, green: Floats, blue: Floats, picked: Floats, tolerance: np.float32, openness: Floats) -> None:
    """Closes what is not of the picked r : g : b."""
    for x in range(openness.size):
        per_sum = f32(1.0) / max(red[x] + green[x] + blue[x], f32(1e-6))
        r, g, b = red[x] * per_sum - picked[0], green[x] * per_sum - picked[1], blue[x] * per_sum - picked[2]
        far = np.sqrt(r * r + g * g + b * b) / tolerance
        t = min(max(f32(2.0) - f32(2.0) * far, f32(0.0)), f32(1.0))
        openness[x] *= t * t * (f32(3.0) - f32(2.0) * t)


@njit(fastmath=True)
def _openness(
    red: Floats, green: Floats, blue: Floats, luminance: Floats, threshold: np.float32, per_knee: np.float32, out: Floats
) -> None:
    kr, kg, kb = luminance[0], luminance[1], luminance[2]
    for x in range(out.size):
        level = max(red[x] * kr + green[x] * kg + blue[x] * kb, f32(0.0))
        # Above display white the curve goes on along its tangent at 1, so that a threshold can
        # reach into an HDR plate.
        code = srgb_encode(min(level, f32(1.0))) + f32(0.4396) * max(level - f32(1.0), f32(0.0))
        t = min(max((code - threshold) * per_knee, f32(0.0)), f32(1.0))
        out[x] = t * t * (f32(3.0) - f32(2.0) * t)


@njit(fastmath=True)
def _scale(plane: Floats, openness: Floats) -> None:
    for x in range(plane.size):
        plane[x] *= openness[x]


BLOCKS = 24  # parts of a picture that threads take; neighbouring rows of a part share their last line


@njit(parallel=True, cache=True, fastmath=True)
def _highlights(
    pixels: Floats, luminance: Floats, threshold: np.float32, per_knee: np.float32,
    x0: int, y0: int, ratio_x: float, ratio_y: float, picking: bool, picked: Floats, tolerance: np.float32, out: Floats,
) -> None:  # fmt: skip
    height, width, _ = pixels.shape
    rows, columns, _ = out.shape
    first, weights, left, n = _columns(x0, columns, ratio_x, width)
    flat, result = pixels.reshape(-1), out.reshape(-1)
    blocks = min(BLOCKS, rows)
    for block in prange(blocks):
        r, g, b, w = np.empty(n, np.float32), np.empty(n, np.float32), np.empty(n, np.float32), np.empty(n, np.float32)
        line_r, line_g, line_b, line_w = (
            np.empty(n, np.float32), np.empty(n, np.float32), np.empty(n, np.float32), np.empty(n, np.float32)
        )  # fmt: skip
        sums = np.empty(columns, np.float32)
        measured = -1
        for row in range(block * rows // blocks, (block + 1) * rows // blocks):
            top, bottom, top_part, bottom_part = _span(row + y0, ratio_y, height)
            line_r[:], line_g[:], line_b[:], line_w[:] = f32(0.0), f32(0.0), f32(0.0), f32(0.0)
            total = 0.0
            for y in range(top, bottom + 1):
                if y != measured:  # the last line of a row is often the first of the next
                    begin = 3 * (y * width + left)
                    split(flat[begin : begin + 3 * n], r, g, b)
                    _openness(r, g, b, luminance, threshold, per_knee, w)
                    if picking:
                        _keep_colour(r, g, b, picked, tolerance, w)
                    _scale(r, w)
                    _scale(g, w)
                    _scale(b, w)
                    measured = y
                weight = top_part if y == top else (bottom_part if y == bottom else 1.0)
                total += weight
                _add(r, f32(weight), line_r)
                _add(g, f32(weight), line_g)
                _add(b, f32(weight), line_b)
                _add(w, f32(weight), line_w)
            target = result[4 * row * columns : 4 * (row + 1) * columns]
            _gather(line_r, 1, 0, first, weights, f32(1.0 / total), sums, target, 4)
            _gather(line_g, 1, 0, first, weights, f32(1.0 / total), sums, target[1:], 4)
            _gather(line_b, 1, 0, first, weights, f32(1.0 / total), sums, target[2:], 4)
            _gather(line_w, 1, 0, first, weights, f32(1.0 / total), sums, target[3:], 4)


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
    columns, across = _taps(frame.x0, frame.x1, width / frame.width, width)
    rows, down = _taps(frame.y0, frame.y1, height / frame.height, height)
    rows = np.clip(rows, 0, height - 1)
    top, left = int(rows[0, 0]), int(columns[0, 0])
    a, b, c, d = np.ascontiguousarray(across.T)
    wide = np.empty((int(rows[-1, 3]) + 1 - top, frame.shape[1] * channels), np.float32)
    _widen(
        grid.reshape(height, -1), channels, top, left, int(columns[-1, 3]) + 1 - left,
        (columns[:, 0] - left).astype(np.uint32), a, b, c, d, wide,
    )  # fmt: skip
    _heighten(wide, rows - top, down, out.reshape(frame.shape[0], -1))
    return out


def _taps(first: int, last: int, ratio: float, limit: int) -> tuple[Indices, Floats]:
    """Four cells and their weights for each pixel first..last; cells beyond the grid are its last ones."""
    place = (np.arange(first, last) + 0.5) * ratio - 0.5
    cell = np.clip(np.floor(place), -1, limit - 1)
    t = place - cell
    cells = (cell[:, None] + np.arange(-1, 3)).astype(np.int64)
    weights = np.stack(
        [(1 - t) ** 3, 3 * t**3 - 6 * t**2 + 4, -3 * t**3 + 3 * t**2 + 3 * t + 1, t**3], axis=1
    )
    return cells, (weights / 6).astype(np.float32)


@njit(fastmath=True)
def _across(
    line: Floats, channels: int, first: Places, a: Floats, b: Floats, c: Floats, d: Floats, out: Floats
) -> None:
    """The four taps along a row; `line` holds every cell that is read, its border repeated."""
    if channels == 3:
        for x in range(first.size):
            p, o = u64(3) * u64(first[x]), u64(3) * u64(x)
            q, r, s = p + u64(3), p + u64(6), p + u64(9)
            ka, kb, kc, kd = a[x], b[x], c[x], d[x]
            out[o] = ka * line[p] + kb * line[q] + kc * line[r] + kd * line[s]
            out[o + u64(1)] = ka * line[p + u64(1)] + kb * line[q + u64(1)] + kc * line[r + u64(1)] + kd * line[s + u64(1)]
            out[o + u64(2)] = ka * line[p + u64(2)] + kb * line[q + u64(2)] + kc * line[r + u64(2)] + kd * line[s + u64(2)]
        return
    for x in range(first.size):
        for ch in range(channels):
            p = channels * first[x] + ch
            out[channels * x + ch] = (
                a[x] * line[p] + b[x] * line[p + channels] + c[x] * line[p + 2 * channels] + d[x] * line[p + 3 * channels]
            )


@njit(parallel=True, cache=True, fastmath=True)
def _widen(
    grid: Floats, channels: int, top: int, left: int, cells: int, first: Places,
    a: Floats, b: Floats, c: Floats, d: Floats, out: Floats,
) -> None:  # fmt: skip
    """Rows `top` and on of `grid`, each to the width of `out`; `left` is the first cell that is read."""
    width = grid.shape[1] // channels
    lowest, highest = max(left, 0), min(left + cells, width)
    pad, n = (lowest - left) * channels, (highest - lowest) * channels
    for y in prange(out.shape[0]):
        line = np.empty(cells * channels, np.float32)
        line[pad : pad + n] = grid[y + top, lowest * channels : highest * channels]
        for x in range(pad - 1, -1, -1):
            line[x] = line[x + channels]
        for x in range(pad + n, line.size):
            line[x] = line[x - channels]
        _across(line, channels, first, a, b, c, d, out[y])


@njit(parallel=True, cache=True, fastmath=True)
def _heighten(wide: Floats, rows: Indices, down: Floats, out: Floats) -> None:
    for y in prange(out.shape[0]):
        i, j, k, l = wide[rows[y, 0]], wide[rows[y, 1]], wide[rows[y, 2]], wide[rows[y, 3]]
        a, b, c, d = down[y, 0], down[y, 1], down[y, 2], down[y, 3]
        line = out[y]
        for x in range(line.size):
            line[x] = a * i[x] + b * j[x] + c * k[x] + d * l[x]
