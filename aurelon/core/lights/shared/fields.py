"""The fields of light that several kinds share: soft light on a grid, white or coloured, and light that is drawn."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.colour_matrix import Tint, mixed
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.merging import LightSample
from aurelon.core.lights.shared.kind import Scene


@dataclass(frozen=True)
class ColouredField:
    """Soft light on a grid (h, w, 3)."""

    grid: Floats

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes

    def at(self, scene: Scene[Any], frame: Frame, tint: Tint) -> LightSample:
        return LightSample(soft=scene.mixed(self.grid, tint.light))


@dataclass(frozen=True)
class WhiteField:
    """Soft white light on a grid (h, w)."""

    grid: Floats

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes

    def at(self, scene: Scene[Any], frame: Frame, tint: Tint) -> LightSample:
        return LightSample(soft=self.grid[:, :, None], tint=tint.of_white)


@dataclass(frozen=True)
class DrawnField:
    """Light that is drawn anew at every frame: `draw` gives (h, w) white light, or (h, w, 3)."""

    draw: Callable[[Frame], Floats]
    nbytes: int = 1024

    def at(self, scene: Scene[Any], frame: Frame, tint: Tint) -> LightSample:
        drawn = self.draw(frame)
        return LightSample(drawn=tint.on_white(drawn) if drawn.ndim == 2 else mixed(drawn, tint.light))


def as_picture(level: Floats) -> Floats:
    """White light (h, w) as a Source (h, w, 3)."""
    return np.ascontiguousarray(np.repeat(level[:, :, None], 3, axis=2))
