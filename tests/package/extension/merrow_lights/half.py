"""Half: one side of the picture."""

from __future__ import annotations

from typing import Literal

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.part import Ground, Part
from aurelon.core.settings import number


class Half(Part):
    """Everything left of a line."""

    title = "Left side"
    summary = "Everything left of a line"
    order = 50

    part: Literal["half"] = "half"
    at: float = number(0.5, "Where the line is", unit="share", low=0, high=1, step=0.01)

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        across = (np.arange(frame.x0, frame.x1) + 0.5) / frame.width
        return np.broadcast_to((across < self.at).astype(np.float32), frame.shape).copy()


PART = Half
