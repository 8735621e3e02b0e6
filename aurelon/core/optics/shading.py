"""How a lamp shines on a surface: Lambert's diffuse light and the gloss of GGX microfacets.

Range and cone are windowed as in glTF 2.0 with KHR_lights_punctual: max(min(1 - (d / range)⁴, 1), 0) / d² and
clamp((cos a - cos outer) / (cos inner - cos outer))². Lengths are diagonals of the plate, z is toward the eye.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.fastmath import unit
from aurelon.core.imaging.frame import Frame, diagonal
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.imaging.planes import split
from aurelon.core.imaging.runs import fill, multiply
from aurelon.core.optics.height_field import Cells


class Lamp(NamedTuple):
    """A lamp at x, y, z with its range, the unit vector that it points along, scale and offset of its cone, strength,
    and the surface's roughness, metalness and gloss. `near` is 1, or 0 for a lamp that is far away."""

    near: np.float32
    x: np.float32
    y: np.float32
    z: np.float32
    range: np.float32
    toward_x: np.float32
    toward_y: np.float32
    toward_z: np.float32
    cone: np.float32
    offset: np.float32
    strength: np.float32
    roughness: np.float32
    metalness: np.float32
    gloss: np.float32


class Placement(NamedTuple):
    """Where a frame's part lies: its first column and row, and diagonals to a pixel across and down."""

    x0: np.float32
    y0: np.float32
    across: np.float32
    down: np.float32


def placement(frame: Frame, size: tuple[int, int]) -> Placement:
    """The placement of a frame of a plate of `size` pixels (width, height)."""
    length = diagonal(size)
    across, down = size[0] / length / frame.width, size[1] / length / frame.height
    return Placement(f32(frame.x0), f32(frame.y0), f32(across), f32(down))


NO_SHADE = np.ones((1, 1), np.float32)


def shine(picture: Floats, surface: Cells, lamp: Lamp, colour: Floats, to: Placement, shade: Floats | None) -> Floats:
    """What of a white lamp comes back from the picture (h, w, 3), mixed by `colour` (3, 3): linear light of the same shape.

    `surface` lies at the same pixels; `shade` (h, w) is how much of the lamp
    reaches each place, None where all does.
    """
    out = np.empty_like(picture)
    _shine(picture, surface, lamp, colour, to, NO_SHADE if shade is None else np.ascontiguousarray(shade), shade is not None, out)
    return out


@inlined
def _way(lamp: Lamp, y: np.float32) -> tuple[np.float32, np.float32, np.float32]:
    """Toward the lamp from a row: x and z of the lamp, and the way down to it; for a far one its direction."""
    near, away = lamp.near, f32(1.0) - lamp.near
    return (lamp.x * near - lamp.toward_x * away, lamp.z * near - lamp.toward_z * away, (lamp.y - y) * near - lamp.toward_y * away)


# Loops over a row write one line or two and read few: only then does the compiler vectorise them. So the
# vector toward the lamp is worked out anew in each, which costs less than keeping it.


@inlined
def _graze(cosine: np.float32) -> np.float32:
    """(1 - v . h)⁵ of Schlick's Fresnel; v . h is the cosine of half the angle between the eye and the lamp."""
    half = max(f32(0.5) + f32(0.5) * cosine, f32(0.0))
    f: np.float32 = f32(1.0) - half / np.sqrt(half + f32(1e-12))  # one over a root is quicker than a root
    return f * f * f * f * f


@inlined
def _arrive(lamp: Lamp, across: np.float32, y: np.float32, middles: Floats, height: Floats, light: Floats, f5: Floats) -> None:
    """How much of the lamp's light arrives, by distance, range and cone; and how it grazes, for Fresnel's share."""
    zero, one = f32(0.0), f32(1.0)
    if lamp.near == zero:
        fill(light, lamp.strength)
        fill(f5, _graze(-lamp.toward_z))
        return
    per_range = one / max(lamp.range, f32(1e-6))
    dy = lamp.y - y
    for x in range(light.size):
        dx, dz = lamp.x - middles[x] * across, lamp.z - height[x]
        d2 = max(dx * dx + dy * dy + dz * dz, f32(1e-8))
        per_d, per_d2 = one / np.sqrt(d2), one / d2
        far2 = d2 * per_range * per_range
        angular = unit(lamp.offset - (dx * lamp.toward_x + dy * lamp.toward_y + dz * lamp.toward_z) * per_d * lamp.cone)
        light[x] = lamp.strength * max(one - far2 * far2, zero) * per_d2 * angular * angular
        f5[x] = _graze(dz * per_d)


@inlined
def _face(lamp: Lamp, across: np.float32, y: np.float32, middles: Floats, cells: Cells, facing: Floats) -> None:
    """Lambert's cosine."""
    height, right, down = cells.height, cells.right, cells.down
    one, zero = f32(1.0), f32(0.0)
    px, pz, dy = _way(lamp, y)
    near, across = lamp.near, across * lamp.near
    for x in range(facing.size):
        dx, dz = px - middles[x] * across, pz - height[x] * near
        sr, sd = right[x], down[x]
        lengths = (dx * dx + dy * dy + dz * dz) * (one + sr * sr + sd * sd)
        facing[x] = max(dz - sr * dx - sd * dy, zero) / np.sqrt(max(lengths, f32(1e-12)))


@inlined
def _gloss(lamp: Lamp, across: np.float32, y: np.float32, middles: Floats, cells: Cells, facing: Floats, gloss: Floats) -> None:
    """The GGX distribution times Smith's masking by Schlick, for each unit of diffuse light; the eye looks straight down."""
    height, right, down = cells.height, cells.right, cells.down
    one, zero = f32(1.0), f32(0.0)
    px, pz, dy = _way(lamp, y)
    near, across = lamp.near, across * lamp.near
    alpha2 = lamp.roughness * lamp.roughness * lamp.roughness * lamp.roughness
    k = (lamp.roughness + one) * (lamp.roughness + one) * f32(0.125)
    rest, strength = one - k, lamp.gloss * f32(0.25) * alpha2
    for x in range(gloss.size):
        dx, dz = px - middles[x] * across, pz - height[x] * near
        # The half vector, as long as the way to the lamp.
        hz = dz + np.sqrt(max(dx * dx + dy * dy + dz * dz, f32(1e-8)))
        sr, sd = right[x], down[x]
        aligned = max(hz - sr * dx - sd * dy, zero)
        steep = one + sr * sr + sd * sd
        # The cosine squared is aligned² / lengths; all that would be divided is, at once.
        lengths = max((dx * dx + dy * dy + hz * hz) * steep, f32(1e-12))
        under = aligned * aligned * (alpha2 - one) + lengths
        nz = one / np.sqrt(steep)
        masked = max((facing[x] * rest + k) * (nz * rest + k), f32(1e-6))
        gloss[x] = strength * lengths * lengths / (max(under * under, f32(1e-6) * lengths * lengths) * masked)


@inlined
def _reflect(base: Floats, metal: np.float32, diffuse: Floats, gloss: Floats, f5: Floats) -> None:
    """One channel of what comes back, in the place of `base`."""
    one = f32(1.0)
    matt = one - f32(0.7) * metal
    for x in range(base.size):
        f0 = f32(0.04) * (one - metal) + min(base[x], one) * metal
        base[x] = diffuse[x] * base[x] * matt + gloss[x] * (f0 + (one - f0) * f5[x])


@inlined
def _mix(red: Floats, green: Floats, blue: Floats, m: Floats, out: Floats) -> None:
    """The three channels through a matrix (3, 3), interleaved and never below zero."""
    zero = f32(0.0)
    for x in range(red.size):
        r, g, b = red[x], green[x], blue[x]
        out[3 * x] = max(m[0, 0] * r + m[0, 1] * g + m[0, 2] * b, zero)
        out[3 * x + 1] = max(m[1, 0] * r + m[1, 1] * g + m[1, 2] * b, zero)
        out[3 * x + 2] = max(m[2, 0] * r + m[2, 1] * g + m[2, 2] * b, zero)


ROWS = 24  # rows that a thread takes at once, with one set of lines


@kernel
def _shine(
    picture: Floats, surface: Cells, lamp: Lamp, colour: Floats, to: Placement, shade: Floats, shaded: bool, out: Floats
) -> None:
    rows, columns, _ = out.shape
    middles = np.arange(columns).astype(np.float32) + (to.x0 + f32(0.5))
    for block in prange((rows + ROWS - 1) // ROWS):
        # Arrays of their own: of rows of one array a compiler cannot tell that they do not overlap.
        light, facing = np.empty(columns, np.float32), np.empty(columns, np.float32)
        gloss, f5 = np.empty(columns, np.float32), np.empty(columns, np.float32)
        r, g, b = np.empty(columns, np.float32), np.empty(columns, np.float32), np.empty(columns, np.float32)
        for row in range(block * ROWS, min((block + 1) * ROWS, rows)):
            y = (f32(row) + to.y0 + f32(0.5)) * to.down
            cells = Cells(surface.right[row], surface.down[row], surface.height[row])
            _arrive(lamp, to.across, y, middles, cells.height, light, f5)
            if shaded:
                multiply(light, shade[row])
            _face(lamp, to.across, y, middles, cells, facing)
            _gloss(lamp, to.across, y, middles, cells, facing, gloss)
            multiply(light, facing)
            multiply(gloss, light)
            split(picture[row].reshape(-1), r, g, b)
            _reflect(r, lamp.metalness, light, gloss, f5)
            _reflect(g, lamp.metalness, light, gloss, f5)
            _reflect(b, lamp.metalness, light, gloss, f5)
            _mix(r, g, b, colour, out[row].reshape(-1))
