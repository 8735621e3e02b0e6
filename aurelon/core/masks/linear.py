"""A gradient along a line: full on one side of it, nothing on the other."""

from __future__ import annotations

from typing import Literal

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.part import Combine, Ground, Part, pixel_middles, rising
from aurelon.core.settings import Place, place_setting


class Linear(Part):
    """Full up to `begin` and beyond it, nothing from `end` on; smooth between, alike along every line across."""

    title = "Linear gradient"
    summary = "Fades along a line that is drawn on the picture"
    order = 2
    instruction = "Drag the two ends: full at the solid end, faded out at the open one"

    part: Literal["linear"] = "linear"
    begin: Place = place_setting((0.5, 0.35), "Where the mask is still full", mark="disc", essential=True)
    end: Place = place_setting((0.5, 0.65), "Where the mask has faded out", mark="ring", joined="begin", essential=True)

    @classmethod
    def combines_on(cls, start: str) -> Combine:
        """Keeps the light where it is full, so that one drawn down from the sky keeps it in the sky."""
        return "add" if start == "nothing" else "intersect"

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        x, y = pixel_middles(frame, ground.aspect)
        scale = np.array(ground.aspect)
        begin, end = np.array(self.begin) * scale, np.array(self.end) * scale
        along = end - begin
        length = float(np.hypot(*along)) or 1e-6  # two places that are one: a hard edge there
        unit = (along / length).astype(np.float32)
        travel = (x - np.float32(begin[0])) * unit[0] + (y - np.float32(begin[1])) * unit[1]
        return 1 - rising(0.0, length, travel)


PART = Linear
