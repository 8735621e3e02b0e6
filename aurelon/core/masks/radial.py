"""A gradient from a middle outward: an ellipse that is full inside and fades to its rim."""

from __future__ import annotations

from typing import Literal

import numpy as np

from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.part import Floats, Ground, Part, places, smoothstep
from aurelon.core.settings import Place, setting


class Radial(Part):
    """With q the distance from the middle in radii of the ellipse, full where q < 1 - softness, nothing where q > 1."""

    title = "Radial gradient"
    summary = "An ellipse that fades outward"
    place = 3

    part: Literal["radial"] = "radial"
    middle: Place = setting((0.5, 0.5), "The middle of the ellipse", unit="plate", step=0.005, handle="position")
    radius: float = setting(
        0.2, "Half the length of the ellipse", unit="diagonal", low=0.002, high=2, step=0.005, bend=2.0,
        handle="radius", about="middle",
    )  # fmt: skip
    roundness: float = setting(1.0, "Width against length: 1 is a circle", unit="share", low=0.05, high=1, step=0.01)
    angle: float = setting(0.0, "How the ellipse is turned", unit="degrees", low=-180, high=180, step=1)
    softness: float = setting(0.6, "Share of the radius over which it fades", unit="share", low=0, high=1, step=0.01)

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        x, y = places(frame, ground.aspect)
        x = x - np.float32(self.middle[0] * ground.aspect[0])
        y = y - np.float32(self.middle[1] * ground.aspect[1])
        turn = np.deg2rad(self.angle)
        along = (x * np.float32(np.cos(turn)) - y * np.float32(np.sin(turn))) / np.float32(self.radius)
        across = (x * np.float32(np.sin(turn)) + y * np.float32(np.cos(turn))) / np.float32(self.radius * self.roundness)
        # A hard rim still takes a pixel, so that it is smooth at every size.
        pixel = 1 / (self.radius * self.roundness * float(np.hypot(*frame.size)))
        away = np.hypot(along, across)
        if self.softness <= pixel:
            return 1 - smoothstep(1 - pixel / 2, 1 + pixel / 2, away)
        return 1 - smoothstep(1 - self.softness, 1.0, away)


PART = Radial
