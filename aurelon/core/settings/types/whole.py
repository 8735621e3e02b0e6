"""A whole number on a slider."""

from __future__ import annotations

from typing import Any, Literal, Unpack

from aurelon.core.settings.base import Common
from aurelon.core.settings.slider import Slider, Unit


class Whole(Slider):
    """A number without a fraction."""

    type: Literal["whole"] = "whole"
    keyed: bool = True

    def value(self, raw: float) -> float:
        return int(super().value(raw))

    def of_numbers(self, like: Any, numbers: list[float]) -> Any:
        return round(numbers[0])


def whole(
    default: int,
    help: str,
    *,
    low: int,
    high: int,
    step: int = 1,
    unit: Unit = "count",
    exponent: float = 1.0,
    **common: Unpack[Common],
) -> Any:
    """A setting that is a whole number from `low` to `high`."""
    result = Whole(help=help, low=low, high=high, step=step, unit=unit, exponent=exponent, **common)
    return result.field(default)


SETTING = Whole
