"""Noise that is tied to a seed and never to pixels: on a circle, where it has no seam, and over the plane.

Reference: Perlin, "Improving Noise" (2002), for the quintic fade.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.fastmath import smoothstep


class Moment(NamedTuple):
    """A moment of a pattern that drifts: the seeds of the patterns before and after it, and how far it is from one to the other."""

    seed: int
    later: int
    share: np.float32


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


@njit(fastmath=True)
def lattice(ix: int, iy: int, seed: int) -> np.float32:
    """A number in 0..1 that depends on a lattice point and a seed."""
    h = np.uint32(ix) * np.uint32(0x8DA6B343) ^ np.uint32(iy) * np.uint32(0xD8163841) ^ np.uint32(seed) * np.uint32(0xCB1AB31F)
    h = np.uint32(h ^ (h >> np.uint32(15)))
    h = np.uint32(h * np.uint32(0x2C1B3C6D))
    h = np.uint32(h ^ (h >> np.uint32(12)))
    h = np.uint32(h * np.uint32(0x297A2D39))
    h = np.uint32(h ^ (h >> np.uint32(15)))
    return f32(h) * f32(1.0 / 4294967296.0)


NO_CELL = f32(1e9)  # as the first number of a kept cell: none is kept yet


@njit(fastmath=True)
def _between(ix: int, iy: int, seed: int, later: int, share: np.float32) -> np.float32:
    """The number at a lattice point, by a share that of a later seed."""
    value = lattice(ix, iy, seed)
    if share > f32(0.0):
        value += (lattice(ix, iy, later) - value) * share
    return f32(value)


@njit(fastmath=True)
def lattice_noise(x: np.float32, y: np.float32, seed: int, later: int, share: np.float32, kept: Floats) -> np.float32:
    """Value noise in 0..1 over the plane, a cell to each unit, by a `share` that of a `later` seed (see `Moment`).

    Places are looked at one beside the other, so `kept` (6,) holds the last cell and its corners between calls.
    """
    fx, fy = np.floor(x), np.floor(y)
    if fx != kept[0] or fy != kept[1]:
        ix, iy = int(fx), int(fy)
        kept[0], kept[1] = fx, fy
        kept[2], kept[3] = _between(ix, iy, seed, later, share), _between(ix + 1, iy, seed, later, share)
        kept[4], kept[5] = _between(ix, iy + 1, seed, later, share), _between(ix + 1, iy + 1, seed, later, share)
    tx, ty = x - fx, y - fy
    one = f32(1.0)
    tx, ty = smoothstep(tx), smoothstep(ty)
    top = kept[2] * (one - tx) + kept[3] * tx
    bottom = kept[4] * (one - tx) + kept[5] * tx
    made: np.float32 = top * (one - ty) + bottom * ty
    return made
