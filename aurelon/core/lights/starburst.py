"""Starburst: diffraction spikes on points of light.

Light that passes the straight edges of a diaphragm is thrown out across them, so every edge makes
two spikes: an even number of blades gives that many, an odd number twice as many. The pattern is
computed from the aperture (see `aperture.py`), so the spikes carry the colours of diffraction. A lamp
is many times brighter than a picture can hold; `headroom` says by how many stops, and the spikes'
length follows from it and from each point's own brightness.

Each point lays the whole pattern on a grid whose cells grow with `size`, so the cost does not.
"""

from __future__ import annotations

from typing import Any, Literal, cast

import cv2
import numpy as np
from numba import njit, prange

from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.lights.bloom import GlowField
from aurelon.core.lights.shared.initial_settings import open_share
from aurelon.core.lights.shared.kind import Colour, Detected, Floats, Kind, LightField, Merge, Reading, Scene
from aurelon.core.lights.shared.points import PLACED_RADIUS, Points, PointSource, draw_points, find_points
from aurelon.core.optics.aperture import EDGE, diffraction, drawn_star
from aurelon.core.plate import Plate
from aurelon.core.settings import Settings, setting

SPRITE_RADIUS = 200  # cells from a point to the end of its star
FINEST_EDGE = 1280  # long edge of the grid for small stars
APERTURE = {"pattern": ["aperture"]}
DRAWN = {"pattern": ["drawn"]}


class Spread(Settings):
    """The lens, or the star."""

    pattern: Literal["aperture", "drawn"] = setting("aperture", "From a diaphragm, or drawn plainly", label="Star from")
    size: float = setting(
        0.16, "How far the farthest spikes go", unit="diagonal", low=0.01, high=0.6, step=0.005, bend=2.0
    )
    headroom: float = setting(
        7.0, "How much brighter the lamps are than the picture shows", unit="stops", low=0, high=14, step=0.1
    )
    blades: int = setting(6, "Blades of the diaphragm", unit="count", low=3, high=18, step=1, when=APERTURE)
    roundness: float = setting(
        0.08, "From straight blades (0) to a round opening (1)", unit="share", low=0, high=1, step=0.01, when=APERTURE
    )
    dust: float = setting(0.15, "Dust and scratches on the glass", unit="share", low=0, high=1, step=0.01, when=APERTURE)
    seed: int = setting(1, "Another number, other dust", unit="seed", low=0, high=9999, step=1, when=APERTURE)
    spikes: int = setting(6, "Spikes of the drawn star, an even number", unit="count", low=2, high=24, step=2, when=DRAWN)
    taper: float = setting(0.5, "How fast the spikes thin out", unit="share", low=0, high=1, step=0.01, when=DRAWN)
    rotation: float = setting(12.0, "Turns the star", unit="degrees", low=-180, high=180, step=1)


def detect(reading: Reading, settings: PointSource) -> Detected:
    return find_points(reading, settings)


def source(reading: Reading, settings: PointSource, frame: Frame) -> Floats:
    """(h, w, 3): the points that shine, each a small disc."""
    return draw_points(cast(Points, reading.found), frame, PLACED_RADIUS)


def star_kernel(scene: Scene, settings: Spread, radius: float) -> Floats:
    """The star on cells, (3, K, K) planes that sum to 1 each; `radius` in cells from the middle to the end."""
    s = settings
    if s.pattern == "aperture":
        table = diffraction(s.blades, s.roundness, s.dust, s.seed, scene.space)
    else:
        table = drawn_star(s.spikes - s.spikes % 2, s.taper)
    edge = 2 * max(1, round(radius)) + 1
    middle = (EDGE - 1) / 2
    turn = cv2.getRotationMatrix2D((middle, middle), s.rotation, 1.0)
    turned = cv2.warpAffine(table, turn, (EDGE, EDGE), flags=cv2.INTER_LINEAR)
    kernel = cv2.resize(turned, (edge, edge), interpolation=cv2.INTER_AREA if edge < EDGE else cv2.INTER_LINEAR)
    kernel = np.asarray(kernel, np.float32).transpose(2, 0, 1)
    return np.ascontiguousarray(kernel / kernel.sum(axis=(1, 2), keepdims=True))


@njit(parallel=True, cache=True, fastmath=True)
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


def spread(scene: Scene, settings: Spread) -> LightField:
    points = cast(Points, scene.found())
    full = float(np.hypot(*scene.size))
    cells = SPRITE_RADIUS / settings.size  # cells to a diagonal that make a star just as large as its sprite
    edge = min(FINEST_EDGE, max(64, round(cells * max(scene.size) / full)))
    width, height = fit_within(scene.size, edge)
    diagonal = float(np.hypot(width, height))
    kernel = star_kernel(scene, settings, settings.size * diagonal)
    planes = np.zeros((3, height, width), np.float32)
    places = (points.places * (width, height)).astype(np.float32)
    light = points.light * np.float32(diagonal**2 * 2.0**settings.headroom)
    _lay(kernel, places, light, planes)
    return GlowField(np.ascontiguousarray(planes.transpose(1, 2, 0)))


def place(plate: Plate) -> dict[str, dict[str, Any]]:
    """A threshold that the brightest spots of this picture pass."""
    return {"source": {"threshold": open_share(plate, 0.01, PointSource().knee)}}


KIND = Kind(
    name="starburst",
    title="Starburst",
    summary="Diffraction spikes on points of light",
    source_settings=PointSource,
    spread_settings=Spread,
    source=source,
    spread=spread,
    place=place,
    colour=Colour(origin="plate"),
    merge=Merge(),
    detect=detect,
    nothing_shines="No point is bright enough: lower Threshold in Source, or place a point by hand.",
)
