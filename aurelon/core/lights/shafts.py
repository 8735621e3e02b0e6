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
Henyey and Greenstein (1941) for forward scattering, here as its exponential core.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np

from aurelon.core.imaging.colour import temperature_rgb
from aurelon.core.imaging.colour_matrix import Tint, mixed
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.noise import ray_variation
from aurelon.core.imaging.resample import enlarge_to
from aurelon.core.lights.shared.highlights import HighlightSource, shining
from aurelon.core.lights.shared.initial_settings import luminance_in, open_share
from aurelon.core.lights.shared.kind import Colour, Floats, Kind, LightField, Merge, Reading, Scene
from aurelon.core.optics.transport import march, parallel_rays, polar_rays, sample, soften
from aurelon.core.plate import Plate
from aurelon.core.settings import Place, Settings, setting

STRONGEST_BLOCKING = 80.0  # β per diagonal at blocking 1: a thing of 1 % of the diagonal halves a ray
FALLOFF_LENGTH = 0.2  # diagonals over which falloff 1 halves the light
SHARPEST = 1e-4



class Source(HighlightSource):
    """What is open: the bright parts of the picture."""

    threshold: float = setting(
        0.45, "How bright the picture must be to let light on", unit="share", low=0, high=2, step=0.01
    )
    knee: float = setting(
        0.3, "How gradually the picture opens above the threshold", unit="share", low=0.01, high=1, step=0.01
    )


class Spread(Settings):
    """How the rays travel."""

    mode: Literal["point", "parallel"] = setting("point", "From a point, or from a direction", label="Rays from")
    position: Place = setting(
        (0.5, 0.25),
        "Where the light is, in or outside the frame",
        unit="plate", step=0.005, handle="position", when={"mode": ["point"]},
    )  # fmt: skip
    angle: float = setting(
        -60.0,
        "Where parallel rays travel to: 0 is right, 90 up",
        unit="degrees", low=-180, high=180, step=1, handle="direction", when={"mode": ["parallel"]},
    )  # fmt: skip
    reach: float = setting(
        0.5, "How far a ray carries into closed parts", unit="diagonal", low=0.02, high=2, step=0.01, bend=2.0,
        handle="radius", about="position",
    )  # fmt: skip
    blocking: float = setting(0.4, "How strongly dark parts stop the rays", unit="share", low=0, high=1, step=0.01)
    falloff: float = setting(
        1.0, "How fast the light weakens away from its source", unit="", low=0, high=4, step=0.05
    )
    softness: float = setting(
        0.6, "Blurs the rays across", unit="degrees", low=0, high=12, step=0.05, bend=2.0
    )
    count: int = setting(48, "How many rays there are round the source", unit="count", low=3, high=240, step=1, bend=2.0)
    variety: float = setting(
        0.45, "How much the rays differ: 0 is even light, 1 strong bars", unit="share", low=0, high=1, step=0.01
    )
    seed: int = setting(1, "Another number, another set of rays", unit="seed", low=0, high=9999, step=1)
    disc_strength: float = setting(
        1.0, "Brightness of the disc itself", unit="gain", low=0, high=8, step=0.01, bend=2.0, when={"mode": ["point"]}
    )
    disc_size: float = setting(
        0.012,
        "Radius of the disc",
        unit="diagonal", low=0.001, high=0.2, step=0.001, bend=2.0,
        handle="radius", about="position", when={"mode": ["point"]},
    )  # fmt: skip
    aureole_strength: float = setting(
        0.6, "Brightness of the glow round the disc", unit="gain", low=0, high=8, step=0.01, bend=2.0,
        when={"mode": ["point"]},
    )  # fmt: skip
    aureole_size: float = setting(
        0.06,
        "Length over which the glow fades",
        unit="diagonal", low=0.005, high=0.6, step=0.005, bend=2.0,
        handle="radius", about="position", when={"mode": ["point"]},
    )  # fmt: skip
    disc_temperature: float = setting(
        4600, "Colour of the disc and its glow", unit="kelvin", low=1000, high=25000, step=50, bend=2.2,
        when={"mode": ["point"]},
    )  # fmt: skip


def source(reading: Reading, settings: Source, frame: Frame) -> Floats:
    """(h, w, 4): the picture's light where it is open, and the openness w itself."""
    return shining(reading, settings, frame)


@dataclass(frozen=True)
class ShaftsField:
    """Light on the working grid, (h, w, 4): rays, and the aureole; the disc is drawn at each frame's size."""

    grid: Floats
    settings: Spread

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes

    def sample(self, scene: Scene, frame: Frame, tint: Tint) -> Floats:
        s = self.settings
        own = tint.own @ temperature_rgb(s.disc_temperature, 0.0, scene.space)
        light = enlarge_to(mixed(self.grid, np.column_stack([tint.light, own])), frame)
        if s.mode == "point" and s.disc_strength > 0:
            self._add_disc(light, scene, frame, np.maximum(own, 0))
        return light

    def _add_disc(self, light: Floats, scene: Scene, frame: Frame, colour: Floats) -> None:
        """Adds the disc where the picture is open, in the box that holds it."""
        s = self.settings
        diagonal = float(np.hypot(*frame.size))
        centre = np.array(s.position) * frame.size
        reach = s.disc_size * diagonal + 2
        x0, y0 = np.maximum(np.floor(centre - reach).astype(int), (frame.x0, frame.y0))
        x1, y1 = np.minimum(np.ceil(centre + reach).astype(int) + 1, (frame.x1, frame.y1))
        if x0 >= x1 or y0 >= y1:
            return
        y, x = np.mgrid[y0:y1, x0:x1] + 0.5
        distance = np.hypot(x - centre[0], y - centre[1]) / diagonal
        # The rim is a pixel of this frame wide, and never sharper than a tenth of the disc.
        rim = max(1.0 / diagonal, 0.1 * s.disc_size)
        t = np.clip((s.disc_size - distance) / rim + 0.5, 0, 1)
        # Limb darkening of the sun, u = 0.6 (Cox, "Allen's Astrophysical Quantities", 14.7).
        limb = 0.4 + 0.6 * np.sqrt(np.clip(1 - (distance / s.disc_size) ** 2, 0, 1))
        box = Frame(frame.width, frame.height, int(x0), int(y0), int(x1), int(y1))
        openness = scene.source_at(box)[:, :, 3]
        disc = s.disc_strength * t * t * (3 - 2 * t) * limb * openness
        light[y0 - frame.y0 : y1 - frame.y0, x0 - frame.x0 : x1 - frame.x0] += disc[:, :, None].astype(np.float32) * colour


def spread(scene: Scene, settings: Spread) -> LightField:
    grid = scene.working_frame
    diagonal = float(np.hypot(*grid.size))
    if settings.mode == "point":
        x, y = settings.position
        geometry = polar_rays((x * grid.width, y * grid.height), grid.size)
    else:
        geometry = parallel_rays(settings.angle, grid.size)
    variation = ray_variation(geometry.bars(settings.count), settings.count, settings.variety, settings.seed)
    lengths = geometry.distances() / diagonal
    fade = ((1 + lengths[0] / FALLOFF_LENGTH) / (1 + lengths / FALLOFF_LENGTH)) ** settings.falloff
    halo = settings.aureole_strength * np.exp(-lengths / settings.aureole_size)
    rays = march(
        scene.source_at(grid),
        geometry,
        variation,
        fade.astype(np.float32),
        halo.astype(np.float32),
        reach=settings.reach * diagonal,
        blocking=STRONGEST_BLOCKING * settings.blocking**2 / diagonal,
    )
    if settings.softness > SHARPEST:
        soften(rays, geometry, np.deg2rad(settings.softness))
    return ShaftsField(sample(rays, geometry, grid), settings)


def place(plate: Plate) -> dict[str, dict[str, Any]]:
    """A source on the brightest broad part of the picture, and a threshold that this part passes."""
    luminance = luminance_in(plate)
    broad = cv2.GaussianBlur(luminance, (0, 0), max(luminance.shape) / 40)
    y, x = np.unravel_index(int(np.argmax(broad)), broad.shape)
    return {
        "source": {"threshold": open_share(plate, 0.3, Source().knee)},
        "spread": {"position": [round((x + 0.5) / broad.shape[1], 4), round((y + 0.5) / broad.shape[0], 4)]},
    }


KIND = Kind(
    name="shafts",
    title="Shafts",
    summary="Sun rays from the picture, blocked by what stands in front",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    place=place,
    colour=Colour(),
    merge=Merge(),
)
