"""Points of light: found in the picture, switched off, moved or placed by hand.

Found on the canonical version of the plate, so that they are the same at every size: highlights
are gathered by a Gaussian as wide as the smallest distance, and its local maxima are the points.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.gaussian_pyramid import gaussian_mixture
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.lights.shared.highlights import HighlightSource, shining
from aurelon.core.lights.shared.kind import Reading
from aurelon.core.settings import Place, setting

Floats = NDArray[np.float32]


SAME_PLACE = 0.006  # diagonals within which a place that is switched off means a found point
PLACED_RADIUS = 0.004  # diagonals; a placed point is as bright as a white disc of this radius
FAINTEST = 1e-3  # of the brightest point, below which nothing is a point


class PointSource(HighlightSource):
    """Which points shine: highlights of the picture, and what is placed by hand."""

    threshold: float = setting(
        0.85, "How bright the picture must be to count as a point of light", unit="share", low=0, high=2, step=0.01
    )
    knee: float = setting(
        0.15, "How gradually light counts above the threshold", unit="share", low=0.01, high=1, step=0.01
    )
    most: int = setting(12, "How many points are taken, brightest first; 0 takes none", unit="count", low=0, high=48, step=1)
    apart: float = setting(
        0.03, "The smallest distance between two points", unit="diagonal", low=0.005, high=0.3, step=0.005, bend=2.0
    )
    placed: list[Place] = Field(
        [], max_length=48, description="Points placed by hand", json_schema_extra={"unit": "points", "handle": "points"}
    )
    hiding: float = setting(
        0.0, "How far what is dark in front hides a placed point", unit="share", low=0, high=1, step=0.01
    )
    hidden: list[Place] = Field(
        [],
        max_length=200,
        title="Switched off",
        description="Found points that are switched off",
        json_schema_extra={"unit": "points"},
    )


@dataclass(frozen=True)
class Points:
    """`places` (n, 2) in plate fractions, `light` (n, 3) linear RGB times area in squared diagonals.

    `found` (n,) says which were found in the picture, `off` (m, 2) where found points are switched off.
    """

    places: NDArray[np.float64]
    light: Floats
    found: NDArray[np.bool_]
    off: NDArray[np.float64]

    @property
    def nbytes(self) -> int:
        return self.places.nbytes + self.light.nbytes + self.found.nbytes + self.off.nbytes


def find_points(reading: Reading, settings: PointSource) -> Points:
    """The points of light in the canonical picture, brightest first, then the placed ones."""
    canonical = reading.canonical
    height, width, _ = canonical.shape
    diagonal = float(np.hypot(height, width))
    open_light = shining(Reading(canonical, reading.space), settings, Frame.whole((width, height)))
    found, light = _maxima(open_light, reading.space, settings, diagonal)
    size = np.array([width, height], float)
    off = np.zeros(len(found), bool)
    if settings.hidden and len(found):
        away = np.linalg.norm((found[:, None] - np.array(settings.hidden)[None]) * size, axis=2) / diagonal
        off = away.min(axis=1) < SAME_PLACE
    kept = np.flatnonzero(~off)[: settings.most]
    placed = np.array(settings.placed, float).reshape(-1, 2)
    seen = 1 - settings.hiding * (1 - _openness_at(open_light[:, :, 3], placed, diagonal))
    white = np.repeat((np.pi * PLACED_RADIUS**2 * seen)[:, None], 3, axis=1).astype(np.float32)
    return Points(
        np.concatenate([found[kept], placed]),
        np.concatenate([light[kept], white]),
        np.arange(len(kept) + len(placed)) < len(kept),
        found[off],
    )


def _openness_at(openness: Floats, places: NDArray[np.float64], diagonal: float) -> NDArray[np.float64]:
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


def _maxima(
    open_light: Floats, space: RgbSpace, settings: PointSource, diagonal: float
) -> tuple[NDArray[np.float64], Floats]:
    height, width, _ = open_light.shape
    sigma = max(settings.apart * diagonal / 4, 0.8)
    # How open it is comes along, for to leave it out would be one more pass over everything.
    gathered = gaussian_mixture(open_light, [sigma], [1.0])
    level = gathered @ np.append(space.luminance, np.float32(0))
    reach = max(1, round(settings.apart * diagonal / 2))
    highest = cv2.dilate(level, np.ones((2 * reach + 1, 1), np.uint8))
    highest = np.asarray(cv2.dilate(highest, np.ones((1, 2 * reach + 1), np.uint8)))
    rows, columns = np.nonzero((level >= highest) & (level > FAINTEST * max(float(level.max()), 1e-12)))
    order = np.argsort(-level[rows, columns], kind="stable")[:200]
    places: list[NDArray[np.float64]] = []
    light: list[Floats] = []
    per_peak = 2 * np.pi * sigma**2 / diagonal**2
    for row, column in zip(rows[order], columns[order], strict=True):
        y, x = _summit(level, int(row), int(column))
        place = np.array([(x + 0.5) / width, (y + 0.5) / height])
        # A plateau has many summits; the first of them stands for all within the smallest distance.
        if any(np.hypot(*((place - p) * (width, height))) < settings.apart * diagonal for p in places):
            continue
        places.append(place)
        light.append(gathered[row, column, :3] * per_peak)
    return np.array(places).reshape(-1, 2), np.array(light, np.float32).reshape(-1, 3)


def _summit(level: Floats, row: int, column: int) -> tuple[float, float]:
    """The top of the parabola through a maximum and its neighbours, for a place finer than a pixel."""

    def offset(before: float, here: float, after: float) -> float:
        bend = before - 2 * here + after
        return float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5)) if bend < 0 else 0.0

    y, x = float(row), float(column)
    if 0 < row < level.shape[0] - 1:
        y += offset(level[row - 1, column], level[row, column], level[row + 1, column])
    if 0 < column < level.shape[1] - 1:
        x += offset(level[row, column - 1], level[row, column], level[row, column + 1])
    return y, x


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
        peak = light * np.float32(diagonal**2 / (2 * np.pi * sigma**2))
        out[y0:y1, x0:x1] += (down[:, None] * across[None])[:, :, None].astype(np.float32) * peak
    return out
