"""beam: light through an opening, in the air between there and where it lands.

Each beam is a quad: two corners on the opening, two where it lands, seen as a square with u across
and v along. Its sides blur with v, as the penumbra of a lamp of some width does; its strength fades
with v; a faint noise is the dust in it. One light may have a row of beams that share all settings.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from pydantic import Field

from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.noise import NO_CELL, lattice_noise
from aurelon.core.imaging.perspective import Quad, aspect_of, to_square
from aurelon.core.lights.shared.kind import Colour, Kind, LightField, Merge, Reading, Scene
from aurelon.core.lights.shared.procedural import DrawnField, as_picture
from aurelon.core.plate import Plate
from aurelon.core.settings import Settings, setting

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]
f32 = np.float32

USUAL: Quad = ((0.36, -0.1), (0.45, -0.12), (0.78, 0.8), (0.5, 0.9))


class Source(Settings):
    """The openings, and where the light through them lands."""

    beams: tuple[Quad, ...] = Field(
        (USUAL,), max_length=32, description="Corners of each: two on the opening, two where it lands",
        json_schema_extra={"unit": "quads", "handle": "quads"},
    )  # fmt: skip


class Spread(Settings):
    """The light in the air."""

    penumbra: float = setting(0.45, "How far the sides blur by the time it lands", unit="share", low=0.01, high=1.5, step=0.01)
    crispness: float = setting(0.85, "How sharp the sides are at the opening", unit="share", low=0, high=1, step=0.01)
    fade: float = setting(0.9, "How much it weakens on its way", unit="", low=0, high=6, step=0.05, bend=1.5)
    landing: float = setting(0.35, "Share of its length over which it ends", unit="share", low=0.01, high=1, step=0.01)
    dust: float = setting(0.3, "How much the dust in it shows", unit="share", low=0, high=1, step=0.01)
    dust_scale: float = setting(
        0.03, "How large the drifts of dust are", unit="diagonal", low=0.005, high=0.3, step=0.005, bend=2.0
    )
    seed: int = setting(1, "Other drifts of dust", unit="seed", low=0, high=9999, step=1)


def source(reading: Reading, settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the beams without any blur."""
    return as_picture(draw(settings.beams, Spread(penumbra=0.02, crispness=1, fade=0, landing=0.02, dust=0), frame))


def draw(beams: tuple[Quad, ...], settings: Spread, frame: Frame) -> Floats:
    """All beams at a frame, (h, w)."""
    s = settings
    out = np.zeros(frame.shape, np.float32)
    diagonal = float(np.hypot(*frame.size))
    for quad in beams:
        matrix = to_square(quad, frame, aspect_of(frame.size))
        if matrix is not None:
            _add(
                matrix, f32(s.penumbra), f32(1 - s.crispness), f32(s.fade), f32(s.landing), f32(s.dust),
                f32(1 / (s.dust_scale * diagonal)), s.seed, frame.x0, frame.y0, out,
            )  # fmt: skip
    return out


@njit(parallel=True, cache=True, fastmath=True)
def _add(
    m: Doubles, penumbra: np.float32, blunt: np.float32, fade: np.float32, landing: np.float32, dust: np.float32,
    per_dust: np.float32, seed: int, x0: int, y0: int, out: Floats,
) -> None:  # fmt: skip
    rows, columns = out.shape
    one, half = f32(1.0), f32(0.5)
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
            soft = max(blunt * half + penumbra * max(v, f32(0.0)), f32(1.5) * pixel)
            left = min(max(u / soft + half, f32(0.0)), one)
            right = min(max((one - u) / soft + half, f32(0.0)), one)
            begin = min(max(v / max(f32(0.02), f32(1.5) * along) + half, f32(0.0)), one)
            end = min(max((one - v) / landing + half, f32(0.0)), one)
            light = left * left * (f32(3.0) - f32(2.0) * left) * right * right * (f32(3.0) - f32(2.0) * right)
            light *= begin * begin * (f32(3.0) - f32(2.0) * begin) * end * end * (f32(3.0) - f32(2.0) * end)
            if light <= f32(0.0):
                continue
            light *= np.exp(-fade * max(v, f32(0.0)))
            if dust > f32(0.0):
                px, py = f32(column + x0) * per_dust, f32(row + y0) * per_dust
                drift = f32(0.6) * lattice_noise(px, py, seed, kept[0])
                drift += f32(0.4) * lattice_noise(px * f32(2.3), py * f32(2.3), seed + 1, kept[1])
                # Drifts hang in the air; streaks run along the beam, as what stands in the opening draws them.
                streak = f32(0.65) * lattice_noise(u * f32(5.0), v * f32(0.9), seed + 2, kept[2])
                streak += f32(0.35) * lattice_noise(u * f32(13.0), v * f32(1.7), seed + 3, kept[3])
                light *= one + dust * (f32(2.0) * drift - one) + f32(1.3) * dust * (f32(2.0) * streak - one)
                light = max(light, f32(0.0))
            out[row, column] += light


def spread(scene: Scene, settings: Spread) -> LightField:
    made = scene.source_settings
    assert isinstance(made, Source)
    return DrawnField(lambda frame: draw(made.beams, settings, frame))


def place(plate: Plate) -> dict[str, dict[str, Any]]:
    """Aslant over the middle of the picture."""
    return {}


KIND = Kind(
    name="beam",
    title="Beam",
    summary="Light through an opening, and through as many more as there are",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    place=place,
    colour=Colour(temperature=4600, strength=1.0),
    merge=Merge(mode="expose", intensity=0.6),
    nothing_shines="There is no beam: add one in Source, and give it some area.",
    reads=False,
)
