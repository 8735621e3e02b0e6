"""Rays over a grid: a fan from a point, or a parallel bundle.

Lengths are pixels of the grid here. A grid has its first pixel's corner at (0, 0).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from aurelon.core.imaging.arrays import Doubles, Floats
from aurelon.core.imaging.frame import diagonal

ACROSS = 2.0  # pixels between rays where they lie widest apart
ALONG = 2.0  # pixels between steps
MARGIN = 3  # steps marched beyond the frame, so that its edge can be interpolated


@dataclass(frozen=True)
class Rays:
    """A fan of rays from (x, y), or, where `parallel`, a bundle across the direction `middle`.

    Ray i lies at `first + i * pitch`: radians from the direction `middle` in a fan, pixels across
    in a bundle. Step k lies at distance `start + k * ALONG` from the source, or from the line
    through the grid's centre. `whole` fans go all the way round and have no first ray.
    """

    parallel: bool
    x: float
    y: float
    middle: float
    first: float
    pitch: float
    count: int
    start: float
    steps: int
    whole: bool
    grid: tuple[int, int]

    @property
    def reference(self) -> float:
        """The distance at which the rays' spacing is told: half a diagonal, or the plate's middle."""
        half = 0.5 * diagonal(self.grid)
        if self.parallel:
            return half
        return max(half, float(np.hypot(self.x - self.grid[0] / 2, self.y - self.grid[1] / 2)))

    def bars(self, count: int) -> Doubles:
        """The place of each ray in bars, `count` to the turn seen from a source within the frame.

        As the source moves away the bars keep their width on the plate, so they go on in parallel.
        """
        half = 0.5 * diagonal(self.grid)
        offsets = self.first + np.arange(self.count) * self.pitch
        per_turn = count / (2 * np.pi)
        if self.parallel:
            return np.asarray(per_turn * offsets / half)
        return np.asarray(per_turn * (self.middle + offsets * self.reference / half))

    def distances(self) -> Doubles:
        """Distance of each step, in pixels, from the source or from where the bundle begins."""
        steps = np.arange(self.steps, dtype=np.float64) * ALONG
        return steps if self.parallel else steps + self.start


def polar_rays(source: tuple[float, float], grid: tuple[int, int]) -> Rays:
    """A fan round `source` (pixels, anywhere): a whole turn from within, else the wedge that is needed."""
    width, height = grid
    x, y = source
    corners = np.array([(0, 0), (width, 0), (0, height), (width, height)], float) - (x, y)
    far = float(np.hypot(corners[:, 0], corners[:, 1]).max())
    near = float(np.hypot(max(-x, 0, x - width), max(-y, 0, y - height)))
    if near == 0:
        count = max(16, int(np.ceil(2 * np.pi * far / ACROSS)))
        middle, first, pitch, whole = 0.0, -np.pi, 2 * np.pi / count, True
    else:
        middle = float(np.arctan2(height / 2 - y, width / 2 - x))
        turned = np.arctan2(corners[:, 1], corners[:, 0]) - middle
        turned = (turned + np.pi) % (2 * np.pi) - np.pi
        low, high = float(turned.min()), float(turned.max())
        count = max(8, int(np.ceil((high - low) * far / ACROSS))) + 5
        pitch = (high - low) / (count - 5)
        first, whole = low - 2 * pitch, False
    steps = int(np.ceil((far - near) / ALONG)) + MARGIN
    return Rays(False, x, y, middle, first, pitch, count, near, steps, whole, grid)


def parallel_rays(angle: float, grid: tuple[int, int]) -> Rays:
    """A bundle that travels toward `angle` (degrees, 0 right, 90 up) across the whole grid."""
    width, height = grid
    middle = -float(np.deg2rad(angle))
    dx, dy = np.cos(middle), np.sin(middle)
    corners = np.array([(-1, -1), (1, -1), (-1, 1), (1, 1)], float) * (width / 2, height / 2)
    along = corners @ (dx, dy)
    across = corners @ (-dy, dx)
    span = float(across.max() - across.min())
    count = max(8, int(np.ceil(span / ACROSS))) + 5
    pitch = span / (count - 5)
    steps = int(np.ceil(float(along.max() - along.min()) / ALONG)) + MARGIN
    first = float(across.min()) - 2 * pitch
    return Rays(True, width / 2, height / 2, middle, first, pitch, count, float(along.min()), steps, False, grid)


def origins_of(rays: Rays) -> tuple[Floats, Floats]:
    """Origin (x, y) and direction (x, y) of every ray, each (count, 2)."""
    offsets = rays.first + np.arange(rays.count) * rays.pitch
    if rays.parallel:
        direction = np.array([np.cos(rays.middle), np.sin(rays.middle)])
        across = np.array([-direction[1], direction[0]])
        origins = np.array([rays.x, rays.y]) + offsets[:, None] * across
        directions = np.tile(direction, (rays.count, 1))
    else:
        origins = np.tile([rays.x, rays.y], (rays.count, 1))
        directions = np.stack([np.cos(rays.middle + offsets), np.sin(rays.middle + offsets)], axis=1)
    # The grid's own origin is far from a far source; starting near it keeps float32 exact.
    return (origins + directions * rays.start).astype(np.float32), directions.astype(np.float32)
