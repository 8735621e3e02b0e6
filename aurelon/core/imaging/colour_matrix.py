"""Matrices on the channels of light: what the Colour stage does to every pixel alike."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32, u64
from aurelon.core.imaging.four import at_least, four, part, plus, scaled, store
from aurelon.core.imaging.kernels import kernel


@dataclass(frozen=True)
class Tint:
    """The linear part of the Colour stage, two (3, 3) matrices on linear RGB.

    `light` is for light that has the picture's colour, `own` for light whose colour its kind has
    settled (a disc with a temperature), which only turns in hue and saturation.
    """

    light: Floats
    own: Floats

    @cached_property
    def of_white(self) -> Floats:
        """What becomes of white light, (3,), never negative."""
        return np.asarray(np.maximum(self.light.sum(axis=1), 0), np.float32)

    @cached_property
    def is_neutral(self) -> bool:
        return bool(np.array_equal(self.light, np.eye(3)))

    def on_white(self, level: Floats) -> Floats:
        """White light (h, w) in its colour: (h, w, 3)."""
        return white_in(self.of_white, level)


def white_in(colour: Floats, level: Floats) -> Floats:
    """White light (h, w) in a colour (3,), never below zero: (h, w, 3)."""
    out = np.empty((*level.shape, 3), np.float32)
    _colour(np.ascontiguousarray(level).reshape(-1), colour, out.reshape(-1))
    return out


NEUTRAL = Tint(np.eye(3, dtype=np.float32), np.eye(3, dtype=np.float32))
BLOCK = 4096  # pixels


@kernel
def _colour(level: Floats, colour: Floats, out: Floats) -> None:
    r, g, b = colour[0], colour[1], colour[2]
    for block in prange((level.size + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min((block + 1) * BLOCK, level.size)):
            v = max(level[i], f32(0.0))
            out[3 * i], out[3 * i + 1], out[3 * i + 2] = v * r, v * g, v * b


def mixed(light: Floats, matrix: Floats) -> Floats:
    """`light` (h, w, n) with n of 3 or 4, through `matrix` (3, n), never below zero: (h, w, 3)."""
    out = np.empty((*light.shape[:2], 3), np.float32)
    wide = np.zeros((3, 4), np.float32)
    wide[:, : matrix.shape[1]] = matrix
    _mix(light.reshape(-1), light.shape[2], wide, out.reshape(-1))
    return out


@kernel
def _mix(light: Floats, channels: int, m: Floats, out: Floats) -> None:
    zero = f32(0.0)
    count = out.size // 3
    of_r, of_g = four(m[0, 0], m[1, 0], m[2, 0], zero), four(m[0, 1], m[1, 1], m[2, 1], zero)
    of_b, of_own = four(m[0, 2], m[1, 2], m[2, 2], zero), four(m[0, 3], m[1, 3], m[2, 3], zero)
    for block in prange((count + BLOCK - 1) // BLOCK):
        last = min((block + 1) * BLOCK, count) - 1
        for i in range(block * BLOCK, last + 1):
            p, o = u64(channels) * u64(i), u64(3) * u64(i)
            result = plus(plus(scaled(of_r, light[p]), scaled(of_g, light[p + u64(1)])), scaled(of_b, light[p + u64(2)]))
            if channels == 4:
                result = plus(result, scaled(of_own, light[p + u64(3)]))
            result = at_least(result, zero)
            if i < last:
                store(out, o, result)  # the next pixel writes over the fourth
            else:
                out[o], out[o + u64(1)], out[o + u64(2)] = part(result, 0), part(result, 1), part(result, 2)
