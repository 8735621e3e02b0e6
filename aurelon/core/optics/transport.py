"""Transport of light along rays over a grid: geometry, march, softening, and going back to pixels.

Lengths are pixels of the grid here. A grid has its first pixel's corner at (0, 0).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Doubles, Floats, f32, u64
from aurelon.core.imaging.fastmath import angle_of, exp_minus
from aurelon.core.imaging.four import FourType as Four
from aurelon.core.imaging.four import four, load, part, plus, scaled, store, times
from aurelon.core.imaging.frame import Frame, diagonal
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.imaging.runs import add_to, copy_to, fill

Places = NDArray[np.uint32]
Steps = NDArray[np.int64]

ACROSS = 2.0  # pixels between rays where they lie widest apart
ALONG = 2.0  # pixels between steps
ENTRY = 0.01  # diagonals over which the openness at a ray's start is averaged
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


def _origins(rays: Rays) -> tuple[Floats, Floats]:
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
    origins, directions = _origins(rays)
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
    return _blended(grid, p, p + u64(4 * width), x - f32(x0), y - f32(y0))


@inlined
def _blended(grid: Floats, p: np.uint64, q: np.uint64, across: np.float32, down: np.float32) -> Four:
    """The bilinear mean of four samples of four channels: those from `p` on and their next, and those from `q` on."""
    d = across * down
    b = across - d
    c = down - d
    a = f32(1.0) - across - c
    above = plus(scaled(load(grid, p), a), scaled(load(grid, p + u64(4)), b))
    return plus(above, plus(scaled(load(grid, q), c), scaled(load(grid, q + u64(4)), d)))


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


class Geometry(NamedTuple):
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
    geometry = Geometry(
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
def _cells(places: Floats, lengths: Floats, of: Geometry, cell: Places, after: Places) -> None:
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
        made = _blended(field, u64(4) * u64(cell[x]), u64(4) * u64(after[x]), fk[x], fi[x])
        store(out, u64(4) * u64(x), made)


@kernel
def _sample(field: Floats, of: Geometry, rows: int, columns: int, out: Floats) -> None:
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
