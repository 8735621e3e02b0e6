"""lamp: a light that shines on the things in the picture.

The picture is a surface with heights and normals. Diffuse light is Lambert's, the gloss that of a GGX
microfacet surface, and range and cone are windowed, all as in glTF 2.0 with KHR_lights_punctual:
window = max(min(1 - (d / range)⁴, 1), 0) / d², cone = clamp((cos a - cos outer) / (cos inner - cos outer))².
The strength is set so that the flat place right below a lamp gets back just its own light once more,
one stop. What comes out is the prepared picture times the diffuse light, and the gloss.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal, cast

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.imaging.blend import join, split
from aurelon.core.imaging.colour import temperature_rgb
from aurelon.core.imaging.colour_matrix import Tint, mixed
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.imaging.resample import enlarge_to, reduce_to
from aurelon.core.lights.shared.initial_settings import luminance_in
from aurelon.core.lights.shared.kind import Colour, Kind, LightField, Merge, Reading, Scene
from aurelon.core.optics.height_field import Surface, from_height, from_normals
from aurelon.core.plate import Plate, read_colour, read_grey
from aurelon.core.settings import Place, Settings, setting

Floats = NDArray[np.float32]
f32 = np.float32

SURFACE_EDGE = 1024  # long edge of the version of the plate that the surface is made from


class Source(Settings):
    """The surface that the picture is taken for."""

    surface: Literal["luminance", "depth", "normals"] = setting(
        "luminance", "Heights from the picture's own brightness, or from a depth or normal picture"
    )
    picture: str = setting(
        "", "The depth or normal picture, by the SHA-256 of its file", unit="picture", when={"surface": ["depth", "normals"]}
    )
    relief: float = setting(0.5, "How far things stand out", unit="gain", low=0, high=4, step=0.01, bend=2.0)
    scale: float = setting(
        0.003, "How large the detail is that counts", unit="diagonal", low=0.0005, high=0.05, step=0.0005, bend=2.0,
        when={"surface": ["luminance", "depth"]},
    )  # fmt: skip


class Spread(Settings):
    """The lamp."""

    lamp: Literal["point", "spot", "directional"] = setting(
        "point", "Shines all round, in a cone, or from far away", label="Kind of lamp"
    )
    position: Place = setting(
        (0.5, 0.5), "Where it hangs, in or outside the frame", unit="plate", step=0.005, handle="position",
        when={"lamp": ["point", "spot"]},
    )  # fmt: skip
    height: float = setting(
        0.15, "How high above the picture it hangs", unit="diagonal", low=0.005, high=2, step=0.005, bend=2.0, handle="radius",
        about="position", when={"lamp": ["point", "spot"]},
    )  # fmt: skip
    range: float = setting(
        0.8, "How far its light carries", unit="diagonal", low=0, high=4, step=0.01, bend=2.0, handle="radius",
        about="position", when={"lamp": ["point", "spot"]},
    )  # fmt: skip
    aim: Place = setting(
        (0.5, 0.7), "Where it points", unit="plate", step=0.005, handle="position", when={"lamp": ["spot"]}
    )
    inner: float = setting(
        18.0, "Half the cone that has the full light", unit="degrees", low=0, high=89, step=0.5, handle="cone", about="aim",
        when={"lamp": ["spot"]},
    )  # fmt: skip
    outer: float = setting(
        32.0, "Half the cone outside which there is none", unit="degrees", low=1, high=89, step=0.5, handle="cone",
        about="aim", when={"lamp": ["spot"]},
    )  # fmt: skip
    angle: float = setting(
        60.0, "The side that it shines from: 0 is the right, 90 up", unit="degrees", low=-180, high=180, step=1,
        handle="direction", when={"lamp": ["directional"]},
    )  # fmt: skip
    elevation: float = setting(
        35.0, "How high it stands over the picture: 90 shines straight at it", unit="degrees", low=1, high=90, step=1,
        when={"lamp": ["directional"]},
    )  # fmt: skip
    temperature: float = setting(
        4200, "Colour of the lamp", unit="kelvin", low=1000, high=25000, step=50, bend=2.2
    )
    gloss: float = setting(0.25, "Strength of the gloss", unit="gain", low=0, high=8, step=0.01, bend=2.0)
    roughness: float = setting(0.45, "How far the gloss spreads", unit="share", low=0.05, high=1, step=0.01)
    metalness: float = setting(
        0.0, "From plastic and stone (0) to metal, whose gloss has its own colour (1)", unit="share", low=0, high=1, step=0.01
    )
    shadows: float = setting(0.0, "How dark cast shadows are", unit="share", low=0, high=1, step=0.01)
    shadow_length: float = setting(
        0.15, "How far shadows reach", unit="diagonal", low=0.01, high=0.6, step=0.005, bend=2.0
    )
    shadow_softness: float = setting(0.3, "How soft their rims are", unit="share", low=0, high=1, step=0.01)


def detect(reading: Reading, settings: Source) -> Surface:
    """The surface on the canonical version of the plate; the brightness of the picture where a file is missing."""
    height, width, _ = reading.picture.shape
    canonical = Frame.whole(fit_within((width, height), SURFACE_EDGE))
    data = reading.file_of(settings.picture) if settings.surface != "luminance" and settings.picture else None
    if data is None:
        small = reduce_to(np.ascontiguousarray(reading.picture), canonical)
        tone = encode_array(np.ascontiguousarray(small @ reading.space.luminance))
        return from_height(tone, settings.relief, settings.scale)
    if settings.surface == "normals":
        return from_normals(_fitted(read_colour(data, "the normal picture"), canonical), settings.relief)
    depth = read_grey(data, "the depth picture")[:, :, None]
    return from_height(np.ascontiguousarray(_fitted(depth, canonical)[:, :, 0]), settings.relief, settings.scale)


def _fitted(picture: Floats, frame: Frame) -> Floats:
    """A picture (h, w, C) of any size laid over the whole plate."""
    larger = picture.shape[1] >= frame.width and picture.shape[0] >= frame.height
    return reduce_to(picture, frame) if larger else enlarge_to(picture, frame)


def source(reading: Reading, settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the picture that is lit."""
    return reading.picture


@dataclass(frozen=True)
class LampField:
    """A lamp and the surface it shines on; `shade` (h, w) is how much of it reaches each place, None where all does."""

    settings: Spread
    surface: Surface
    shade: Floats | None

    @property
    def nbytes(self) -> int:
        return 1024 + (0 if self.shade is None else self.shade.nbytes)

    def sample(self, scene: Scene, frame: Frame, tint: Tint) -> Floats:
        s = self.settings
        picture = scene.source_at(frame)
        colour = np.maximum(temperature_rgb(s.temperature, 0.0, scene.space), 0).astype(np.float32)
        out = np.empty_like(picture)
        shade = None if self.shade is None else enlarge_to(self.shade[:, :, None], frame)[:, :, 0]
        shine(np.ascontiguousarray(picture), self.surface.at(frame), lamp_of(s, scene.size), colour, frame, scene.size, shade, out)
        return out if np.array_equal(tint.light, np.eye(3, dtype=np.float32)) else mixed(out, tint.light)


POINT, SPOT, DIRECTIONAL = 0, 1, 2


def lamp_of(settings: Spread, size: tuple[int, int]) -> Floats:
    """The lamp as numbers, lengths in diagonals and z toward the eye: kind, place (3), range, the unit vector that
    it points along (3), scale and offset of its cone, strength, roughness, metalness, gloss."""
    s = settings
    scale = np.array(size) / np.hypot(*size)
    place = np.array([*(np.array(s.position) * scale), max(s.height, 1e-3)])
    if s.lamp == "directional":
        rise, turn = np.deg2rad(s.elevation), np.deg2rad(s.angle)
        toward = -np.array([np.cos(turn) * np.cos(rise), -np.sin(turn) * np.cos(rise), np.sin(rise)])
        strength = 1 / np.sin(rise)
    else:
        toward = np.array([*(np.array(s.aim) * scale), 0.0]) - place
        # A place as far below as the lamp is high gets its own light once more; for a spot, what it aims at.
        far = float(np.linalg.norm(toward)) if s.lamp == "spot" else place[2]
        strength = far * far * (far / place[2] if s.lamp == "spot" else 1.0)
        toward = toward / max(float(np.linalg.norm(toward)), 1e-6)
    outer = np.cos(np.deg2rad(max(s.outer, s.inner + 0.1)))
    cone = 1 / max(0.001, np.cos(np.deg2rad(s.inner)) - outer)
    kind = {"point": POINT, "spot": SPOT, "directional": DIRECTIONAL}[s.lamp]
    return np.array(
        [kind, *place, s.range, *toward, cone, -outer * cone, strength, s.roughness, s.metalness, s.gloss], np.float32
    )


def shine(
    picture: Floats, surface: Floats, lamp: Floats, colour: Floats, frame: Frame, size: tuple[int, int], shade: Floats | None,
    out: Floats,
) -> None:  # fmt: skip
    """What of a lamp comes back from the picture, (h, w, 3), into `out`."""
    diagonal = float(np.hypot(*size))
    across, down = size[0] / diagonal / frame.width, size[1] / diagonal / frame.height
    no_shade = np.ones((1, 1), np.float32)
    _shine(
        picture, surface, lamp, colour, f32(frame.x0), f32(frame.y0), f32(across), f32(down),
        no_shade if shade is None else np.ascontiguousarray(shade), shade is not None, out,
    )  # fmt: skip


# Loops over a row write one line each and read few: only then does the compiler vectorise them. So the
# vector toward the lamp is worked out anew in each, which costs less than keeping it.


@njit(fastmath=True)
def _arrive(lamp: Floats, across: np.float32, y: np.float32, middles: Floats, height: Floats, light: Floats) -> None:
    """How much of the lamp's light arrives, by distance, range and cone."""
    zero, one = f32(0.0), f32(1.0)
    kind, px, py, pz = lamp[0], lamp[1], lamp[2], lamp[3]
    tx, ty, tz, strength = lamp[5], lamp[6], lamp[7], lamp[10]
    if kind == f32(2.0):
        light[:] = strength
        return
    # A point lamp is a spot whose cone leaves all as it is.
    cone, offset = (lamp[8], lamp[9]) if kind == f32(1.0) else (zero, one)
    per_range = one / max(lamp[4], f32(1e-6))
    dy = py - y
    for x in range(light.size):
        dx, dz = px - middles[x] * across, pz - height[x]
        d2 = max(dx * dx + dy * dy + dz * dz, f32(1e-8))
        per_d = one / np.sqrt(d2)
        far2 = d2 * per_range * per_range
        angular = min(max(offset - (dx * tx + dy * ty + dz * tz) * per_d * cone, zero), one)
        light[x] = strength * max(one - far2 * far2, zero) * per_d * per_d * angular * angular


@njit(fastmath=True)
def _face(
    near: np.float32, lamp: Floats, across: np.float32, y: np.float32, middles: Floats, height: Floats, right: Floats,
    down: Floats, facing: Floats,
) -> None:  # fmt: skip
    """Lambert's cosine. `near` is 1, or 0 for a lamp that is far away."""
    one, zero, away = f32(1.0), f32(0.0), f32(1.0) - near
    px, pz, dy = lamp[1] * near - lamp[5] * away, lamp[3] * near - lamp[7] * away, (lamp[2] - y) * near - lamp[6] * away
    across = across * near
    for x in range(facing.size):
        dx, dz = px - middles[x] * across, pz - height[x] * near
        sr, sd = right[x], down[x]
        lengths = (dx * dx + dy * dy + dz * dz) * (one + sr * sr + sd * sd)
        facing[x] = max(dz - sr * dx - sd * dy, zero) / np.sqrt(max(lengths, f32(1e-12)))


@njit(fastmath=True)
def _gloss(
    near: np.float32, lamp: Floats, across: np.float32, y: np.float32, middles: Floats, height: Floats, right: Floats,
    down: Floats, gloss: Floats,
) -> None:  # fmt: skip
    """The GGX distribution; the eye looks straight down."""
    one, zero, away = f32(1.0), f32(0.0), f32(1.0) - near
    px, pz, dy = lamp[1] * near - lamp[5] * away, lamp[3] * near - lamp[7] * away, (lamp[2] - y) * near - lamp[6] * away
    across = across * near
    alpha2 = lamp[11] * lamp[11] * lamp[11] * lamp[11]
    for x in range(gloss.size):
        dx, dz = px - middles[x] * across, pz - height[x] * near
        # The half vector, as long as the way to the lamp.
        far = np.sqrt(max(dx * dx + dy * dy + dz * dz, f32(1e-8)))
        hz = dz + far
        sr, sd = right[x], down[x]
        aligned = max(hz - sr * dx - sd * dy, zero)
        lengths = (dx * dx + dy * dy + hz * hz) * (one + sr * sr + sd * sd)
        under = aligned * aligned * (alpha2 - one) / max(lengths, f32(1e-12)) + one
        gloss[x] = alpha2 / max(under * under, f32(1e-6))


@njit(fastmath=True)
def _mask(lamp: Floats, right: Floats, down: Floats, facing: Floats, gloss: Floats) -> None:
    """Smith's masking by Schlick, and the strength of the gloss to each unit of diffuse light."""
    one = f32(1.0)
    k = (lamp[11] + one) * (lamp[11] + one) * f32(0.125)
    rest, strength = one - k, lamp[13] * f32(0.25)
    for x in range(gloss.size):
        nz = one / np.sqrt(one + right[x] * right[x] + down[x] * down[x])
        gloss[x] *= strength / max((facing[x] * rest + k) * (nz * rest + k), f32(1e-6))


@njit(fastmath=True)
def _graze(near: np.float32, lamp: Floats, across: np.float32, y: np.float32, middles: Floats, height: Floats, f5: Floats) -> None:
    """(1 - v . h)⁵ of Schlick's Fresnel."""
    one, zero, away = f32(1.0), f32(0.0), f32(1.0) - near
    px, pz, dy = lamp[1] * near - lamp[5] * away, lamp[3] * near - lamp[7] * away, (lamp[2] - y) * near - lamp[6] * away
    across = across * near
    for x in range(f5.size):
        dx, dz = px - middles[x] * across, pz - height[x] * near
        # v . h is the cosine of half the angle between the eye and the lamp.
        cosine = dz / np.sqrt(max(dx * dx + dy * dy + dz * dz, f32(1e-8)))
        f = one - np.sqrt(max(f32(0.5) + f32(0.5) * cosine, zero))
        f5[x] = f * f * f * f * f


@njit(fastmath=True)
def _reflect(base: Floats, metal: np.float32, colour: np.float32, diffuse: Floats, gloss: Floats, f5: Floats) -> None:
    """One channel of what comes back, in the place of `base`."""
    one = f32(1.0)
    matt = (one - f32(0.7) * metal) * colour
    for x in range(base.size):
        f0 = f32(0.04) * (one - metal) + min(base[x], one) * metal
        base[x] = diffuse[x] * base[x] * matt + colour * gloss[x] * (f0 + (one - f0) * f5[x])


ROWS = 24  # rows that a thread takes at once, with one set of lines


@njit(parallel=True, cache=True, fastmath=True)
def _shine(
    picture: Floats, surface: Floats, lamp: Floats, colour: Floats, x0: np.float32, y0: np.float32, across: np.float32,
    down: np.float32, shade: Floats, shaded: bool, out: Floats,
) -> None:  # fmt: skip
    rows, columns, _ = out.shape
    middles = np.arange(columns).astype(np.float32) + (x0 + f32(0.5))
    metal = lamp[12]
    near = f32(0.0) if lamp[0] == f32(2.0) else f32(1.0)
    for block in prange((rows + ROWS - 1) // ROWS):
        light, facing = np.empty(columns, np.float32), np.empty(columns, np.float32)
        gloss, f5 = np.empty(columns, np.float32), np.empty(columns, np.float32)
        r, g, b = np.empty(columns, np.float32), np.empty(columns, np.float32), np.empty(columns, np.float32)
        for row in range(block * ROWS, min((block + 1) * ROWS, rows)):
            y = (f32(row) + y0 + f32(0.5)) * down
            right, slope_down, height = surface[0, row], surface[1, row], surface[2, row]
            _arrive(lamp, across, y, middles, height, light)
            if shaded:
                light *= shade[row]
            _face(near, lamp, across, y, middles, height, right, slope_down, facing)
            _gloss(near, lamp, across, y, middles, height, right, slope_down, gloss)
            _mask(lamp, right, slope_down, facing, gloss)
            _graze(near, lamp, across, y, middles, height, f5)
            light *= facing
            gloss *= light
            split(picture[row].reshape(-1), r, g, b)
            _reflect(r, metal, colour[0], light, gloss, f5)
            _reflect(g, metal, colour[1], light, gloss, f5)
            _reflect(b, metal, colour[2], light, gloss, f5)
            join(r, g, b, out[row].reshape(-1))


STEPS = 18  # places along a shadow at which the surface is looked at
SHADOW_FINER = 1.0


@njit(parallel=True, cache=True, fastmath=True)
def _cast(height: Floats, lamp: Floats, across: np.float32, down: np.float32, length: np.float32, soft: np.float32,
          out: Floats) -> None:  # fmt: skip
    """How much of the lamp each place sees, by the horizon toward it."""
    rows, columns = height.shape
    highest = height.max()
    zero, one = f32(0.0), f32(1.0)
    for row in prange(rows):
        for column in range(columns):
            x, y, z = (f32(column) + f32(0.5)) * across, (f32(row) + f32(0.5)) * down, height[row, column]
            lx, ly, lz = lamp[1] - x, lamp[2] - y, lamp[3] - z
            if lamp[0] == f32(2.0):
                lx, ly, lz = -lamp[5], -lamp[6], -lamp[7]
            flat = np.sqrt(lx * lx + ly * ly)
            if flat < f32(1e-5):
                out[row, column] = one
                continue
            slope = lz / flat
            ux, uy = lx / flat, ly / flat
            far = length if lamp[0] == f32(2.0) else min(length, flat)
            seen = one
            # Once the way to the lamp is above all of the surface and its rim, nothing farther on can hide it.
            rising = slope > soft * f32(0.25)
            for n in range(1, STEPS + 1):
                # Closer together near the place, where shadows are sharp.
                t = far * (f32(n) / f32(STEPS)) ** f32(1.5)
                rim = soft * t * f32(0.5) + f32(0.0015)
                if rising and z + slope * t - highest > rim * f32(0.5):
                    break
                px, py = (x + ux * t) / across - f32(0.5), (y + uy * t) / down - f32(0.5)
                cx, cy = int(np.floor(px)), int(np.floor(py))
                if cx < 0 or cy < 0 or cx >= columns - 1 or cy >= rows - 1:
                    break
                fx, fy = px - f32(cx), py - f32(cy)
                there = (height[cy, cx] * (one - fx) + height[cy, cx + 1] * fx) * (one - fy) + (
                    height[cy + 1, cx] * (one - fx) + height[cy + 1, cx + 1] * fx
                ) * fy
                over = there - (z + slope * t)
                # The farther away what hides it is, the softer the rim.
                seen = min(seen, min(max(f32(0.5) - over / rim, zero), one))
                if seen <= zero:
                    break
            out[row, column] = seen * seen * (f32(3.0) - f32(2.0) * seen)


def spread(scene: Scene, settings: Spread) -> LightField:
    s = settings
    surface = cast(Surface, scene.found())
    if s.shadows == 0:
        return LampField(s, surface, None)
    grid = scene.frame_of(SHADOW_FINER)
    heights = surface.at(grid)[2]
    seen = np.empty(grid.shape, np.float32)
    diagonal = float(np.hypot(*scene.size))
    across, down = scene.size[0] / diagonal / grid.width, scene.size[1] / diagonal / grid.height
    _cast(heights, lamp_of(s, scene.size), f32(across), f32(down), f32(s.shadow_length), f32(s.shadow_softness), seen)
    return LampField(s, surface, 1 - f32(s.shadows) * (1 - seen))


BRIGHTEST = 0.92  # to which a new lamp may lift what it shines on
LEAST = 0.2  # intensity, so that a new lamp is seen on any plate


def place(plate: Plate) -> dict[str, dict[str, Any]]:
    """In the middle of the plate, lifting what is there by about a stop, or by less where that would blow it out."""
    bright = float(np.clip(np.percentile(luminance_in(plate, (0.25, 0.25, 0.75, 0.75)), 75), 1e-3, BRIGHTEST - 1e-3))
    # Where expose, b + (1 - b) (1 - exp(-l b / (1 - b))), brings the brighter quarter of the middle to BRIGHTEST.
    most = -np.log((1 - BRIGHTEST) / (1 - bright)) * (1 - bright) / bright
    return {"merge": {"mode": "expose", "intensity": round(float(np.clip(most, LEAST, 1.0)), 2)}}


KIND = Kind(
    name="lamp",
    title="Lamp",
    summary="A point, spot or far lamp that shines on the things in the picture",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    place=place,
    colour=Colour(origin="plate"),
    merge=Merge(mode="expose"),  # what is bright already is not blown out
    detect=detect,
    at_frame=True,
    nothing_shines="The picture is black here, so there is nothing for a lamp to light.",
    nothing_seen="It lights nothing that can be seen: its range or cone misses the picture; raise Range, or move or aim it.",
)
