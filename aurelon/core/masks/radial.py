"""A gradient from a middle outward: an ellipse that is full inside and fades to its rim."""

from __future__ import annotations

from typing import Literal

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.part import Ground, Part, pixel_middles, rising
from aurelon.core.settings import Place, number, place_setting


class Radial(Part):
    """With q the distance from the middle in radii of the ellipse, full where q < 1 - softness, nothing where q > 1."""

    title = "Radial gradient"
    summary = "An ellipse that fades outward"
    order = 3

    part: Literal["radial"] = "radial"
    middle: Place = place_setting((0.5, 0.5), "Centre of the ellipse", essential=True)
    radius: float = number(
        0.2,
        "Half the length of the ellipse",
        unit="diagonal",
        low=0.002,
        high=2,
        step=0.005,
        handle="radius",
        about="middle",
        exponent=2.0,
        essential=True,
    )
    roundness: float = number(1.0, "Width against length: 1 is a circle", unit="share", low=0.05, high=1, step=0.01, essential=True)
    angle: float = number(0.0, "Rotates the ellipse", unit="degrees", mirror="rotation", low=-180, high=180, step=1)
    softness: float = number(0.6, "Share of the radius over which it fades", unit="share", low=0, high=1, step=0.01, essential=True)

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        x, y = pixel_middles(frame, ground.aspect)
        x = x - np.float32(self.middle[0] * ground.aspect[0])
        y = y - np.float32(self.middle[1] * ground.aspect[1])
        turn = np.deg2rad(self.angle)
        along = (x * np.float32(np.cos(turn)) - y * np.float32(np.sin(turn))) / np.float32(self.radius)
        across = (x * np.float32(np.sin(turn)) + y * np.float32(np.cos(turn))) / np.float32(self.radius * self.roundness)
        # A hard rim still takes a pixel, so that it is smooth at every size.
        pixel = 1 / (self.radius * self.roundness * frame.diagonal)
        away = np.hypot(along, across)
        if self.softness <= pixel:
            return 1 - rising(1 - pixel / 2, 1 + pixel / 2, away)
        return 1 - rising(1 - self.softness, 1.0, away)


PART = Radial
