"""Transport of light along rays over a grid: the march, and its softening across rays.

Lengths are pixels of the grid here. A grid has its first pixel's corner at (0, 0).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats, f32, u64
from aurelon.core.imaging.fastmath import exp_minus
from aurelon.core.imaging.four import FourType as Four
from aurelon.core.imaging.four import four, part, plus, scaled, store, times
from aurelon.core.imaging.frame import diagonal
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.imaging.runs import add_to, copy_to, fill
from aurelon.core.optics.ray_sampling import blended
from aurelon.core.optics.rays import ALONG, MARGIN, Rays, origins_of

Places = NDArray[np.uint32]
Steps = NDArray[np.int64]

ENTRY = 0.01  # diagonals over which the openness at a ray's start is averaged


class Way(NamedTuple):
    """Where rays begin (count, 2), where they run to (count, 2), how bright each is (count,), and what light and halo
    are worth at each distance (steps,)."""

    origins: Floats
    directions: Floats
    variation: Floats
    fade: Floats
    halo: Floats


class Step(NamedTuple):
    """Length of a step in pixels, the share of light that is left after it, and the steps over which a ray enters."""

    length: np.float32
    lost: np.float32
    entry: int


def _across(rays: Rays, softness: float) -> np.float32:
    """Rays within half the width of the triangle by which `softness` (radians) blurs them."""
    half = 0.5 * diagonal(rays.grid)
    width = softness * half if rays.parallel else softness * half / rays.reference
    # Never more than all of them.
    return f32(min(max(width / rays.pitch * 0.5, 0.0), (rays.count - 3) // 2))


def _needed(rays: Rays, origins: Floats, directions: Floats, softness: float) -> Steps:
    """How many steps of each ray are looked at, (3, count): once they are softened, after half of that, and before.

    Between two rays a pixel of the frame may lie beyond the end of one of them, but not of both.
    """
    ends = np.empty(rays.count, np.int64)
    _ends(origins, directions, *rays.grid, ends)
    reach = int(_across(rays, softness)) + 1
    # Whole blocks, as a running total passes over all of one.
    per_block = BLOCK // 4
    seen = np.minimum(-(-_most_near(ends, 1, rays.whole) // per_block) * per_block, rays.steps)
    if softness <= 0:
        return np.stack([seen, seen, seen])
    half = _most_near(seen, reach, rays.whole)
    return np.stack([seen, half, _most_near(half, reach, rays.whole)])


def march(
    emission: Floats,
    rays: Rays,
    variation: Floats,
    fade: Floats,
    halo: Floats,
    *,
    reach: float,
    blocking: float,
    softness: float = 0.0,
) -> Floats:
    """Light along every ray, and the halo as far as it is seen: (count, steps, 4), softened across by `softness`.

    `emission` (h, w, 4) is light and openness on the grid. `variation` (count,) scales the light of
    each ray, `fade` (steps,) that of each distance. The fourth channel is `halo` (steps,) times what
    the ray's way from its source lets through. `reach` is in pixels, `blocking` per pixel. `softness` is the half-width of
    a triangle in radians, as seen from a source within the frame; a far one is softened as much on the plate. Steps that
    lie outside the frame hold no number.
    """
    origins, directions = origins_of(rays)
    needed = _needed(rays, origins, directions, softness)
    out = np.empty((rays.count, rays.steps, 4), np.float32)
    if min(emission.shape[:2]) == 1:  # bilinear reading needs a neighbour
        emission = np.repeat(np.repeat(emission, 1 + (emission.shape[0] == 1), 0), 1 + (emission.shape[1] == 1), 1)
    height, width, _ = emission.shape
    medium = np.empty_like(emission)
    _medium(emission.reshape(-1, 4), f32(ALONG / reach), f32(blocking * ALONG), medium.reshape(-1, 4))
    entry = max(1, round(ENTRY * diagonal(rays.grid) / ALONG))
    step = Step(f32(ALONG), f32(np.exp(-ALONG / reach)), entry)
    way = Way(origins, directions, variation, fade, halo)
    _march(emission.reshape(-1), medium.reshape(-1), width, height, way, step, needed[2], out.reshape(-1))
    if softness > 0:
        _soften(out.reshape(rays.count, -1), _across(rays, softness), rays.whole, needed)
    return out


@kernel
def _medium(emission: Floats, lost: np.float32, blocking: np.float32, out: Floats) -> None:
    """What one step through each cell does: the light born in it, and the share it lets through.

    Exact for a cell of constant openness: light (1 - exp(-z)) / z · Δ/reach · emission with
    z = Δ/reach + βΔ(1 - w), and transmittance exp(-βΔ(1 - w)).
    """
    for i in prange(emission.shape[0]):
        absorbed = blocking * (f32(1.0) - emission[i, 3])
        z = absorbed + lost
        # By its series where the difference would cancel.
        series = f32(1) - z * (f32(1 / 2) - z * (f32(1 / 6) - z * f32(1 / 24)))
        mean = series if z < f32(0.1) else (f32(1) - exp_minus(z)) / max(z, f32(0.1))
        born = lost * mean
        out[i, 0] = emission[i, 0] * born
        out[i, 1] = emission[i, 1] * born
        out[i, 2] = emission[i, 2] * born
        out[i, 3] = exp_minus(absorbed)


@inlined
def _within(origin: np.float32, direction: np.float32, limit: np.float32) -> tuple[np.float32, np.float32]:
    """Distances at which a ray enters and leaves 0..limit on one axis."""
    if abs(direction) < f32(1e-9):
        if f32(0) <= origin <= limit:
            return f32(-1e30), f32(1e30)
        return f32(1e30), f32(-1e30)
    a = -origin / direction
    b = (limit - origin) / direction
    return min(a, b), max(a, b)


@kernel
def _ends(origins: Floats, directions: Floats, width: int, height: int, ends: Steps) -> None:
    """How many steps lead to where each ray has left the grid, and a few more."""
    for i in prange(ends.size):
        in_x, out_x = _within(origins[i, 0], directions[i, 0], f32(width))
        in_y, out_y = _within(origins[i, 1], directions[i, 1], f32(height))
        leave = min(out_x, out_y)
        beside = leave <= max(max(in_x, in_y), f32(0.0))
        ends[i] = MARGIN + 1 if beside else np.int64(leave / f32(ALONG)) + MARGIN + 1


def _most_near(values: Steps, reach: int, whole: bool) -> Steps:
    """The largest of the values within `reach` places."""
    out = np.zeros_like(values)
    _put_most_near(np.ascontiguousarray(values), reach, whole, out)
    return out


@kernel
def _put_most_near(values: Steps, reach: int, whole: bool, out: Steps) -> None:
    for i in prange(values.size):
        for k in range(-reach, reach + 1):
            at = (i + k) % values.size if whole else min(max(i + k, 0), values.size - 1)
            out[i] = max(out[i], values[at])


@inlined
def _fetch(grid: Floats, x: np.float32, y: np.float32, width: int, height: int) -> Four:
    """Bilinear value of the flat (h * w * 4) grid at x, y, held at its border."""
    x = min(max(x - f32(0.5), f32(0.0)), f32(width - 1) - f32(1e-3))
    y = min(max(y - f32(0.5), f32(0.0)), f32(height - 1) - f32(1e-3))
    x0, y0 = np.int32(x), np.int32(y)
    p = (u64(y0) * u64(width) + u64(x0)) * u64(4)
    return blended(grid, p, p + u64(4 * width), x - f32(x0), y - f32(y0))


BUNDLE = 16  # neighbouring rays marched by one thread, which read the same part of the grid


@kernel
def _march(emission: Floats, medium: Floats, width: int, height: int, way: Way, by: Step, needed: Steps, out: Floats) -> None:
    origins, directions, fade, halo = way.origins, way.directions, way.fade, way.halo
    step, lost, entry = by.length, by.lost, by.entry
    count, steps = way.variation.size, fade.size
    bundles = (count + BUNDLE - 1) // BUNDLE
    for turn in prange(bundles):
        # Neighbouring bundles are of like length; taken alternately from two halves, threads share the work.
        bundle = turn // 2 + (turn % 2) * ((bundles + 1) // 2)
        for i in range(bundle * BUNDLE, min((bundle + 1) * BUNDLE, count)):
            ox, oy, dx, dy = origins[i, 0], origins[i, 1], directions[i, 0], directions[i, 1]
            in_x, out_x = _within(ox, dx, f32(width))
            in_y, out_y = _within(oy, dy, f32(height))
            enter = max(max(in_x, in_y), f32(0.0))
            leave = min(out_x, out_y)
            if leave <= enter:  # a ray of the margin, beside the frame
                enter, leave = f32(0.0), f32(0.0)
            begin = min(int(enter / step), steps - 1)
            end = min(steps, int(leave / step) + MARGIN + 1)
            # How open the picture is where the ray begins, over the first `entry` steps.
            light = four(f32(0.0), f32(0.0), f32(0.0), f32(0.0))
            for k in range(entry):
                at = (f32(np.int32(begin + k)) + f32(0.5)) * step
                light = plus(light, _fetch(emission, ox + dx * at, oy + dy * at, width, height))
            bar = way.variation[i]
            per_entry = f32(1.0) / f32(entry)
            # The fourth is how much of the source is seen: nothing is born in it, and reach does not lessen it.
            light = times(light, four(bar * per_entry, bar * per_entry, bar * per_entry, per_entry))
            kept, born = four(lost, lost, lost, f32(1.0)), four(bar, bar, bar, f32(0.0))
            o = u64(i) * u64(steps) * u64(4)
            for k in range(needed[i]):
                weight = fade[k]
                store(out, o, times(light, four(weight, weight, weight, halo[k])))
                o += u64(4)
                if begin <= k < end:
                    at = (f32(np.int32(k)) + f32(0.5)) * step
                    here = _fetch(medium, ox + dx * at, oy + dy * at, width, height)
                    light = plus(times(light, scaled(kept, part(here, 3))), times(here, born))


BLOCK = 64  # samples of a ray softened together; their running means stay in the second cache


@kernel
def _soften(field: Floats, half: np.float32, whole: bool, needed: Steps) -> None:
    """Two running means over `half` rays on either side across those of `field` (rays, samples), in place, as far as they
    are needed.

    Fractions of a ray count, so that the width is continuous.
    """
    count, samples = field.shape
    # A mean over 2 m + 1 rays and a part of the next on either side.
    reach = int(half)
    part = half - f32(reach)
    scale = f32(1.0) / (f32(2 * reach + 1) + f32(2.0) * part)
    blocks = (samples + BLOCK - 1) // BLOCK
    for block in prange(blocks):
        k0 = block * BLOCK
        k1 = min(k0 + BLOCK, samples)
        n = k1 - k0
        line = np.empty((count, BLOCK), np.float32)
        mean = np.empty((count, BLOCK), np.float32)
        total = np.empty(BLOCK, np.float32)
        for i in range(count):
            if 4 * needed[2, i] > k0:
                copy_to(line[i, :n], field[i, k0:k1])
        for turn in range(2):
            here, there = (line, mean) if turn == 0 else (mean, line)
            going_on = False
            for i in range(count):
                if 4 * needed[1 - turn, i] <= k0:
                    going_on = False
                    continue
                if not going_on:
                    fill(total, f32(0.0))
                    for k in range(i - reach, i + reach + 1):
                        add_to(total, here[k % count if whole else min(max(k, 0), count - 1)])
                    going_on = True
                before, after, gone = i - reach - 1, i + reach + 1, i - reach
                if whole:
                    before += count if before < 0 else 0
                    gone += count if gone < 0 else 0
                    after -= count if after >= count else 0
                else:
                    before, after, gone = max(before, 0), min(after, count - 1), max(gone, 0)
                first, last, old, new = here[before], here[after], here[gone], there[i]
                for j in range(BLOCK):
                    new[j] = max((total[j] + part * (first[j] + last[j])) * scale, f32(0.0))
                    total[j] += last[j] - old[j]
        for i in range(count):
            if 4 * needed[0, i] > k0:
                copy_to(field[i, k0:k1], line[i, :n])
