"""How a matte and what lies behind it move from one frame of a reel to the next."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.analysis.follow import there_and_back
from aurelon.core.imaging.arrays import Floats

BAND = 0.012  # diagonals about the carried rim within which it is cut again
STILL = 3.0  # code values by which a picture must differ to have moved
CORNERS = 300  # of a layer, by which its motion is found
DOUBT = 40.0  # against the square of the slope, in code values, by which a part's own motion is seen
SMOOTH = 4.0  # pixels over which that motion is evened out
LEAST = 0.05  # pixels below which nothing has moved
ENOUGH = 0.6  # of a pixel that must have been laid down for the matte to be whole there

Codes = NDArray[np.uint8]
Motion = NDArray[np.float32]


def motion_of(before: Codes, now: Codes, where: Any) -> Motion:
    """The motion of a layer as one thing, (2, 3), by the points of it that can be followed."""
    still = np.eye(2, 3, dtype=np.float32)
    corners = cv2.goodFeaturesToTrack(before, CORNERS, 0.003, 3, mask=where)
    if corners is None or len(corners) < 6:
        return still
    at = np.asarray(corners, np.float32)
    to, good = there_and_back(before, now, at)
    if good.sum() < 6:
        return still
    cv2.setRNGSeed(1)
    motion, _ = cv2.estimateAffinePartial2D(at[good], to[good], ransacReprojThreshold=1.5)
    if motion is None:
        still[:, 2] = np.median((to - at)[good, 0], axis=0)
        return still
    return np.asarray(motion, np.float32)


def brought_along(picture: Any, motion: Motion, border: int = cv2.BORDER_REPLICATE) -> Any:
    rows, columns = picture.shape[:2]
    return cv2.warpAffine(picture, motion, (columns, rows), flags=cv2.INTER_LINEAR, borderMode=border)


def parted_by(one: Motion, other: Motion, matte: Floats) -> float:
    """By how many pixels two motions put the middle of a matte apart."""
    about = cv2.moments(matte)
    middle = np.array([about["m10"], about["m01"], about["m00"]]) / max(about["m00"], 1e-9)
    return float(np.hypot(*((one - other) @ middle)))


def moved_matte(flow: Any, before: Codes, now: Codes, matte: Floats, covered: Codes) -> Floats:
    """A matte that has been brought here as a whole, with what its parts did beside that, but for those that are covered.

    Its pixels are laid down where they go, not fetched from where they came: what is uncovered behind a thing that moves would be
    fetched from the thing itself.
    """
    part = box_about(matte > 1 / 255, 3 * rim_width(matte))
    slope = cv2.morphologyEx(before[part], cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)).astype(np.float32)
    slope = np.asarray(cv2.GaussianBlur(slope, (0, 0), 1.5), np.float32)
    own = np.asarray(flow.calc(np.ascontiguousarray(before[part]), np.ascontiguousarray(now[part]), None), np.float32)
    # Where there is nothing to be seen of its own motion, a part goes as the whole does.
    weight = matte[part] * slope * slope * (1 - cv2.dilate(covered[part], np.ones((9, 9), np.uint8)))
    around = cv2.GaussianBlur(weight, (0, 0), SMOOTH) + np.float32(DOUBT)
    there = [np.asarray(cv2.GaussianBlur(own[:, :, k] * weight, (0, 0), SMOOTH) / around, np.float32) for k in range(2)]
    here = np.where(matte[part] > 1 / 255, matte[part], np.float32(0))
    goes = (here > 0) & (np.hypot(*there) >= LEAST)
    laid, held = np.where(goes, np.float32(0), here), ((here > 0) & ~goes).astype(np.float32)
    rows, columns = laid.shape
    y, x = np.nonzero(goes)
    across, down, share = x + there[0][y, x], y + there[1][y, x], here[y, x]
    left, top = np.floor(across).astype(np.int32), np.floor(down).astype(np.int32)
    u, v = across - left, down - top
    for dx, dy, part_of in ((0, 0, (1 - u) * (1 - v)), (1, 0, u * (1 - v)), (0, 1, (1 - u) * v), (1, 1, u * v)):
        column, row = left + dx, top + dy
        inside = (column >= 0) & (column < columns) & (row >= 0) & (row < rows)
        place, weights = (row * columns + column)[inside], part_of[inside]
        held += np.bincount(place, weights, laid.size).reshape(laid.shape).astype(np.float32)
        laid += np.bincount(place, weights * share[inside], laid.size).reshape(laid.shape).astype(np.float32)
    result = np.zeros_like(matte)
    result[part] = laid / np.maximum(held, ENOUGH)
    return np.asarray(cv2.medianBlur(result, 3), np.float32)


def highest_of(codes: Any) -> Codes:
    """The highest channel of each pixel of (h, w, 3) code values, (h, w); NumPy takes ten times as long over so short an axis."""
    red, green, blue = cv2.split(codes)
    return np.asarray(cv2.max(cv2.max(red, green), blue), np.uint8)


def still_places(before: Codes, now: Codes) -> NDArray[np.bool_]:
    """Where nothing has moved, (h, w)."""
    differs = highest_of(cv2.absdiff(before, now))
    return np.asarray(cv2.dilate(cv2.medianBlur(differs, 3), np.ones((5, 5), np.uint8)) < STILL)


def box_about(area: NDArray[np.bool_], far: int) -> tuple[slice, slice]:
    """The rows and columns that an area takes, with a margin in pixels; the first of each for an empty area."""
    rows, columns = np.flatnonzero(area.any(axis=1)), np.flatnonzero(area.any(axis=0))
    if not len(rows):
        return slice(0, 1), slice(0, 1)
    top, left = max(int(rows[0]) - far, 0), max(int(columns[0]) - far, 0)
    return slice(top, int(rows[-1]) + far + 1), slice(left, int(columns[-1]) + far + 1)


def rim_width(matte: Floats) -> int:
    return max(2, round(BAND * float(np.hypot(*matte.shape))))
