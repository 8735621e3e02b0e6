"""A rough sketch of where light should fall and, erasing, where it should not; and how well a light agrees with it.

A hand paints where it is clearly lit, whatever the strength. So a light is compared as what is lit of it, a soft step of its
blurred luminance at the level that fits best; the agreement is the cosine between that and the sketch. Places that are marked count
in full, others less, so that light may spill where nothing was said.

A hand that paints rays paints along them. Long, straight strokes say which way rays run: how far those of a light turn from them
counts against it.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from aurelon.core.errors import RigError
from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.frame import Frame, diagonal, fit_within, in_diagonals
from aurelon.core.masks.strokes import lay_down
from aurelon.core.settings import Stroke

SKETCH_BRUSH = {"size": 0.04, "hardness": 0.5, "flow": 1.0}  # a new one
EDGE = 160  # pixels on the long edge of a sketch and of the drafts that are compared with it
BLUR = 0.025  # diagonals over which both are blurred
SAID, UNSAID = 1.0, 0.45  # weight of a marked place and of any other
BRIGHTEST, LEVELS = 0.985, (0.08, 0.2, 0.45)  # quantile of the light, and shares of it from which a place counts as lit
ROUNDS, PARALLEL, MISSED = (
    8,
    0.03,
    0.08,
)  # of the search for where strokes meet; lines that meet nowhere; sine of a stroke that is off
MARKED = 0.5  # paint from which a place is marked
DOT = 0.035  # diagonals; a sketch that is nowhere wider says of no direction
LEAST, MOST = 0.002, 0.9  # share of the plate that can be marked as lit
LONG, STRAIGHT = 0.12, 0.97  # diagonals that a stroke along a ray is long at least; its chord as a share of its length
MOST_TURNED = 20.0  # degrees; a ray that turns farther from a stroke has nothing to do with it
BOTH = 0.5  # share of the lit places that may be marked as dark as well


@dataclass(frozen=True)
class Sketch:
    """`wanted` and `unwanted` (h, w) in 0..1 at `frame`, all of the plate; their `weight` (h, w) in a comparison. `rays` (n, 5) are
    the strokes that run along rays: middle and unit direction in diagonals, and length."""

    frame: Frame
    wanted: Floats
    unwanted: Floats
    weight: Floats
    rays: Doubles

    def turned_from_rays(self, directions: Doubles) -> float:
        """How far rays of those directions (n, 2) in diagonals turn from the strokes: the mean of sin² of the angle, in 0..1."""
        if not len(self.rays):
            return 0.0
        lengths = np.maximum(np.hypot(directions[:, 0], directions[:, 1]), 1e-9)
        sine = (directions[:, 0] * self.rays[:, 3] - directions[:, 1] * self.rays[:, 2]) / lengths
        most = np.sin(np.radians(MOST_TURNED)) ** 2
        return float(np.average(np.minimum(sine**2, most), weights=self.rays[:, 4]))

    def meeting(self) -> Doubles | None:
        """The place (2,), in plate fractions, toward which the strokes along rays run; None where there are too few, or they are
        parallel."""
        if len(self.rays) < 2:
            return None
        middles, normals = self.rays[:, :2], np.stack([-self.rays[:, 3], self.rays[:, 2]], axis=1)
        offsets = (middles * normals).sum(axis=1)
        weights = self.rays[:, 4].copy()
        place = np.zeros(2)
        for _ in range(ROUNDS):
            place, _, rank, sizes = np.linalg.lstsq(normals * weights[:, None], offsets * weights, rcond=None)
            if rank < 2 or sizes[-1] < PARALLEL * sizes[0]:
                return None
            away = np.hypot(*(middles - place).T)
            # Strokes that miss the place by much of their distance from it count little.
            missed = np.abs(normals @ place - offsets) / np.maximum(away, 1e-6)
            weights = self.rays[:, 4] / (1 + (missed / MISSED) ** 2) / np.maximum(away, self.rays[:, 4])
        return np.asarray(place / self.aspect)

    @property
    def aspect(self) -> Doubles:
        """Width and height in diagonals."""
        return np.array(in_diagonals(self.frame.size))

    @property
    def places(self) -> Doubles:
        """Middles of the lit pixels (n, 2) as fractions of the plate."""
        y, x = np.nonzero(self.wanted > MARKED)
        return np.stack([(x + 0.5) / self.frame.width, (y + 0.5) / self.frame.height], axis=1)

    def agreement(self, luminance: Floats) -> float:
        """How well light of that luminance (h, w) at the sketch's frame agrees with it, in 0..1."""
        light = blurred(np.maximum(luminance, 0))
        at = int(BRIGHTEST * (light.size - 1))
        brightest = float(np.partition(light, at, axis=None)[at])
        if brightest <= 0:
            return 0.0
        ask = self.weight * self.wanted
        whole = float((ask * self.wanted).sum())
        best = 0.0
        for level in LEVELS:
            squared = np.square(light * f32(1 / (level * brightest)))
            lit = squared / (1 + squared)
            best = max(best, float((ask * lit).sum()) / (float((self.weight * lit * lit).sum()) * whole) ** 0.5)
        return best


def blurred(picture: Floats) -> Floats:
    """A picture (h, w), blurred as sketches are."""
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), BLUR * diagonal(picture.shape)), np.float32)


def sketch_of(strokes: tuple[Stroke, ...], size: tuple[int, int]) -> Sketch:
    """The sketch that strokes make on a plate of `size` (width, height). Raises RigError where they cannot be read as one."""
    frame = Frame.whole(fit_within(size, EDGE))
    aspect = in_diagonals(size)
    # A mark is a mark, however light the hand.
    firm = tuple(stroke.model_copy(update={"flow": 1.0}) for stroke in strokes)
    lit = tuple(stroke for stroke in firm if not stroke.erase)
    if not lit:
        raise _unread("paint where the light should fall; nothing is painted yet")
    dark = tuple(stroke.model_copy(update={"erase": False}) for stroke in firm if stroke.erase)
    painted, unwanted = lay_down(lit, aspect, frame, None), lay_down(dark, aspect, frame, None)
    marked = painted > MARKED
    share = float(marked.mean())
    if float((marked & (unwanted > MARKED)).mean()) > BOTH * share:
        raise _unread("most of what is painted as lit is also painted as dark; begin the sketch anew")
    # A later stroke overrides an earlier one.
    wanted = lay_down(firm, aspect, frame, None)
    y, x = np.nonzero(wanted > MARKED)
    extent = max(np.ptp(x), np.ptp(y)) / frame.diagonal if x.size else 0.0
    if share < LEAST or extent < DOT:
        raise _unread("one dot does not say how the light falls; paint over all that it should light")
    if share > MOST:
        raise _unread("all of the picture is painted; paint only where the light should fall, or, with Alt, where it should not")
    weight = np.where((painted > MARKED) | (unwanted > MARKED), f32(SAID), f32(UNSAID))
    return Sketch(frame, blurred(wanted), unwanted, weight, _along_rays(lit, np.array(aspect)))


def _along_rays(strokes: tuple[Stroke, ...], aspect: Doubles) -> Doubles:
    """Strokes that are long and straight, as (n, 5)."""
    result = []
    for stroke in strokes:
        points = np.array(stroke.points).reshape(-1, 3)[:, :2] * aspect
        chord = points[-1] - points[0]
        length, travel = float(np.hypot(*chord)), float(np.hypot(*np.diff(points, axis=0).T).sum())
        if length > LONG and length > STRAIGHT * travel:
            result.append([*points.mean(axis=0), *(chord / length), length])
    return np.array(result).reshape(-1, 5)


def _unread(sentence: str) -> RigError:
    return RigError([("", sentence)])
