"""How patterns made of noise drift over the frames of a reel."""

from __future__ import annotations

from typing import Any, Unpack

from aurelon.core.settings import number
from aurelon.core.settings.base import Common


def evolution_setting(**common: Unpack[Common]) -> Any:
    """How many patterns a second there are; each turns into the next without a jump."""
    help = "How fast the pattern drifts over the frames of a reel, in patterns a second; 0 holds it still"
    common["over_frames"] = True
    return number(0.0, help, low=0, high=4, step=0.01, exponent=2.0, **common)
