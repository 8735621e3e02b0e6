"""Straighten and crop: what of the plate is seen, decided after all light and lifted at any time.

Lights stay where they were on the picture, so both are laid on the lit picture, never on what lights
read. The frame is as large as the plate; straightening turns the picture within it about its middle,
and the crop is a box of the frame. Where the picture is turned and no box is set, the box is the
largest of the plate's shape that shows no empty corner.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame

MARGIN = 3  # pixels that the cubic kernel reads beyond a place


@dataclass(frozen=True)
class Box:
    """Fractions of the frame: left, top, right, bottom."""

    x0: float
    y0: float
    x1: float
    y1: float


WHOLE = Box(0.0, 0.0, 1.0, 1.0)


def largest_box(angle: float, size: tuple[int, int]) -> Box:
    """The largest box of the shape of `size` (width, height) within the picture turned by `angle` degrees."""
    turn = abs(np.deg2rad(angle))
    width, height = size
    share = min(width / (width * np.cos(turn) + height * np.sin(turn)), height / (width * np.sin(turn) + height * np.cos(turn)))
    beside = float(1 - share) / 2
    return Box(beside, beside, 1 - beside, 1 - beside)


def cropped(box: Box, size: tuple[int, int], wanted: tuple[int, int] | None = None) -> Frame:
    """The frame whose part in the box is `wanted` (width, height) pixels, or as large as on the plate.

    `size` is the plate's.
    """
    across, down = box.x1 - box.x0, box.y1 - box.y0
    width, height = wanted or (max(1, round(size[0] * across)), max(1, round(size[1] * down)))
    whole = size if wanted is None else (max(width, round(width / across)), max(height, round(height / down)))
    left = min(round(box.x0 * whole[0]), whole[0] - width)
    top = min(round(box.y0 * whole[1]), whole[1] - height)
    return Frame(whole[0], whole[1], left, top, left + width, top + height)


def _to_picture(frame: Frame, angle: float) -> NDArray[np.float64]:
    """(2, 3): from a place in the whole frame, in pixels, to the place in the picture that is seen there."""
    turn = np.deg2rad(angle)
    matrix = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    middle = np.array([frame.width / 2, frame.height / 2])
    return np.column_stack([matrix, middle - matrix @ middle])


def needed(frame: Frame, angle: float) -> Frame:
    """The upright part of the picture that a turned frame shows."""
    if angle == 0:
        return frame
    corners = np.array([(x, y, 1.0) for x in (frame.x0, frame.x1) for y in (frame.y0, frame.y1)])
    places = corners @ _to_picture(frame, angle).T
    low = np.floor(places.min(axis=0)).astype(int) - MARGIN
    high = np.ceil(places.max(axis=0)).astype(int) + MARGIN
    x0, y0 = np.clip(low, 0, (frame.width - 1, frame.height - 1))
    x1, y1 = np.clip(high, (x0 + 1, y0 + 1), (frame.width, frame.height))
    return Frame(frame.width, frame.height, int(x0), int(y0), int(x1), int(y1))


def turned(pixels: Floats, upright: Frame, frame: Frame, angle: float) -> Floats:
    """`pixels` (h, w, C) of the upright part as the turned frame shows them; beyond the picture its edge."""
    if angle == 0:
        return pixels
    matrix = _to_picture(frame, angle)
    # From pixel numbers of the part wanted to pixel numbers of the part given.
    matrix[:, 2] += matrix[:, :2] @ (frame.x0 + 0.5, frame.y0 + 0.5) - (upright.x0 + 0.5, upright.y0 + 0.5)
    rows, columns = frame.shape
    seen = cv2.warpAffine(
        pixels, matrix, (columns, rows), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
    )
    return np.asarray(np.maximum(seen, 0), np.float32).reshape(rows, columns, -1)
