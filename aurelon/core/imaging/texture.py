"""Pictures laid on the plate through a matrix, read at the fineness that each place needs.

A pyramid of halved versions, two of them mixed by how many cells lie under a pixel (Williams,
"Pyramidal Parametrics", 1983).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]
f32 = np.float32


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


def lay(of: Pyramid, matrix: Doubles, shape: tuple[int, int], *, repeats: bool, fading: float) -> Floats:
    """The picture at a frame of `shape` (rows, columns), (h, w, C). `matrix` (3, 3) leads from pixels to the unit square.

    Outside the square it is nothing, and over `fading` of the square it fades in from its edges; or it
    `repeats` over the whole plane.
    """
    out = np.zeros((*shape, of.cells.shape[1]), np.float32)
    _lay(of.cells, of.levels, matrix, repeats, f32(max(fading, 1e-4)), out)
    return out


@njit(parallel=True, cache=True, fastmath=True)
def _lay(cells: Floats, levels: NDArray[np.int64], m: Doubles, repeats: bool, fading: np.float32, out: Floats) -> None:
    rows, columns, channels = out.shape
    for row in prange(rows):
        y = row + 0.5
        for column in range(columns):
            x = column + 0.5
            w = m[2, 0] * x + m[2, 1] * y + m[2, 2]
            if w <= 1e-9:
                continue
            u, v = (m[0, 0] * x + m[0, 1] * y + m[0, 2]) / w, (m[1, 0] * x + m[1, 1] * y + m[1, 2]) / w
            # How far the square is crossed by a step of one pixel.
            ux, vx = (m[0, 0] - u * m[2, 0]) / w, (m[1, 0] - v * m[2, 0]) / w
            uy, vy = (m[0, 1] - u * m[2, 1]) / w, (m[1, 1] - v * m[2, 1]) / w
            step_u, step_v = np.sqrt(ux * ux + uy * uy), np.sqrt(vx * vx + vy * vy)
            cover = f32(1.0)
            if not repeats:
                edge_u, edge_v = max(fading, f32(step_u)), max(fading, f32(step_v))
                cover = min(max(min(f32(u), f32(1 - u)) / edge_u + f32(0.5) * f32(step_u) / edge_u, f32(0.0)), f32(1.0))
                cover *= min(max(min(f32(v), f32(1 - v)) / edge_v + f32(0.5) * f32(step_v) / edge_v, f32(0.0)), f32(1.0))
                if cover <= f32(0.0):
                    continue
                cover = cover * cover * (f32(3.0) - f32(2.0) * cover)
            fine = np.log2(max(max(step_u * levels[0, 2], step_v * levels[0, 1]), 1.0))
            fine = min(fine, levels.shape[0] - 1.001) if levels.shape[0] > 1 else 0.0
            level = int(fine)
            mixing = f32(fine - level)
            for k in range(2):
                at = min(level + k, levels.shape[0] - 1)
                weight = (mixing if k == 1 else f32(1.0) - mixing) * cover
                if weight <= f32(0.0):
                    continue
                begin, height, width = levels[at, 0], levels[at, 1], levels[at, 2]
                px, py = u * width - 0.5, v * height - 0.5
                cx, cy = int(np.floor(px)), int(np.floor(py))
                fx, fy = f32(px - cx), f32(py - cy)
                if repeats:
                    x0, x1, y0, y1 = cx % width, (cx + 1) % width, cy % height, (cy + 1) % height
                else:
                    x0, x1 = min(max(cx, 0), width - 1), min(max(cx + 1, 0), width - 1)
                    y0, y1 = min(max(cy, 0), height - 1), min(max(cy + 1, 0), height - 1)
                a, b = begin + y0 * width + x0, begin + y0 * width + x1
                c, d = begin + y1 * width + x0, begin + y1 * width + x1
                for ch in range(channels):
                    top = cells[a, ch] * (f32(1.0) - fx) + cells[b, ch] * fx
                    bottom = cells[c, ch] * (f32(1.0) - fx) + cells[d, ch] * fx
                    out[row, column, ch] += weight * (top * (f32(1.0) - fy) + bottom * fy)
