"""Haze: the air between a light and the eye, which all kinds that shine through air declare alike."""

from __future__ import annotations

from typing import Any, Unpack

from aurelon.core.settings import number
from aurelon.core.settings.base import Common


def haze_setting(**common: Unpack[Common]) -> Any:
    """How thick the haze is: 0 clear air, 1 as bright at the light as the light's own glow, up to 4 in fog."""
    help = "How hazy the air is: it glows most toward the light"
    return number(0.0, help, unit="gain", low=0, high=4, step=0.01, exponent=2.0, **common)
