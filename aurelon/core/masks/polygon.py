"""An area with straight sides, drawn corner by corner. Where it crosses itself it stays filled."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import strict_kernel
from aurelon.core.masks.shared.part import Ground, Part
from aurelon.core.settings import Place, polygon_setting

LINES = 4  # lines on which the area of a pixel is measured; across, it is exact


class Polygon(Part):
    """Filled by the nonzero winding rule; fewer than three corners cover nothing."""

    title = "Polygon"
    summary = "An area drawn corner by corner"
    order = 4
    instruction = "Click corner after corner; a double-click, Enter or a click on the first one closes it"
    of_one_picture = True

    part: Literal["polygon"] = "polygon"
    corners: tuple[Place, ...] = polygon_setting("The corners, in order", max_points=500)

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        out = np.zeros(frame.shape, np.float32)
        if len(self.corners) >= 3:
            corners = np.array(self.corners) * frame.size - (frame.x0, frame.y0)
            _fill(np.ascontiguousarray(corners), out)
        return out


@strict_kernel
def _fill(corners: NDArray[np.float64], out: Floats) -> None:
    rows, columns = out.shape
    n = corners.shape[0]
    for row in prange(rows):
        crossings = np.empty(n, np.float64)
        turns = np.empty(n, np.int64)
        for line in range(LINES):
            y = row + (line + 0.5) / LINES
            found = 0
            for i in range(n):
                ax, ay = corners[i, 0], corners[i, 1]
                bx, by = corners[(i + 1) % n, 0], corners[(i + 1) % n, 1]
                if (ay <= y) != (by <= y):
                    crossing = ax + (y - ay) / (by - ay) * (bx - ax)
                    place = found  # in their order from left to right; there are few
                    while place > 0 and crossings[place - 1] > crossing:
                        crossings[place], turns[place] = crossings[place - 1], turns[place - 1]
                        place -= 1
                    crossings[place] = crossing
                    turns[place] = 1 if by > ay else -1
                    found += 1
            winding = 0
            for k in range(found - 1):
                winding += turns[k]
                if winding == 0:
                    continue
                left = min(max(crossings[k], 0.0), float(columns))
                right = min(max(crossings[k + 1], 0.0), float(columns))
                first, last = int(left), int(right)
                if first == last:
                    if first < columns:
                        out[row, first] += np.float32((right - left) / LINES)
                    continue
                out[row, first] += np.float32((first + 1 - left) / LINES)
                for x in range(first + 1, last):
                    out[row, x] += np.float32(1.0 / LINES)
                if last < columns:
                    out[row, last] += np.float32((right - last) / LINES)
        for x in range(columns):
            out[row, x] = min(out[row, x], np.float32(1.0))


PART = Polygon
