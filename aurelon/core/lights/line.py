"""line: a tube of light, straight or bent: a white-hot core, a coloured glow, and haze in the air round it.

With d the distance from the path: the core is a Gaussian of the tube's width, the glow falls as
(1 + (d / glow)²)^(-3/2), and the haze is an exponential with a slow noise in it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.catmull_rom import catmull_rom
from aurelon.core.imaging.colour_matrix import Tint
from aurelon.core.imaging.fastmath import exp_minus
from aurelon.core.imaging.frame import Frame, in_diagonals
from aurelon.core.imaging.kernels import kernel
from aurelon.core.imaging.merging import LightSample
from aurelon.core.imaging.noise import Lattice, lattice_of, moment, noise_in
from aurelon.core.lights.shared.air import air_setting, stands_at_setting, things_setting
from aurelon.core.lights.shared.evolution import evolution_setting
from aurelon.core.lights.shared.fields import as_picture
from aurelon.core.lights.shared.kind import Colour, Kind, Reading, Scene, Sought
from aurelon.core.optics.shading import Placement, placement
from aurelon.core.settings import Place, Settings, choice, number, path_setting, seed_setting

PER_BEND = 12  # straight pieces between two points of a bent path
WHITE_HOT = 0.8  # how far the core leaves the light's colour for white


class Source(Settings):
    """The path, and the tube along it."""

    path: tuple[Place, ...] = path_setting(
        ((0.2, 0.3), (0.8, 0.3)), "The points that the tube runs through, in or outside the frame", max_points=60, essential=True
    )
    bend: Literal["straight", "bent"] = choice("bent", "Straight segments from point to point, or a smooth curve")
    width: float = number(
        0.004, "Thickness of the tube", unit="diagonal", low=0.0005, high=0.05, step=0.0005, exponent=2.0, essential=True
    )
    taper: float = number(0.0, "How much it thins towards its ends", unit="share", low=0, high=1, step=0.01)


class Spread(Settings):
    """What shines round the tube."""

    core: float = number(
        1.5, "Brightness of the white-hot core", unit="gain", low=0, high=8, step=0.01, exponent=2.0, group="Tube", essential=True
    )
    glow: float = number(
        0.5, "Strength of the glow", unit="gain", low=0, high=4, step=0.01, exponent=2.0, group="Glow", essential=True
    )
    glow_radius: float = number(
        0.015, "Width of the glow", unit="diagonal", low=0.002, high=0.2, step=0.001, exponent=2.0, group="Glow", essential=True
    )
    haze: float = number(
        0.15,
        "How much light is caught in the air",
        unit="gain",
        low=0,
        high=2,
        step=0.01,
        exponent=2.0,
        group="Haze",
        essential=True,
    )
    haze_radius: float = number(
        0.12, "How far the haze reaches", unit="diagonal", low=0.01, high=0.6, step=0.005, exponent=2.0, group="Haze"
    )
    unevenness: float = number(0.4, "How uneven the haze is", unit="share", low=0, high=1, step=0.01, group="Haze")
    seed: int = seed_setting("A different haze", group="Haze")
    evolution: float = evolution_setting(group="Haze")
    air: float = air_setting()
    stands_at: float = stands_at_setting()
    things: float = things_setting()


def pieces(settings: Source, aspect: tuple[float, float]) -> Doubles:
    """The path as straight pieces (n, 6): begin and end in diagonals, and the share of the width at each."""
    points = np.array(settings.path, float).reshape(-1, 2) * aspect
    if len(points) > 2 and settings.bend == "bent":
        points = catmull_rom(points, np.full(len(points) - 1, PER_BEND))
    if len(points) == 1:
        points = np.repeat(points, 2, axis=0)
    if len(points) == 0:
        return np.empty((0, 6))
    if settings.taper > 0 and len(points) < 2 * PER_BEND:
        # The width changes along a piece too, so long ones are cut up.
        t = np.linspace(0, len(points) - 1, (len(points) - 1) * PER_BEND + 1)
        points = np.column_stack([np.interp(t, np.arange(len(points)), points[:, k]) for k in range(2)])
    steps = np.hypot(*np.diff(points, axis=0).T)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    t = along / along[-1] if along[-1] > 0 else np.full(len(along), 0.5)
    share = 1 - settings.taper * (2 * np.abs(t - 0.5)) ** 2
    return np.column_stack([points[:-1], points[1:], share[:-1], share[1:]])


@kernel
def _distances(path: Floats, to: Placement, away: Floats, width: Floats) -> None:
    """Distance of every pixel from the path in diagonals, and the share of the width there."""
    rows, columns = away.shape
    zero, one = f32(0.0), f32(1.0)
    for row in prange(rows):
        y = (f32(row) + to.y0 + f32(0.5)) * to.down
        for column in range(columns):
            x = (f32(column) + to.x0 + f32(0.5)) * to.across
            nearest, share = f32(1e9), one
            for n in range(path.shape[0]):
                ax, ay = path[n, 0], path[n, 1]
                dx, dy = path[n, 2] - ax, path[n, 3] - ay
                t = ((x - ax) * dx + (y - ay) * dy) / max(dx * dx + dy * dy, f32(1e-12))
                t = min(max(t, zero), one)
                ex, ey = x - ax - t * dx, y - ay - t * dy
                d = ex * ex + ey * ey
                if d < nearest:
                    nearest = d
                    share = path[n, 4] + t * (path[n, 5] - path[n, 4])
            away[row, column] = np.sqrt(nearest)
            width[row, column] = share


def distances(path: Doubles, frame: Frame) -> tuple[Floats, Floats]:
    """For every pixel of the frame (h, w) its distance from the path and the share of the width there."""
    away, width = np.empty(frame.shape, np.float32), np.empty(frame.shape, np.float32)
    _distances(path.astype(np.float32), placement(frame, frame.size), away, width)
    return away, width


def core_at(path: Doubles, thickness: float, frame: Frame) -> tuple[Floats, Frame] | None:
    """The core (h, w), and the part of the frame that holds it; None where it is not seen."""
    if not len(path):
        return None
    # Never thinner than a pixel: a thinner one is as much dimmer.
    pixel = 0.6 / frame.diagonal
    sigma = max(thickness / 2, pixel)
    places = np.concatenate([path[:, :2], path[:, 2:4]]) * frame.diagonal - (frame.x0, frame.y0)
    reach = 4 * sigma * frame.diagonal + 1
    most = (frame.shape[1], frame.shape[0])
    x0, y0 = np.clip(np.floor(places.min(axis=0) - reach).astype(int), 0, most)
    x1, y1 = np.clip(np.ceil(places.max(axis=0) + reach).astype(int), 0, most)
    if x0 >= x1 or y0 >= y1:
        return None
    box = Frame(frame.width, frame.height, frame.x0 + int(x0), frame.y0 + int(y0), frame.x0 + int(x1), frame.y0 + int(y1))
    away, width = distances(path, box)
    own = np.maximum(thickness / 2 * width, 1e-6)
    wide = np.hypot(own, pixel)
    core = np.exp(-0.5 * (away / wide) ** 2) * (own / wide)
    return np.asarray(core, np.float32), box


class Air(NamedTuple):
    """Strengths of glow and haze with what each falls by (a diagonal), and the haze's noise: how uneven it is, cells a
    pixel."""

    glow: np.float32
    per_glow: np.float32
    haze: np.float32
    per_haze: np.float32
    uneven: np.float32
    per_cell: np.float32


HAZE_CELLS = 9.0  # to the diagonal
FINE = f32(2.1)  # cells of fine haze to one of coarse


@kernel
def _air(away: Floats, air: Air, coarse: Lattice, fine: Lattice, out: Floats) -> None:
    rows, columns = away.shape
    one, two = f32(1.0), f32(2.0)
    for row in prange(rows):
        distance, line = away[row], out[row]
        y = f32(row) * air.per_cell
        for column in range(columns):
            d = distance[column]
            near = d * air.per_glow
            x = f32(np.int32(column)) * air.per_cell
            drift = f32(0.65) * noise_in(x, y, coarse) + f32(0.35) * noise_in(x * FINE, y * FINE, fine)
            haze = air.haze * exp_minus(d * air.per_haze) * (one + air.uneven * (two * drift - one))
            spread = one + near * near
            line[column] = air.glow / (spread * np.sqrt(spread)) + haze


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the tube."""
    out = np.zeros(frame.shape, np.float32)
    drawn = core_at(pieces(settings, in_diagonals(frame.size)), settings.width, frame)
    if drawn is not None:
        core, box = drawn
        out[box.y0 - frame.y0 : box.y1 - frame.y0, box.x0 - frame.x0 : box.x1 - frame.x0] = core
    return as_picture(out)


@dataclass(frozen=True)
class LineField:
    """Glow and haze on a grid (h, w); the core is drawn at each frame's size."""

    grid: Floats
    path: Doubles
    thickness: float
    core: float

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes + self.path.nbytes

    def at(self, scene: Scene[None], frame: Frame, tint: Tint) -> LightSample:
        drawn = core_at(self.path, self.thickness, frame) if self.core > 0 else None
        if drawn is None:
            return LightSample(self.grid[:, :, None], tint=tint.of_white)
        core, box = drawn
        colour = tint.of_white
        hot = f32(WHITE_HOT) * float(colour @ scene.space.luminance) + f32(1 - WHITE_HOT) * colour
        bright = (core * f32(self.core))[:, :, None] * np.asarray(hot, np.float32)
        return LightSample(self.grid[:, :, None], bright, tint.of_white, near=box)


def spread(scene: Scene[None], source: Source, settings: Spread) -> LineField:
    s = settings
    path = pieces(source, in_diagonals(scene.size))
    grid = scene.working_frame
    air = np.zeros(grid.shape, np.float32)
    if len(path):
        away, _ = distances(path, grid)
        round_it = Air(
            f32(s.glow),
            f32(1 / s.glow_radius),
            f32(s.haze),
            f32(1 / s.haze_radius),
            f32(s.unevenness),
            f32(HAZE_CELLS / grid.diagonal),
        )
        now, ends = moment(s.seed, s.evolution, scene.seconds), np.array(grid.size) * (HAZE_CELLS / grid.diagonal)
        coarse, fine = (lattice_of((0, 0), (ends[0] * cells, ends[1] * cells), now.of(k)) for k, cells in enumerate((1.0, FINE)))
        _air(away, round_it, coarse, fine, air)
    return LineField(air, path, source.width, s.core)


KIND = Kind(
    name="line",
    order=12,
    in_depth={"spread": {"air": 1.0, "things": 6.0}},
    summary="A tube of light, straight or bent, with its glow",
    words="neon, tube, sign, glow",
    icon="M2.5 11.5 13.5 4.5M4.5 13.5l9-5.8M2.5 8.3l9-5.8",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    colour=Colour(temperature=9000, strength=1.0),
    nothing_shines="The path has no points; draw it in Source.",
    reads=False,
    sought=(Sought(where="source.path", free=("spread.glow_radius", "spread.haze_radius")),),
)
