"""Light that is made and not read from the picture: fields that are drawn at any frame, or kept on a grid."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.imaging.colour_matrix import Tint, mixed
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.resample import enlarge_to
from aurelon.core.lights.shared.kind import Scene

Floats = NDArray[np.float32]
f32 = np.float32


@dataclass(frozen=True)
class DrawnField:
    """Light that is drawn anew at every frame: `draw` gives (h, w) white light, or (h, w, 3)."""

    draw: Callable[[Frame], Floats]
    nbytes: int = 1024

    def sample(self, scene: Scene, frame: Frame, tint: Tint) -> Floats:
        drawn = self.draw(frame)
        return coloured(drawn, tint) if drawn.ndim == 2 else mixed(drawn, tint.light)


@dataclass(frozen=True)
class WhiteField:
    """Soft white light on a grid (h, w)."""

    grid: Floats

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes

    def sample(self, scene: Scene, frame: Frame, tint: Tint) -> Floats:
        return coloured(np.ascontiguousarray(enlarge_to(self.grid[:, :, None], frame)[:, :, 0]), tint)


def coloured(level: Floats, tint: Tint) -> Floats:
    """White light (h, w) in the colour that the Colour stage gives it: (h, w, 3)."""
    colour = np.maximum(tint.light.sum(axis=1), 0).astype(np.float32)
    out = np.empty((*level.shape, 3), np.float32)
    _colour(np.ascontiguousarray(level).reshape(-1), colour, out.reshape(-1))
    return out


BLOCK = 1 << 13


@njit(parallel=True, cache=True, fastmath=True)
def _colour(level: Floats, colour: Floats, out: Floats) -> None:
    r, g, b = colour[0], colour[1], colour[2]
    for block in prange((level.size + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min((block + 1) * BLOCK, level.size)):
            v = max(level[i], f32(0.0))
            out[3 * i], out[3 * i + 1], out[3 * i + 2] = v * r, v * g, v * b


def as_picture(level: Floats) -> Floats:
    """White light (h, w) as a Source (h, w, 3)."""
    return np.ascontiguousarray(np.repeat(level[:, :, None], 3, axis=2))
