"""Tells lamps from other bright things: posts, walls, clouds, and the ghosts that a lens has already made in the picture.

A lamp is a compact spot, about as wide as high, that is much brighter than what is round it and nearly white where it is brightest.
A ghost is a soft, faint disc; a post is long; a wall or a cloud is large, a glitter tiny.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Doubles, Floats
from aurelon.core.imaging.fastmath import encode_array

BRIGHT = 0.92  # display-encoded luminance from which something may be a lamp
SMALLEST, LARGEST = 0.004, 0.12  # diagonals across
LONGEST = 2.4  # times as long as wide
STANDS_OUT = 0.12  # by which it is brighter than what is round it, display-encoded
ROUND = 0.1  # diagonals across of what is round it
GLOW = 0.012  # diagonals round a lamp that count as its own


def lamps_in(picture: Floats, luminance: Floats) -> NDArray[np.bool_]:
    """Where the lamps of a picture (h, w, 3) are, with their glow, (h, w)."""
    level = encode_array(picture @ luminance)
    diagonal = float(np.hypot(*level.shape))
    count, found, boxes, _ = cv2.connectedComponentsWithStats((level >= BRIGHT).astype(np.uint8), connectivity=8)
    labels = np.asarray(found, np.int32)
    small = np.maximum(boxes[:, cv2.CC_STAT_WIDTH], boxes[:, cv2.CC_STAT_HEIGHT]) <= LARGEST * diagonal
    small &= boxes[:, cv2.CC_STAT_AREA] >= np.pi / 4 * (SMALLEST * diagonal) ** 2
    small[0] = False  # what is dark
    rows, columns = np.nonzero(small[labels])
    if not rows.size:
        return np.zeros(level.shape, bool)
    of = labels[rows, columns]
    side = 2 * round(ROUND * diagonal / 2) + 1
    above = level[rows, columns] - cv2.blur(level, (side, side))[rows, columns]
    most = np.full(count, -np.inf)
    np.maximum.at(most, of, above)
    lamps = small & (most >= STANDS_OUT) & _compact(of, rows, columns, count)
    radius = round(GLOW * diagonal) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1))
    return np.asarray(cv2.dilate(lamps[labels].astype(np.uint8), disc) > 0)


def _compact(of: NDArray[np.int32], rows: NDArray[np.intp], columns: NDArray[np.intp], count: int) -> NDArray[np.bool_]:
    """Which of `count` spots are about as wide as high, by their second moments; `of` (n,) says whose each pixel is."""
    area = np.maximum(np.bincount(of, minlength=count), 1)

    def mean(values: Doubles) -> Doubles:
        return np.asarray(np.bincount(of, values, count) / area)

    y, x = mean(rows.astype(float)), mean(columns.astype(float))
    # A pixel is a square, whose own second moment is a twelfth.
    yy, xx = mean(rows.astype(float) ** 2) - y * y + 1 / 12, mean(columns.astype(float) ** 2) - x * x + 1 / 12
    xy = mean(rows * columns.astype(float)) - x * y
    half, across = (xx + yy) / 2, np.hypot((xx - yy) / 2, xy)
    return np.asarray(half + across <= LONGEST**2 * (half - across))
