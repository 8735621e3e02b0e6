"""Four corners on the plate, seen as a square in perspective."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from aurelon.core.imaging.arrays import Doubles
from aurelon.core.imaging.frame import Frame

Place = tuple[float, float]  # plate fractions
Quad = tuple[Place, Place, Place, Place]

BESIDE = (0.12, 0.0)  # plate fractions: where a second is laid when one alone tells no direction
DEPTH = (-0.35, 3.0)  # of one step to the distance of the last but one; outside it a row is taken for level with the eye
APART = 0.05  # of its distance, by which the vanishing point may miss the lines that lead to it
SMALLEST = 1e-7  # squared diagonals; a smaller quad counts as empty


def unfolded(quad: Sequence[Place]) -> Doubles:
    """The corners (4, 2) in an order in which no two sides cross: a folded quad is opened out."""
    corners = np.array(quad, float)
    for order in ((0, 1, 2, 3), (0, 1, 3, 2), (0, 2, 1, 3)):
        a, b, c, d = corners[list(order)]
        if not _cross(a, b, c, d) and not _cross(b, c, d, a):
            return corners[list(order)]
    return corners


def _cross(a: Doubles, b: Doubles, c: Doubles, d: Doubles) -> bool:
    def side(p: Doubles, q: Doubles, r: Doubles) -> float:
        return float((q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]))

    return side(a, b, c) * side(a, b, d) < 0 and side(c, d, a) * side(c, d, b) < 0


def to_square(quad: Sequence[Place], frame: Frame, aspect: tuple[float, float]) -> Doubles | None:
    """(3, 3): from pixels of the frame's part to the unit square, whose corners in turn are (0, 0), (1, 0),
    (1, 1) and (0, 1); None for a quad of no area."""
    corners = unfolded(quad)
    x, y = (corners * aspect).T
    if 0.5 * abs(float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))) < SMALLEST:
        return None
    pixels = corners * frame.size - (frame.x0, frame.y0)
    square = np.array([(0, 0), (1, 0), (1, 1), (0, 1)], np.float32)
    matrix = cv2.getPerspectiveTransform(pixels.astype(np.float32), square)
    middle = matrix @ np.array([*pixels.mean(axis=0), 1.0])
    # The side that faces the eye has a positive third coordinate.
    return np.asarray(matrix if middle[2] > 0 else -matrix, np.float64)


def next_in_row(quads: Sequence[Quad], usual: Quad) -> Quad:
    """One more quad in the row of the others: of openings that stand evenly along a wall seen aslant.

    The lines through like corners of the last two meet in the row's vanishing point V; along each, evenly spaced
    places are seen at p(n) = (p(0) + n c V) / (1 + n c) (a projective map of the line that sends infinity to V).
    Where they do not meet in one point the row is parallel to the picture and the step is the same again.
    """
    if len(quads) < 2:
        step = np.zeros(2) if not quads else np.array(BESIDE)
        return _as_quad((np.array(quads[-1]) if quads else np.array(usual, float)) + step)
    before, last = np.array(quads[-2], float), np.array(quads[-1], float)
    even = 2 * last - before
    vanishing = _meeting(before, last)
    if vanishing is None:
        return _as_quad(even)
    to_last = last - vanishing
    depth = np.sum((before - last) * to_last, axis=1) / np.maximum(np.sum(to_last**2, axis=1), 1e-12)
    if depth.min() < DEPTH[0] or depth.max() > DEPTH[1]:
        return _as_quad(even)
    c = depth[:, None]
    return _as_quad((before + 2 * c * vanishing) / (1 + 2 * c))


def _meeting(before: Doubles, last: Doubles) -> Doubles | None:
    """Where the lines through like corners meet, or None where they do not."""
    step = last - before
    lengths = np.hypot(*step.T)
    if lengths.min() < 1e-6:
        return None
    normals = np.stack([-step[:, 1], step[:, 0]], axis=1) / lengths[:, None]
    offsets = np.sum(normals * before, axis=1)
    vanishing, _, _, weights = np.linalg.lstsq(normals, offsets, rcond=None)
    if weights[-1] < 1e-3 * weights[0]:
        return None
    away = np.hypot(*(last - vanishing).T)
    misses = np.abs(normals @ vanishing - offsets)
    return vanishing if (misses < APART * away).all() else None


def _as_quad(corners: Doubles) -> Quad:
    a, b, c, d = ((round(float(x), 4), round(float(y), 4)) for x, y in corners)
    return a, b, c, d
