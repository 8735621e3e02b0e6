"""From rays back to the pixels of a frame."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats, f32, u64
from aurelon.core.imaging.fastmath import angle_of
from aurelon.core.imaging.four import FourType as Four
from aurelon.core.imaging.four import load, plus, scaled, store
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.optics.rays import ALONG, Rays

Places = NDArray[np.uint32]


@inlined
def blended(grid: Floats, p: np.uint64, q: np.uint64, across: np.float32, down: np.float32) -> Four:
    """The bilinear mean of four samples of four channels: those from `p` on and their next, and those from `q` on."""
    d = across * down
    b = across - d
    c = down - d
    a = f32(1.0) - across - c
    above = plus(scaled(load(grid, p), a), scaled(load(grid, p + u64(4)), b))
    return plus(above, plus(scaled(load(grid, q), c), scaled(load(grid, q + u64(4)), d)))


class RayGeometry(NamedTuple):
    """Rays as numbers for a kernel: see `Rays`; and the frame's pixels in pixels of the rays' grid, from (x0, y0) on."""

    parallel: bool
    whole: bool
    ray_count: int
    steps: int
    x: float
    y: float
    middle: float
    first: float
    per_pitch: float
    start: float
    per_step: float
    ratio_x: float
    ratio_y: float
    x0: int
    y0: int


def sampled(field: Floats, rays: Rays, frame: Frame) -> Floats:
    """Back from rays (count, steps, 4) to the frame's pixels (h, w, 4)."""
    out = np.empty((*frame.shape, 4), np.float32)
    geometry = RayGeometry(
        rays.parallel,
        rays.whole,
        rays.count,
        rays.steps,
        rays.x,
        rays.y,
        rays.middle,
        rays.first,
        1.0 / rays.pitch,
        rays.start,
        1.0 / ALONG,
        rays.grid[0] / frame.width,
        rays.grid[1] / frame.height,
        frame.x0,
        frame.y0,
    )
    _sample(field.reshape(-1), geometry, *frame.shape, out.reshape(-1))
    return out


TILE = 32  # pixels; those of a tile read the same small part of the field


@inlined
def _places(
    rays: Floats,
    lengths: Floats,
    along: np.float32,
    across: np.float32,
    along_step: np.float32,
    across_step: np.float32,
    parallel: bool,
) -> None:
    """Angle (or distance across) and length of the pixels of a row; alone, so that it vectorises."""
    if parallel:
        for n in range(rays.size):
            lengths[n] = along + f32(np.int32(n)) * along_step
            rays[n] = across + f32(np.int32(n)) * across_step
        return
    for n in range(rays.size):
        x = along + f32(np.int32(n)) * along_step
        y = across + f32(np.int32(n)) * across_step
        rays[n] = angle_of(y, x)
        lengths[n] = np.sqrt(x * x + y * y)


@inlined
def _cells(places: Floats, lengths: Floats, of: RayGeometry, cell: Places, after: Places) -> None:
    """Places and lengths become fractions; `cell` is the sample before, `after` the same step of the next ray."""
    last_step = f32(of.steps) - f32(1.001)
    last_ray = f32(of.ray_count) if of.whole else f32(of.ray_count) - f32(1.001)
    n, length = np.int32(of.ray_count), np.int32(of.steps)
    first, rays_per, steps_per = f32(of.first), f32(of.per_pitch), f32(of.per_step)
    begin = f32(0.0 if of.parallel else of.start)
    for x in range(places.size):
        place = min(max((places[x] - first) * rays_per, f32(0.0)), last_ray)
        at = min(max((lengths[x] - begin) * steps_per, f32(0.0)), last_step)
        i, k = np.int32(place), np.int32(at)
        places[x], lengths[x] = place - f32(i), at - f32(k)
        i = i if i < n else np.int32(0)
        following = i + np.int32(1) if i + np.int32(1) < n else np.int32(0)
        cell[x] = i * length + k
        after[x] = following * length + k


@inlined
def _blend_cells(field: Floats, cell: Places, after: Places, fi: Floats, fk: Floats, out: Floats) -> None:
    """The bilinear mean of four samples of four channels, for a row of pixels."""
    for x in range(cell.size):
        result = blended(field, u64(4) * u64(cell[x]), u64(4) * u64(after[x]), fk[x], fi[x])
        store(out, u64(4) * u64(x), result)


@kernel
def _sample(field: Floats, of: RayGeometry, rows: int, columns: int, out: Floats) -> None:
    # Turned so that the fan's middle lies along +x: angles then stay small and exact.
    cos, sin = np.cos(of.middle), np.sin(of.middle)
    origin_along = of.x * cos + of.y * sin + (of.start if of.parallel else 0.0)
    origin_across = -of.x * sin + of.y * cos
    tiles_across = (columns + TILE - 1) // TILE
    for tile in prange(tiles_across * ((rows + TILE - 1) // TILE)):
        top = (tile // tiles_across) * TILE
        left = (tile % tiles_across) * TILE
        wide = min(TILE, columns - left)
        places, lengths = np.empty(wide, np.float32), np.empty(wide, np.float32)
        cell, after = np.empty(wide, np.uint32), np.empty(wide, np.uint32)
        for row in range(top, min(top + TILE, rows)):
            v = (row + of.y0 + 0.5) * of.ratio_y
            h = (left + of.x0 + 0.5) * of.ratio_x
            _places(
                places,
                lengths,
                f32(h * cos + v * sin - origin_along),
                f32(v * cos - h * sin - origin_across),
                f32(of.ratio_x * cos),
                f32(-of.ratio_x * sin),
                of.parallel,
            )
            _cells(places, lengths, of, cell, after)
            o = 4 * (row * columns + left)
            _blend_cells(field, cell, after, places, lengths, out[o : o + 4 * wide])
