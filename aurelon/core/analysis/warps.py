"""Affine warps of small patches, (2, 3), and how one is found that lays a patch on a picture.

Reference: Evangelidis and Psarakis, "Parametric image alignment using enhanced correlation coefficient maximization" (2008), which
does not mind how bright the picture has become.
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

Warp = NDArray[np.float64]
Grey = NDArray[np.uint8]
NOT_WARPED: Warp = np.eye(2, 3)
STEPS = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 30, 1e-3)
SMOOTHED = 3  # pixels of the filter that both are smoothed with
MARGIN = 12  # pixels about the patch that are looked at


def carried_by(warp: Warp, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where points (..., 2) are put."""
    return np.asarray(points @ warp[:, :2].T + warp[:, 2])


def after(second: Warp, first: Warp) -> Warp:
    """The warp that does one, then the other."""
    return np.column_stack([second[:, :2] @ first[:, :2], second[:, :2] @ first[:, 2] + second[:, 2]])


def inverse(warp: Warp) -> Warp:
    back = np.linalg.inv(warp[:, :2])
    return np.column_stack([back, -back @ warp[:, 2]])


def shifted(warp: Warp, by: NDArray[np.float64]) -> Warp:
    """The warp, and then a move."""
    return np.column_stack([warp[:, :2], warp[:, 2] + by])


def turn_and_size(warp: Warp) -> tuple[float, float]:
    """The similarity nearest to a warp: by how many degrees it turns, counter-clockwise as it is seen (y goes down), and how many
    times it enlarges."""
    (a, b), (c, d) = warp[:, :2]
    return math.degrees(math.atan2(b - c, a + d)), math.hypot(a + d, c - b) / 2


def aligned(patch: Grey, picture: Grey, guess: Warp) -> tuple[Warp, float] | None:
    """The warp near a guess that lays a patch on a picture as like as can be, and how they correlate, -1..1; None where there is no
    such warp, as beyond the picture."""
    tall, wide = patch.shape
    corners = carried_by(guess, np.array([[0.0, 0.0], [wide, 0.0], [0.0, tall], [wide, tall]]))
    low = np.maximum(np.floor(corners.min(0)).astype(int) - MARGIN, 0)
    high = np.minimum(np.ceil(corners.max(0)).astype(int) + MARGIN, picture.shape[::-1])
    if (high - low < MARGIN).any():
        return None
    window = picture[low[1] : high[1], low[0] : high[0]]
    start = shifted(guess, -low.astype(float)).astype(np.float32)
    try:
        alike, found = cv2.findTransformECC(patch, window, start, cv2.MOTION_AFFINE, STEPS, None, SMOOTHED)  # type: ignore[call-overload]
    except cv2.error:
        return None  # it does not converge: there is nothing alike
    return shifted(np.asarray(found, np.float64), low.astype(float)), float(alike)
