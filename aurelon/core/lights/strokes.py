"""strokes: light that is painted where it is to fall, then smeared.

The strokes are those of a brush, kept as points. They smear along an angle, away from a point, or
round it; then a ripple may shift them sideways, so that light on water fans out.
"""

from __future__ import annotations

from typing import Any, Literal

import cv2
import numpy as np

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.frame import CANONICAL_EDGE, Frame, diagonal, in_diagonals
from aurelon.core.imaging.noise import moment, periodic_noise
from aurelon.core.lights.shared.evolution import evolution_setting
from aurelon.core.lights.shared.fields import WhiteField, as_picture
from aurelon.core.lights.shared.initial_settings import merge_on
from aurelon.core.lights.shared.kind import Colour, Kind, Merge, Reading, Scene
from aurelon.core.masks.shared.part import resampled
from aurelon.core.masks.strokes import lay_down
from aurelon.core.optics.ray_sampling import sampled
from aurelon.core.optics.rays import parallel_rays, polar_rays
from aurelon.core.optics.transport import march
from aurelon.core.plate import Plate
from aurelon.core.settings import Place, Settings, Stroke, choice, direction, number, place_setting, seed_setting, strokes_setting

SHORTEST = 0.002  # diagonals below which nothing is smeared
SHARPEST = 5e-4  # diagonals below which nothing is softened
SOFT_CELLS, LEAST_CELLS = 3.0, 32  # cells of a grid for each softened diagonal; the fewest on its long edge
BOXES = 3
WAVES = 64  # cells of the ripple's noise


class Source(Settings):
    """What is painted."""

    strokes: tuple[Stroke, ...] = strokes_setting(
        "The strokes, first to last", max_strokes=2000, carries="spread.position", essential=True
    )
    soften: float = number(
        0.0, "Softens all that is painted", unit="diagonal", low=0, high=0.1, step=0.001, exponent=2.0, essential=True
    )


class Spread(Settings):
    """How the paint is smeared."""

    smear: Literal["along", "away", "around"] = choice("along", "Along an angle, away from a point, or around it", essential=True)
    angle: float = direction(-70.0, "Direction of the smear: 0 is right, 90 up", when={"smear": ["along"]}, essential=True)
    position: Place = place_setting((0.5, 0.2), "The point", when={"smear": ["away", "around"]}, essential=True)
    distance: float = number(
        0.12,
        "Length of the smear",
        unit="diagonal",
        low=0,
        high=1,
        step=0.005,
        when={"smear": ["along", "away"]},
        exponent=2.0,
        essential=True,
    )
    turn: float = number(
        20.0,
        "How far it is smeared around the point",
        unit="degrees",
        low=0,
        high=180,
        step=1,
        when={"smear": ["around"]},
        essential=True,
    )
    ripple: float = number(
        0.0,
        "How far a ripple shifts the light sideways",
        unit="diagonal",
        low=0,
        high=0.1,
        step=0.001,
        exponent=2.0,
        group="Ripple",
        essential=True,
    )
    wavelength: float = number(
        0.03, "Wavelength of the ripple", unit="diagonal", low=0.004, high=0.3, step=0.002, exponent=2.0, group="Ripple"
    )
    seed: int = seed_setting("A different ripple", group="Ripple")
    evolution: float = evolution_setting(group="Ripple")


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the paint."""
    return as_picture(painted(settings, frame))


def painted(settings: Source, frame: Frame) -> Floats:
    """The paint at a frame (h, w). Where it is softened it is blurred on a grid of the whole plate, the same for every frame."""
    aspect, soften = in_diagonals(frame.size), settings.soften
    if soften <= SHARPEST:
        return lay_down(settings.strokes, aspect, frame, None)
    edge = int(np.ceil(SOFT_CELLS / soften * max(aspect)))
    grid = Frame.canonical(frame.size, min(max(edge, LEAST_CELLS), CANONICAL_EDGE))
    paint = lay_down(settings.strokes, aspect, grid, None)
    soft = cv2.GaussianBlur(paint, (0, 0), soften * grid.diagonal, borderType=cv2.BORDER_REPLICATE)
    return resampled(np.asarray(soft, np.float32), frame)


def smeared(paint: Floats, settings: Spread, seconds: float) -> Floats:
    """Paint (h, w) on the whole plate's grid, smeared and rippled."""
    s = settings
    rows, columns = paint.shape
    length = diagonal((columns, rows))
    grid = Frame.whole((columns, rows))
    if s.smear == "around":
        paint = _turned_about(paint, s)
    elif s.distance > SHORTEST:
        emission = np.repeat(paint[:, :, None], 4, axis=2)
        emission[:, :, 3] = 1.0
        centre = (s.position[0] * columns, s.position[1] * rows)
        rays = parallel_rays(s.angle, grid.size) if s.smear == "along" else polar_rays(centre, grid.size)
        lengths = rays.distances()
        even, flat = np.ones_like(rays.bars(8), np.float32), np.ones_like(lengths, np.float32)
        field = march(
            np.ascontiguousarray(emission), rays, even, flat, np.zeros_like(flat), reach=s.distance * length, blocking=0.0
        )
        # The smear keeps what was painted in it, so that a stroke stays where it was put.
        paint = np.maximum(sampled(field, rays, grid)[:, :, 0] * f32(1.6), paint * f32(0.5))
    return _rippled(paint, s, seconds) if s.ripple > 0 else paint


def _turned_about(paint: Floats, settings: Spread) -> Floats:
    """Blurred round a point: in polar coordinates the blur is along one axis."""
    s = settings
    rows, columns = paint.shape
    centre = (s.position[0] * columns - 0.5, s.position[1] * rows - 0.5)
    far = float(max(np.hypot(x - centre[0], y - centre[1]) for x in (0, columns) for y in (0, rows)))
    angles, steps = 1440, max(8, int(far))
    flags = cv2.INTER_LINEAR | cv2.WARP_POLAR_LINEAR | cv2.WARP_FILL_OUTLIERS
    polar = np.asarray(cv2.warpPolar(paint, (steps, angles), centre, far, flags), np.float32)
    # Three boxes one after another are as wide as one of the whole turn, and end softly.
    half = max(1, round(s.turn / 2 / 360 * angles / np.sqrt(BOXES)))
    blurred = np.concatenate([polar[-BOXES * half :], polar, polar[: BOXES * half]])
    for _ in range(BOXES):
        blurred = np.asarray(cv2.blur(blurred, (1, 2 * half + 1)))
    blurred = blurred[BOXES * half : BOXES * half + angles]
    back = cv2.warpPolar(np.ascontiguousarray(blurred), (columns, rows), centre, far, flags | cv2.WARP_INVERSE_MAP)
    return np.asarray(np.maximum(back, 0), np.float32)


def _rippled(paint: Floats, settings: Spread, seconds: float) -> Floats:
    s = settings
    now = moment(s.seed, s.evolution, seconds)
    rows, columns = paint.shape
    length = diagonal((columns, rows))
    x, y = np.meshgrid(np.arange(columns, dtype=np.float32), np.arange(rows, dtype=np.float32))
    waves = (y + 0.5) / (s.wavelength * length)

    def noise(place: Doubles, which: int) -> Doubles:
        return periodic_noise(place, WAVES, (now.seed, which), (now.later, which), float(now.share))

    drift = noise(np.asarray(waves * 0.37 + 40, np.float64), 5) - 0.5
    sway = np.sin(2 * np.pi * (waves + 1.5 * drift)) * (0.6 + 0.8 * noise(np.asarray(waves + 9.0, np.float64), 6))
    # Farther down, nearer to the eye, it sways more.
    shift = (s.ripple * length * sway * (0.3 + 0.7 * (y + 0.5) / rows)).astype(np.float32)
    return np.asarray(cv2.remap(paint, x + shift, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT), np.float32)


def spread(scene: Scene[None], source: Source, settings: Spread) -> WhiteField:
    grid = scene.frame_of(1.5)
    paint = painted(source, grid)
    return WhiteField(np.ascontiguousarray(smeared(paint, settings, scene.seconds), np.float32))


def initial(plate: Plate) -> dict[str, dict[str, Any]]:
    """Nothing is painted yet; what will be shows at once."""
    return {"merge": merge_on(plate, (0.3, 0.35, 0.7, 0.65), relight=5.0, expose=1.0)}


def example(plate: Plate) -> dict[str, dict[str, Any]]:
    """A stroke across the middle."""
    first = {"size": 0.04, "hardness": 0.3, "flow": 0.8, "points": [0.35, 0.45, 1.0, 0.5, 0.42, 1.0, 0.65, 0.45, 1.0]}
    return {**initial(plate), "source": {"strokes": [first]}}


KIND = Kind(
    name="strokes",
    order=11,
    summary="Light painted by hand, smeared into rays or over water",
    words="paint, brush, window, sun, rays",
    icon="M2.5 13c3 .5 2.5-3.5 5-3 2.8.6 1-4 6-7.5",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    initial=initial,
    example=example,
    colour=Colour(temperature=4500, strength=1.0),
    merge=Merge(mode="relight", intensity=5.0),
    nothing_shines="Nothing is painted yet; paint on the picture.",
    reads=False,
)
