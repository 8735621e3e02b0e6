"""Pictures laid on the plate through a matrix, read at the fineness that each place needs.

A pyramid of halved versions, two of them mixed by how many cells lie under a pixel (Williams,
"Pyramidal Parametrics", 1983).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.fastmath import smoothstep, unit
from aurelon.core.imaging.kernels import kernel


@dataclass(frozen=True)
class Pyramid:
    """All levels of a picture (h, w, C) one after another in `cells` (n, C); `levels` (k, 3) has begin, height, width."""

    cells: Floats
    levels: NDArray[np.int64]

    @property
    def nbytes(self) -> int:
        return self.cells.nbytes


def pyramid(picture: Floats) -> Pyramid:
    """The pyramid of a picture (h, w, C)."""
    parts, levels, begin = [], [], 0
    while True:
        height, width, channels = picture.shape
        parts.append(picture.reshape(-1, channels))
        levels.append((begin, height, width))
        begin += height * width
        if max(height, width) == 1:
            break
        size = (max(1, (width + 1) // 2), max(1, (height + 1) // 2))
        halved = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
        picture = np.asarray(halved, np.float32).reshape(size[1], size[0], channels)
    return Pyramid(np.ascontiguousarray(np.concatenate(parts), np.float32), np.array(levels, np.int64))


class Repeats(NamedTuple):
    """How often a picture is laid across and along the unit square; `endless` goes on beyond it. `horizon` is 1 where it fades
    toward the horizon of its plane, and 0 where it does not."""

    across: float
    along: float
    endless: bool = False
    horizon: int = 0


ONCE = Repeats(1.0, 1.0)
CORNERS = np.array([(0, 1, 1, 0), (0, 0, 1, 1), (1, 1, 1, 1)], float)  # of the unit square
SEEN, GONE = 0.25, 0.03  # nearness, where the nearest corner has 1: what fades toward a horizon begins to, and is gone


def lay(of: Pyramid, matrix: Doubles, shape: tuple[int, int], *, fading: float, repeats: Repeats | None = None) -> Floats:
    """The picture at a frame of `shape` (rows, columns), (h, w, C). `matrix` (3, 3) leads from pixels to the unit square.

    Outside the square it is nothing, and over `fading` of the square it fades in from its edges. It fills the square
    once, or as it `repeats`.
    """
    out = np.zeros((*shape, of.cells.shape[1]), np.float32)
    # The third coordinate is one over the distance; the nearest corner has the most of it.
    nearest = 1 / float(np.abs(np.linalg.inv(matrix)[2] @ CORNERS).min())
    _lay(of.cells, of.levels, matrix, repeats or ONCE, repeats is not None, f32(max(fading, 1e-4)), f32(1 / nearest), out)
    return out


@kernel
def _lay(
    cells: Floats,
    levels: NDArray[np.int64],
    m: Doubles,
    repeats: Repeats,
    wraps: bool,
    fading: np.float32,
    per_nearest: np.float32,
    out: Floats,
) -> None:
    rows, columns, channels = out.shape
    finest, zero, one, half = f32(levels.shape[0] - 1.001), f32(0.0), f32(1.0), f32(0.5)
    for row in prange(rows):
        y = row + 0.5
        for column in range(columns):
            x = column + 0.5
            w = m[2, 0] * x + m[2, 1] * y + m[2, 2]
            if w <= 1e-9:
                continue
            per_w = 1.0 / w
            u, v = (m[0, 0] * x + m[0, 1] * y + m[0, 2]) * per_w, (m[1, 0] * x + m[1, 1] * y + m[1, 2]) * per_w
            # How far the square is crossed by a step of one pixel.
            ux, vx = f32((m[0, 0] - u * m[2, 0]) * per_w), f32((m[1, 0] - v * m[2, 0]) * per_w)
            uy, vy = f32((m[0, 1] - u * m[2, 1]) * per_w), f32((m[1, 1] - v * m[2, 1]) * per_w)
            step_u, step_v = np.sqrt(ux * ux + uy * uy), np.sqrt(vx * vx + vy * vy)
            cover = one
            if not repeats.endless:
                per_u, per_v = one / max(fading, step_u), one / max(fading, step_v)
                cover = unit((min(f32(u), f32(1 - u)) + half * step_u) * per_u)
                cover *= unit((min(f32(v), f32(1 - v)) + half * step_v) * per_v)
                if cover <= zero:
                    continue
                cover = smoothstep(cover)
            if repeats.horizon > 0:
                cover *= smoothstep(unit((f32(w) * per_nearest - f32(GONE)) * f32(1 / (SEEN - GONE))))
            u, v = u * repeats.across, v * repeats.along
            step_u, step_v = step_u * f32(repeats.across), step_v * f32(repeats.along)
            fine = np.log2(max(max(step_u * f32(levels[0, 2]), step_v * f32(levels[0, 1])), one))
            fine = min(fine, finest) if levels.shape[0] > 1 else zero
            level = int(fine)
            mixing = fine - f32(level)
            for k in range(2):
                weight = (mixing if k == 1 else one - mixing) * cover
                if weight <= zero:
                    continue
                at = min(level + k, levels.shape[0] - 1)
                begin, height, width = levels[at, 0], levels[at, 1], levels[at, 2]
                px, py = u * width - 0.5, v * height - 0.5
                cx, cy = int(np.floor(px)), int(np.floor(py))
                fx, fy = f32(px - cx), f32(py - cy)
                if wraps:
                    x0, y0 = cx % width, cy % height
                    x1, y1 = x0 + 1 if x0 + 1 < width else 0, y0 + 1 if y0 + 1 < height else 0
                else:
                    x0, x1 = min(max(cx, 0), width - 1), min(max(cx + 1, 0), width - 1)
                    y0, y1 = min(max(cy, 0), height - 1), min(max(cy + 1, 0), height - 1)
                a, b = begin + y0 * width + x0, begin + y0 * width + x1
                c, d = begin + y1 * width + x0, begin + y1 * width + x1
                for ch in range(channels):
                    top = cells[a, ch] * (one - fx) + cells[b, ch] * fx
                    bottom = cells[c, ch] * (one - fx) + cells[d, ch] * fx
                    out[row, column, ch] += weight * (top * (one - fy) + bottom * fy)
