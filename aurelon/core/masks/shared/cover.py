"""What a part covers in the end: fitted to the picture's edges, feathered, inverted, thinned."""

from __future__ import annotations

import cv2
import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame, diagonal
from aurelon.core.masks.shared.guided import drawn_to_edges, on_lines
from aurelon.core.masks.shared.part import Ground, Part, resampled

EDGE_CONTRAST = 0.02  # display-encoded
FEATHER_CELLS = 3.5  # cells of the grid that a feather spans as a standard deviation
FINEST_GRID = 3072


def covered(part: Part, ground: Ground, frame: Frame) -> Floats:
    """(h, w) in 0..1."""
    result = _feathered(part, ground, frame) if part.feather else _fitted(part, ground, frame)
    if part.invert:
        result = 1 - result
    # A part of no density does nothing, however it is combined.
    if part.density < 1:
        away = np.float32(1 - part.density)
        result = result * np.float32(part.density) + (away if part.combine == "intersect" else np.float32(0))
    return result


def _fitted(part: Part, ground: Ground, frame: Frame) -> Floats:
    if not part.fit:
        return part.cover(ground, frame)
    canonical = ground.canonical
    radius = max(1, round(part.fit * canonical.diagonal))

    def found() -> Floats:
        return drawn_to_edges(part.cover(ground, canonical), encode_array(ground.picture.at(canonical)), radius, EDGE_CONTRAST)

    key = ("fitted", part.key(ground), ground.picture.key, radius)
    lines = ground.keep(key, canonical, found)
    if frame.width > canonical.width:
        return on_lines(enlarge_to(lines, frame), encode_array(ground.picture.at(frame)))
    # A curve of the picture and its reduction do not commute; so the mask itself is reduced.
    return resampled(
        ground.keep(("made", key), canonical, lambda: on_lines(lines, encode_array(ground.picture.at(canonical)))), frame
    )


def _feathered(part: Part, ground: Ground, frame: Frame) -> Floats:
    """Blurred on a grid that is as fine as the feather needs, the same for every size of frame."""
    edge = int(np.ceil(FEATHER_CELLS / (part.feather * diagonal(ground.size) / max(ground.size))))
    grid = Frame.canonical(ground.size, min(max(edge, 16), FINEST_GRID))

    def blurred() -> Floats:
        spread = part.feather * grid.diagonal
        soft = cv2.GaussianBlur(_fitted(part, ground, grid), (0, 0), spread, borderType=cv2.BORDER_REPLICATE)
        return np.clip(np.asarray(soft), 0, 1)

    key = ("feathered", part.key(ground), part.feather, part.fit and (part.fit, ground.picture.key))
    return resampled(ground.keep(key, grid, blurred), frame)
