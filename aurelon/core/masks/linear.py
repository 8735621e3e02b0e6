"""A gradient along a line: full on one side of it, nothing on the other."""

from __future__ import annotations

from typing import Literal

import numpy as np

from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.part import Floats, Ground, Part, places, smoothstep
from aurelon.core.settings import Place, setting


class Linear(Part):
    """Full up to `begin` and beyond it, nothing from `end` on; smooth between, alike along every line across."""

    title = "Linear gradient"
    summary = "Fades along a line that is drawn on the picture"
    place = 2

    part: Literal["linear"] = "linear"
    begin: Place = setting((0.5, 0.35), "Where the mask is still full", unit="plate", step=0.005, handle="position")
    end: Place = setting((0.5, 0.65), "Where nothing is left of it", unit="plate", step=0.005, handle="position")

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        x, y = places(frame, ground.aspect)
        scale = np.array(ground.aspect)
        begin, end = np.array(self.begin) * scale, np.array(self.end) * scale
        along = end - begin
        length = float(np.hypot(*along)) or 1e-6  # two places that are one: a hard edge there
        unit = (along / length).astype(np.float32)
        travel = (x - np.float32(begin[0])) * unit[0] + (y - np.float32(begin[1])) * unit[1]
        return 1 - smoothstep(0.0, length, travel)


PART = Linear
