"""Transport of light along rays over a grid: geometry, march, softening, and going back to pixels.

Lengths are pixels of the grid here. A grid has its first pixel's corner at (0, 0).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.fastmath import angle_of, exp_minus
from aurelon.core.frame import Frame

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]
f32 = np.float32
Quad = tuple[np.float32, np.float32, np.float32, np.float32]

ACROSS = 1.5  # pixels between rays where they lie widest apart
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
        half = 0.5 * float(np.hypot(*self.grid))
        if self.parallel:
            return half
        return max(half, float(np.hypot(self.x - self.grid[0] / 2, self.y - self.grid[1] / 2)))

    def bars(self, count: int) -> Doubles:
        """The place of each ray in bars, `count` to the turn seen from a source within the frame.

        As the source moves away the bars keep their width on the plate, so they go on in parallel.
        """
        half = 0.5 * float(np.hypot(*self.grid))
        offsets = self.first + np.arange(self.count) * self.pitch
        per_turn = count / (2 * np.pi)
        if self.parallel:
            return np.asarray(per_turn * offsets / half)
        return np.asarray(per_turn * (self.middle + offsets * self.reference / half))

    def distances(self) -> Doubles:
        """Distance of each step, in pixels, from the source or from where the bundle begins."""
        steps = np.arange(self.steps) * ALONG
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


def march(
    emission: Floats, rays: Rays, variation: Floats, fade: Floats, *, reach: float, blocking: float
) -> Floats:
    """Light and transmittance along every ray: (count, steps, 4).

    `emission` (h, w, 4) is light and openness on the grid. `variation` (count,) scales each ray,
    `fade` (steps,) each distance. `reach` is in pixels, `blocking` per pixel.
    """
    origins, directions = _origins(rays)
    out = np.empty((rays.count, rays.steps, 4), np.float32)
    entry = max(1, round(ENTRY * float(np.hypot(*rays.grid)) / ALONG))
    _march(
        emission.reshape(-1), emission.shape[1], emission.shape[0], origins, directions, variation, fade,
        f32(ALONG), f32(1.0 / reach), f32(blocking), entry, out,
    )  # fmt: skip
    return out


@njit(fastmath=True)
def _within(origin: np.float32, direction: np.float32, limit: np.float32) -> tuple[np.float32, np.float32]:
    """Distances at which a ray enters and leaves 0..limit on one axis."""
    if abs(direction) < f32(1e-9):
        if f32(0) <= origin <= limit:
            return f32(-1e30), f32(1e30)
        return f32(1e30), f32(-1e30)
    a = -origin / direction
    b = (limit - origin) / direction
    return min(a, b), max(a, b)


@njit(fastmath=True)
def _fetch(emission: Floats, x: np.float32, y: np.float32, width: int, height: int) -> Quad:
    """Bilinear value of the flat (h * w * 4) grid at x, y, held at its border."""
    x = min(max(x - f32(0.5), f32(0.0)), f32(width - 1) - f32(1e-3))
    y = min(max(y - f32(0.5), f32(0.0)), f32(height - 1) - f32(1e-3))
    x0, y0 = np.int32(x), np.int32(y)
    fx, fy = x - f32(x0), y - f32(y0)
    p = np.uint32(y0 * np.int32(width) + x0) * np.uint32(4)
    q = p + np.uint32(4 * width)
    d = fx * fy
    b = fx - d
    c = fy - d
    a = f32(1.0) - fx - c
    return (
        a * emission[p] + b * emission[p + 4] + c * emission[q] + d * emission[q + 4],
        a * emission[p + 1] + b * emission[p + 5] + c * emission[q + 1] + d * emission[q + 5],
        a * emission[p + 2] + b * emission[p + 6] + c * emission[q + 2] + d * emission[q + 6],
        a * emission[p + 3] + b * emission[p + 7] + c * emission[q + 3] + d * emission[q + 7],
    )


@njit(parallel=True, cache=True, fastmath=True)
def _march(
    emission: Floats, width: int, height: int, origins: Floats, directions: Floats, variation: Floats, fade: Floats,
    step: np.float32, per_reach: np.float32, blocking: np.float32, entry: int, out: Floats,
) -> None:  # fmt: skip
    count, steps, _ = out.shape
    lost = exp_minus(per_reach * step)
    for i in prange(count):
        ox, oy = origins[i, 0], origins[i, 1]
        dx, dy = directions[i, 0], directions[i, 1]
        ray = out[i]
        in_x, out_x = _within(ox, dx, f32(width))
        in_y, out_y = _within(oy, dy, f32(height))
        enter = max(max(in_x, in_y), f32(0.0))
        leave = min(out_x, out_y)
        if leave <= enter:  # a ray of the margin, beside the frame
            enter = f32(0.0)
            leave = f32(0.0)
        begin = min(int(enter / step), steps - 1)
        end = min(steps, int(leave / step) + MARGIN + 1)
        # How open the picture is where the ray begins, over the first `entry` steps.
        red = green = blue = seen = f32(0.0)
        for k in range(entry):
            at = (f32(begin + k) + f32(0.5)) * step
            r, g, b, w = _fetch(emission, ox + dx * at, oy + dy * at, width, height)
            red += r
            green += g
            blue += b
            seen += w
        scale = variation[i] / f32(entry)
        red *= scale
        green *= scale
        blue *= scale
        seen /= f32(entry)
        for k in range(begin):
            ray[k, 0] = red * fade[k]
            ray[k, 1] = green * fade[k]
            ray[k, 2] = blue * fade[k]
            ray[k, 3] = seen
        born_at_all = variation[i] * per_reach * step
        for n in range(end - begin):
            k = np.uint64(begin + n)
            ray[k, 0] = red * fade[k]
            ray[k, 1] = green * fade[k]
            ray[k, 2] = blue * fade[k]
            ray[k, 3] = seen
            at = (f32(k) + f32(0.5)) * step
            r, g, b, w = _fetch(emission, ox + dx * at, oy + dy * at, width, height)
            absorbed = blocking * (f32(1.0) - w) * step
            passed = exp_minus(absorbed)
            born = born_at_all * _mean_of_decay(absorbed + per_reach * step)
            kept = lost * passed
            red = red * kept + born * r
            green = green * kept + born * g
            blue = blue * kept + born * b
            seen *= passed
        for k in range(end, steps):
            for channel in range(4):
                ray[k, channel] = ray[end - 1, channel]


@njit(fastmath=True)
def _mean_of_decay(z: np.float32) -> np.float32:
    """(1 - exp(-z)) / z, the mean of exp(-t) over 0..z; by its series where that is exact enough."""
    if z < f32(0.25):
        return f32(1) + z * (f32(-1 / 2) + z * (f32(1 / 6) + z * (f32(-1 / 24) + z * f32(1 / 120))))
    return (f32(1.0) - exp_minus(z)) / z


def soften(field: Floats, rays: Rays, angle: float) -> None:
    """Blurs `field` across the rays, in place, by a triangle of half-width `angle` (radians).

    The angle is that seen from a source within the frame; a far one is softened as much on the plate.
    """
    half = 0.5 * float(np.hypot(*rays.grid))
    width = angle * half if rays.parallel else angle * half / rays.reference
    _soften(field.reshape(field.shape[0], -1), f32(width / rays.pitch), rays.whole)


BLOCK = 32  # samples of a ray softened together; their running means stay in the nearest cache


@njit(parallel=True, cache=True, fastmath=True)
def _soften(field: Floats, width: np.float32, whole: bool) -> None:
    """Two running means across the rays of `field` (rays, samples), in place.

    Fractions of a ray count, so that the width is continuous.
    """
    count, samples = field.shape
    # A mean over 2 m + 1 rays and a part of the next on either side; never more than all of them.
    half = min(max(width * f32(0.5), f32(0.0)), f32((count - 3) // 2))
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
            line[i, :n] = field[i, k0:k1]
        for turn in range(2):
            here, there = (line, mean) if turn == 0 else (mean, line)
            total[:] = f32(0.0)
            for i in range(-reach, reach + 1):
                total += here[i % count if whole else min(max(i, 0), count - 1)]
            for i in range(count):
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
            field[i, k0:k1] = line[i, :n]


def sample(
    field: Floats, rays: Rays, grid: tuple[int, int], frame: Frame
) -> tuple[Floats, Floats, Floats]:
    """Back from rays to the frame's pixels: light (h, w, 3), transmittance and distance (h, w)."""
    shape = frame.shape
    light = np.empty((*shape, 3), np.float32)
    transmitted = np.empty(shape, np.float32)
    distance = np.empty(shape, np.float32)
    _sample(
        field, rays.parallel, rays.whole, rays.x, rays.y, rays.middle, rays.first, 1.0 / rays.pitch,
        rays.start, 1.0 / ALONG, grid[0] / frame.width, grid[1] / frame.height, frame.x0, frame.y0,
        light, transmitted, distance,
    )  # fmt: skip
    return light, transmitted, distance


TILE = 32  # pixels; those of a tile read the same small part of the field


@njit(parallel=True, cache=True, fastmath=True)
def _sample(
    field: Floats, parallel: bool, whole: bool, x: float, y: float, middle: float, first: float,
    per_pitch: float, start: float, per_step: float, ratio_x: float, ratio_y: float, x0: int, y0: int,
    light: Floats, transmitted: Floats, distance: Floats,
) -> None:  # fmt: skip
    count, steps, _ = field.shape
    flat = field.reshape(-1)
    rows, columns, _ = light.shape
    # Turned so that the fan's middle lies along +x: angles then stay small and exact.
    cos, sin = np.cos(middle), np.sin(middle)
    origin_along = x * cos + y * sin + (start if parallel else 0.0)
    origin_across = -x * sin + y * cos
    along_step, across_step = f32(ratio_x * cos), f32(-ratio_x * sin)
    begin = f32(0.0 if parallel else start)
    first_ray, rays_per, steps_per = f32(first), f32(per_pitch), f32(per_step)
    last_step = f32(steps) - f32(1.001)
    last_ray = f32(count) - f32(1.001)
    tiles_across = (columns + TILE - 1) // TILE
    tiles = tiles_across * ((rows + TILE - 1) // TILE)
    for tile in prange(tiles):
        top = (tile // tiles_across) * TILE
        left = (tile % tiles_across) * TILE
        for row in range(top, min(top + TILE, rows)):
            v = (row + y0 + 0.5) * ratio_y
            h = (left + x0 + 0.5) * ratio_x
            along_0 = f32(h * cos + v * sin - origin_along)
            across_0 = f32(v * cos - h * sin - origin_across)
            for n in range(min(TILE, columns - left)):
                along = along_0 + f32(np.int32(n)) * along_step
                across = across_0 + f32(np.int32(n)) * across_step
                if parallel:
                    place = (across - first_ray) * rays_per
                    length = along
                else:
                    place = (angle_of(across, along) - first_ray) * rays_per
                    length = np.sqrt(along * along + across * across)
                if not whole:
                    place = min(max(place, f32(0.0)), last_ray)
                at = min(max((length - begin) * steps_per, f32(0.0)), last_step)
                i, k = np.int32(place), np.int32(at)
                fi, fk = place - f32(i), at - f32(k)
                after = np.int32(0) if i + np.int32(1) >= count else i + np.int32(1)
                i = i if i < count else np.int32(0)
                p = np.uint32((i * np.int32(steps) + k) * np.int32(4))
                q = np.uint32((after * np.int32(steps) + k) * np.int32(4))
                d = fi * fk
                b = fk - d
                c = fi - d
                a = f32(1.0) - fi - b
                column = left + n
                for ch in range(np.uint32(3)):
                    light[row, column, ch] = (
                        a * flat[p + ch] + b * flat[p + ch + 4] + c * flat[q + ch] + d * flat[q + ch + 4]
                    )
                transmitted[row, column] = a * flat[p + 3] + b * flat[p + 7] + c * flat[q + 3] + d * flat[q + 7]
                distance[row, column] = length
