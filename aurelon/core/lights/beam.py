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
from numba import njit, prange

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.fastmath import smoothstep, unit
from aurelon.core.imaging.frame import Frame, in_diagonals
from aurelon.core.imaging.noise import NO_CELL, lattice_noise, moment
from aurelon.core.imaging.perspective import to_square
from aurelon.core.lights.shared.evolution import evolution_setting
from aurelon.core.lights.shared.fields import DrawnField, as_picture
from aurelon.core.lights.shared.haze import haze_setting
from aurelon.core.lights.shared.kind import Colour, Kind, Merge, Reading, Scene
from aurelon.core.optics.air import FORWARD, phase
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


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the beams without any blur."""
    return as_picture(draw(settings.beams, Spread(penumbra=0.02, crispness=1, fade=0, landing=0.02, dust=0), frame, 0.0))


def draw(beams: tuple[Quad, ...], settings: Spread, frame: Frame, seconds: float) -> Floats:
    """All beams at a frame, (h, w), so many seconds into a reel."""
    s = settings
    out = np.zeros(frame.shape, np.float32)
    air = Air(
        f32(s.penumbra),
        f32(1 - s.crispness),
        f32(s.fade),
        f32(s.landing),
        f32(s.dust),
        f32(1 / (s.dust_scale * frame.diagonal)),
        *moment(s.seed, s.evolution, seconds),
    )
    for quad in beams:
        matrix = to_square(quad, frame, in_diagonals(frame.size))
        if matrix is not None:
            _add(matrix, air, _haze_in(quad, s.haze, frame), frame.x0, frame.y0, out)
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
    """The light in the air: how the sides blur, fade and end along a beam, and the dust in it (cells a pixel, moment)."""

    penumbra: np.float32
    blunt: np.float32
    fade: np.float32
    landing: np.float32
    dust: np.float32
    per_dust: np.float32
    seed: int
    later: int
    share: np.float32


@njit(parallel=True, cache=True, fastmath=True)
def _add(m: Doubles, air: Air, haze: Haze, x0: int, y0: int, out: Floats) -> None:
    rows, columns = out.shape
    zero, one, half, g = f32(0.0), f32(1.0), f32(0.5), f32(FORWARD)
    seed, later, share = air.seed, air.later, air.share
    per_dust, dust = air.per_dust, air.dust
    for row in prange(rows):
        y = row + 0.5
        kept = np.full((4, 6), NO_CELL, np.float32)
        for column in range(columns):
            x = column + 0.5
            w = m[2, 0] * x + m[2, 1] * y + m[2, 2]
            if w <= 1e-9:
                continue
            u, v = f32((m[0, 0] * x + m[0, 1] * y + m[0, 2]) / w), f32((m[1, 0] * x + m[1, 1] * y + m[1, 2]) / w)
            if v < f32(-0.2) or v > f32(1.6) or u < f32(-1.0) or u > f32(2.0):
                continue
            # A pixel's own width in the square, so that a sharp side is smooth at every size.
            pixel = f32(np.sqrt(m[0, 0] ** 2 + m[0, 1] ** 2) / w)
            along = f32(np.sqrt(m[1, 0] ** 2 + m[1, 1] ** 2) / w)
            soft = max(air.blunt * half + air.penumbra * max(v, f32(0.0)), f32(1.5) * pixel)
            left, right = unit(u / soft + half), unit((one - u) / soft + half)
            begin = unit(v / max(f32(0.02), f32(1.5) * along) + half)
            end = unit((one - v) / air.landing + half)
            length = smoothstep(begin) * smoothstep(end) * np.exp(-air.fade * max(v, zero))
            light = smoothstep(left) * smoothstep(right) * length
            glow = zero
            if haze.strength > zero:
                across, down = (f32(x) - haze.column) * haze.scale, (f32(y) - haze.row) * haze.scale
                cosine = (haze.x * across + haze.y * down + haze.z) / np.sqrt(across * across + down * down + one)
                bent = (one - g) * (one - g) / (one + g * g - f32(2.0) * g * cosine)
                toward = haze.strength * min(bent * np.sqrt(bent) * haze.per_middle, f32(TOWARD))
                wide = soft + f32(HOW_WIDE)
                beside = smoothstep(unit(u / wide + half)) * smoothstep(unit((one - u) / wide + half)) * length * unit(v * f32(2.0))
                light, glow = light * (one + toward), f32(BESIDE) * toward * beside
            if light + glow <= zero:
                continue
            if dust > f32(0.0):
                px, py = f32(column + x0) * per_dust, f32(row + y0) * per_dust
                drift = f32(0.6) * lattice_noise(px, py, seed, later, share, kept[0])
                drift += f32(0.4) * lattice_noise(px * f32(2.3), py * f32(2.3), seed + 1, later + 1, share, kept[1])
                # Drifts hang in the air; streaks run along the beam, as what stands in the opening draws them.
                streak = f32(0.65) * lattice_noise(u * f32(5.0), v * f32(0.9), seed + 2, later + 2, share, kept[2])
                streak += f32(0.35) * lattice_noise(u * f32(13.0), v * f32(1.7), seed + 3, later + 3, share, kept[3])
                light *= one + dust * (f32(2.0) * drift - one) + f32(1.3) * dust * (f32(2.0) * streak - one)
                light = max(light, zero)
            out[row, column] += light + glow


def spread(scene: Scene[None], source: Source, settings: Spread) -> DrawnField:
    seconds = scene.seconds
    return DrawnField(lambda frame: draw(source.beams, settings, frame, seconds))


KIND = Kind(
    name="beam",
    order=10,
    summary="Light through one or more openings",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    colour=Colour(temperature=4600, strength=1.0),
    merge=Merge(intensity=0.6),
    nothing_shines="There is no beam; add one in Source and drag its corners apart.",
    reads=False,
)
