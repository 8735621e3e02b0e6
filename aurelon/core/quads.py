"""Four corners on the plate, seen as a square in perspective."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.frame import Frame
from aurelon.core.settings import Place

Doubles = NDArray[np.float64]
Quad = tuple[Place, Place, Place, Place]

SMALLEST = 1e-7  # squared diagonals; a quad of less area is none


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


def aspect_of(size: tuple[int, int]) -> tuple[float, float]:
    """Width and height in diagonals."""
    diagonal = float(np.hypot(*size))
    return size[0] / diagonal, size[1] / diagonal
