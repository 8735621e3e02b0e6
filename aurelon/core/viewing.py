"""How the picture is looked at, which changes nothing of what it is."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.screen import CLIP_MARK, PEAK_MARK, mark_from
from aurelon.core.settings import Settings, number


class Viewing(Settings):
    """The exposure under which the picture is shown, and the peak that its light is held against."""

    exposure: float = number(
        0,
        "Darkens or brightens only what is shown, to look into light above white or into shadows",
        label="View exposure",
        unit="stops",
        low=-8,
        high=8,
        step=0.1,
    )
    peak: float = number(
        0,
        "Brightness of the screen or file that the picture is for, above white; Clipping marks what is brighter",
        label="Peak",
        unit="stops",
        low=0,
        high=8,
        step=0.1,
    )

    def seen(self, pixels: Floats) -> Floats:
        """Linear light as it is shown."""
        return pixels if self.exposure == 0 else np.asarray(pixels * np.float32(2.0**self.exposure), np.float32)

    def mark(self, picture: NDArray[Any], pixels: Floats) -> None:
        """Stripes on a picture for the screen (h, w, 3) uint8, over what is clipped at white, and others where the linear light
        `pixels` is above the peak."""
        mark_from(picture, pixels, 1.0, CLIP_MARK)
        if self.peak > 0:
            mark_from(picture, pixels, 2.0**self.peak, PEAK_MARK)
