"""The surface on which lamps shine: heights and normals made from a picture.

Height comes from luminance at a chosen scale, or from a depth picture (white is near); or the normals
come from a normal picture (red to the right, green up, blue outward, as tangent-space normals are
stored). It is found on one canonical version of the plate, so that it is the same at every size.
"""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass, field
from threading import Lock
from typing import NamedTuple

import cv2
import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.frame import Frame, diagonal
from aurelon.core.imaging.kernels import kernel

DEEPEST = 0.12  # diagonals from the lowest to the highest place at a relief of 1
KEPT_FRAMES = 3
NEAR = 12  # cells about a place that count as its surroundings


class Cells(NamedTuple):
    """A surface at a frame, or a row of it: slope to the right, slope downward, and height."""

    right: Floats
    down: Floats
    height: Floats


@dataclass
class HeightField:
    """`cells` are planes (3, h, w): slope to the right, slope downward (both of height in diagonals), height in diagonals."""

    cells: Floats
    _at: OrderedDict[Frame, Cells] = field(default_factory=OrderedDict, repr=False)
    _lock: Lock = field(default_factory=Lock, repr=False)

    @property
    def nbytes(self) -> int:
        return self.cells.nbytes * (1 + KEPT_FRAMES)

    def on_form(self, slopes: Floats) -> HeightField:
        """The same relief on surfaces that have slopes (h, w, 2) of their own."""
        cells = self.cells.copy()
        cells[:2] += np.moveaxis(slopes, 2, 0)
        return HeightField(cells)

    def near(self, place: tuple[float, float]) -> tuple[float, float, float]:
        """Slope to the right, slope downward and height about a place in fractions of the plate."""
        _, rows, columns = self.cells.shape
        row, column = min(int(place[1] * rows), rows - 1), min(int(place[0] * columns), columns - 1)
        about = self.cells[:, max(row - NEAR, 0) : row + NEAR + 1, max(column - NEAR, 0) : column + NEAR + 1]
        right, down, height = (float(part) for part in about.mean(axis=(1, 2)))
        return right, down, height

    def at(self, frame: Frame, view: Frame) -> Cells:
        """The cells at a frame. They are made and kept for all of the `view` that the frame is a
        part of, as many lamps look at the same."""
        with self._lock:
            result = self._at.get(view)
            if result is not None:
                self._at.move_to_end(view)
        if result is None:
            result = Cells(*(enlarge_to(cells[:, :, None], view)[:, :, 0] for cells in self.cells))
            with self._lock:
                self._at[view] = result
                while len(self._at) > KEPT_FRAMES:
                    self._at.popitem(last=False)
        rows, columns = slice(frame.y0 - view.y0, frame.y1 - view.y0), slice(frame.x0 - view.x0, frame.x1 - view.x0)
        right, down, height = (np.ascontiguousarray(plane[rows, columns]) for plane in result)
        return Cells(right, down, height)


def from_height(height: Floats, relief: float, scale: float) -> HeightField:
    """A surface from heights (h, w) in 0..1, smoothed over `scale` diagonals, `relief` times the deepest."""
    length = diagonal((height.shape[1], height.shape[0]))
    smooth = cv2.GaussianBlur(height, (0, 0), max(scale * length, 0.4), borderType=cv2.BORDER_REPLICATE)
    cells = np.empty((3, *height.shape), np.float32)
    _slope(np.asarray(smooth, np.float32), f32(relief * DEEPEST), f32(length / 2), *cells)
    return HeightField(cells)


@kernel
def _slope(height: Floats, scale: np.float32, per_two: np.float32, right: Floats, down: Floats, scaled: Floats) -> None:
    """Slopes by central differences, the border repeated, and the heights, of `height` times `scale`."""
    rows, columns = height.shape
    by = scale * per_two
    for y in prange(rows):
        above, here, below = height[max(y - 1, 0)], height[y], height[min(y + 1, rows - 1)]
        for x in range(columns):
            down[y, x] = (below[x] - above[x]) * by
            scaled[y, x] = here[x] * scale
        across = right[y]
        for x in range(1, columns - 1):
            across[x] = (here[x + 1] - here[x - 1]) * by
        across[0] = (here[min(1, columns - 1)] - here[0]) * by
        across[columns - 1] = (here[columns - 1] - here[max(columns - 2, 0)]) * by


def from_normals(normals: Floats, relief: float) -> HeightField:
    """A surface from a normal picture (h, w, 3) of stored values in 0..1; it has slopes and no heights."""
    n = normals * 2 - 1
    outward = np.maximum(n[:, :, 2], 0.05)
    right, down = -n[:, :, 0] / outward, n[:, :, 1] / outward
    flat = np.zeros_like(right)
    return HeightField(np.ascontiguousarray(np.stack([right * relief, down * relief, flat]), np.float32))
