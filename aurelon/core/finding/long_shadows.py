"""From which side the sun shines, by the shadows that things cast on the ground.

Shadows of upright things under one sun are parallel on level ground, so in the picture their edges run toward one place on the
horizon, under the sun or opposite to it (Sandnes, "Determining the Geographical Location of Image Scenes based on Object
Shadow Lengths", 2010, for what such shadows tell). An edge is that of a shadow where its dark side is cooler than its bright
one, as only the sky lights it. Which of the two it is tell: the side from which things are lit, at which end of a shadow
there is a thing, and where the sky is brighter. Pictures are seen as through a normal lens held level, whose focal length
is the picture's diagonal.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Doubles, Floats

FAINTEST, DARKEST = 0.15, 2.5  # step of logarithmic light across a shadow's edge
COOLER = 0.12  # of that step, how much cooler the dark side is at least
SHORTEST = 0.02  # diagonals
UPRIGHT, LEVEL = 4.0, 8.0  # degrees from plumb and from level within which an edge is that of a post, or of waves and walls
SIDEMOST = 75.0  # degrees beside the view up to which shadows are not level
OFF = 0.05  # sine of the angle by which an edge may miss its place
WITHIN = 1.6  # of that, within which an edge is one of those that run to it
FEWEST, LEAST_LENGTH = 10, 0.8  # edges, and diagonals of them, from which shadows tell something
CHANCE, CLEAR = 0.10, 0.40  # share of edges that run to one place by chance, and where shadows are clear
CLEAR_SENSE, OWN_ERROR = 0.6, 5.0  # how much is to speak for before or behind, and degrees that a direction may be off at best
SUREST = 0.7
USUAL_HEIGHT, LOWEST, HIGHEST = 20.0, 10.0, 40.0  # degrees above the horizon, at which suns cast long shadows
WIDEST = 60.0  # degrees beside the view to which a place stands for the sun, rather than a direction


@dataclass(frozen=True)
class Sunlit:
    """Where the sun is by shadows: degrees to the right of the view (-180..180) and the direction toward it in the picture
    (x right, y down, of length 1), with its error in degrees; the place of the sun in pixels where it is in front, and how
    surely all that is, 0..1."""

    azimuth: float
    direction: Doubles
    error: float
    place: Doubles | None
    confidence: float


@dataclass(frozen=True)
class _Edges:
    """Edges on the ground, each by its ends (n, 2), the way across it to its dark side (n, 2), and its length (n,)."""

    begin: Doubles
    end: Doubles
    toward_dark: Doubles
    length: Doubles

    @property
    def middle(self) -> Doubles:
        return np.asarray((self.begin + self.end) / 2)

    def only(self, kept: NDArray[np.bool_]) -> _Edges:
        return _Edges(self.begin[kept], self.end[kept], self.toward_dark[kept], self.length[kept])


def by_shadows(pixels: Floats, tone: Floats, sky: Floats, lit_from: Doubles | None) -> Sunlit | None:
    """Where the sun is by the shadows in a small picture (h, w, 3) with its display-encoded `tone` (h, w), under a `sky` (h, w)
    in 0..1; None where no shadows tell. `lit_from` (2,) is the direction from which things are lit, where that is known."""
    height, width = tone.shape
    diagonal = float(np.hypot(height, width))
    rows = np.nonzero((sky > 0.5).mean(axis=1) > 0.3)[0]
    if not rows.size or rows[-1] + 1 > 0.9 * height:
        return None
    horizon = float(rows[-1] + 1)
    logs = np.log(np.maximum(cv2.GaussianBlur(pixels, (0, 0), 1.0), 0) + np.float32(0.01))
    bright, warm = logs.mean(axis=2), logs[:, :, 0] - logs[:, :, 2]
    edges = _shadow_edges(tone, bright, warm, sky < 0.5, horizon)
    total = float(edges.length.sum())
    if len(edges.length) < FEWEST or total < LEAST_LENGTH * diagonal:
        return None
    turns = np.deg2rad(np.arange(-SIDEMOST, SIDEMOST + 1))
    places = np.stack([width / 2 + diagonal * np.tan(turns), np.full(len(turns), horizon)], axis=1)
    misses = np.array([_missed(edges, place) for place in places])
    shares = (np.exp(-((misses / OFF) ** 2)) * edges.length).sum(axis=1) / total
    best = int(np.argmax(shares))
    sure = float(np.clip((shares[best] - CHANCE) / (CLEAR - CHANCE), 0, 1))
    turn = float(turns[best])
    supporting = edges.only(misses[best] < WITHIN * OFF)
    sense = _sense(supporting, places[best], turn, bright, sky > 0.5, lit_from)
    turn = turn if sense >= 0 else turn + (np.pi if turn < 0 else -np.pi)
    # Beside the view it makes little difference which of the two it is.
    beside = abs(np.sin(turn)) ** 2
    sure *= max(min(abs(sense) / CLEAR_SENSE, 1.0), float(beside))
    toward = [_toward(turn, np.deg2rad(high)) for high in (USUAL_HEIGHT, LOWEST, HIGHEST)]
    spread = max(abs(np.angle(np.exp(1j * (np.arctan2(*t[::-1]) - np.arctan2(*toward[0][::-1]))))) for t in toward[1:])
    place = None
    if abs(np.rad2deg(turn)) < WIDEST:
        place = np.array(
            [width / 2 + diagonal * np.tan(turn), horizon - diagonal * np.tan(np.deg2rad(USUAL_HEIGHT)) / np.cos(turn)]
        )
    return Sunlit(float(np.rad2deg(turn)), toward[0], float(np.rad2deg(spread)) + OWN_ERROR, place, SUREST * sure)


def _toward(turn: float, high: float) -> Doubles:
    """The direction in the picture toward a sun that is `turn` to the right of the view and `high`, in radians."""
    way = np.array([np.sin(turn) * np.cos(high), -np.sin(high)])
    return np.asarray(way / np.linalg.norm(way))


def _at(picture: NDArray[Any], places: Doubles) -> NDArray[Any]:
    height, width = picture.shape
    x, y = np.round(places).astype(int).T
    return np.asarray(picture[np.clip(y, 0, height - 1), np.clip(x, 0, width - 1)])


def _shadow_edges(tone: Floats, bright: Floats, warm: Floats, ground: NDArray[np.bool_], horizon: float) -> _Edges:
    """Straight edges on the ground whose dark side is the cooler one."""
    height, width = tone.shape
    diagonal = float(np.hypot(height, width))
    # Gioi, Jakubowicz, Morel and Randall, "LSD: A Fast Line Segment Detector with a False Detection Control" (2010).
    lines = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD).detect((np.clip(tone, 0, 1) * 255).astype(np.uint8))[0]
    ends = np.zeros((0, 4)) if lines is None else lines.reshape(-1, 4).astype(np.float64)
    begin, end = ends[:, :2], ends[:, 2:]
    along = end - begin
    length = np.hypot(*along.T)
    across = np.stack([-along[:, 1], along[:, 0]], axis=1) / np.maximum(length, 1e-9)[:, None] * max(3.0, 0.006 * diagonal)
    step, cooler, kept = np.zeros(len(ends)), np.zeros(len(ends)), np.ones(len(ends), bool)
    for share in (0.2, 0.5, 0.8):
        there = begin + along * share
        one, other = there + across, there - across
        step += (_at(bright, one) - _at(bright, other)) / 3
        cooler += (_at(warm, one) - _at(warm, other)) / 3
        kept &= _at(ground, one) & _at(ground, other) & (there[:, 1] > horizon + 0.01 * height)
    size = np.abs(step)
    kept &= (size > FAINTEST) & (size < DARKEST) & (cooler * np.sign(step) > COOLER * size) & (length > SHORTEST * diagonal)
    kept &= np.abs(along[:, 1]) < np.cos(np.deg2rad(UPRIGHT)) * length
    kept &= np.abs(along[:, 1]) > np.sin(np.deg2rad(LEVEL)) * length
    return _Edges(begin, end, np.where(step[:, None] > 0, -across, across), length).only(kept)


def _missed(edges: _Edges, place: Doubles) -> Doubles:
    """The sine of the angle by which each edge misses a place."""
    way, along = place - edges.middle, edges.end - edges.begin
    crossed = way[:, 0] * along[:, 1] - way[:, 1] * along[:, 0]
    return np.asarray(np.abs(crossed) / np.maximum(np.hypot(*way.T) * edges.length, 1e-9))


def _sense(edges: _Edges, place: Doubles, turn: float, bright: Floats, sky: NDArray[np.bool_], lit_from: Doubles | None) -> float:
    """Above 0 where the sun is in front, under which shadows run toward the eye; below where it is behind."""
    height, width = bright.shape
    total = float(np.sign(turn) * lit_from[0]) if lit_from is not None else 0.0
    if edges.length.size:
        # Beyond the one end of a shadow lies the thing that casts it, beyond the other the ground in the sun.
        along = (edges.end - edges.begin) / edges.length[:, None]
        away = np.sign(((place - edges.middle) * along).sum(axis=1))[:, None]
        far, near = np.where(away > 0, edges.end, edges.begin), np.where(away > 0, edges.begin, edges.end)
        past = along * away * 0.02 * np.hypot(height, width)
        shaded, lit = (_at(bright, edges.middle + side * edges.toward_dark) for side in (1, -1))
        rise = np.maximum(lit - shaded, 1e-3)
        beyond = [np.clip((_at(bright, p + edges.toward_dark) - shaded) / rise, -1, 2) for p in (far + past, near - past)]
        total += float(np.average(beyond[1] - beyond[0], weights=edges.length))
    columns = np.nonzero(sky.any(axis=0))[0]
    if columns.size > width / 4:
        level = np.array([bright[sky[:, x], x].mean() for x in columns])
        slope = float(np.polyfit((columns - width / 2) / width, level, 1)[0])
        total += float(np.clip(2 * slope * np.clip(np.tan(turn), -3, 3), -1, 1))
    return total
