"""The surface on which lamps shine: heights and normals made from a picture.

Height comes from luminance at a chosen scale, or from a depth picture (white is near); or the normals
come from a normal picture (red to the right, green up, blue outward, as tangent-space normals are
stored). It is found on one canonical version of the plate, so that it is the same at every size.
"""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass, field
from threading import Lock

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.resample import enlarge_to

Floats = NDArray[np.float32]

DEEPEST = 0.12  # diagonals from the lowest to the highest place at a relief of 1
KEPT_FRAMES = 3


@dataclass
class Surface:
    """`cells` are planes (3, h, w): slope to the right, slope downward (both of height in diagonals), height in diagonals."""

    cells: Floats
    _at: OrderedDict[Frame, Floats] = field(default_factory=OrderedDict, repr=False)
    _lock: Lock = field(default_factory=Lock, repr=False)

    @property
    def nbytes(self) -> int:
        return self.cells.nbytes * (1 + KEPT_FRAMES)

    def at(self, frame: Frame) -> Floats:
        """The cells at a frame as planes (3, h, w); the last few are kept, as many lamps look at the same."""
        with self._lock:
            if frame in self._at:
                self._at.move_to_end(frame)
                return self._at[frame]
        made = np.empty((3, *frame.shape), np.float32)
        for plane, cells in zip(made, self.cells, strict=True):
            plane[:] = enlarge_to(cells[:, :, None], frame)[:, :, 0]
        with self._lock:
            self._at[frame] = made
            while len(self._at) > KEPT_FRAMES:
                self._at.popitem(last=False)
        return made


def from_height(height: Floats, relief: float, scale: float) -> Surface:
    """A surface from heights (h, w) in 0..1, smoothed over `scale` diagonals, `relief` times the deepest."""
    diagonal = float(np.hypot(*height.shape))
    smooth = cv2.GaussianBlur(height, (0, 0), max(scale * diagonal, 0.4), borderType=cv2.BORDER_REPLICATE)
    z = np.asarray(smooth, np.float32) * np.float32(relief * DEEPEST)
    padded = np.pad(z, 1, mode="edge")
    right = (padded[1:-1, 2:] - padded[1:-1, :-2]) * np.float32(diagonal / 2)
    down = (padded[2:, 1:-1] - padded[:-2, 1:-1]) * np.float32(diagonal / 2)
    return Surface(np.ascontiguousarray(np.stack([right, down, z])))


def from_normals(normals: Floats, relief: float) -> Surface:
    """A surface from a normal picture (h, w, 3) of stored values in 0..1; it has slopes and no heights."""
    n = normals * 2 - 1
    outward = np.maximum(n[:, :, 2], 0.05)
    right, down = -n[:, :, 0] / outward, n[:, :, 1] / outward
    flat = np.zeros_like(right)
    return Surface(np.ascontiguousarray(np.stack([right * relief, down * relief, flat]), np.float32))
