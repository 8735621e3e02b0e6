"""fan: rays from a point that the picture has no part in.

A noise over the angle that closes on itself, so that there is no seam anywhere, kept at several
degrees of blur; every pixel takes the one that fits its width in the angle, so that rays do not
flicker or alias where they run together. The cloudier style stretches two-dimensional noise outward.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any, Literal, NamedTuple

import cv2
import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.fastmath import angle_of, smoothstep
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import kernel
from aurelon.core.imaging.noise import moment, periodic_noise
from aurelon.core.lights.shared.air import THIN_AIR, air_setting, stands_at_setting, things_setting
from aurelon.core.lights.shared.evolution import evolution_setting
from aurelon.core.lights.shared.fields import WhiteField, as_picture
from aurelon.core.lights.shared.kind import Colour, Kind, Merge, Reading, Scene, Sought
from aurelon.core.optics.facing import Origin, at_place
from aurelon.core.plate import Plate
from aurelon.core.settings import Place, Settings, choice, direction, number, place_setting, seed_setting, whole
from aurelon.core.settings.types.place import toward_middle

ANGLES, DEPTHS, LEVELS = 4096, 128, 10  # cells of the table round, outward, and degrees of blur
CLOUD_ANGLES = 1024
FINER = 2.5  # than the usual grid of light
DEEPEST = 2.5  # diagonals at the outer end of the table
NEAR = 0.05  # diagonals over which the table's first cells are spread


class Source(Settings):
    """Where the rays come from, and their pattern."""

    style: Literal["rays", "clouds"] = choice(
        "rays", "Straight rays, or softer bars that change along their length", essential=True
    )
    count: int = whole(24, "About how many rays there are", low=3, high=200, essential=True)
    fineness: int = whole(3, "Number of finer patterns mixed in", low=1, high=6)
    persistence: float = number(0.5, "Strength of the finer patterns", unit="share", low=0, high=1, step=0.01)
    contrast: float = number(
        0.6, "How strongly the rays stand out from one another", unit="share", low=0, high=1, step=0.01, essential=True
    )
    seed: int = seed_setting("A different pattern of the same kind", essential=True)
    evolution: float = evolution_setting()


class Spread(Settings):
    """How the rays travel."""

    position: Place = place_setting((0.5, -0.1), "Where the rays come from, in or outside the frame", essential=True)
    aim: Literal["middle", "bearing"] = choice(
        "bearing",
        "Toward the middle of the picture, from wherever it stands, or in a direction of its own",
        words={"middle": "The picture's middle", "bearing": "A bearing"},
    )
    turn: float = direction(
        0.0,
        "How far the fan is turned away from the picture's middle",
        mirror="rotation",
        about="position",
        toward_middle=True,
        when={"aim": ["middle"]},
        essential=True,
    )
    bearing: float = direction(
        -90.0, "Direction of the middle of the fan", about="position", when={"aim": ["bearing"]}, essential=True
    )
    opening: float = number(
        120.0, "Angle that the fan covers; 360 goes all the way round", unit="degrees", low=2, high=360, step=1, essential=True
    )
    side_softness: float = number(
        0.15, "Share of the opening over which its sides fade", label="Soft sides", unit="share", low=0, high=0.5, step=0.01
    )
    start: float = number(
        0.02,
        "Distance at which the rays begin",
        unit="diagonal",
        low=0,
        high=1,
        step=0.005,
        handle="radius",
        about="position",
        exponent=2.0,
    )
    reach: float = number(
        0.6,
        "How far the rays carry",
        unit="diagonal",
        low=0.02,
        high=3,
        step=0.01,
        handle="radius",
        about="position",
        exponent=2.0,
        essential=True,
    )
    softness: float = number(
        0.4, "Blurs the rays sideways", unit="degrees", low=0, high=20, step=0.05, exponent=2.0, essential=True
    )
    air: float = air_setting()
    stands_at: float = stands_at_setting()
    things: float = things_setting()


def pattern(settings: Source, seconds: float = 0.0) -> Floats:
    """The noise (depths, angles) in 0..1, closed over the angle, at a time in seconds of a reel."""
    s = settings
    now = moment(s.seed, s.evolution, seconds)
    if now.share > 0:
        before, after = (_pattern_of(s, seed) for seed in (now.seed, now.later))
        level = before + (after - before) * float(now.share)
    else:
        level = _pattern_of(s, now.seed)
    t = np.clip((level - 0.5) / max(1 - s.contrast, 0.02) * 0.7 + 0.5, 0, 1)
    return np.asarray(smoothstep(t), np.float32)


def _pattern_of(s: Source, seed: int) -> Doubles:
    """Octaves of noise of a seed, (depths, angles), of mean one half."""
    angles = ANGLES if s.style == "rays" else CLOUD_ANGLES
    depths = 1 if s.style == "rays" else DEPTHS
    turn = np.arange(angles) / angles
    total = np.zeros((depths, angles))
    weight = whole = 1.0
    total += _octave(turn, depths, s.count, (seed, 0))
    for k in range(1, s.fineness):
        weight *= s.persistence
        whole += weight
        total += weight * _octave(turn, depths, s.count * 2**k, (seed, k))
    return total / whole


def _octave(turn: Doubles, depths: int, count: int, seed: tuple[int, int]) -> Doubles:
    # Rays of one width look false: the places are warped before the noise is looked up.
    few = max(2, count // 3)
    place = turn * count + 1.5 * (periodic_noise(turn * few, few, (*seed, 7)) - 0.5)
    if depths == 1:
        return periodic_noise(place, count, seed)[None]
    rings = np.random.default_rng((*seed, 3)).integers(0, 2**31, 7)
    rows = np.stack([periodic_noise(place + 0.3 * k, count, (int(ring),)) for k, ring in enumerate(rings)])
    return np.asarray(cv2.resize(rows, (rows.shape[1], depths), interpolation=cv2.INTER_CUBIC), np.float64).clip(0, 1)


def degrees_of_blur(table: Floats, softness: float) -> Floats:
    """The pattern (levels, depths, angles), each level blurred twice as far as the last; the first by `softness` degrees."""
    angles = table.shape[1]
    spectrum = np.fft.rfft(table, axis=1)
    frequency = np.arange(spectrum.shape[1])
    first = np.deg2rad(softness) / (2 * np.pi)
    result = []
    for level in range(LEVELS):
        sigma = np.hypot(first, 0.5 * 2.0**level / ANGLES if level else 0.0)
        result.append(np.fft.irfft(spectrum * np.exp(-2 * (np.pi * sigma * frequency) ** 2), angles, axis=1))
    return np.ascontiguousarray(np.clip(result, 0, 1), np.float32)


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the pattern as it lies round the point, unrolled from left to right."""
    table = np.asarray(cv2.resize(pattern(settings, reading.seconds), frame.size, interpolation=cv2.INTER_LINEAR), np.float32)
    return as_picture(table[frame.y0 : frame.y1, frame.x0 : frame.x1])


class Geometry(NamedTuple):
    """Where a fan lies: its point (pixels), diagonals a pixel, bearing, half-angle and the softness of its sides
    (radians), where it starts (diagonals), and how fast it fades and goes deeper."""

    x: np.float32
    y: np.float32
    scale: np.float32
    bearing: np.float32
    half: np.float32
    edge: np.float32
    start: np.float32
    per_reach: np.float32
    per_depth: np.float32


STEPS_A_PIXEL = 8  # of what depends on the distance from the point alone


def _rings(table: Floats, fan: Geometry, farthest: float) -> Floats:
    """At even steps of the distance: how far light has faded, how wide the blur is, how deep in the pattern (n, 3)."""
    levels, depths, _ = table.shape
    pixels = np.arange(int(farthest * STEPS_A_PIXEL) + 3) / STEPS_A_PIXEL
    r = pixels * fan.scale
    fade = np.exp(-np.maximum(r - fan.start, 0) * fan.per_reach)
    fade *= np.clip((r - 0.5 * fan.start) / max(fan.start, fan.scale), 0, 1)
    # As wide as a pixel is in the angle, so wide is the blur.
    wide = np.log2(np.maximum(2 * ANGLES / (2 * np.pi) / np.maximum(pixels, 0.5), 1))
    deep = np.log(1 + r / NEAR) * fan.per_depth
    return np.stack([fade, np.minimum(wide, levels - 1.001), np.minimum(deep, depths - 1)], axis=1).astype(np.float32)


@kernel
def _draw(table: Floats, fan: Geometry, rings: Floats, out: Floats) -> None:
    _, depths, angles = table.shape
    per_step, last = f32(STEPS_A_PIXEL), f32(rings.shape[0] - 1.001)
    rows, columns = out.shape
    middles = np.arange(columns).astype(np.float32) + f32(0.5)
    turn, per_turn = f32(2 * np.pi), f32(angles / (2 * np.pi))
    for row in prange(rows):
        dy = f32(row) + f32(0.5) - fan.y
        for column in range(columns):
            dx = middles[column] - fan.x
            pixels = np.sqrt(dx * dx + dy * dy)
            theta = angle_of(-dy, dx)
            off = abs(theta - fan.bearing)
            off = min(off, turn - off)
            within = min(max((fan.half - off) / fan.edge + f32(0.5), f32(0.0)), f32(1.0))
            step = min(pixels * per_step, last)
            ring = int(step)
            q = step - f32(ring)
            fade = rings[ring, 0] + q * (rings[ring + 1, 0] - rings[ring, 0])
            if within * fade <= f32(1e-5):
                out[row, column] = f32(0.0)
                continue
            wide = rings[ring, 1] + q * (rings[ring + 1, 1] - rings[ring, 1])
            level = int(wide)
            k = wide - f32(level)
            place = theta * per_turn + f32(angles)
            cell = int(place)
            t = place - f32(cell)
            a, b = cell % angles, (cell + 1) % angles
            deep = rings[ring, 2] + q * (rings[ring + 1, 2] - rings[ring, 2])
            near = min(int(deep), max(depths - 2, 0))
            d = deep - f32(near)
            far = min(near + 1, depths - 1)
            low = (table[level, near, a] * (f32(1.0) - t) + table[level, near, b] * t) * (f32(1.0) - d) + (
                table[level, far, a] * (f32(1.0) - t) + table[level, far, b] * t
            ) * d
            high = (table[level + 1, near, a] * (f32(1.0) - t) + table[level + 1, near, b] * t) * (f32(1.0) - d) + (
                table[level + 1, far, a] * (f32(1.0) - t) + table[level + 1, far, b] * t
            ) * d
            out[row, column] = (low + k * (high - low)) * smoothstep(within) * fade


SOFT_SIDES = 0.4  # of a new fan


def bearing_of(settings: Spread, width: float, height: float) -> float:
    """The direction of the fan's middle on a plate of those proportions, in degrees: 0 is right, 90 up."""
    if settings.aim == "bearing":
        return settings.bearing
    return (toward_middle(settings.position, width, height) + settings.turn + 180) % 360 - 180


def draw(table: Floats, settings: Spread, frame: Frame) -> Floats:
    """The fan at a frame, (h, w)."""
    s = settings
    out = np.empty(frame.shape, np.float32)
    half = np.deg2rad(s.opening) / 2
    whole_turn = s.opening >= 360
    depths = table.shape[1]
    fan = Geometry(
        x=f32(s.position[0] * frame.width - frame.x0),
        y=f32(s.position[1] * frame.height - frame.y0),
        scale=f32(1 / frame.diagonal),
        bearing=f32(np.deg2rad(bearing_of(s, frame.width, frame.height))),
        half=f32(100.0 if whole_turn else half * (1 - s.side_softness)),
        edge=f32(max(2 * half * s.side_softness, 0.01)),
        start=f32(s.start),
        per_reach=f32(1 / s.reach),
        per_depth=f32((depths - 1) / np.log(1 + DEEPEST / NEAR)),
    )
    corners = np.hypot(*np.meshgrid([fan.x, fan.x - frame.shape[1]], [fan.y, fan.y - frame.shape[0]]))
    _draw(table, fan, _rings(table, fan, float(corners.max())), out)
    return out


@lru_cache(maxsize=4)
def _table(source: Source, seconds: float, softness: float) -> Floats:
    # The same for as long as only the point is dragged.
    return degrees_of_blur(pattern(source, seconds), softness)


def spread(scene: Scene[None], source: Source, settings: Spread) -> WhiteField:
    return WhiteField(draw(_table(source, scene.seconds, settings.softness), settings, scene.frame_of(FINER)))


def toward_the_middle(plate: Plate) -> dict[str, dict[str, Any]]:
    """A new fan turns toward the picture wherever it is moved, and has soft sides."""
    return {"spread": {"aim": "middle", "side_softness": SOFT_SIDES}}


WIDER = 1.15  # the opening of a fan that is to cover what a sketch has, for its soft sides


def aimed(settings: Spread, places: Doubles, size: tuple[int, int]) -> dict[str, Any]:
    """A bearing, an opening and a reach by which a fan from its point covers places (n, 2) on a plate of that size."""
    away = (places - settings.position) * np.array(size) / np.hypot(*size)
    distances = np.hypot(away[:, 0], away[:, 1])
    angles = np.degrees(np.arctan2(-away[:, 1], away[:, 0]))
    middle = np.degrees(np.angle(np.exp(1j * np.radians(angles)).mean()))
    off = np.abs((angles - middle + 180) % 360 - 180)
    reach, opening = np.quantile(distances, 0.9), 2 * WIDER * np.quantile(off, 0.95)
    return {
        "bearing": round(float(middle), 1),
        "opening": round(float(np.clip(opening, 4, 360)), 1),
        "reach": round(float(np.clip(reach, 0.05, 3)), 3),
    }


def origin(source: Source, spread: Spread, size: tuple[int, int]) -> Origin:
    return at_place(spread.position, size)


KIND = Kind(
    name="fan",
    order=9,
    in_depth=THIN_AIR,
    origin=origin,
    summary="Rays from a point, made of noise and not of the picture",
    words="sun, rays, projector, stage, window",
    icon="M2 8 14 3M2 8l12 2M2 8l11 6M2 8l12-1.5",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    initial=toward_the_middle,
    colour=Colour(temperature=4800, strength=1.0),
    merge=Merge(intensity=0.7),
    reads=False,
    sought=(
        Sought(
            where="spread.position",
            free=("spread.bearing", "spread.opening", "spread.reach"),
            patterns=("source.count", "source.seed"),
            fixed={"spread": {"aim": "bearing"}},
            aimed=aimed,
            rays=True,
        ),
    ),
)
