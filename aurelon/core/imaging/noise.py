"""Noise that is tied to a seed and never to pixels: on a circle, where it has no seam, and over the plane.

Reference: Perlin, "Improving Noise" (2002), for the quintic fade.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Doubles, Floats, f32, u64
from aurelon.core.imaging.fastmath import smoothstep
from aurelon.core.imaging.kernels import inlined, kernel


class Moment(NamedTuple):
    """A moment of a pattern that drifts: the seeds of the patterns before and after it, and how far it is from one to the other."""

    seed: int
    later: int
    share: np.float32

    def of(self, number: int) -> Moment:
        """The same moment of another pattern of the same light."""
        return Moment(self.seed + number, self.later + number, self.share)


STEP = 104_729  # from the seed of one pattern to that of the next


def moment(seed: int, evolution: float, seconds: float) -> Moment:
    """The moment of a pattern that changes `evolution` times a second; at 0 seconds it is that of the seed."""
    passed = evolution * seconds
    whole = int(np.floor(passed))
    share = smoothstep(np.float64(passed - whole))
    return Moment(seed + STEP * whole, seed + STEP * (whole + 1), f32(share))


def periodic_noise(place: Doubles, period: int, seed: tuple[int, ...], later: tuple[int, ...] = (), share: float = 0.0) -> Doubles:
    """Value noise in 0..1 at `place` (any shape, in cells), repeating every `period` cells; by a `share` that of a `later` seed."""
    values = np.random.default_rng(seed).random(period)
    if share:
        values = values + (np.random.default_rng(later).random(period) - values) * share
    cell = np.floor(place)
    t = place - cell
    t = t * t * t * (t * (6 * t - 15) + 10)
    low = cell.astype(np.int64) % period
    return np.asarray(values[low] * (1 - t) + values[(low + 1) % period] * t)


def ray_variation(bars: Doubles, count: int, variety: float, now: Moment) -> Floats:
    """How bright each ray is now, mean about 1: even at variety 0, strong bars at 1.

    `bars` is the place of each ray counted in bars; it repeats every `count` of them. The places
    are warped first, so that the bars differ in width, and three octaves are mixed.
    """
    few = max(2, count // 3)

    def noise(place: Doubles, period: int, octave: int) -> Doubles:
        return periodic_noise(place, period, (now.seed, octave), (now.later, octave), float(now.share))

    place = bars + 1.6 * (noise(bars * few / count, few, 0) - 0.5)
    mixed = 0.60 * noise(place, count, 1) + 0.27 * noise(2 * place, 2 * count, 2) + 0.13 * noise(5 * place, 5 * count, 3)
    t = np.clip((mixed - 0.22) / 0.56, 0, 1)
    bright = smoothstep(t)
    return np.asarray(1 - variety + variety * 2 * bright, np.float32)


@inlined
def lattice(ix: int, iy: int, seed: int) -> np.float32:
    """A number in 0..1 that depends on a lattice point and a seed."""
    h = np.uint32(ix) * np.uint32(0x8DA6B343) ^ np.uint32(iy) * np.uint32(0xD8163841) ^ np.uint32(seed) * np.uint32(0xCB1AB31F)
    h = np.uint32(h ^ (h >> np.uint32(15)))
    h = np.uint32(h * np.uint32(0x2C1B3C6D))
    h = np.uint32(h ^ (h >> np.uint32(12)))
    h = np.uint32(h * np.uint32(0x297A2D39))
    h = np.uint32(h ^ (h >> np.uint32(15)))
    return f32(h) * f32(1.0 / 4294967296.0)


@inlined
def _between(ix: int, iy: int, seed: int, later: int, share: np.float32) -> np.float32:
    """The number at a lattice point, by a share that of a later seed."""
    value = lattice(ix, iy, seed)
    if share > f32(0.0):
        value += (lattice(ix, iy, later) - value) * share
    return f32(value)


class Lattice(NamedTuple):
    """The numbers of value noise at the lattice points of a part of the plane, row by row, from the point (x, y) on; by a share
    those of a later seed (see `Moment`)."""

    numbers: Floats
    rows: int
    columns: int
    x: np.float32
    y: np.float32


def lattice_of(low: tuple[float, float], high: tuple[float, float], now: Moment) -> Lattice:
    """What `noise_in` needs for places (x, y) between these."""
    (x, y), (right, bottom) = np.floor(low).astype(int), np.floor(high).astype(int)
    numbers = np.empty((bottom + 2 - y, right + 2 - x), np.float32)
    _fill(numbers, int(x), int(y), now)
    return Lattice(numbers.reshape(-1), numbers.shape[0], numbers.shape[1], f32(x), f32(y))


@kernel
def _fill(numbers: Floats, x: int, y: int, now: Moment) -> None:
    for row in prange(numbers.shape[0]):
        for column in range(numbers.shape[1]):
            numbers[row, column] = _between(x + column, y + row, now.seed, now.later, now.share)


@inlined
def noise_in(x: np.float32, y: np.float32, of: Lattice) -> np.float32:
    """Value noise in 0..1 over the plane, a cell to each unit; held at the table's border."""
    x, y = min(max(x - of.x, f32(0.0)), f32(of.columns) - f32(1.001)), min(max(y - of.y, f32(0.0)), f32(of.rows) - f32(1.001))
    ix, iy = np.int32(x), np.int32(y)
    tx, ty = smoothstep(x - f32(ix)), smoothstep(y - f32(iy))
    # An index without a sign is not looked at.
    p = u64(iy) * u64(of.columns) + u64(ix)
    q = p + u64(of.columns)
    a, b, c, d = of.numbers[p], of.numbers[p + u64(1)], of.numbers[q], of.numbers[q + u64(1)]
    top, bottom = a + (b - a) * tx, c + (d - c) * tx
    result: np.float32 = top + (bottom - top) * ty
    return result
