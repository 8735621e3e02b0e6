"""Flare: ghosts, a streak and a veil that a lens makes of points of light.

Ghosts are every pair of reflecting surfaces of a lens table (see `lens.py`): the table gives where
each falls on the line through the middle, how large it is, how bright, and by its coatings which
colour; the diaphragm gives its shape. Three wavelengths are traced, so that a ghost has coloured
edges. The streak of an anamorphic lens is an exponential along its angle, Gaussian across. Veiling
glare is a share of the light spread over the whole picture. All fade as a point leaves the circle
that the lens sees. Parts are normalised: a ghost, the streak and the veil each hold the light that
their strength says, before any of it leaves the frame. Drops and dust on the front glass, far out of focus, are discs of
the diaphragm's shape that scatter the light forward (see `air.py`); a wiped glass has fine grooves, which throw light across
them in a ragged fan.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Any, NamedTuple

import numpy as np
from numba import prange
from pydantic import AfterValidator, WithJsonSchema

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.colour import temperature_rgb
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.fastmath import exp_minus, smoothstep
from aurelon.core.imaging.frame import Frame, diagonal
from aurelon.core.imaging.gaussian_pyramid import gaussian_mixture
from aurelon.core.imaging.kernels import in_python, kernel
from aurelon.core.lights.shared.fields import ColouredField
from aurelon.core.lights.shared.kind import Colour, Kind, Scene, Sought
from aurelon.core.lights.shared.points import (
    NOTHING_SHINES,
    ONE_PLACED,
    PLACED_RADIUS,
    Points,
    PointSource,
    brightest_lamps,
    detect_points,
    draw_points,
    points_source,
)
from aurelon.core.optics.air import glow_at
from aurelon.core.optics.aperture import Blade, blade_of, out_to
from aurelon.core.optics.lens import Lens, ghosts, lenses
from aurelon.core.settings import Settings, choice, number, seed_setting, temperature_setting, whole

FINER = 1.25  # times the working grid, for the ghosts' rims
WAVELENGTHS = (612.0, 549.0, 465.0)  # nm, the peaks of the red, green and blue that a film sees
LARGEST = 1.2  # radius in diagonals above which a ghost is so faint and flat that the veil has it
LAMP_STOPS = 14.0  # by which a lamp is brighter than the white at which a picture cuts it off
SMALLEST = 2e-3  # radius in diagonals below which a ghost is a spot brighter than any picture
SOFT_RIM, DROP_RIM = 0.03, 0.25  # of the radius of a ghost, of a drop
RIM_SHARE = 0.45  # how much brighter a ghost is at its rim than in its middle, as caustics make it
CIRCLE = (0.62, 1.5)  # distance from the middle, in diagonals, over which the lens loses a point
LEVELS = (0.03, 0.07, 0.16)  # radii from which ghosts are drawn on grids of 1/2, 1/4, 1/8
FAINTEST = 2e-4  # linear light below which a ghost is not seen on any screen
VEIL_WIDTHS = (0.06, 0.18, 0.5)  # diagonals
VEIL_EDGE = 192
VEIL_SHARE = 2.5e-4  # of the light, at veil 1: what clean glass scatters
STREAK_SHARE = 1.2e-4  # of the light, at streak 1
GHOST_SHARE = 1.5e-3  # of the light, in all ghosts of a lens together, at ghosts 1
DROPS = 420  # on the front glass
DROP_SIZES = (0.0015, 0.025)  # diagonals; the smaller, the more of them
DROP_SHARE = 0.1  # of the light: what a drop right beside it sends on, at drops 1
SMEAR_SHARE, SMEARS = 4e-5, 9  # of the light, at smear 1; rays of the fan
SMEAR_LENGTH, SMEAR_WIDTH, SMEAR_SPREAD = 0.16, 0.006, 9.0  # diagonals, diagonals, degrees
STREAK_HEIGHT = 0.0016  # diagonals; half-width across


def _known(name: str) -> str:
    if name not in lenses():
        raise ValueError(f"there is no lens '{name}'; there are: {', '.join(lenses())}")
    return name


LENSES = {name: lens.title for name, lens in lenses().items()}
# The names of the lenses that are shipped; a table added to the folder is a choice at once.
LensName = Annotated[str, AfterValidator(_known), WithJsonSchema({"type": "string", "enum": list(LENSES)})]


class Source(PointSource):
    """Which points flare."""

    max_points: int = whole(3, "Takes up to this many points, brightest first; 0 takes none", low=0, high=24, essential=True)


def _strength(default: float, help: str, *, group: str, label: str = "") -> Any:
    return number(default, help, label=label, unit="gain", low=0, high=8, step=0.05, exponent=2.0, group=group, essential=True)


class Spread(Settings):
    """The lens."""

    lens: LensName = choice("gull", "The lens that the light passes through", words=LENSES, group="Ghosts", essential=True)
    ghosts: float = number(
        0.5, "Strength of the ghosts", unit="gain", low=0, high=20, step=0.05, exponent=2.0, group="Ghosts", essential=True
    )
    size: float = number(
        1.0, "Size of the ghosts", unit="gain", low=0.1, high=4, step=0.05, exponent=2.0, group="Ghosts", essential=True
    )
    dispersion: float = number(
        1.0, "How far the glass separates the colours", unit="gain", low=0, high=6, step=0.05, exponent=2.0, group="Ghosts"
    )
    roundness: float = number(
        0.25, "Shape of the aperture: straight blades (0) to round (1)", unit="share", low=0, high=1, step=0.01, group="Ghosts"
    )
    rotation: float = number(
        9.0, "Rotates the aperture", unit="degrees", mirror="rotation", low=-180, high=180, step=1, group="Ghosts"
    )
    streak_strength: float = _strength(0.0, "Strength of the streak", label="Streak", group="Streak")
    streak_angle: float = number(
        0.0, "Angle of the streak", unit="degrees", mirror="rotation", low=-90, high=90, step=1, group="Streak"
    )
    streak_length: float = number(
        0.18, "Distance over which the streak fades", unit="diagonal", low=0.01, high=1, step=0.01, exponent=2.0, group="Streak"
    )
    streak_temperature: float = temperature_setting(14000, "Colour of the streak", group="Streak")
    veil: float = _strength(0.6, "Strength of the haze over the whole picture", group="Veil")
    drops: float = _strength(0.0, "Drops and dust on the glass that catch the light", group="Glass")
    smear: float = _strength(0.0, "A wiped glass, which throws light across the wiping", group="Glass")
    smear_angle: float = number(
        35.0, "Direction in which it throws light", unit="degrees", mirror="rotation", low=-90, high=90, step=1, group="Glass"
    )
    seed: int = seed_setting("Different drops and smears", group="Glass")


def seen_by_lens(offset: Doubles) -> Doubles:
    """How much of a point's light the lens takes in; `offset` (n, 2) from the middle, in diagonals."""
    near, far = CIRCLE
    return np.asarray(1 - smoothstep(np.clip((np.linalg.norm(offset, axis=1) - near) / (far - near), 0, 1)))


def ghost_discs(lens: Lens, settings: Spread, offset: Doubles, light: Floats) -> Floats:
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


class Diaphragm(NamedTuple):
    """The shape of ghosts: `normals` (m, 2) of the blades and their edge, the ratio of the outer to the inner radius, how
    soft and how much brighter the rim is."""

    normals: Floats
    curve: np.float32
    beyond: np.float32
    inner: np.float32
    soft: np.float32
    rim: np.float32


@kernel
def _draw_discs(discs: Floats, shape: Diaphragm, length: np.float32, out: Floats) -> None:
    """Adds discs (n, 7) to `out` (h, w, 3), whose diagonal has `length` pixels."""
    height, width, _ = out.shape
    middle_x, middle_y, half_pixel = f32(width) * f32(0.5), f32(height) * f32(0.5), f32(0.5)
    zero, one = f32(0.0), f32(1.0)
    for y in prange(height):
        for n in range(discs.shape[0]):
            radius = discs[n, 2] * length
            edge = max(shape.soft * radius, f32(0.8))
            cx = middle_x + discs[n, 0] * length - half_pixel
            cy = middle_y + discs[n, 1] * length - half_pixel
            dy = f32(y) - cy
            reach = radius + edge
            if abs(dy) > reach:
                continue
            half = np.sqrt(reach * reach - dy * dy)
            first, last = max(int(cx - half), 0), min(int(cx + half) + 2, width)
            turned = discs[n, 3]
            within = max(radius / shape.inner - edge, zero)  # wholly inside every blade
            red, green, blue = discs[n, 4], discs[n, 5], discs[n, 6]
            for x in range(first, last):
                dx = f32(x) - cx
                far = np.sqrt(dx * dx + dy * dy)
                cover = one
                if far > within:
                    straight = zero
                    for k in range(shape.normals.shape[0]):
                        straight = max(straight, turned * (dx * shape.normals[k, 0] + dy * shape.normals[k, 1]))
                    cover = min(
                        max((radius - out_to(Blade(shape.curve, shape.beyond), straight, far)) / edge + half_pixel, zero), one
                    )
                t = min(far / radius, one)
                t = t * t
                shade = cover * (one + shape.rim * t * t * t)
                out[y, x, 0] += shade * red
                out[y, x, 1] += shade * green
                out[y, x, 2] += shade * blue


def disc_area(blades: int, roundness: float) -> float:
    """Area of the drawn shape over radius²; the rim's extra light included. By quadrature."""
    angle = (np.arange(2048) + 0.5) / 2048 * np.pi / blades
    k = in_python(out_to)(blade_of(blades, roundness), np.cos(angle), np.ones(2048))
    return float(2 * np.pi * np.mean(k**-2 / 2 + RIM_SHARE * k**-8 / 8))


class Streak(NamedTuple):
    """Direction of a streak, the length over which it fades and its half-width across, in pixels."""

    cos: np.float32
    sin: np.float32
    length: np.float32
    across: np.float32


@kernel
def _draw_streaks(places: Floats, light: Floats, streak: Streak, out: Floats) -> None:
    height, width, _ = out.shape
    density = f32(1.0) / (f32(2.0) * streak.length * streak.across * f32(2.5066283))
    for y in prange(height):
        for n in range(places.shape[0]):
            dy = f32(y) + f32(0.5) - places[n, 1]
            for x in range(width):
                dx = f32(x) + f32(0.5) - places[n, 0]
                along = abs(dx * streak.cos + dy * streak.sin)
                beside = (dy * streak.cos - dx * streak.sin) / streak.across
                shade = density * exp_minus(along / streak.length + f32(0.5) * beside * beside)
                out[y, x, 0] += shade * light[n, 0]
                out[y, x, 1] += shade * light[n, 1]
                out[y, x, 2] += shade * light[n, 2]


def drop_discs(settings: Spread, offset: Doubles, light: Floats, size: Doubles) -> Floats:
    """Drops on the glass as rows (x, y, radius, turned, red, green, blue), as `ghost_discs` but with the light's density;
    `size` is the frame's, in diagonals."""
    rng = np.random.default_rng((settings.seed, 17))
    rows = np.zeros((DROPS, 7))
    rows[:, :2] = (rng.random((DROPS, 2)) - 0.5) * size
    small, large = DROP_SIZES
    rows[:, 2] = small * (large / small) ** (rng.random(DROPS) ** 3)
    rows[:, 3] = 1
    # What a drop sends on is spread over its disc: the larger that looks, the fainter it is.
    clear = rng.random(DROPS) ** 5 * (small / rows[:, 2]) ** 0.5
    away = np.linalg.norm(rows[:, None, :2] - offset[None], axis=2)
    rows[:, 4:] = (glow_at(away) @ light) * (clear * DROP_SHARE * settings.drops)[:, None]
    return rows.astype(np.float32)


def _add_smears(points: Points, light: Floats, settings: Spread, scene: Scene[Points], out: Floats) -> None:
    """Adds the fan that a wiped glass makes of points; soft, so that a coarser grid carries it."""
    rng = np.random.default_rng((settings.seed, 23))
    frame = scene.frame_of(FINER / 2)
    fan = np.zeros((*frame.shape, 3), np.float32)
    shares = rng.random(SMEARS)
    for share in shares / shares.sum():
        angle = np.deg2rad(-settings.smear_angle + SMEAR_SPREAD * rng.standard_normal())
        length, across = SMEAR_LENGTH * rng.uniform(0.4, 1.4), SMEAR_WIDTH * rng.uniform(0.4, 1.6)
        ray = Streak(f32(np.cos(angle)), f32(np.sin(angle)), f32(length * frame.diagonal), f32(max(across * frame.diagonal, 0.6)))
        energy = light * f32(SMEAR_SHARE * settings.smear * share * frame.diagonal**2)
        _draw_streaks((points.places * frame.size).astype(np.float32), energy, ray, fan)
    out += enlarge_to(fan, Frame.whole((out.shape[1], out.shape[0])))


def _add_discs(discs: Floats, lens: Lens, settings: Spread, rim: float, scene: Scene[Points], out: Floats) -> None:
    """Adds discs (n, 7), by the light's density, to `out`, large ones by way of coarser grids that their soft rims allow."""
    discs = discs[discs[:, 4:].max(axis=1) > FAINTEST]
    turn = np.deg2rad(-settings.rotation) + (np.arange(lens.blades) + 0.5) * 2 * np.pi / lens.blades
    normals = np.asarray(np.stack([np.cos(turn), np.sin(turn)], axis=1), np.float32)
    edge, inner = blade_of(lens.blades, settings.roundness), f32(1 / np.cos(np.pi / lens.blades))
    shape = Diaphragm(normals, *edge, inner, f32(rim), f32(RIM_SHARE))
    height, width, _ = out.shape
    whole_frame = Frame.whole((width, height))
    for (low, high), coarser in zip(pairwise((0.0, *LEVELS, np.inf)), (1, 2, 4, 8), strict=True):
        part = discs[(discs[:, 2] >= low) & (discs[:, 2] < high)]
        if not len(part):
            continue
        frame = scene.frame_of(FINER / coarser)
        grid = out if coarser == 1 else np.zeros((*frame.shape, 3), np.float32)
        _draw_discs(part, shape, f32(diagonal((grid.shape[1], grid.shape[0]))), grid)
        if grid is not out:
            out += enlarge_to(grid, whole_frame)


def spread(scene: Scene[Points], source: Source, settings: Spread) -> ColouredField:
    s, points, lens = settings, scene.detected, lenses()[settings.lens]
    frame = scene.frame_of(FINER)
    out = np.zeros((*frame.shape, 3), np.float32)
    size = np.array(frame.size, float)
    offset = (points.places - 0.5) * size / frame.diagonal
    taken = seen_by_lens(offset).astype(np.float32)[:, None]
    light = points.light * taken * f32(2.0**LAMP_STOPS)
    if s.ghosts > 0 and len(light):
        discs = ghost_discs(lens, s, offset, light)
        discs[:, 4:] /= f32(disc_area(lens.blades, s.roundness)) * discs[:, 2:3] ** 2
        _add_discs(discs, lens, s, SOFT_RIM, scene, out)
    if s.drops > 0 and len(light):
        _add_discs(drop_discs(s, offset, light, size / frame.diagonal), lens, s, DROP_RIM, scene, out)
    if s.smear > 0 and len(light):
        _add_smears(points, light, s, scene, out)
    if s.streak_strength > 0 and len(light):
        colour = temperature_rgb(s.streak_temperature, 0.0, scene.space)
        level = light @ scene.space.luminance * f32(STREAK_SHARE * s.streak_strength) * f32(frame.diagonal**2)
        energy = np.asarray(np.outer(level, colour), np.float32)
        angle = np.deg2rad(-s.streak_angle)
        streak = Streak(
            f32(np.cos(angle)),
            f32(np.sin(angle)),
            f32(s.streak_length * frame.diagonal),
            f32(max(STREAK_HEIGHT * frame.diagonal, 0.6)),
        )
        _draw_streaks((points.places * size).astype(np.float32), energy, streak, out)
    if s.veil > 0 and len(light):
        small = scene.frame_of(VEIL_EDGE / scene.working_edge)
        within = Points(points.places, light * f32(VEIL_SHARE * s.veil), points.found, points.off)
        drawn = draw_points(within, small, PLACED_RADIUS)
        veil = gaussian_mixture(drawn, [w * small.diagonal for w in VEIL_WIDTHS], [1 / 3] * 3)
        out += enlarge_to(veil, frame)
    return ColouredField(out)


KIND = Kind(
    name="flare",
    order=4,
    summary="Ghosts, a streak and haze from a lens",
    words="sun, lens, ghosts, streak, glow, lamps",
    icon="M5 4.3a1.8 1.8 0 1 0-3.6 0 1.8 1.8 0 1 0 3.6 0zM9.4 8.4a1 1 0 1 0-2 0 1 1 0 1 0 2 0zM14 12a2 2 0 1 0-4 0 2 2 0 1 0 4 0z",
    source_settings=Source,
    spread_settings=Spread,
    source=points_source,
    spread=spread,
    detect=detect_points,
    initial=brightest_lamps,
    colour=Colour(origin="plate"),
    nothing_shines=NOTHING_SHINES,
    sought=(Sought(where="source.placed", fixed=ONE_PLACED),),
)
