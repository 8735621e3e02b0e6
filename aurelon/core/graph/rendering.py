"""A rendering, which shows itself in a notebook."""

from __future__ import annotations

from typing import Any

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.rgb_space import SRGB, RgbSpace
from aurelon.core.imaging.screen import png_of
from aurelon.core.plate import SHOWN_EDGE


class Rendering(np.ndarray):
    """Float32 (h, w, 3), linear light in the primaries of `space`: an array like any other, which a notebook shows as a picture."""

    space: RgbSpace

    @classmethod
    def of(cls, pixels: Floats, space: RgbSpace) -> Rendering:
        result = pixels.view(cls)
        result.space = space
        return result

    def __array_finalize__(self, made_from: Any) -> None:
        self.space = getattr(made_from, "space", SRGB)

    def _repr_png_(self) -> bytes | None:
        if self.ndim != 3 or self.shape[2] != 3 or self.size == 0:
            return None  # a part of the numbers, and no picture
        return png_of(np.asarray(self, np.float32).view(np.ndarray), self.space, SHOWN_EDGE)
