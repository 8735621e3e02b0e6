"""Indoors, where nothing else is known: floor, walls and ceiling come nearer from the middle to the frame.

A box seen from within, its far wall in the middle (the box of Hedau, Hoiem and Forsyth, "Recovering the Spatial Layout of Cluttered
Rooms", 2009, without their search). It orders more places rightly than "lower is nearer" does, and is never sure.
"""

from __future__ import annotations

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.space.standing import carried

MIDDLE = (0.5, 0.45)  # where the far wall is
SIDES = 0.8  # nearness of walls and ceiling at the frame, where that of the floor is 1
SURE = 0.02


def room(codes: Floats) -> Floats:
    """Nearness (h, w) of a picture, display-encoded (h, w, 3)."""
    height, width, _ = codes.shape
    x0, y0 = MIDDLE
    y = (np.arange(height, dtype=np.float32)[:, None] + 0.5) / height
    x = (np.arange(width, dtype=np.float32)[None, :] + 0.5) / width
    floor, ceiling = np.maximum(y - y0, 0) / (1 - y0), SIDES * np.maximum(y0 - y, 0) / y0
    wall = SIDES * np.where(x < x0, (x0 - x) / x0, (x - x0) / (1 - x0))
    known = np.maximum(np.maximum(floor, ceiling), wall).astype(np.float32)
    return carried(codes, known, np.full((height, width), SURE, np.float32), np.zeros((height, width), np.int32), upward=1.0)
