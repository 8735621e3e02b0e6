"""lamp: a light that shines on the things in the picture.

The picture is a surface with heights and normals. Diffuse light is Lambert's, the gloss that of a GGX
microfacet surface, and range and cone are windowed, all as in glTF 2.0 with KHR_lights_punctual:
window = max(min(1 - (d / range)⁴, 1), 0) / d², cone = clamp((cos a - cos outer) / (cos inner - cos outer))².
The strength is set so that the flat place right below a lamp gets back just its own light once more,
one stop. What comes out is the prepared picture times the diffuse light, and the gloss; in hazy air, also the glow of the
air about the lamp (see `air.py`). Where the lamp stands somewhere in the distance of the plate, what is nearer or farther
is farther from it than it looks (see `depth.py`). On the form of things (see `form.py`) it hangs over what its handle is on, along
the normal there: over a ground in the air, beside a wall.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

import numpy as np

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.colour_matrix import Tint
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame, in_diagonals
from aurelon.core.imaging.merging import LightSample
from aurelon.core.imaging.reduce import reduce_to
from aurelon.core.lights.shared.haze import haze_setting
from aurelon.core.lights.shared.initial_settings import luminance_in
from aurelon.core.lights.shared.kind import Colour, Kind, Reading, Scene, Sought
from aurelon.core.optics.air import airlight, phase
from aurelon.core.optics.depth import FOCAL, deepen, fall_off, seen_of_glow
from aurelon.core.optics.height_field import HeightField, from_height, from_normals
from aurelon.core.optics.shading import Lamp, placement, shine
from aurelon.core.optics.shadows import cast_shadows
from aurelon.core.plate import Plate, read_colour, read_grey
from aurelon.core.settings import Place, Settings, choice, direction, file_setting, number, place_setting

HAZE = 0.12  # linear light of the air beside a lamp, as far away as what it shines on, at haze 1
SURFACE_EDGE = 1024  # long edge of the version of the plate that the surface is made from
COARSE_EDGE = 160  # and of the one on which it is looked up what a lamp stands on
SKY = 0.02  # nearness of what no lamp stands on
RIM = 4  # pixels over which the coarse version goes from the sky to a thing


def _relief(help: str, surfaces: list[str]) -> Any:
    return number(0.5, help, unit="gain", low=0, high=4, step=0.01, when={"surface": surfaces}, exponent=2.0, essential=True)


class Source(Settings):
    """The surface that the picture is taken for."""

    surface: Literal["luminance", "form", "depth", "normals"] = choice(
        "luminance",
        "What the lamp shines on: heights from the picture's own brightness, the form of things as it is found, or a depth or "
        "normal map",
        words={"luminance": "Brightness", "form": "Form of things", "depth": "Depth map", "normals": "Normal map"},
        essential=True,
    )
    file: str = file_setting("The depth or normal map", when={"surface": ["depth", "normals"]}, essential=True)
    fine_relief: float = _relief(
        "How far bright parts stand out; a high value embosses skin and bark, as brightness is not height", ["luminance", "form"]
    )
    relief: float = _relief("How far things stand out", ["depth", "normals"])
    scale: float = number(
        0.003,
        "Size of the detail that counts",
        unit="diagonal",
        low=0.0005,
        high=0.05,
        step=0.0005,
        when={"surface": ["luminance", "form", "depth"]},
        exponent=2.0,
    )


def _cone(default: float, help: str, *, low: float) -> Any:
    return number(
        default,
        help,
        unit="degrees",
        low=low,
        high=89,
        step=0.5,
        handle="cone",
        about="aim",
        apex="position",
        above="height",
        when={"lamp": ["spot"]},
        group="Lamp",
        essential=True,
    )


class Spread(Settings):
    """The lamp."""

    lamp: Literal["point", "spot", "directional"] = choice(
        "point",
        "Shines all round, in a cone, or from far away, where its light is alike everywhere and has no range",
        label="Type of lamp",
        words={"directional": "Far away"},
        group="Lamp",
        essential=True,
    )
    position: Place = place_setting(
        (0.5, 0.5), "Where it hangs, in or outside the frame", when={"lamp": ["point", "spot"]}, group="Lamp", essential=True
    )
    height: float = number(
        0.15,
        "How high above the picture it hangs",
        unit="diagonal",
        low=0.005,
        high=2,
        step=0.005,
        handle="radius",
        about="position",
        when={"lamp": ["point", "spot"]},
        exponent=2.0,
        group="Lamp",
        essential=True,
    )
    range: float = number(
        0.8,
        "How far its light carries",
        unit="diagonal",
        low=0,
        high=4,
        step=0.01,
        handle="radius",
        about="position",
        when={"lamp": ["point", "spot"]},
        exponent=2.0,
        group="Lamp",
        essential=True,
    )
    aim: Place = place_setting(
        (0.5, 0.7), "Where it points", mark="ring", joined="position", when={"lamp": ["spot"]}, group="Lamp", essential=True
    )
    inner_cone: float = _cone(18.0, "Half-angle of the bright cone", low=0)
    outer_cone: float = _cone(32.0, "Half-angle beyond which there is no light", low=1)
    angle: float = direction(
        60.0, "Side that it shines from: 0 is the right, 90 the top", when={"lamp": ["directional"]}, group="Lamp", essential=True
    )
    elevation: float = number(
        35.0,
        "Height above the picture plane: 90 shines straight at it",
        unit="degrees",
        low=1,
        high=90,
        step=1,
        when={"lamp": ["directional"]},
        group="Lamp",
        essential=True,
    )
    gloss: float = number(
        0.25, "Strength of the reflections", unit="gain", low=0, high=8, step=0.01, exponent=2.0, group="Gloss", essential=True
    )
    roughness: float = number(0.45, "How far reflections spread", unit="share", low=0.05, high=1, step=0.01, group="Gloss")
    metalness: float = number(
        0.0,
        "From plastic and stone (0) to metal, which colours its reflections (1)",
        unit="share",
        low=0,
        high=1,
        step=0.01,
        group="Gloss",
    )
    shadows: float = number(
        0.0, "How dark cast shadows are", unit="share", low=0, high=1, step=0.01, group="Shadows", essential=True
    )
    shadow_length: float = number(
        0.15, "How far shadows reach", unit="diagonal", low=0.01, high=0.6, step=0.005, exponent=2.0, group="Shadows"
    )
    shadow_softness: float = number(0.3, "How soft shadow edges are", unit="share", low=0, high=1, step=0.01, group="Shadows")
    haze: float = haze_setting(when={"lamp": ["point", "spot"]}, group="Lamp", essential=True)
    stands: Literal["flat", "auto", "set"] = choice(
        "flat",
        "Where the lamp stands in the distance of the plate: what is nearer or farther gets less of its light",
        words={"flat": "Nowhere: all is equally near", "auto": "On what is below it", "set": "At a nearness"},
        when={"lamp": ["point", "spot"]},
        group="Distance",
        essential=True,
    )
    nearness: float = number(
        0.5,
        "How near the lamp stands: 0 is infinitely far, 1 the nearest thing seen",
        unit="share",
        low=0,
        high=1,
        step=0.01,
        when={"stands": ["set"], "lamp": ["point", "spot"]},
        group="Distance",
        essential=True,
    )


def detect(reading: Reading[None], settings: Source) -> HeightField:
    """The surface on the canonical version of the plate; the brightness of the picture where a file is missing."""
    canonical = Frame.canonical(reading.rows.size, SURFACE_EDGE)
    of_file = settings.surface in ("depth", "normals")
    data = reading.file_of(settings.file) if of_file and settings.file else None
    if data is None:
        small = reading.rows.reduced_to(canonical)
        tone = encode_array(np.ascontiguousarray(small @ reading.space.luminance))
        fine = from_height(tone, settings.relief if of_file else settings.fine_relief, settings.scale)
        return fine if reading.slopes_at is None else fine.on_form(reading.slopes_at(canonical))
    if settings.surface == "normals":
        return from_normals(_fitted(read_colour(data, "the normal map"), canonical), settings.relief)
    depth = read_grey(data, "the depth map")[:, :, None]
    return from_height(np.ascontiguousarray(_fitted(depth, canonical)[:, :, 0]), settings.relief, settings.scale)


def _fitted(picture: Floats, frame: Frame) -> Floats:
    """A picture (h, w, C) of any size laid over the whole plate."""
    larger = picture.shape[1] >= frame.width and picture.shape[0] >= frame.height
    return reduce_to(picture, frame) if larger else enlarge_to(picture, frame)


def source(reading: Reading[HeightField], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the picture that is lit."""
    return reading.picture


@dataclass(frozen=True)
class LampField:
    """A lamp and the surface it shines on; `shade` (h, w) is how much of it reaches each place, None where all does, and `air`
    (h, w) the light of the air about it, None where that is clear. It `stands_at` a nearness, None where all is equally near; the
    surface may be the form of things."""

    lamp: Lamp
    surface: HeightField
    shade: Floats | None
    air: Floats | None
    stands_at: float | None
    of_form: bool

    @property
    def nbytes(self) -> int:
        return 1024 + sum(part.nbytes for part in (self.shade, self.air) if part is not None)

    def at(self, scene: Scene[HeightField], frame: Frame, tint: Tint) -> LightSample:
        picture = np.ascontiguousarray(scene.source_at(frame))
        shade = None if self.shade is None else enlarge_to(self.shade[:, :, None], frame)[:, :, 0]
        surface, to = self.surface.at(frame, scene.view), placement(frame, scene.size)
        if self.stands_at is not None and scene.nearness_at is not None:
            nearness, made = np.ascontiguousarray(scene.nearness_at(frame)), np.empty(frame.shape, np.float32)
            if self.of_form:
                deepen(nearness, surface.height, f32(self.stands_at), made)
                surface = surface._replace(height=made)
            else:
                fall_off(nearness, self.lamp, f32(self.stands_at), to, made)
                shade = made if shade is None else shade * made
        lit = shine(picture, surface, self.lamp, tint.light, to, shade)
        return LightSample(None if self.air is None else tint.on_white(self.air), lit)


class Ground(NamedTuple):
    """A place of the surface that a lamp hangs over or aims at: its height in diagonals, and its unit normal (3,), to the right,
    downward and toward the eye."""

    height: float
    normal: Doubles


FLAT = Ground(0.0, np.array([0.0, 0.0, 1.0]))
GRAZING = 0.3  # least cosine at the place that a spot aims at, for its strength


def lamp_of(settings: Spread, size: tuple[int, int], below: Ground = FLAT, at_aim: Ground = FLAT) -> Lamp:
    """The lamp over a plate of `size`, along the normal of what is below it.

    Its strength is such that what is below it, facing it, gets its own light once more; for a spot, the place it aims at.
    """
    s = settings
    scale = np.array(in_diagonals(size))
    above = max(s.height, 1e-3)
    place = np.array([*(np.array(s.position) * scale), below.height]) + above * below.normal
    if s.lamp == "directional":
        rise, turn = np.deg2rad(s.elevation), np.deg2rad(s.angle)
        toward = -np.array([np.cos(turn) * np.cos(rise), -np.sin(turn) * np.cos(rise), np.sin(rise)])
        strength = 1 / np.sin(rise)
    else:
        toward = np.array([*(np.array(s.aim) * scale), at_aim.height]) - place
        far = max(float(np.linalg.norm(toward)), 1e-6)
        toward = toward / far
        facing = max(float(-toward @ at_aim.normal), GRAZING if at_aim is not FLAT else 1e-6)
        strength = far * far / facing if s.lamp == "spot" else above * above
    outer = np.cos(np.deg2rad(max(s.outer_cone, s.inner_cone + 0.1)))
    cone = 1 / max(0.001, np.cos(np.deg2rad(s.inner_cone)) - outer)
    # A point lamp is a spot whose cone leaves all as it is.
    cone, offset = (cone, -outer * cone) if s.lamp == "spot" else (0.0, 1.0)
    near = 0.0 if s.lamp == "directional" else 1.0
    values = (near, *place, s.range, *toward, cone, offset, strength, s.roughness, s.metalness, s.gloss)
    return Lamp(*(f32(value) for value in values))


def spread(scene: Scene[HeightField], source: Source, settings: Spread) -> LampField:
    s, surface = settings, scene.detected
    grid, lamp = scene.working_frame, lamp_of(s, scene.size)
    stands_at, of_form = standing(scene, s), source.surface == "form"
    hung = lamp
    if of_form and s.lamp != "directional":
        hung = lamp_of(s, scene.size, *(ground_at(place, scene, stands_at) for place in (s.position, s.aim)))
    air = air_about(lamp, s, scene) if s.haze > 0 and s.lamp != "directional" else None
    if air is not None and stands_at is not None and scene.nearness_at is not None:
        seen = np.empty(grid.shape, np.float32)
        seen_of_glow(np.ascontiguousarray(scene.nearness_at(grid)), lamp, f32(stands_at), placement(grid, scene.size), seen)
        air *= seen
    if s.shadows == 0:
        return LampField(hung, surface, None, air, stands_at, of_form)
    seen = cast_shadows(surface.at(grid, grid).height, lamp, placement(grid, scene.size), s.shadow_length, s.shadow_softness)
    return LampField(hung, surface, 1 - f32(s.shadows) * (1 - seen), air, stands_at, of_form)


def ground_at(place: Place, scene: Scene[HeightField], stands_at: float | None) -> Ground:
    """What is at a place of the plate, beside a lamp that stands at a nearness. Outside the frame and before the sky it is flat."""
    if not all(0 <= share <= 1 for share in place):
        return FLAT
    right, down, height = scene.detected.near(place)
    along = np.array([-right, -down, 1.0])
    if stands_at is not None and scene.nearness_at is not None:
        nearness = pixel_at(place, scene.nearness_at(Frame.canonical(scene.size, COARSE_EDGE)))
        if nearness <= SKY:
            return FLAT
        height -= FOCAL * (stands_at / nearness - 1)
    return Ground(height, along / np.linalg.norm(along))


def pixel_at(place: Place, grid: Floats) -> float:
    """The value of a grid (h, w) of the whole plate at a place, or at the nearest in the frame."""
    column, row = (int(np.clip(share * edge, 0, edge - 1)) for share, edge in zip(place, grid.shape[::-1], strict=True))
    return float(grid[row, column])


def standing(scene: Scene[HeightField], settings: Spread) -> float | None:
    """The nearness at which a lamp stands; None where all is equally near. Before the sky it stands on the first thing below it."""
    if scene.nearness_at is None or settings.stands == "flat" or settings.lamp == "directional":
        return None
    if settings.stands == "set":
        return settings.nearness
    frame = Frame.canonical(scene.size, COARSE_EDGE)
    nearness = scene.nearness_at(frame)
    column, row = (int(np.clip(share * edge, 0, edge - 1)) for share, edge in zip(settings.position, frame.size, strict=True))
    if nearness[row, column] > SKY:
        return float(nearness[row, column])
    things = (below := nearness[row:, column])[below > SKY]
    return float(things[:RIM].max()) if things.size else float(nearness.max())


def uses_distance(spread: Spread) -> bool:
    return spread.stands != "flat" and spread.lamp != "directional"


def uses_form(source: Source) -> bool:
    return source.surface == "form"


def air_about(lamp: Lamp, settings: Spread, scene: Scene[HeightField]) -> Floats:
    """The glow of hazy air about a near lamp, (h, w) on the working grid, white. A cone is as bright seen from the side as
    it would be from in front, or haze would need another strength for every aim."""
    grid = scene.working_frame
    across, down = in_diagonals(scene.size)
    x = ((np.arange(grid.width) + 0.5) * (across / grid.width)).astype(np.float32)
    y = ((np.arange(grid.height) + 0.5) * (down / grid.height)).astype(np.float32)
    out = np.empty(grid.shape, np.float32)
    airlight(lamp, x, y, out)
    spot = settings.lamp == "spot"
    way = np.array([*(np.array(settings.aim) - settings.position) * in_diagonals(scene.size), settings.height])
    far = max(float(np.linalg.norm(way)) if spot else settings.height, 1e-3)
    turned = float(phase(lamp.toward_z)) if spot else 1.0
    return np.asarray(out * f32(HAZE * settings.haze * far / turned), np.float32)


BRIGHTEST = 0.92  # to which a new lamp may lift what it shines on
FIRST_RELIEF = 0.1  # from the brightness, of a new lamp
FIRST_GLOSS = 0.06  # of a new lamp: a stronger one lies on dull things like mist
LEAST = 0.2  # intensity, so that a new lamp is seen on any plate


def initial(plate: Plate) -> dict[str, dict[str, Any]]:
    """In the middle of the plate, lifting what is there by about a stop, or by less where that would blow it out."""
    bright = float(np.clip(np.percentile(luminance_in(plate, (0.25, 0.25, 0.75, 0.75)), 75), 1e-3, BRIGHTEST - 1e-3))
    # Where expose, b + (1 - b) (1 - exp(-l b / (1 - b))), brings the brighter quarter of the middle to BRIGHTEST.
    most = -np.log((1 - BRIGHTEST) / (1 - bright)) * (1 - bright) / bright
    return {
        "source": {"fine_relief": FIRST_RELIEF},
        "spread": {"gloss": FIRST_GLOSS},
        "merge": {"mode": "expose", "intensity": round(float(np.clip(most, LEAST, 1.0)), 2)},
    }


KIND = Kind(
    name="lamp",
    order=8,
    summary="A point, spot or distant lamp that shines on the things in the picture",
    words="spot, street, window, sun, glow",
    icon="M8 1.8a4 4 0 0 0-2.3 7.3V11h4.6V9.1A4 4 0 0 0 8 1.8zM6.3 13.5h3.4",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    detect=detect,
    initial=initial,
    colour=Colour(temperature=4200, strength=1.0),  # and merged by expose, so that what is bright already is not blown out
    shifts_white=True,
    at_frame=True,
    in_depth={"source": {"surface": "form"}, "spread": {"stands": "auto"}},
    uses_distance=uses_distance,
    uses_form=uses_form,
    nothing_shines="The picture is black here, so there is nothing for a lamp to light.",
    nothing_seen="Nothing is lit: the range or cone misses the picture; raise Range, or move or aim the lamp.",
    sought=(
        Sought(where="spread.position", free=("spread.height", "spread.range"), fixed={"spread": {"lamp": "point"}}),
        Sought(where="spread.angle", free=("spread.elevation",), fixed={"spread": {"lamp": "directional"}}),
    ),
)
