"""Points of light that kinds shine from: found in the picture, switched off, moved or placed by hand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from aurelon.core.finding.lamps import lamps_in
from aurelon.core.finding.points import brightest_points, light_at
from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import CANONICAL_EDGE, Frame
from aurelon.core.imaging.picture_rows import PictureRows
from aurelon.core.lights.shared.highlights import HighlightSource, highlights
from aurelon.core.lights.shared.initial_settings import open_share
from aurelon.core.lights.shared.kind import Reading
from aurelon.core.plate import Plate
from aurelon.core.settings import Place, flag, number, places_setting, whole

SAME_PLACE = 0.006  # diagonals within which a place that is switched off means a found point
PLACED_RADIUS = 0.004  # diagonals; a placed point is as bright as a white disc of this radius
# One placed point, without any found ones.
ONE_PLACED: dict[str, dict[str, object]] = {"source": {"max_points": 0, "placed": ((0.5, 0.5),)}}
NOTHING_SHINES = "No point is bright enough; lower Threshold in Source, or place a point by hand."


class PointSource(HighlightSource):
    """Which points shine: highlights of the picture, and what is placed by hand."""

    threshold: float = number(
        0.85, "How bright the picture must be to count as a point of light", unit="share", low=0, high=2, step=0.01, essential=True
    )
    knee: float = number(0.15, "How softly the light sets in above the threshold", unit="share", low=0.01, high=1, step=0.01)
    max_points: int = whole(12, "Takes up to this many points, brightest first; 0 takes none", low=0, high=48, essential=True)
    min_spacing: float = number(
        0.03, "Smallest distance between two points", unit="diagonal", low=0.005, high=0.3, step=0.005, exponent=2.0
    )
    placed: tuple[Place, ...] = places_setting("Points placed by hand", max_points=48, essential=True)
    hiding: float = number(0.0, "How far dark things in front hide a placed point", unit="share", low=0, high=1, step=0.01)
    only_lamps: bool = flag(
        False, "Passes over bright things that are not shaped like lamps: posts, walls, clouds, ghosts of a lens"
    )
    switched_off: tuple[Place, ...] = places_setting(
        "Found points that are switched off; no others take their turn", max_points=200, adds=False
    )
    followed: tuple[Place, ...] = places_setting(
        "Points followed over the frames, in place of those found anew on each", max_points=48, adds=False, over_frames=True
    )


@dataclass(frozen=True)
class Points:
    """`places` (n, 2) in plate fractions, `light` (n, 3) linear RGB times area in squared diagonals.

    `found` (n,) says which were found in the picture, `off` (m, 2) where found points are switched off.
    """

    places: Doubles
    light: Floats
    found: NDArray[np.bool_]
    off: Doubles

    @property
    def nbytes(self) -> int:
        return self.places.nbytes + self.light.nbytes + self.found.nbytes + self.off.nbytes


def detect_points(reading: Reading[None], settings: PointSource) -> Points:
    """The points of light in the canonical picture, brightest first, then the placed ones."""
    if settings.max_points == 0 and settings.hiding == 0 and not settings.followed:
        return _placed(settings)
    canonical = reading.canonical
    height, width, _ = canonical.shape
    whole_frame = Frame.whole((width, height))
    open_light = highlights(Reading(PictureRows.of(canonical), reading.space, None), settings, whole_frame)
    if settings.only_lamps:
        open_light = open_light * lamps_in(canonical, reading.space.luminance)[:, :, None]
    spacing = settings.min_spacing * whole_frame.diagonal
    if settings.followed:
        found, light = light_at(open_light, np.array(settings.followed, float), spacing)
    else:
        found, light = brightest_points(open_light, reading.space.luminance, spacing)
    size = np.array([width, height], float)
    off = np.zeros(len(found), bool)
    if settings.switched_off and len(found):
        away = np.linalg.norm((found[:, None] - np.array(settings.switched_off)[None]) * size, axis=2) / whole_frame.diagonal
        off = away.min(axis=1) < SAME_PLACE
    # What is switched off keeps its turn, so that no other point comes in for it.
    kept = np.flatnonzero(~off[: len(off) if settings.followed else settings.max_points])
    placed = np.array(settings.placed, float).reshape(-1, 2)
    seen = 1 - settings.hiding * (1 - _openness_at(open_light[:, :, 3], placed, whole_frame.diagonal))
    white = np.repeat((np.pi * PLACED_RADIUS**2 * seen)[:, None], 3, axis=1).astype(np.float32)
    return Points(
        np.concatenate([found[kept], placed]),
        np.concatenate([light[kept], white]),
        np.arange(len(kept) + len(placed)) < len(kept),
        found[off],
    )


def _placed(settings: PointSource) -> Points:
    """The placed points alone, for which the picture need not be looked at."""
    placed = np.array(settings.placed, float).reshape(-1, 2)
    white = np.full((len(placed), 3), np.pi * PLACED_RADIUS**2, np.float32)
    return Points(placed, white, np.zeros(len(placed), bool), np.zeros((0, 2)))


def _openness_at(openness: Floats, places: Doubles, diagonal: float) -> Doubles:
    """How open the picture is round each place (n, 2), 0..1; 1 outside the frame, where nothing is seen in front."""
    height, width = openness.shape
    reach = max(1, round(PLACED_RADIUS * diagonal))
    around = []
    for x, y in places * (width, height):
        if not (0 <= x < width and 0 <= y < height):
            around.append(1.0)
            continue
        part = openness[max(0, int(y) - reach) : int(y) + reach + 1, max(0, int(x) - reach) : int(x) + reach + 1]
        around.append(float(part.mean()))
    return np.array(around)


def points_source(reading: Reading[Points], settings: PointSource, frame: Frame) -> Floats:
    """(h, w, 3): the points that shine, each a small disc."""
    return draw_points(reading.detected, frame, PLACED_RADIUS)


def brightest_spots(plate: Plate) -> dict[str, dict[str, Any]]:
    """A threshold that the brightest spots of this picture pass."""
    return {"source": {"threshold": open_share(plate, 0.01, PointSource().knee)}}


def brightest_lamps(plate: Plate) -> dict[str, dict[str, Any]]:
    """The same of spots that are lamps, where there are any."""
    result = brightest_spots(plate)
    pixels = plate.at(Frame.canonical(plate.size, CANONICAL_EDGE))
    bright = encode_array(pixels @ plate.space.luminance) >= result["source"]["threshold"]
    if (lamps_in(pixels, plate.space.luminance) & bright).any():
        result["source"]["only_lamps"] = True
    return result


def draw_points(points: Points, frame: Frame, radius: float) -> Floats:
    """What the points look like as a Source: (h, w, 3), each a soft disc of `radius` diagonals."""
    out = np.zeros((*frame.shape, 3), np.float32)
    diagonal = float(np.hypot(*frame.size))
    sigma = max(radius * diagonal / 2, 0.6)
    for place, light in zip(points.places, points.light, strict=True):
        x, y = place[0] * frame.width - frame.x0, place[1] * frame.height - frame.y0
        reach = int(np.ceil(4 * sigma))
        x0, x1 = max(0, int(x) - reach), min(out.shape[1], int(x) + reach + 1)
        y0, y1 = max(0, int(y) - reach), min(out.shape[0], int(y) + reach + 1)
        if x0 >= x1 or y0 >= y1:
            continue
        across = np.exp(-((np.arange(x0, x1) + 0.5 - x) ** 2) / (2 * sigma**2))
        down = np.exp(-((np.arange(y0, y1) + 0.5 - y) ** 2) / (2 * sigma**2))
        # The same light within the disc, whatever the size it is drawn at.
        peak = light * f32(diagonal**2 / (2 * np.pi * sigma**2))
        out[y0:y1, x0:x1] += (down[:, None] * across[None])[:, :, None].astype(np.float32) * peak
    return out
