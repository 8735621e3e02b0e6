"""What all numbers on a slider share."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from aurelon.core.settings.base import Carry, Setting, Swept

Unit = Literal["", "diagonal", "degrees", "kelvin", "gain", "stops", "count", "share", "plate", "mm", "pixels"]
Mirror = Literal["", "direction", "rotation"]
Handle = Literal["radius", "direction", "cone", "level", "levels", "standing"]


class Slider(Setting):
    """The slider's travel t in 0..1 lies at `low + (high - low) * t**exponent`, so that small values get more of it.

    `handle` is what moves it on the picture (`standing`: a click), `about` the place setting that the handle goes round. The zero
    of a direction that is `toward_middle` points from that place to the middle of the plate, as others' points to the right. A cone
    opens from the place `apex`, as far above the picture as the number `above` says. `mirror` is what a mirror turns over: a
    direction, or a rotation.
    """

    unit: Unit = ""
    low: float
    high: float
    step: float
    exponent: float = 1.0
    handle: Handle | None = None
    about: str = ""
    toward_middle: bool = False
    apex: str = ""
    above: str = ""
    mirror: Mirror = ""
    swept: Swept | None = "range"

    def value(self, raw: float) -> float:
        """The nearest value that the setting can have."""
        return float(min(max(round(round(raw / self.step) * self.step, 6), self.low), self.high))

    def mirrored(self, value: Any, to: Carry) -> Any:
        match self.mirror:
            case "direction":
                return self.value((180 - value + 180) % 360 - 180)
            case "rotation":
                return self.value(-value)
        return value

    def steps(self, present: Any, span: float, count: int) -> list[Any]:
        """Evenly spaced in the slider's travel, centred on the present value as far as the range allows; the present value
        itself stands in place of the step that is nearest to it, the ends excepted."""
        travel = float(np.clip((float(present) - self.low) / (self.high - self.low), 0, 1)) ** (1 / self.exponent)
        first = float(np.clip(travel - span / 2, 0, 1 - span))
        shares = first + span * np.arange(count) / (count - 1)
        values = [self.value(self.low + (self.high - self.low) * float(share) ** self.exponent) for share in shares]
        if present not in values and count > 2:
            values[int(np.clip(np.argmin(np.abs(shares - travel)), 1, count - 2))] = self.value(float(present))
        return values
