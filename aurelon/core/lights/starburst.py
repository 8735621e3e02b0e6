"""Starburst: diffraction spikes on points of light.

Light that passes the straight edges of a diaphragm is thrown out across them, so every edge makes
two spikes: an even number of blades gives that many, an odd number twice as many. The pattern is
computed from the aperture (see `aperture.py`), so the spikes carry the colours of diffraction. A lamp
is many times brighter than a picture of 8 bits can hold; a star is laid as of a lamp so many stops brighter, more where
Prepare gives the picture headroom, and the spikes' length follows from each point's own brightness.

Each point lays the whole pattern on a grid whose cells grow with `size`, so the cost does not.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import cv2
import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.frame import diagonal, fit_within
from aurelon.core.imaging.kernels import kernel
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.lights.shared.fields import ColouredField
from aurelon.core.lights.shared.kind import Colour, Kind, Scene, Sought
from aurelon.core.lights.shared.points import (
    NOTHING_SHINES,
    ONE_PLACED,
    Points,
    PointSource,
    brightest_spots,
    detect_points,
    points_source,
)
from aurelon.core.optics.aperture import EDGE, diffraction, drawn_star
from aurelon.core.settings import Settings, choice, number, seed_setting, whole

SPRITE_RADIUS = 200  # cells from a point to the end of its star
LAMP_STOPS = 7.0  # by which a lamp is brighter than the white at which a picture cuts it off
FINEST_EDGE = 1280  # long edge of the grid for small stars
APERTURE = {"pattern": ["aperture"]}
DRAWN = {"pattern": ["drawn"]}


class Spread(Settings):
    """The lens, or the star."""

    pattern: Literal["aperture", "drawn"] = choice(
        "aperture", "From an aperture, or drawn plainly", label="Star from", group="Star", essential=True
    )
    size: float = number(
        0.16,
        "Length of the longest spikes",
        unit="diagonal",
        low=0.01,
        high=0.6,
        step=0.005,
        exponent=2.0,
        group="Star",
        essential=True,
    )
    blades: int = whole(6, "Blades of the aperture", low=3, high=18, when=APERTURE, group="Aperture", essential=True)
    roundness: float = number(
        0.08,
        "From straight blades (0) to a round opening (1)",
        unit="share",
        low=0,
        high=1,
        step=0.01,
        when=APERTURE,
        group="Aperture",
    )
    dust: float = number(
        0.15, "Dust and scratches on the glass", unit="share", low=0, high=1, step=0.01, when=APERTURE, group="Aperture"
    )
    seed: int = seed_setting("Different dust", when=APERTURE, group="Aperture")
    spikes: int = whole(6, "Spikes of the drawn star, an even number", low=2, high=24, step=2, when=DRAWN, group="Drawn star")
    taper: float = number(
        0.5, "How quickly the spikes thin out", unit="share", low=0, high=1, step=0.01, when=DRAWN, group="Drawn star"
    )
    rotation: float = number(
        12.0, "Rotates the star", unit="degrees", mirror="rotation", low=-180, high=180, step=1, group="Star", essential=True
    )


@lru_cache(4)
def star_kernel(space: RgbSpace, settings: Spread, radius: float) -> Floats:
    """The star on cells, (3, K, K) planes that sum to 1 each; `radius` in cells from the middle to the end."""
    s = settings
    if s.pattern == "aperture":
        table = diffraction(s.blades, s.roundness, s.dust, s.seed, space)
    else:
        table = drawn_star(s.spikes - s.spikes % 2, s.taper)
    edge = 2 * max(1, round(radius)) + 1
    middle = (EDGE - 1) / 2
    turn = cv2.getRotationMatrix2D((middle, middle), s.rotation, 1.0)
    turned = cv2.warpAffine(table, turn, (EDGE, EDGE), flags=cv2.INTER_LINEAR)
    kernel = cv2.resize(turned, (edge, edge), interpolation=cv2.INTER_AREA if edge < EDGE else cv2.INTER_LINEAR)
    kernel = np.asarray(kernel, np.float32).transpose(2, 0, 1)
    result = np.ascontiguousarray(kernel / kernel.sum(axis=(1, 2), keepdims=True))
    result.flags.writeable = False  # renderings share it
    return result


@kernel
def _lay(kernel: Floats, places: Floats, light: Floats, out: Floats) -> None:
    """Adds `light` (n, 3) times the kernel (3, K, K), its middle at `places` (n, 2) in cells, to planes (3, h, w)."""
    _, edge, _ = kernel.shape
    _, height, width = out.shape
    half = edge // 2
    for y in prange(height):
        for n in range(places.shape[0]):
            # The kernel's first cell, and how far its cells lie beside the grid's.
            left, top = places[n, 0] - np.float32(half) - np.float32(0.5), places[n, 1] - np.float32(half) - np.float32(0.5)
            x0, y0 = int(np.floor(left)), int(np.floor(top))
            fx, fy = left - np.float32(x0), top - np.float32(y0)
            ky = y - y0
            if ky < 0 or ky > edge:
                continue
            first, last = max(x0 + 1, 0), min(x0 + edge, width)
            if first >= last:
                continue
            upper = fy if ky > 0 else np.float32(0.0)
            lower = np.float32(1.0) - fy if ky < edge else np.float32(0.0)
            above, here = max(ky - 1, 0), min(ky, edge - 1)
            n_cells = last - first
            k = first - x0
            for c in range(3):
                line = out[c, y, first:last]
                a, b = kernel[c, here, k : k + n_cells], kernel[c, here, k - 1 : k - 1 + n_cells]
                d, e = kernel[c, above, k : k + n_cells], kernel[c, above, k - 1 : k - 1 + n_cells]
                wa, wb = light[n, c] * lower * (np.float32(1.0) - fx), light[n, c] * lower * fx
                wd, we = light[n, c] * upper * (np.float32(1.0) - fx), light[n, c] * upper * fx
                for x in range(n_cells):
                    line[x] += wa * a[x] + wb * b[x] + wd * d[x] + we * e[x]


def spread(scene: Scene[Points], source: PointSource, settings: Spread) -> ColouredField:
    points = scene.detected
    cells = SPRITE_RADIUS / settings.size  # cells to a diagonal that make a star just as large as its sprite
    edge = min(FINEST_EDGE, max(64, round(cells * max(scene.size) / diagonal(scene.size))))
    width, height = fit_within(scene.size, edge)
    length = diagonal((width, height))
    kernel = star_kernel(scene.space, settings, settings.size * length)
    planes = np.zeros((3, height, width), np.float32)
    places = (points.places * (width, height)).astype(np.float32)
    light = points.light * f32(length**2 * 2.0**LAMP_STOPS)
    _lay(kernel, places, light, planes)
    return ColouredField(np.ascontiguousarray(planes.transpose(1, 2, 0)))


KIND = Kind(
    name="starburst",
    order=3,
    summary="Diffraction spikes on points of light",
    words="sun, stars, lens, spikes, rays, lamps",
    icon="M8 1.5v13M2.4 4.7l11.2 6.6M2.4 11.3l11.2-6.6",
    source_settings=PointSource,
    spread_settings=Spread,
    source=points_source,
    spread=spread,
    detect=detect_points,
    initial=brightest_spots,
    colour=Colour(origin="plate"),
    nothing_shines=NOTHING_SHINES,
    sought=(Sought(where="source.placed", fixed=ONE_PLACED),),
)
