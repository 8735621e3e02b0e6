"""Flare: ghosts, a streak and a veil that a lens makes of points of light.

Ghosts are every pair of reflecting surfaces of a lens table (see `lens.py`): the table gives where
each falls on the line through the middle, how large it is, how bright, and by its coatings which
colour; the diaphragm gives its shape. Three wavelengths are traced, so that a ghost has coloured
edges. The streak of an anamorphic lens is an exponential along its angle, Gaussian across. Veiling
glare is a share of the light spread over the whole picture. All fade as a point leaves the circle
that the lens sees. Parts are normalised: a ghost, the streak and the veil each hold the light that
their strength says, before any of it leaves the frame.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Any, cast

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from pydantic import AfterValidator, WithJsonSchema

from aurelon.core.imaging.colour import temperature_rgb
from aurelon.core.imaging.fastmath import exp_minus
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.gaussian_pyramid import gaussian_mixture
from aurelon.core.imaging.resample import enlarge_to
from aurelon.core.lights.bloom import GlowField
from aurelon.core.lights.shared.initial_settings import open_share
from aurelon.core.lights.shared.kind import Colour, Detected, Floats, Kind, LightField, Merge, Reading, Scene
from aurelon.core.lights.shared.points import PLACED_RADIUS, Points, PointSource, draw_points, find_points
from aurelon.core.optics.lens import Lens, ghosts, lenses
from aurelon.core.plate import Plate
from aurelon.core.settings import Settings, setting

FINER = 1.25  # times the working grid, for the ghosts' rims
WAVELENGTHS = (612.0, 549.0, 465.0)  # nm, the peaks of the red, green and blue that a film sees
LARGEST = 1.2  # radius in diagonals above which a ghost is so faint and flat that the veil has it
SMALLEST = 2e-3  # radius in diagonals below which a ghost is a spot brighter than any picture
SOFT_RIM = 0.03  # of a ghost's radius
RIM_SHARE = 0.45  # how much brighter a ghost is at its rim than in its middle, as caustics make it
CIRCLE = (0.62, 1.5)  # distance from the middle, in diagonals, over which the lens loses a point
LEVELS = (0.03, 0.07, 0.16)  # radii from which ghosts are drawn on grids of 1/2, 1/4, 1/8
FAINTEST = 2e-4  # linear light below which a ghost is not seen on any screen
VEIL_WIDTHS = (0.06, 0.18, 0.5)  # diagonals
VEIL_EDGE = 192
VEIL_SHARE = 2.5e-4  # of the light, at veil 1: what clean glass scatters
STREAK_SHARE = 2e-5  # of the light, at streak 1
GHOST_SHARE = 1.5e-3  # of the light, in all ghosts of a lens together, at ghosts 1
STREAK_HEIGHT = 0.0016  # diagonals; half-width across


def _known(name: str) -> str:
    if name not in lenses():
        raise ValueError(f"there is no lens '{name}'; there are: {', '.join(lenses())}")
    return name


# The names of the lenses that are shipped; a table added to the folder is a choice at once.
LensName = Annotated[str, AfterValidator(_known), WithJsonSchema({"type": "string", "enum": list(lenses())})]


class Source(PointSource):
    """Which points flare."""

    most: int = setting(3, "How many points are taken, brightest first; 0 takes none", unit="count", low=0, high=24, step=1)


class Spread(Settings):
    """The lens."""

    lens: LensName = setting("gull", "The lens that the light passes")
    headroom: float = setting(
        14.0, "How much brighter the lamps are than the picture shows", unit="stops", low=0, high=22, step=0.1
    )
    ghosts: float = setting(0.5, "Strength of the ghosts", unit="gain", low=0, high=20, step=0.05, bend=2.0)
    size: float = setting(1.0, "Size of the ghosts", unit="gain", low=0.1, high=4, step=0.05, bend=2.0)
    dispersion: float = setting(
        1.0, "How far the glass parts the colours", unit="gain", low=0, high=6, step=0.05, bend=2.0
    )
    roundness: float = setting(
        0.25, "Of the diaphragm: straight blades (0) to round (1)", unit="share", low=0, high=1, step=0.01
    )
    rotation: float = setting(9.0, "Turns the diaphragm", unit="degrees", low=-180, high=180, step=1)
    streak: float = setting(0.0, "Strength of the streak", unit="gain", low=0, high=8, step=0.05, bend=2.0)
    streak_angle: float = setting(0.0, "Where the streak points", unit="degrees", low=-90, high=90, step=1)
    streak_length: float = setting(
        0.18, "Length over which the streak fades", unit="diagonal", low=0.01, high=1, step=0.01, bend=2.0
    )
    streak_temperature: float = setting(
        14000, "Colour of the streak", unit="kelvin", low=1000, high=25000, step=50, bend=2.2
    )
    veil: float = setting(0.6, "Strength of the veil over the picture", unit="gain", low=0, high=8, step=0.05, bend=2.0)


def detect(reading: Reading, settings: Source) -> Detected:
    return find_points(reading, settings)


def source(reading: Reading, settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the points that flare, each a small disc."""
    return draw_points(cast(Points, reading.found), frame, PLACED_RADIUS)


def seen_by_lens(offset: NDArray[np.float64]) -> NDArray[np.float64]:
    """How much of a point's light the lens takes in; `offset` (n, 2) from the middle, in diagonals."""
    near, far = CIRCLE
    t = np.clip((np.linalg.norm(offset, axis=1) - near) / (far - near), 0, 1)
    return np.asarray(1 - t * t * (3 - 2 * t))


def ghost_discs(lens: Lens, settings: Spread, offset: NDArray[np.float64], light: Floats) -> Floats:
    """Rows (x, y, radius, turned, red, green, blue): place from the middle and radius in diagonals, the
    light in the disc as its density times squared diagonals; `offset` (n, 2), `light` (n, 3)."""
    traced = [ghosts(lens, wavelength, settings.dispersion) for wavelength in WAVELENGTHS]
    # Lenses differ in how much they ghost by a hundred; a person who changes lenses wants another
    # pattern at the same strength.
    share = GHOST_SHARE * settings.ghosts / (sum(g.strength for g in traced[1]) or 1.0)
    rows = []
    for channel, of_wavelength in enumerate(traced):
        for ghost in of_wavelength:
            radius = abs(ghost.radius) / lens.image_diagonal * settings.size
            if radius > LARGEST or radius < SMALLEST:
                continue
            for place, energy in zip(offset, light, strict=True):
                row = np.zeros(7)
                row[:2] = place * ghost.place
                row[2], row[3] = radius, np.sign(ghost.radius)
                row[4 + channel] = energy[channel] * ghost.strength * share
                rows.append(row)
    return np.array(rows, np.float32).reshape(-1, 7)


@njit(parallel=True, cache=True, fastmath=True)
def _draw_discs(
    discs: Floats, normals: Floats, inner: np.float32, roundness: np.float32, soft: np.float32, rim: np.float32,
    middle_x: float, middle_y: float, diagonal: float, out: Floats,
) -> None:  # fmt: skip
    """Adds discs (n, 7) in the diaphragm's shape to `out` (h, w, 3); `normals` (m, 2) of its blades."""
    height, width, _ = out.shape
    for y in prange(height):
        for n in range(discs.shape[0]):
            radius = discs[n, 2] * np.float32(diagonal)
            edge = max(soft * radius, np.float32(0.8))
            cx = np.float32(middle_x) + discs[n, 0] * np.float32(diagonal) - np.float32(0.5)
            cy = np.float32(middle_y) + discs[n, 1] * np.float32(diagonal) - np.float32(0.5)
            dy = np.float32(y) - cy
            reach = radius + edge
            if abs(dy) > reach:
                continue
            half = np.sqrt(reach * reach - dy * dy)
            first, last = max(int(cx - half), 0), min(int(cx + half) + 2, width)
            turned = discs[n, 3]
            within = max(radius / inner - edge, np.float32(0.0))  # wholly inside every blade
            red, green, blue = discs[n, 4], discs[n, 5], discs[n, 6]
            for x in range(first, last):
                dx = np.float32(x) - cx
                far = np.sqrt(dx * dx + dy * dy)
                cover = np.float32(1.0)
                if far > within:
                    straight = np.float32(0.0)
                    for k in range(normals.shape[0]):
                        straight = max(straight, turned * (dx * normals[k, 0] + dy * normals[k, 1]))
                    at = straight * inner + roundness * (far - straight * inner)
                    cover = min(max((radius - at) / edge + np.float32(0.5), np.float32(0.0)), np.float32(1.0))
                t = min(far / radius, np.float32(1.0))
                t = t * t
                shade = cover * (np.float32(1.0) + rim * t * t * t)
                out[y, x, 0] += shade * red
                out[y, x, 1] += shade * green
                out[y, x, 2] += shade * blue


def disc_area(blades: int, roundness: float) -> float:
    """Area of the drawn shape over radius²; the rim's extra light included. By quadrature."""
    angle = (np.arange(2048) + 0.5) / 2048 * np.pi / blades
    # The outline along each ray, where straight and round distance mix to 1.
    k = np.cos(angle) / np.cos(np.pi / blades) * (1 - roundness) + roundness
    return float(2 * np.pi * np.mean(k**-2 / 2 + RIM_SHARE * k**-8 / 8))


@njit(parallel=True, cache=True, fastmath=True)
def _draw_streaks(
    places: Floats, light: Floats, cos: np.float32, sin: np.float32, length: np.float32, across: np.float32, out: Floats
) -> None:
    height, width, _ = out.shape
    density = np.float32(1.0) / (np.float32(2.0) * length * across * np.float32(2.5066283))
    for y in prange(height):
        for n in range(places.shape[0]):
            dy = np.float32(y) + np.float32(0.5) - places[n, 1]
            for x in range(width):
                dx = np.float32(x) + np.float32(0.5) - places[n, 0]
                along = abs(dx * cos + dy * sin)
                beside = (dy * cos - dx * sin) / across
                shade = density * exp_minus(along / length + np.float32(0.5) * beside * beside)
                out[y, x, 0] += shade * light[n, 0]
                out[y, x, 1] += shade * light[n, 1]
                out[y, x, 2] += shade * light[n, 2]


def _add_ghosts(discs: Floats, lens: Lens, settings: Spread, scene: Scene, out: Floats) -> None:
    """Adds the discs to `out`, large ones by way of coarser grids that their soft rims allow."""
    discs[:, 4:] /= np.float32(disc_area(lens.blades, settings.roundness)) * discs[:, 2:3] ** 2
    discs = discs[discs[:, 4:].max(axis=1) > FAINTEST]
    turn = np.deg2rad(-settings.rotation) + (np.arange(lens.blades) + 0.5) * 2 * np.pi / lens.blades
    normals = np.asarray(np.stack([np.cos(turn), np.sin(turn)], axis=1), np.float32)
    inner = np.float32(1 / np.cos(np.pi / lens.blades))
    height, width, _ = out.shape
    whole = Frame.whole((width, height))
    for (low, high), coarser in zip(pairwise((0.0, *LEVELS, np.inf)), (1, 2, 4, 8), strict=True):
        part = discs[(discs[:, 2] >= low) & (discs[:, 2] < high)]
        if not len(part):
            continue
        frame = scene.frame_of(FINER / coarser)
        grid = out if coarser == 1 else np.zeros((*frame.shape, 3), np.float32)
        tall, wide = grid.shape[:2]
        _draw_discs(
            part, normals, inner, np.float32(settings.roundness), np.float32(SOFT_RIM), np.float32(RIM_SHARE),
            wide / 2, tall / 2, float(np.hypot(wide, tall)), grid,
        )  # fmt: skip
        if grid is not out:
            out += enlarge_to(grid, whole)


def spread(scene: Scene, settings: Spread) -> LightField:
    s = settings
    points = cast(Points, scene.found())
    lens = lenses()[s.lens]
    frame = scene.frame_of(FINER)
    width, height = frame.size
    diagonal = float(np.hypot(width, height))
    out = np.zeros((height, width, 3), np.float32)
    size = np.array(frame.size, float)
    offset = (points.places - 0.5) * size / diagonal
    taken = seen_by_lens(offset).astype(np.float32)[:, None]
    light = points.light * taken * np.float32(2.0**s.headroom)
    if s.ghosts > 0 and len(light):
        _add_ghosts(ghost_discs(lens, s, offset, light), lens, s, scene, out)
    cells = np.float32(diagonal**2)
    if s.streak > 0 and len(light):
        colour = temperature_rgb(s.streak_temperature, 0.0, scene.space)
        level = light @ scene.space.luminance * np.float32(STREAK_SHARE * s.streak) * cells
        energy = np.asarray(np.outer(level, colour), np.float32)
        angle = np.deg2rad(-s.streak_angle)
        across = max(STREAK_HEIGHT * diagonal, 0.6)
        _draw_streaks(
            (points.places * size).astype(np.float32), energy, np.float32(np.cos(angle)), np.float32(np.sin(angle)),
            np.float32(s.streak_length * diagonal), np.float32(across), out,
        )  # fmt: skip
    if s.veil > 0 and len(light):
        small = scene.frame_of(VEIL_EDGE / scene.working_edge)
        within = Points(points.places, light * np.float32(VEIL_SHARE * s.veil), points.found, points.off)
        drawn = draw_points(within, small, PLACED_RADIUS)
        reach = float(np.hypot(*small.size))
        veil = gaussian_mixture(drawn, [w * reach for w in VEIL_WIDTHS], [1 / 3] * 3)
        out += enlarge_to(veil, frame)
    return GlowField(out)


def place(plate: Plate) -> dict[str, dict[str, Any]]:
    """A threshold that the brightest spots of this picture pass."""
    return {"source": {"threshold": open_share(plate, 0.01, PointSource().knee)}}


KIND = Kind(
    name="flare",
    title="Flare",
    summary="Ghosts, a streak and a veil from a lens",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    place=place,
    colour=Colour(origin="plate"),
    merge=Merge(),
    detect=detect,
    nothing_shines="No point is bright enough: lower Threshold in Source, or place a point by hand.",
)
