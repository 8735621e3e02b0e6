"""beam: light through an opening, in the air between there and where it lands.

Each beam is a quad: two corners on the opening, two where it lands, seen as a square with u across
and v along. Its sides blur with v, as the penumbra of a lamp of some width does; its strength fades
with v; a faint noise is the dust in it. One light may have a row of beams that share all settings.

The sides of a beam of the sun are parallel in the room, so that where they meet in the picture is where its light comes from;
hazy air scatters it the more toward the eye, the less it turns from there (see `air.py`), and a little to the sides.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.fastmath import exp_minus, smoothstep, unit
from aurelon.core.imaging.frame import Frame, in_diagonals
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.imaging.noise import Lattice, lattice_of, moment, noise_in
from aurelon.core.imaging.perspective import to_square
from aurelon.core.lights.shared.air import THIN_AIR, air_setting, stands_at_setting, things_setting
from aurelon.core.lights.shared.evolution import evolution_setting
from aurelon.core.lights.shared.fields import DrawnField, as_picture
from aurelon.core.lights.shared.haze import haze_setting
from aurelon.core.lights.shared.kind import Colour, Kind, Merge, Reading, Scene, Sought
from aurelon.core.optics.air import FORWARD, phase
from aurelon.core.optics.facing import Origin, toward
from aurelon.core.settings import Quad, Settings, number, quads_setting, seed_setting

BESIDE, HOW_WIDE = 0.3, 0.9  # of the glow in haze: what lies beside a beam, and how far, in its widths
TOWARD = 6.0  # times, at most, that haze is brighter toward the light than in the middle of a beam
USUAL: Quad = ((0.36, -0.1), (0.45, -0.12), (0.78, 0.8), (0.5, 0.9))


class Source(Settings):
    """The openings, and where the light through them lands."""

    beams: tuple[Quad, ...] = quads_setting(
        (USUAL,), "Corners of each beam: two at the opening, two where it lands", max_quads=32, essential=True
    )


class Spread(Settings):
    """The light in the air."""

    penumbra: float = number(
        0.45, "How far the sides have blurred where the beam lands", unit="share", low=0.01, high=1.5, step=0.01, essential=True
    )
    crispness: float = number(0.85, "How sharp the sides are at the opening", unit="share", low=0, high=1, step=0.01)
    fade: float = number(0.9, "How much the beam weakens along its length", low=0, high=6, step=0.05, exponent=1.5, essential=True)
    landing: float = number(0.35, "Fade-out at the far end", unit="share", low=0.01, high=1, step=0.01)
    dust: float = number(
        0.3, "How visible the dust in the beam is", unit="share", low=0, high=1, step=0.01, group="Dust", essential=True
    )
    dust_scale: float = number(
        0.03, "Size of the drifts of dust", unit="diagonal", low=0.005, high=0.3, step=0.005, exponent=2.0, group="Dust"
    )
    seed: int = seed_setting("Different dust", group="Dust")
    evolution: float = evolution_setting(group="Dust")
    haze: float = haze_setting(essential=True)
    air: float = air_setting()
    stands_at: float = stands_at_setting()
    things: float = things_setting()


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the beams without any blur."""
    return as_picture(draw(settings.beams, Spread(penumbra=0.02, crispness=1, fade=0, landing=0.02, dust=0), frame, 0.0))


def draw(beams: tuple[Quad, ...], settings: Spread, frame: Frame, seconds: float) -> Floats:
    """All beams at a frame, (h, w), at a time in seconds of a reel."""
    s = settings
    out = np.zeros(frame.shape, np.float32)
    air = Air(
        f32(s.penumbra), f32(1 - s.crispness), f32(s.fade), f32(s.landing), f32(s.dust), f32(1 / (s.dust_scale * frame.diagonal))
    )
    dust = _dust_in(frame, s, seconds)
    for quad in beams:
        matrix = to_square(quad, frame, in_diagonals(frame.size))
        if matrix is not None:
            _add(matrix, air, _haze_in(quad, s.haze, frame), *dust, frame.x0, frame.y0, out)
    return out


class Haze(NamedTuple):
    """Hazy air in one beam: its strength, the unit vector toward the light as the eye sees it, one over the phase function in
    the beam's middle, and the frame's middle and scale, in pixels and tangents a pixel."""

    strength: np.float32
    x: np.float32
    y: np.float32
    z: np.float32
    per_middle: np.float32
    column: np.float32
    row: np.float32
    scale: np.float32


def _haze_in(quad: Quad, strength: float, frame: Frame) -> Haze:
    seen = np.column_stack([(np.array(quad) - 0.5) * in_diagonals(frame.size), np.ones(4)])
    meeting = np.cross(np.cross(seen[0], seen[3]), np.cross(seen[1], seen[2]))
    middle = seen.mean(axis=0)
    # Of the two ends of that line of sight the light comes from the one on the openings' side.
    along = (meeting - meeting[2] * middle)[:2] @ (seen[:2].mean(axis=0) - seen[2:].mean(axis=0))[:2]
    length = float(np.linalg.norm(meeting))
    toward = np.sign(along) * meeting / length if length > 0 and along != 0 else np.array([0.0, 0.0, 1.0])
    there = float(phase(toward @ middle / np.linalg.norm(middle)))
    values = (strength, *toward, 1 / there, frame.width / 2 - frame.x0, frame.height / 2 - frame.y0, 1 / frame.diagonal)
    return Haze(*(f32(value) for value in values))


class Air(NamedTuple):
    """The light in the air: how the sides blur, fade and end along a beam, and the dust in it (cells a pixel)."""

    penumbra: np.float32
    blunt: np.float32
    fade: np.float32
    landing: np.float32
    dust: np.float32
    per_dust: np.float32


LEFT, RIGHT, BEFORE, BEYOND = -1.0, 2.0, -0.2, 1.6  # how far from a beam, in its own square, there may be light


class Row(NamedTuple):
    """What a beam is along a row of pixels: place across and along it, its light, and the glow of hazy air beside it."""

    u: Floats
    v: Floats
    light: Floats
    glow: Floats


@inlined
def _place(m: Doubles, y: float, u: Floats, v: Floats, per_w: Floats) -> None:
    """Where the pixels of a row lie in a beam's square, and one over their depth; far outside where a pixel sees none of it."""
    # What a row shares is summed exactly; along it single precision is good for a hundredth of a pixel of the largest plates.
    a, b, c = f32(m[0, 1] * y + m[0, 2]), f32(m[1, 1] * y + m[1, 2]), f32(m[2, 1] * y + m[2, 2])
    a_step, b_step, c_step = f32(m[0, 0]), f32(m[1, 0]), f32(m[2, 0])
    nowhere, least = f32(-9.0), f32(1e-9)
    for column in range(u.size):
        x = f32(np.int32(column)) + f32(0.5)
        w = c + c_step * x
        depth = f32(1.0) / max(w, least)
        u[column] = (a + a_step * x) * depth if w > least else nowhere
        v[column] = (b + b_step * x) * depth if w > least else nowhere
        per_w[column] = depth if w > least else f32(0.0)


@inlined
def _inside(u: np.float32, v: np.float32) -> np.bool:
    """Whether a place is near enough to a beam's square to have some of its light."""
    return v >= f32(BEFORE) and v <= f32(BEYOND) and u >= f32(LEFT) and u <= f32(RIGHT)


@inlined
def _length(v: np.float32, along: np.float32, air: Air) -> np.float32:
    """How bright a beam is so far along it; `along` is a pixel's length in its square."""
    begin = unit(v / max(f32(0.02), f32(1.5) * along) + f32(0.5))
    end = unit((f32(1.0) - v) / air.landing + f32(0.5))
    result: np.float32 = smoothstep(begin) * smoothstep(end) * exp_minus(air.fade * max(v, f32(0.0)))
    return result


@inlined
def _softness(v: np.float32, pixel: np.float32, air: Air) -> np.float32:
    """How soft its sides are there; `pixel` is a pixel's width in its square, so that a sharp side is smooth at every size."""
    return max(air.blunt * f32(0.5) + air.penumbra * max(v, f32(0.0)), f32(1.5) * pixel)


@inlined
def _shine(air: Air, wide: np.float32, long: np.float32, u: Floats, v: Floats, per_w: Floats, light: Floats) -> None:
    one, half = f32(1.0), f32(0.5)
    for x in range(light.size):
        soft = _softness(v[x], wide * per_w[x], air)
        left, right = unit(u[x] / soft + half), unit((one - u[x]) / soft + half)
        lit = smoothstep(left) * smoothstep(right) * _length(v[x], long * per_w[x], air)
        light[x] = lit if _inside(u[x], v[x]) else f32(0.0)


@inlined
def _scatter(air: Air, haze: Haze, wide: np.float32, long: np.float32, row: int, of: Row, per_w: Floats) -> None:
    """The air in and beside a beam, which is brighter the nearer the eye looks toward the light."""
    one, half, g = f32(1.0), f32(0.5), f32(FORWARD)
    down = (f32(row) + half - haze.row) * haze.scale
    for x in range(of.light.size):
        u, v = of.u[x], of.v[x]
        across = (f32(np.int32(x)) + half - haze.column) * haze.scale
        cosine = (haze.x * across + haze.y * down + haze.z) / np.sqrt(across * across + down * down + one)
        bent = (one - g) * (one - g) / (one + g * g - f32(2.0) * g * cosine)
        toward = haze.strength * min(bent * np.sqrt(bent) * haze.per_middle, f32(TOWARD))
        spread = _softness(v, wide * per_w[x], air) + f32(HOW_WIDE)
        sides = smoothstep(unit(u / spread + half)) * smoothstep(unit((one - u) / spread + half))
        beside = sides * _length(v, long * per_w[x], air) * unit(v * f32(2.0))
        of.light[x] *= one + toward
        of.glow[x] = f32(BESIDE) * toward * beside if _inside(u, v) else f32(0.0)


class Dust(NamedTuple):
    """The noise of dust in a beam, coarse and fine: drifts that hang in the air, and streaks that run along the beam, as what
    stands in the opening draws them."""

    drift: Lattice
    fine_drift: Lattice
    streak: Lattice
    fine_streak: Lattice


@inlined
def _dusty(air: Air, dust: Dust, x0: int, y: int, of: Row) -> None:
    one, two = f32(1.0), f32(2.0)
    py = f32(y) * air.per_dust
    for x in range(of.light.size):
        if of.light[x] <= f32(0.0):  # most of a picture is beside the beam
            continue
        px = f32(np.int32(x + x0)) * air.per_dust
        u, v = of.u[x], of.v[x]
        drift = f32(0.6) * noise_in(px, py, dust.drift) + f32(0.4) * noise_in(px * FINE, py * FINE, dust.fine_drift)
        streak = f32(0.65) * noise_in(u * f32(STREAKS[0][0]), v * f32(STREAKS[0][1]), dust.streak)
        streak += f32(0.35) * noise_in(u * f32(STREAKS[1][0]), v * f32(STREAKS[1][1]), dust.fine_streak)
        by = one + air.dust * (two * drift - one) + f32(1.3) * air.dust * (two * streak - one)
        of.light[x] = max(of.light[x] * by, f32(0.0))


def _dust_in(frame: Frame, settings: Spread, seconds: float) -> Dust:
    cells = 1 / (settings.dust_scale * frame.diagonal)  # to a pixel
    now = moment(settings.seed, settings.evolution, seconds)
    result = []
    for k, fine in enumerate((1.0, float(FINE))):
        low, high = (frame.x0 * cells * fine, frame.y0 * cells * fine), (frame.x1 * cells * fine, frame.y1 * cells * fine)
        result.append(lattice_of(low, high, now.of(k)))
    for k, (across, along) in enumerate(STREAKS, start=2):
        result.append(lattice_of((LEFT * across, BEFORE * along), (RIGHT * across, BEYOND * along), now.of(k)))
    return Dust(*result)


FINE = f32(2.3)  # cells of fine dust to one of coarse
STREAKS = ((5.0, 0.9), (13.0, 1.7))  # cells of coarse and fine streaks across a beam and along it
STRIDE = 16  # rows far apart are taken together, as a beam does not light all of them and threads are to share the work


@kernel
def _add(
    m: Doubles,
    air: Air,
    haze: Haze,
    drift: Lattice,
    fine_drift: Lattice,
    streak: Lattice,
    fine_streak: Lattice,
    x0: int,
    y0: int,
    out: Floats,
) -> None:
    rows, columns = out.shape
    wide, long = f32(np.sqrt(m[0, 0] ** 2 + m[0, 1] ** 2)), f32(np.sqrt(m[1, 0] ** 2 + m[1, 1] ** 2))
    each = (rows + STRIDE - 1) // STRIDE
    for turn in prange(each * STRIDE):
        row = turn // each + (turn % each) * STRIDE
        if row >= rows:
            continue
        u, v, per_w = np.empty(columns, np.float32), np.empty(columns, np.float32), np.empty(columns, np.float32)
        of = Row(u, v, np.empty(columns, np.float32), np.zeros(columns, np.float32))
        _place(m, row + 0.5, u, v, per_w)
        _shine(air, wide, long, u, v, per_w, of.light)
        if haze.strength > f32(0.0):
            _scatter(air, haze, wide, long, row, of, per_w)
        if air.dust > f32(0.0):
            _dusty(air, Dust(drift, fine_drift, streak, fine_streak), x0, row + y0, of)
        out[row] += of.light + of.glow


def spread(scene: Scene[None], source: Source, settings: Spread) -> DrawnField:
    seconds = scene.seconds
    return DrawnField(lambda frame: draw(source.beams, settings, frame, seconds))


def origin(source: Source, spread: Spread, size: tuple[int, int]) -> Origin | None:
    """From where the beams land toward their openings."""
    if not source.beams:
        return None
    corners = np.array(source.beams) * in_diagonals(size)
    x, y = (corners[:, :2] - corners[:, 2:]).mean(axis=(0, 1))
    return toward(float(x), float(y))


KIND = Kind(
    name="beam",
    order=10,
    in_depth=THIN_AIR,
    origin=origin,
    summary="Light through one or more openings",
    words="window, door, opening, sun, rays",
    icon="M2 2.5h3.5L14 10.5v3H9z",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    colour=Colour(temperature=4600, strength=1.0),
    merge=Merge(intensity=0.6),
    nothing_shines="There is no beam; add one in Source and drag its corners apart.",
    reads=False,
    sought=(Sought(where="source.beams", free=("spread.penumbra", "spread.fade")),),
)
