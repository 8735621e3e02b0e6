"""line: a tube of light, straight or bent: a white-hot core, a coloured glow, and haze in the air round it.

With d the distance from the path: the core is a Gaussian of the tube's width, the glow falls as
1 / (1 + (d / glow)²), and the haze is an exponential with a slow noise in it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from pydantic import Field

from aurelon.core.imaging.colour_matrix import Tint
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.noise import NO_CELL, lattice_noise
from aurelon.core.imaging.perspective import aspect_of
from aurelon.core.lights.shared.kind import Colour, Kind, LightField, Merge, Reading, Scene
from aurelon.core.lights.shared.procedural import WhiteField, as_picture
from aurelon.core.plate import Plate
from aurelon.core.settings import Place, Settings, setting

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]
f32 = np.float32

PER_BEND = 12  # straight pieces between two points of a bent path
WHITE_HOT = 0.8  # how far the core leaves the light's colour for white


class Source(Settings):
    """The path, and the tube along it."""

    path: tuple[Place, ...] = Field(
        ((0.2, 0.3), (0.8, 0.3)), max_length=60, description="The points that it runs through, in or outside the frame",
        json_schema_extra={"unit": "points", "handle": "path"},
    )  # fmt: skip
    bend: Literal["straight", "bent"] = setting("bent", "Straight pieces from point to point, or a smooth curve")
    width: float = setting(0.004, "How thick the tube is", unit="diagonal", low=0.0005, high=0.05, step=0.0005, bend=2.0)
    taper: float = setting(0.0, "How far it thins out toward its ends", unit="share", low=0, high=1, step=0.01)


class Spread(Settings):
    """What shines round the tube."""

    core: float = setting(1.5, "Brightness of the white-hot core", unit="gain", low=0, high=8, step=0.01, bend=2.0)
    glow: float = setting(0.5, "Strength of the glow", unit="gain", low=0, high=4, step=0.01, bend=2.0)
    glow_radius: float = setting(
        0.015, "How wide the glow is", unit="diagonal", low=0.002, high=0.2, step=0.001, bend=2.0
    )
    haze: float = setting(0.15, "How much light is caught in the air", unit="gain", low=0, high=2, step=0.01, bend=2.0)
    haze_radius: float = setting(0.12, "How far the haze reaches", unit="diagonal", low=0.01, high=0.6, step=0.005, bend=2.0)
    unevenness: float = setting(0.4, "How uneven the haze is", unit="share", low=0, high=1, step=0.01)
    seed: int = setting(1, "Another haze", unit="seed", low=0, high=9999, step=1)


def pieces(settings: Source, aspect: tuple[float, float]) -> Doubles:
    """The path as straight pieces (n, 6): begin and end in diagonals, and the share of the width at each."""
    points = np.array(settings.path, float).reshape(-1, 2) * aspect
    if len(points) > 2 and settings.bend == "bent":
        points = _bent(points)
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


def _bent(points: Doubles) -> Doubles:
    """A Catmull-Rom curve through the points."""
    p = np.concatenate([points[:1], points, points[-1:]])
    t = (np.arange(PER_BEND) / PER_BEND)[:, None]
    parts = [
        0.5 * (2 * b + t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * b - a - 3 * c + d))))
        for a, b, c, d in zip(p[:-3], p[1:-2], p[2:-1], p[3:], strict=True)
    ]
    return np.concatenate([*parts, points[-1:]])


@njit(parallel=True, cache=True, fastmath=True)
def _distances(path: Floats, across: np.float32, down: np.float32, x0: int, y0: int, away: Floats, width: Floats) -> None:
    """Distance of every pixel from the path in diagonals, and the share of the width there."""
    rows, columns = away.shape
    zero, one = f32(0.0), f32(1.0)
    for row in prange(rows):
        y = (f32(row + y0) + f32(0.5)) * down
        for column in range(columns):
            x = (f32(column + x0) + f32(0.5)) * across
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
    aspect = aspect_of(frame.size)
    away, width = np.empty(frame.shape, np.float32), np.empty(frame.shape, np.float32)
    across, down = f32(aspect[0] / frame.width), f32(aspect[1] / frame.height)
    _distances(path.astype(np.float32), across, down, frame.x0, frame.y0, away, width)
    return away, width


def core_at(path: Doubles, thickness: float, frame: Frame) -> tuple[Floats, slice, slice]:
    """The core within the rows and columns of the frame's part that hold it."""
    none = np.zeros((0, 0), np.float32), slice(0, 0), slice(0, 0)
    if not len(path):
        return none
    diagonal = float(np.hypot(*frame.size))
    # Never thinner than a pixel: a thinner one is as much dimmer.
    pixel = 0.6 / diagonal
    sigma = max(thickness / 2, pixel)
    places = np.concatenate([path[:, :2], path[:, 2:4]]) * diagonal - (frame.x0, frame.y0)
    reach = 4 * sigma * diagonal + 1
    most = (frame.shape[1], frame.shape[0])
    x0, y0 = np.clip(np.floor(places.min(axis=0) - reach).astype(int), 0, most)
    x1, y1 = np.clip(np.ceil(places.max(axis=0) + reach).astype(int), 0, most)
    if x0 >= x1 or y0 >= y1:
        return none
    box = Frame(frame.width, frame.height, frame.x0 + int(x0), frame.y0 + int(y0), frame.x0 + int(x1), frame.y0 + int(y1))
    away, width = distances(path, box)
    own = np.maximum(thickness / 2 * width, 1e-6)
    wide = np.hypot(own, pixel)
    core = np.exp(-0.5 * (away / wide) ** 2) * (own / wide)
    return np.asarray(core, np.float32), slice(int(y0), int(y1)), slice(int(x0), int(x1))


@njit(parallel=True, cache=True, fastmath=True)
def _air(
    away: Floats, glow: np.float32, per_glow: np.float32, haze: np.float32, per_haze: np.float32, uneven: np.float32,
    per_cell: np.float32, seed: int, out: Floats,
) -> None:  # fmt: skip
    rows, columns = away.shape
    one, two = f32(1.0), f32(2.0)
    for row in prange(rows):
        kept = np.full((2, 6), NO_CELL, np.float32)
        for column in range(columns):
            d = away[row, column]
            near = d * per_glow
            x, y = f32(column) * per_cell, f32(row) * per_cell
            drift = f32(0.65) * lattice_noise(x, y, seed, kept[0])
            drift += f32(0.35) * lattice_noise(x * f32(2.1), y * f32(2.1), seed + 1, kept[1])
            air = haze * np.exp(-d * per_haze) * (one + uneven * (two * drift - one))
            out[row, column] = glow / (one + near * near) ** f32(1.5) + air


def source(reading: Reading, settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the tube."""
    out = np.zeros(frame.shape, np.float32)
    core, rows, columns = core_at(pieces(settings, aspect_of(frame.size)), settings.width, frame)
    out[rows, columns] = core
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

    def sample(self, scene: Scene, frame: Frame, tint: Tint) -> Floats:
        light = WhiteField(self.grid).sample(scene, frame, tint)
        if self.core > 0:
            colour = np.maximum(tint.light.sum(axis=1), 0).astype(np.float32)
            hot = f32(WHITE_HOT) * float(colour @ scene.space.luminance) + f32(1 - WHITE_HOT) * colour
            core, rows, columns = core_at(self.path, self.thickness, frame)
            light[rows, columns] += (core * f32(self.core))[:, :, None] * np.asarray(hot, np.float32)
        return light


def spread(scene: Scene, settings: Spread) -> LightField:
    s, made = settings, scene.source_settings
    assert isinstance(made, Source)
    path = pieces(made, aspect_of(scene.size))
    grid = scene.working_frame
    air = np.zeros(grid.shape, np.float32)
    if len(path):
        away, _ = distances(path, grid)
        per_cell = f32(9.0 / float(np.hypot(*grid.size)))
        _air(
            away, f32(s.glow), f32(1 / s.glow_radius), f32(s.haze), f32(1 / s.haze_radius), f32(s.unevenness), per_cell, s.seed,
            air,
        )  # fmt: skip
    return LineField(air, path, made.width, s.core)


def place(plate: Plate) -> dict[str, dict[str, Any]]:
    """Across the upper part of the picture."""
    return {}


KIND = Kind(
    name="line",
    title="Line",
    summary="A tube of light, straight or bent, with its glow",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    place=place,
    colour=Colour(temperature=9000, strength=1.0),
    merge=Merge(),
    nothing_shines="The path has no point: draw it in Source.",
    reads=False,
)
