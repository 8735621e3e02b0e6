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

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.colour import temperature_rgb
from aurelon.core.imaging.colour_matrix import Tint
from aurelon.core.imaging.fastmath import smoothstep
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.merging import Travelled
from aurelon.core.imaging.noise import ray_variation
from aurelon.core.lights.shared.highlights import HighlightSource, highlights
from aurelon.core.lights.shared.initial_settings import luminance_in, open_share
from aurelon.core.lights.shared.kind import Kind, Reading, Scene
from aurelon.core.optics.transport import march, parallel_rays, polar_rays, sampled, soften
from aurelon.core.plate import Plate
from aurelon.core.settings import Place, Settings, choice, number, place_setting, seed_setting, temperature_setting, whole

STRONGEST_BLOCKING = 80.0  # β per diagonal at blocking 1: a thing of 1 % of the diagonal halves a ray
FALLOFF_LENGTH = 0.2  # diagonals over which falloff 1 halves the light
SHARPEST = 1e-4


class Source(HighlightSource):
    """What is open: the bright parts of the picture."""

    threshold: float = number(
        0.45, "How bright the picture must be to let light through", unit="share", low=0, high=2, step=0.01, essential=True
    )
    knee: float = number(
        0.3, "How softly the picture opens above the threshold", unit="share", low=0.01, high=1, step=0.01, essential=True
    )


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
    angle: float = number(
        -60.0,
        "Direction in which parallel rays travel: 0 is right, 90 up",
        unit="degrees",
        low=-180,
        high=180,
        step=1,
        handle="direction",
        when={"mode": ["parallel"]},
        group="Rays",
        essential=True,
    )
    reach: float = number(
        0.5,
        "How far a ray carries into closed areas",
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
    blocking: float = number(
        0.4, "How strongly dark areas stop the rays", unit="share", low=0, high=1, step=0.01, group="Rays", essential=True
    )
    falloff: float = number(1.0, "How quickly the light weakens away from its source", low=0, high=4, step=0.05, group="Rays")
    softness: float = number(
        0.6, "Blurs the rays sideways", unit="degrees", low=0, high=12, step=0.05, exponent=2.0, group="Rays", essential=True
    )
    count: int = whole(48, "Number of rays around the source", low=3, high=240, exponent=2.0, group="Rays", essential=True)
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
    disc_temperature: float = temperature_setting(
        4600, "Colour of the disc and its glow", when={"mode": ["point"]}, group="Disc", essential=True
    )


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    """(h, w, 4): the picture's light where it is open, and the openness w itself."""
    return highlights(reading, settings, frame)


@dataclass(frozen=True)
class ShaftsField:
    """Light on the working grid, (h, w, 4): rays, and the aureole; the disc is drawn at each frame's size."""

    grid: Floats
    settings: Spread

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes

    def at(self, scene: Scene[None], frame: Frame, tint: Tint) -> Travelled:
        s = self.settings
        own = tint.own @ temperature_rgb(s.disc_temperature, 0.0, scene.space)
        soft = scene.mixed(self.grid, np.column_stack([tint.light, own]))
        shows = s.mode == "point" and s.disc_strength > 0
        return Travelled(soft, self._disc(scene, frame, np.maximum(own, 0)) if shows else None)

    def _disc(self, scene: Scene[None], frame: Frame, colour: Floats) -> Floats | None:
        """The disc where the picture is open, (h, w, 3); None where no part of it lies in the frame."""
        s, diagonal = self.settings, frame.diagonal
        centre = np.array(s.position) * frame.size
        reach = s.disc_size * diagonal + 2
        x0, y0 = np.maximum(np.floor(centre - reach).astype(int), (frame.x0, frame.y0))
        x1, y1 = np.minimum(np.ceil(centre + reach).astype(int) + 1, (frame.x1, frame.y1))
        if x0 >= x1 or y0 >= y1:
            return None
        y, x = np.mgrid[y0:y1, x0:x1] + 0.5
        distance = np.hypot(x - centre[0], y - centre[1]) / diagonal
        # The rim is a pixel of this frame wide, and never sharper than a tenth of the disc.
        rim = max(1.0 / diagonal, 0.1 * s.disc_size)
        t = np.clip((s.disc_size - distance) / rim + 0.5, 0, 1)
        # Limb darkening of the sun, u = 0.6 (Cox, "Allen's Astrophysical Quantities", 14.7).
        limb = 0.4 + 0.6 * np.sqrt(np.clip(1 - (distance / s.disc_size) ** 2, 0, 1))
        box = Frame(frame.width, frame.height, int(x0), int(y0), int(x1), int(y1))
        openness = scene.source_at(box)[:, :, 3]
        disc = s.disc_strength * smoothstep(t) * limb * openness
        drawn = np.zeros((*frame.shape, 3), np.float32)
        drawn[y0 - frame.y0 : y1 - frame.y0, x0 - frame.x0 : x1 - frame.x0] = disc[:, :, None].astype(np.float32) * colour
        return drawn


def spread(scene: Scene[None], source: Source, settings: Spread) -> ShaftsField:
    grid = scene.working_frame
    diagonal = grid.diagonal
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
    return ShaftsField(sampled(rays, geometry, grid), settings)


def initial(plate: Plate) -> dict[str, dict[str, Any]]:
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
    order=1,
    summary="Sun rays from the picture, blocked by what stands in front",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    initial=initial,
)
