"""A number on a slider."""

from __future__ import annotations

from typing import Any, Literal, Unpack

from aurelon.core.settings.base import Common
from aurelon.core.settings.slider import Handle, Mirror, Slider, Unit


class Number(Slider):
    """A number that may have a fraction."""

    type: Literal["number"] = "number"
    keyed: bool = True


def number(
    default: float,
    help: str,
    *,
    low: float,
    high: float,
    step: float,
    unit: Unit = "",
    exponent: float = 1.0,
    handle: Handle | None = None,
    about: str = "",
    toward_middle: bool = False,
    mirror: Mirror = "",
    apex: str = "",
    above: str = "",
    **common: Unpack[Common],
) -> Any:
    """A setting that is a number from `low` to `high`."""
    result = Number(
        help=help,
        low=low,
        high=high,
        step=step,
        unit=unit,
        exponent=exponent,
        handle=handle,
        about=about,
        toward_middle=toward_middle,
        mirror=mirror,
        apex=apex,
        above=above,
        **common,
    )
    return result.field(default)


def direction(
    default: float,
    help: str,
    *,
    about: str = "",
    toward_middle: bool = False,
    mirror: Mirror = "direction",
    **common: Unpack[Common],
) -> Any:
    """A setting that is a direction in degrees, 0 to the right and 90 up, with an arrow on the picture that turns it."""
    return number(
        default,
        help,
        unit="degrees",
        low=-180,
        high=180,
        step=1,
        handle="direction",
        about=about,
        toward_middle=toward_middle,
        mirror=mirror,
        **common,
    )


SETTING = Number
