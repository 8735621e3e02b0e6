"""Points of light in a picture: the local maxima of what shines.

Highlights are gathered by a Gaussian as wide as the smallest distance, and its local maxima are the points. A point holds all
light of a lamp up to half as wide as that distance.
"""

from __future__ import annotations

import cv2
import numpy as np

from aurelon.core.imaging.arrays import Doubles, Floats
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.fastmath import smoothstep
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.gaussian_pyramid import gaussian_mixture

FAINTEST = 1e-3  # of the brightest point, below which nothing is a point
MOST = 200
LEAST_SEEN = 0.05  # share of a point within the frame, below which nothing is known of its light
NEAR = 4  # pixels round a maximum at half the size within which that of the full size lies


def brightest_points(open_light: Floats, luminance: Floats, spacing: float) -> tuple[Doubles, Floats]:
    """Places (n, 2) in fractions and light (n, 3), linear RGB times area in squared diagonals; brightest first.

    `open_light` (h, w, 4) is light and openness, `spacing` the smallest distance of two points in pixels.
    """
    height, width, _ = open_light.shape
    size = (width, height)
    diagonal = float(np.hypot(height, width))
    sigma = max(spacing / 4, 0.8)
    weights = np.append(luminance, np.float32(0))
    # How open it is comes along, for to leave it out would be one more pass over everything.
    gathered = gaussian_mixture(open_light, [sigma], [1.0], finest=1)
    level = gathered @ weights
    finer = width / level.shape[1]
    reach = max(1, round(spacing / 2 / finer))
    highest = cv2.dilate(level, np.ones((2 * reach + 1, 1), np.uint8))
    highest = np.asarray(cv2.dilate(highest, np.ones((1, 2 * reach + 1), np.uint8)))
    maxima = (level >= highest) & (level > FAINTEST * max(float(level.max()), 1e-12))
    rows, columns = np.divmod(np.flatnonzero(maxima), level.shape[1])
    order = np.argsort(-level[rows, columns], kind="stable")[:MOST]
    found = [
        _finest(gathered, weights, size, (column + 0.5) * finer, (row + 0.5) * finer)
        for row, column in zip(rows[order], columns[order], strict=True)
    ]
    places: list[Doubles] = []
    light: list[Floats] = []
    for place, _ in sorted(found, key=lambda point: -float(point[1] @ luminance)):
        # A plateau has many summits; the first of them stands for all within the smallest distance.
        if places and np.hypot(*((np.array(places) - place) * size).T).min() < spacing:
            continue
        places.append(place)
        light.append(_light_of(open_light, place, max(sigma, 2.0)) / np.float32(diagonal**2))
    return np.array(places).reshape(-1, 2), np.array(light, np.float32).reshape(-1, 3)


def light_at(open_light: Floats, places: Doubles, spacing: float) -> tuple[Doubles, Floats]:
    """The same of places (n, 2) that are known: as much light as there is at each now."""
    diagonal = float(np.hypot(*open_light.shape[:2]))
    radius = max(spacing / 4, 0.8, 2.0)
    light = [_light_of(open_light, place, radius) / np.float32(diagonal**2) for place in places]
    return places, np.array(light, np.float32).reshape(-1, 3)


def _light_of(open_light: Floats, place: Doubles, radius: float) -> Floats:
    """All light (3,) within `radius` pixels of a place, times area in pixels; less of it out to twice as far. Beyond the
    frame it is taken to go on as it is within."""
    height, width, _ = open_light.shape
    x, y = place * (width, height) - 0.5
    reach = int(2 * radius) + 1
    rows, columns = np.arange(int(y) - reach, int(y) + reach + 1), np.arange(int(x) - reach, int(x) + reach + 1)
    away = np.hypot(rows[:, None] - y, columns[None] - x) / radius
    window = np.asarray(smoothstep(np.clip(2 - away, 0, 1)), np.float32)
    inside = np.ix_((rows >= 0) & (rows < height), (columns >= 0) & (columns < width))
    there = window[inside]
    part = open_light[np.ix_(rows[(rows >= 0) & (rows < height)], columns[(columns >= 0) & (columns < width)])][:, :, :3]
    share = float(there.sum()) / float(window.sum())
    if share < LEAST_SEEN:
        return np.zeros(3, np.float32)
    return np.asarray(np.tensordot(there, part, axes=2) / np.float32(share), np.float32)


def _finest(gathered: Floats, weights: Floats, size: tuple[int, int], x: float, y: float) -> tuple[Doubles, Floats]:
    """The maximum near a pixel at the full size: its place in fractions, and its light (3,)."""
    width, height = size
    x0, y0 = max(0, int(x) - NEAR - 1), max(0, int(y) - NEAR - 1)
    frame = Frame(width, height, x0, y0, min(width, int(x) + NEAR + 2), min(height, int(y) + NEAR + 2))
    near = enlarge_to(gathered, frame)
    level = near @ weights
    row, column = np.unravel_index(int(np.argmax(level)), level.shape)
    top, left = _summit(level, int(row), int(column))
    place = np.array([(x0 + left + 0.5) / width, (y0 + top + 0.5) / height])
    return place, near[row, column, :3]


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
