"""glints: small sparkles scattered over highlights, or anywhere.

Where they lie is drawn by lot on the canonical version of the plate, so that it is the same at every
size; each has a size, a brightness, a turn and a colour of its own.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.colour import temperature_rgb
from aurelon.core.imaging.colour_matrix import Tint, mixed
from aurelon.core.imaging.fastmath import exp_minus
from aurelon.core.imaging.frame import Frame, diagonal
from aurelon.core.imaging.kernels import kernel
from aurelon.core.imaging.merging import LightSample
from aurelon.core.imaging.noise import moment
from aurelon.core.imaging.picture_rows import PictureRows
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.lights.shared.evolution import evolution_setting
from aurelon.core.lights.shared.fields import ColouredField
from aurelon.core.lights.shared.highlights import HighlightSource, highlights
from aurelon.core.lights.shared.initial_settings import open_share
from aurelon.core.lights.shared.kind import Colour, Kind, Merge, Reading, Scene
from aurelon.core.plate import Plate
from aurelon.core.settings import Settings, choice, number, seed_setting, whole

LOTS_EDGE = 384  # long edge of the version on which lots are drawn


class Source(HighlightSource):
    """Where glints lie."""

    scatter: Literal["highlights", "everywhere"] = choice(
        "highlights", "On the highlights of the picture, or anywhere", essential=True
    )
    count: int = whole(60, "Number of glints on the whole plate", low=1, high=600, exponent=2.0, essential=True)
    threshold: float = number(
        0.7,
        "How bright the picture must be for a glint",
        unit="share",
        low=0,
        high=2,
        step=0.01,
        when={"scatter": ["highlights"]},
        essential=True,
    )
    seed: int = seed_setting("Glints in other places", essential=True)


class Spread(Settings):
    """What they look like."""

    size: float = number(0.02, "Length of a spike", unit="diagonal", low=0.002, high=0.2, step=0.001, exponent=2.0, essential=True)
    size_spread: float = number(0.6, "How much sizes differ", unit="share", low=0, high=1, step=0.01)
    brightness_spread: float = number(0.7, "How much brightnesses differ", unit="share", low=0, high=1, step=0.01)
    spikes: int = whole(4, "Spikes on each glint, an even number", low=2, high=12, step=2, essential=True)
    rotation: float = number(20.0, "Rotates the glints", unit="degrees", mirror="rotation", low=-90, high=90, step=1)
    rotation_spread: float = number(0.1, "How much rotations differ", unit="share", low=0, high=1, step=0.01)
    temperature_spread: float = number(0.2, "How much colours differ", unit="share", low=0, high=1, step=0.01)
    twinkle: int = seed_setting("A different moment of the same sparkles", essential=True)
    evolution: float = evolution_setting(label="Twinkling")


@dataclass(frozen=True)
class Lots:
    """`places` (n, 2) in plate fractions."""

    places: Doubles

    @property
    def nbytes(self) -> int:
        return self.places.nbytes


def detect(reading: Reading[None], settings: Source) -> Lots:
    """Draws the places, each by the highlight that is there."""
    s = settings
    canonical = reading.canonical
    frame = Frame.canonical((canonical.shape[1], canonical.shape[0]), LOTS_EDGE)
    weight = np.ones(frame.shape)
    if s.scatter == "highlights":
        weight = highlights(Reading(PictureRows.of(canonical), reading.space, None), s, frame)[:, :, 3].astype(np.float64)
    rng = np.random.default_rng((s.seed, 41))
    total = float(weight.sum())
    if total <= 1e-6:
        return Lots(np.empty((0, 2)))
    # By inverse sampling of the sum along rows: a few changed pixels move few glints.
    along = np.cumsum(weight.ravel()) / total
    cells = np.minimum(np.searchsorted(along, rng.random(s.count)), weight.size - 1)
    rows, columns = np.divmod(cells, frame.width)
    jitter = rng.random((s.count, 2))
    return Lots((np.column_stack([columns, rows]) + jitter) / frame.size)


def source(reading: Reading[Lots], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): a dot for each glint."""
    lots = reading.detected
    table = np.zeros((len(lots.places), 8), np.float32)
    table[:, :2] = lots.places
    table[:, 2], table[:, 3], table[:, 5:] = 0.002, 1.0, 1.0
    return draw(table, 0, frame)


def glints_of(lots: Lots, settings: Spread, space: RgbSpace, seconds: float = 0.0) -> Floats:
    """(n, 8), at a time in seconds of a reel: place in fractions, size in diagonals, brightness, turn in radians, colour (3)."""
    s = settings
    n = len(lots.places)
    lot, now = _lot(s.twinkle)[:n], moment(s.twinkle, s.evolution, seconds)
    # Sizes and brightnesses twinkle; how a glint is turned and its colour are its own.
    lot[:, :2] = _lot(now.seed)[:n, :2] + (_lot(now.later)[:n, :2] - _lot(now.seed)[:n, :2]) * now.share
    size = s.size * (1 - s.size_spread * lot[:, 0])
    bright = 1 - s.brightness_spread * lot[:, 1] ** 0.5
    turn = np.deg2rad(s.rotation) + s.rotation_spread * np.pi * (lot[:, 2] - 0.5)
    mired = 1e6 / 6500 + s.temperature_spread * 220 * (lot[:, 3] - 0.5)
    shades = np.array([temperature_rgb(1e6 / m, 0.0, space) for m in np.linspace(43, 265, 24)])
    shade = np.clip(np.round((mired - 43) / (265 - 43) * 23), 0, 23).astype(int)
    return np.column_stack([lots.places, size, bright, turn, np.maximum(shades[shade], 0)]).astype(np.float32)


def _lot(seed: int) -> Doubles:
    """Four numbers in 0..1 for each of as many glints as there can be."""
    return np.random.default_rng((seed, 43)).random((600, 4))


def draw(glints: Floats, spikes: int, frame: Frame) -> Floats:
    """The glints at a frame, (h, w, 3)."""
    out = np.zeros((*frame.shape, 3), np.float32)
    table = glints.copy()
    table[:, 0] = glints[:, 0] * frame.width - frame.x0
    table[:, 1] = glints[:, 1] * frame.height - frame.y0
    table[:, 2] = glints[:, 2] * f32(frame.diagonal)
    _draw(np.ascontiguousarray(table[np.argsort(glints[:, 1], kind="stable")]), spikes, out)
    return out


ROWS = 16
FAINTEST = 12.0  # exponent beyond which nothing would be seen


@kernel
def _draw(glints: Floats, spikes: int, out: Floats) -> None:
    rows, columns, _ = out.shape
    half = spikes // 2
    for block in prange((rows + ROWS - 1) // ROWS):
        sines, cosines = np.empty(half, np.float32), np.empty(half, np.float32)
        for n in range(glints.shape[0]):
            cx, cy, size, bright, turn = glints[n, 0], glints[n, 1], glints[n, 2], glints[n, 3], glints[n, 4]
            reach = max(size, f32(2.5))
            top, bottom = max(block * ROWS, int(cy - reach)), min(min((block + 1) * ROWS, rows), int(cy + reach) + 2)
            left, right = max(0, int(cx - reach)), min(columns, int(cx + reach) + 2)
            # The core and the spikes are a share of the size; what is thinner than a pixel is as much dimmer.
            core_own, thin_own = size * f32(0.07), size * f32(0.02)
            core, thin = np.sqrt(core_own * core_own + f32(0.25)), np.sqrt(thin_own * thin_own + f32(0.16))
            core_share = bright * (core_own / core) * (core_own / core)
            thin_share = bright * f32(0.75) * thin_own / thin
            if top >= bottom or left >= right:
                continue
            for k in range(half):
                a = turn + f32(np.pi) * f32(k) / f32(half)
                sines[k], cosines[k] = np.sin(a), np.cos(a)
            per_core, per_thin, per_reach = f32(0.5) / (core * core), f32(0.5) / (thin * thin), f32(1.0) / reach
            for row in range(top, bottom):
                for column in range(left, right):
                    dx, dy = f32(column) + f32(0.5) - cx, f32(row) + f32(0.5) - cy
                    r2 = dx * dx + dy * dy
                    near = r2 * per_core
                    light = core_share * exp_minus(near) if near < FAINTEST else f32(0.0)
                    fall = max(f32(1.0) - np.sqrt(r2) * per_reach, f32(0.0))
                    for k in range(half):
                        aside = dx * sines[k] + dy * cosines[k]
                        beside = aside * aside * per_thin
                        if beside < FAINTEST:
                            light += thin_share * fall * fall * fall * exp_minus(beside)
                    for c in range(3):
                        out[row, column, c] += light * glints[n, 5 + c]


@dataclass(frozen=True)
class GlintsField:
    """Glints as numbers, drawn at each frame."""

    glints: Floats
    spikes: int

    @property
    def nbytes(self) -> int:
        return self.glints.nbytes

    def at(self, scene: Scene[Lots], frame: Frame, tint: Tint) -> LightSample:
        return LightSample(drawn=mixed(draw(self.glints, self.spikes, frame), tint.light))


CELLS = 60  # to the length of a spike: larger glints are drawn on a grid, so that size costs nothing
FINEST_GRID = 1536


def spread(scene: Scene[Lots], source: Source, settings: Spread) -> ColouredField | GlintsField:
    glints = glints_of(scene.detected, settings, scene.space, scene.seconds)
    edge = round(CELLS / settings.size * max(scene.size) / diagonal(scene.size))
    if edge < min(FINEST_GRID, max(scene.size)):
        return ColouredField(draw(glints, settings.spikes, Frame.canonical(scene.size, edge)))
    return GlintsField(glints, settings.spikes)


def initial(plate: Plate) -> dict[str, dict[str, Any]]:
    """A threshold that the brightest parts of this picture pass."""
    return {"source": {"threshold": open_share(plate, 0.06, Source().knee)}}


KIND = Kind(
    name="glints",
    order=13,
    summary="Small sparkles on highlights, or scattered anywhere",
    words="sparkle, stars, dust, sea",
    icon="M5 3v4M3 5h4M11 8.5v5M8.5 11h5M11.5 2.5v2M10.5 3.5h2M4 11.5v2M3 12.5h2",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    detect=detect,
    initial=initial,
    colour=Colour(origin="plate"),
    merge=Merge(intensity=1.5),
)
