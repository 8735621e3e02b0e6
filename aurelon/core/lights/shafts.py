"""Shafts: sun rays that the picture makes, blocked by what stands in front.

Light sets out from a point c (or, in parallel mode, from one side) and travels along straight
rays. With w the openness of the picture and a(θ) the variation of the rays, over a length s in
diagonals of the plate,

    dL/ds = w·a/reach - L·(1/reach + β·(1 - w))

which is emission and absorption along a ray; every step of the march is its exact solution for a
constant w. Rays start as bright as the picture is open where they enter it, so a source may lie
behind a thing, or far outside the frame. The march runs in polar coordinates round c, and the cost
depends on the size of the picture alone. The disc is hidden by what stands in front pixel by
pixel, its aureole by what the rays met on their way.

References: Chandrasekhar, "Radiative Transfer" (1960), ch. 1; Mitchell, "Volumetric Light
Scattering as a Post-Process", GPU Gems 3 (2007), whose sum of samples this replaces by transport;
Henyey and Greenstein (1941) for forward scattering: its exponential core is the aureole, its
wide skirt the glow of hazy air behind which a sun stands. A lamp that stands in the haze glows as one over the distance,
also before what is dark behind it, and its rays weaken alike (see `air.py`).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np

from aurelon.core.finding.areas import sure_sky_of
from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.colour import temperature_rgb
from aurelon.core.imaging.colour_matrix import Tint
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.fastmath import encode_array, smoothstep
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.merging import LightSample
from aurelon.core.imaging.noise import moment, ray_variation
from aurelon.core.lights.shared.air import THIN_AIR, air_setting, stands_at_setting, things_setting
from aurelon.core.lights.shared.disc_glare import disc_glare
from aurelon.core.lights.shared.evolution import evolution_setting
from aurelon.core.lights.shared.haze import haze_setting
from aurelon.core.lights.shared.highlights import open_by
from aurelon.core.lights.shared.initial_settings import luminance_in, open_share, warmth_at
from aurelon.core.lights.shared.kind import Kind, Reading, Scene, Sought
from aurelon.core.lights.shared.sun_hole import Hole, hole_at, opened_by
from aurelon.core.optics.air import GLOBE, glow_at, glow_within
from aurelon.core.optics.facing import Origin, at_place, toward
from aurelon.core.optics.haze_glow import Glow, mix_in_glow_beyond
from aurelon.core.optics.ray_sampling import sampled
from aurelon.core.optics.rays import parallel_rays, polar_rays
from aurelon.core.optics.sun_disc import SunDisc, draw_behind
from aurelon.core.optics.transport import march
from aurelon.core.plate import Plate
from aurelon.core.settings import (
    Place,
    Settings,
    choice,
    colour_setting,
    direction,
    flag,
    matte_setting,
    number,
    place_setting,
    seed_setting,
    temperature_setting,
    whole,
)

STRONGEST_BLOCKING = 80.0  # β per diagonal at blocking 1: a thing of 1 % of the diagonal halves a ray
FALLOFF_LENGTH = 0.2  # diagonals over which falloff 1 halves the light
SHARPEST = 1e-4
DARKEST_COLOUR = 0.04  # display-encoded luminance below which a colour is only noise
NEAR, HIDDEN = 2.0, 0.8  # sizes of the aureole, and how much of the glow lies behind what stands before its middle
FIRST_GLARE = 0.5  # of a new sun
AT_REACH = 0.1  # of a ray that is left as far away as its reach
FAR, FAR_GAIN = 0.5, 2.5  # diagonals beyond the frame, and gain of light from infinitely far away, so that it lights as much
HOLE_LIGHT = 0.8  # linear light of a hole, as of a bright opening
NIGHT = 0.1  # linear luminance of a sky, below which it lights nothing
HIDDEN_WITHIN = 0.3  # the same for a lamp in the haze: most of what is dark about it stands behind

PARTED = 0.45  # openness of the sky above that of the ground from which tones tell them apart


class Source(Settings):
    """What is open, so that light comes through it."""

    open_by: Literal["tones", "colours", "sky", "area"] = choice(
        "tones",
        "What lets light through: bright tones, one colour, the sky, or an area that you made",
        label="Open by",
        words={"tones": "Bright tones", "colours": "A colour", "sky": "The sky", "area": "An area"},
        essential=True,
    )
    threshold: float = number(
        0.45,
        "How bright the picture must be to let light through",
        unit="share",
        low=0,
        high=2,
        step=0.01,
        when={"open_by": ["tones"]},
        essential=True,
    )
    knee: float = number(
        0.3,
        "How softly the picture opens above the threshold",
        unit="share",
        low=0.01,
        high=1,
        step=0.01,
        when={"open_by": ["tones"]},
        essential=True,
    )
    colour: str = colour_setting(
        "#7fa8dc",
        "The colour that lets light through; its brightness does not count",
        when={"open_by": ["colours"]},
        essential=True,
    )
    tolerance: float = number(
        0.25,
        "How far from that colour the picture may be",
        unit="share",
        low=0.02,
        high=1,
        step=0.01,
        when={"open_by": ["colours"]},
        essential=True,
    )
    area: str = matte_setting("The area that lets light through", when={"open_by": ["area"]}, essential=True)


def _strength(default: float, help: str, *, group: str) -> Any:
    return number(
        default, help, unit="gain", low=0, high=8, step=0.01, when={"mode": ["point"]}, exponent=2.0, group=group, essential=True
    )


class Spread(Settings):
    """How the rays travel."""

    mode: Literal["point", "parallel"] = choice(
        "point", "From a point, or from a direction", label="Rays from", group="Rays", essential=True
    )
    position: Place = place_setting(
        (0.5, 0.25), "Where the light is, in or outside the frame", when={"mode": ["point"]}, group="Rays", essential=True
    )
    angle: float = direction(
        -60.0,
        "Direction in which parallel rays travel: 0 is right, 90 up",
        when={"mode": ["parallel"]},
        group="Rays",
        essential=True,
    )
    reach: float = number(
        0.5,
        "How far a ray carries: into closed areas, or until a tenth of it is left",
        unit="diagonal",
        low=0.02,
        high=2,
        step=0.01,
        handle="radius",
        about="position",
        exponent=2.0,
        group="Rays",
        essential=True,
    )
    shortens: Literal["shade", "everywhere"] = choice(
        "shade",
        "What Reach shortens: rays in closed areas alone, or all of them, so that a tenth is left where its circle is",
        label="Shortened by reach",
        words={"shade": "Rays in the shade", "everywhere": "All rays"},
        when={"mode": ["point"]},
        group="Rays",
        essential=True,
    )
    blocking: float = number(
        0.4, "How strongly dark areas stop the rays", unit="share", low=0, high=1, step=0.01, group="Rays", essential=True
    )
    falloff: float = number(1.0, "How quickly the light weakens away from its source", low=0, high=4, step=0.05, group="Rays")
    softness: float = number(
        0.6, "Blurs the rays sideways", unit="degrees", low=0, high=12, step=0.05, exponent=2.0, group="Rays", essential=True
    )
    count: int = whole(48, "How many rays there are around the source", low=3, high=240, exponent=2.0, group="Rays", essential=True)
    variety: float = number(
        0.45,
        "How much the rays differ: 0 is even light, 1 is strong bars",
        unit="share",
        low=0,
        high=1,
        step=0.01,
        group="Rays",
        essential=True,
    )
    seed: int = seed_setting("A different set of rays", group="Rays", essential=True)
    evolution: float = evolution_setting(group="Rays")
    disc_strength: float = _strength(1.0, "Brightness of the disc", group="Disc")
    disc_size: float = number(
        0.012,
        "Radius of the disc",
        unit="diagonal",
        low=0.001,
        high=0.2,
        step=0.001,
        handle="radius",
        about="position",
        when={"mode": ["point"]},
        exponent=2.0,
        group="Disc",
    )
    glare: float = number(
        0.0,
        "How far the disc eats into the outline of what stands before it",
        unit="share",
        low=0,
        high=1,
        step=0.01,
        when={"mode": ["point"]},
        group="Disc",
        essential=True,
    )
    aureole_strength: float = _strength(0.6, "Brightness of the glow around the disc", group="Aureole")
    aureole_size: float = number(
        0.06,
        "Distance over which the glow fades",
        unit="diagonal",
        low=0.005,
        high=0.6,
        step=0.005,
        handle="radius",
        about="position",
        when={"mode": ["point"]},
        exponent=2.0,
        group="Aureole",
    )
    haze: float = haze_setting(when={"mode": ["point"]}, group="Aureole", essential=True)
    stands: Literal["behind", "within"] = choice(
        "behind",
        "A sun far behind the haze makes all of it glow; a lamp in the haze glows brightest close by",
        label="The light stands",
        words={"behind": "Far behind the haze", "within": "In the haze"},
        when={"mode": ["point"]},
        group="Aureole",
        essential=True,
    )
    disc_like_rays: bool = flag(
        False,
        "The disc and its glow have the colour of the rays",
        label="Coloured like the rays",
        when={"mode": ["point"]},
        group="Disc",
        essential=True,
    )
    disc_temperature: float = temperature_setting(
        4600, "Colour of the disc and its glow", when={"mode": ["point"], "disc_like_rays": [False]}, group="Disc", essential=True
    )
    # A lamp in the haze lights the air about itself, also before what is near.
    air: float = air_setting(when={"stands": ["behind"]})
    stands_at: float = stands_at_setting()
    things: float = things_setting(when={"stands": ["behind"]})


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    """(h, w, 4): the picture's light where it is open, and the openness w itself."""
    s = settings
    match s.open_by:
        case "tones":
            return open_by(reading, frame, s.threshold, s.knee)
        case "colours":
            return open_by(reading, frame, DARKEST_COLOUR, DARKEST_COLOUR, s.colour, s.tolerance)
        case "sky":
            openness = reading.sky_at(frame)
        case "area":
            area = reading.area_of(s.area, frame)
            openness = np.zeros(frame.shape, np.float32) if area is None else area
    light = reading.rows.reduced_to(frame)
    return np.dstack([light * openness[:, :, None], openness])


@dataclass(frozen=True)
class ShaftsField:
    """Light on the working grid, (h, w, 4): rays, and the aureole; the disc is drawn at each frame's size. `glare` (h, w) is what
    of the disc's visible part the lens spreads about it, None where it spreads nothing."""

    grid: Floats
    settings: Spread
    hole: Hole | None
    glare: Floats | None

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes + (0 if self.glare is None else self.glare.nbytes)

    def at(self, scene: Scene[None], frame: Frame, tint: Tint) -> LightSample:
        s = self.settings
        own = (tint.light if s.disc_like_rays else tint.own) @ temperature_rgb(s.disc_temperature, 0.0, scene.space)
        soft = scene.mixed(self.grid, np.column_stack([tint.light, own]))
        if s.mode != "point":
            return LightSample(soft)
        near = frame.near(s.position, max(s.disc_size * frame.diagonal + 2, NEAR * s.aureole_size * frame.diagonal))
        if near is None:
            return LightSample(soft)
        # What stands before the source hides it, and the glow behind, pixel by pixel at every size.
        openness = scene.source_at(near)[:, :, 3]
        if self.hole is not None:
            openness = np.maximum(openness, opened_by(self.hole, scene.picture_at(near), near, s.position))
        through, drawn = np.empty(near.shape, np.float32), np.zeros((*near.shape, 3), np.float32)
        at = np.array(s.position) * frame.size
        sun = SunDisc(
            f32(at[0] - near.x0),
            f32(at[1] - near.y0),
            f32(1 / frame.diagonal),
            f32(s.disc_size),
            # The rim is a pixel of this frame wide, and never sharper than a tenth of the disc.
            f32(1 / max(1.0 / frame.diagonal, 0.1 * s.disc_size)),
            f32(s.disc_strength),
            f32(1 / (NEAR * s.aureole_size)),
            f32(HIDDEN_WITHIN if s.stands == "within" else HIDDEN),
        )
        colour = np.maximum(own, 0).astype(np.float32)
        draw_behind(openness, sun, colour, through, drawn)
        if self.glare is not None:
            drawn += enlarge_to(self.glare[:, :, None], near) * colour
        return LightSample(soft, drawn if s.disc_strength > 0 else None, through=through, near=near)


def spread(scene: Scene[None], source: Source, settings: Spread) -> ShaftsField:
    grid = scene.working_frame
    diagonal = grid.diagonal
    if settings.mode == "point":
        x, y = settings.position
        geometry = polar_rays((x * grid.width, y * grid.height), grid.size)
    else:
        geometry = parallel_rays(settings.angle, grid.size)
    now = moment(settings.seed, settings.evolution, scene.seconds)
    variation = ray_variation(geometry.bars(settings.count), settings.count, settings.variety, now)
    lengths = geometry.distances() / diagonal
    point = settings.mode == "point"
    within = point and settings.stands == "within"
    fade = weakening(lengths, settings) if point else np.ones_like(lengths)
    if within:
        fade = fade * glow_within(np.maximum(lengths - lengths[0], 0.0), GLOBE)
    # The farther away a source is, the less bright is the part of the picture that its rays come through first.
    off = lengths[0] ** 2 / (lengths[0] ** 2 + FAR**2) if point else 1.0
    fade = fade * (1 + (FAR_GAIN - 1) * off)
    halo = settings.aureole_strength * np.exp(-lengths / settings.aureole_size)
    if point and settings.haze > 0:
        halo = halo + settings.haze * (glow_within(lengths, GLOBE) if within else glow_at(lengths))
    emission = scene.source_at(grid)
    hole = hole_at(scene, settings.position, settings.disc_size) if point else None
    near = None if hole is None else grid.near(settings.position, hole.radius * diagonal + 1)
    if hole is not None and near is not None:
        part = slice(near.y0, near.y1), slice(near.x0, near.x1)
        opened = opened_by(hole, scene.picture_at(grid)[part], near, settings.position)
        light = np.array([HOLE_LIGHT, HOLE_LIGHT, HOLE_LIGHT, 1.0], np.float32)
        emission = emission.copy()
        emission[part] = np.maximum(emission[part], opened[:, :, None] * light)
    rays = march(
        emission,
        geometry,
        variation,
        fade.astype(np.float32),
        halo.astype(np.float32),
        reach=settings.reach * diagonal,
        blocking=STRONGEST_BLOCKING * settings.blocking**2 / diagonal,
        softness=float(np.deg2rad(settings.softness)) if settings.softness > SHARPEST else 0.0,
    )
    light = sampled(rays, geometry, grid)
    if point:
        # Of the glow some is scattered between what stands in front and the source, and is seen wherever the picture is open.
        glow = Glow(
            f32(x * grid.width),
            f32(y * grid.height),
            f32(1 / (diagonal * settings.aureole_size)),
            f32(settings.aureole_strength),
            f32(settings.haze),
            f32(1 / diagonal),
            f32(GLOBE if within else 0.0),
        )
        mix_in_glow_beyond(emission, glow, light)
    glare = None
    if point and settings.glare > 0 and settings.disc_strength > 0:
        spread_out = disc_glare(emission[:, :, 3], grid, settings.position, settings.disc_size, NEAR * settings.aureole_size)
        glare = spread_out * f32(settings.glare * settings.disc_strength)
    return ShaftsField(light, settings, hole, glare)


def weakening(lengths: Doubles, settings: Spread) -> Doubles:
    """What is left of a ray, 1 where it begins, at distances from its source (diagonals): falloff, and what reach takes. A source
    outside the frame begins at the frame."""
    along = lengths - lengths[0]

    def by_falloff(distance: Any) -> Any:
        return ((1 + lengths[0] / FALLOFF_LENGTH) / (1 + (lengths[0] + distance) / FALLOFF_LENGTH)) ** settings.falloff

    fade = by_falloff(along)
    if settings.shortens == "everywhere":
        # Where falloff alone leaves more than a tenth at the circle, the rest fades evenly on the way there.
        fade = fade * np.exp(-np.log(max(by_falloff(settings.reach) / AT_REACH, 1.0)) / settings.reach * along)
    return np.asarray(fade)


def initial(plate: Plate) -> dict[str, dict[str, Any]]:
    """A source on the brightest broad part of the sky, or of the picture where no sky is sure, and what is open chosen so
    that this part is and most of the rest is not."""
    luminance = luminance_in(plate)
    sky = sure_sky_of(plate)
    broad = cv2.GaussianBlur(luminance, (0, 0), max(luminance.shape) / 40)
    threshold = open_share(plate, 0.3, Source().knee)
    opened: dict[str, Any] = {"threshold": threshold}
    if sky is not None:
        cover = np.asarray(cv2.resize(sky.cover, luminance.shape[::-1], interpolation=cv2.INTER_AREA))
        broad = broad * cv2.GaussianBlur(cover, (0, 0), max(luminance.shape) / 40)
        passes = smoothstep(np.clip((encode_array(luminance) - threshold) / Source().knee, 0, 1))
        # Tones that part the sky from the ground keep the clouds' own shapes; where they do not, the sky itself is open. By
        # night the light comes from lamps before it.
        in_sky = float(np.average(passes, weights=cover))
        in_ground = float(np.average(passes, weights=1 - cover + 1e-6))
        if in_sky - in_ground < PARTED and float(np.average(luminance, weights=cover)) > NIGHT:
            opened["open_by"] = "sky"
    y, x = np.unravel_index(int(np.argmax(broad)), broad.shape)
    place = [round((x + 0.5) / broad.shape[1], 4), round((y + 0.5) / broad.shape[0], 4)]
    kelvin = warmth_at(plate, place)
    return {
        "source": opened,
        "spread": {"position": place, "disc_temperature": kelvin, "disc_like_rays": True, "glare": FIRST_GLARE},
        "colour": {"temperature": kelvin},
    }


def notice(field: ShaftsField) -> str | None:
    """That the source shines through a hole of its own, where it does."""
    if field.hole is None or field.hole.share < 0.5:
        return None
    return "Nothing is open where its source stands, so it shines through a small hole there. Move it, or change Open by in Source."


def origin(source: Source, spread: Spread, size: tuple[int, int]) -> Origin:
    if spread.mode == "point":
        return at_place(spread.position, size)
    travels = np.deg2rad(spread.angle)
    return toward(-float(np.cos(travels)), float(np.sin(travels)))


FITTED = ("spread.reach", "spread.blocking")
PATTERNS = ("spread.count", "spread.seed")

KIND = Kind(
    name="shafts",
    order=1,
    in_depth=THIN_AIR,
    origin=origin,
    summary="Sun rays from the picture, blocked by what stands in front",
    words="sun, rays, beams, window, sky, glow",
    icon="M3 2.5a2 2 0 0 0 2 2M6.5 4.5 13 7M5.6 6 11.5 12.5M4 6.8 5.5 13.5",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    initial=initial,
    notice=notice,
    sought=(
        Sought(
            where="spread.position",
            free=FITTED,
            patterns=PATTERNS,
            fixed={"spread": {"mode": "point"}},
            rays=True,
            drafted={"spread": {"glare": 0.0}},
        ),
        Sought(where="spread.angle", free=FITTED, patterns=PATTERNS, fixed={"spread": {"mode": "parallel"}}, rays=True),
    ),
)
