"""The rim of an area that was found on a small version, drawn again along the picture's own edges at any size."""

from __future__ import annotations

import cv2
import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.guided import lines_of, on_lines
from aurelon.core.masks.shared.part import Ground, resampled

RIM = 0.004  # diagonals about the first cut within which the rim is drawn again
EDGE_CONTRAST = 0.015  # display-encoded


def cut_along(rough: Floats, ground: Ground) -> Floats:
    """Of a rough area (h, w) on a small version: the rim's lines, what is surely in, and what may be, on the canonical
    version (h, w, 6)."""
    canonical = ground.canonical
    area = resampled(rough, canonical)
    wide = max(1, round(RIM * canonical.diagonal))
    lines = lines_of(area, encode_array(ground.original.at(canonical)), max(2, wide), EDGE_CONTRAST)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * wide + 1, 2 * wide + 1))
    hard = (area > 0.5).astype(np.float32)
    sure, may = cv2.erode(hard, kernel), cv2.dilate(hard, kernel)
    return np.ascontiguousarray(np.dstack([lines, sure, may]), np.float32)


def along_the_rim(cut: Floats, ground: Ground, frame: Frame) -> Floats:
    """The mask (h, w) of a cut (h, w, 6) at a frame; away from the rim the first cut holds."""
    return np.clip(on_lines(cut, encode_array(ground.original.at(frame))), cut[:, :, 4], np.maximum(cut[:, :, 5], cut[:, :, 4]))
