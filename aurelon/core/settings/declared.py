"""Settings that several rooms declare alike: the colour of a light by temperature and tint."""

from __future__ import annotations

from typing import Any, Unpack

from aurelon.core.settings.base import Common
from aurelon.core.settings.types.number import number


def temperature_setting(default: float, help: str, *, exponent: float = 2.2, **common: Unpack[Common]) -> Any:
    """A colour temperature on the Planckian locus, in kelvin."""
    return number(default, help, unit="kelvin", low=1000, high=25000, step=50, exponent=exponent, **common)


def tint_setting(**common: Unpack[Common]) -> Any:
    """How far a colour lies off the locus."""
    return number(0.0, "Toward green (below 0) or magenta (above 0)", low=-1, high=1, step=0.01, **common)
