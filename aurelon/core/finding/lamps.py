"""Tells lamps from other bright things: posts, walls, clouds, and the ghosts that a lens has already made in the picture.

A lamp is a compact spot, about as wide as high, that is much brighter than what is round it and nearly white where it is brightest.
A ghost is a soft, faint disc; a post is long; a wall or a cloud is large.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.fastmath import encode_array

BRIGHT = 0.8  # display-encoded luminance from which something may be a lamp
LARGEST = 0.12  # diagonals across
LONGEST = 2.4  # times as long as wide
STANDS_OUT = 0.12  # by which it is brighter than what is round it, display-encoded
RIM, GLOW = 0.006, 0.012  # diagonals: where its surroundings begin and how wide they are; how far its own glow counts as the lamp


def lamps_in(picture: Floats, luminance: Floats) -> NDArray[np.bool_]:
    """Where the lamps of a picture (h, w, 3) are, with their glow, (h, w)."""
    level = encode_array(picture @ luminance)
    diagonal = float(np.hypot(*level.shape))
    count, labels, boxes, _ = cv2.connectedComponentsWithStats((level >= BRIGHT).astype(np.uint8), connectivity=8)
    lamps = np.zeros(level.shape, np.uint8)
    for label in range(1, count):
        x, y, width, height = (int(value) for value in boxes[label, : cv2.CC_STAT_HEIGHT + 1])
        if max(width, height) > LARGEST * diagonal:
            continue
        rim = round(RIM * diagonal) + 2
        part = slice(max(0, y - 3 * rim), y + height + 3 * rim), slice(max(0, x - 3 * rim), x + width + 3 * rim)
        own = (labels[part] == label).astype(np.uint8)
        if _is_compact(own) and _stands_out(level[part], own, rim):
            lamps[part] |= own
    return np.asarray(cv2.dilate(lamps, _disc(round(GLOW * diagonal) + 1)) > 0)


def _is_compact(own: NDArray[np.uint8]) -> bool:
    """Whether a spot is about as wide as high, by its second moments."""
    places = np.stack(np.nonzero(own)).astype(float)
    spread = np.cov(places) + np.eye(2) / 12 if places.shape[1] > 1 else np.eye(2)
    shorter, longer = np.linalg.eigvalsh(spread)
    return bool(longer <= LONGEST**2 * shorter)


def _stands_out(level: Floats, own: NDArray[np.uint8], rim: int) -> bool:
    """Whether it is much brighter than a ring round it."""
    near, far = cv2.dilate(own, _disc(rim)), cv2.dilate(own, _disc(2 * rim))
    ring = level[(far > 0) & (near == 0)]
    return bool(ring.size == 0 or float(level[own > 0].max()) - float(np.median(ring)) >= STANDS_OUT)


def _disc(radius: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)), np.uint8)
