"""Kinds that cannot be used: one has a name that is taken, one a setting that no type declares."""

from __future__ import annotations

from dataclasses import replace

from aurelon.core.settings import Settings, number
from merrow_lights.veil import KIND


class Bare(Settings):
    """A setting of no type."""

    depth: float = number(0.6, "How far down it reaches", low=0.1, high=1, step=0.01)
    nothing: float = 1.0


TAKEN = replace(KIND, name="bloom")
UNSET = replace(KIND, name="unset", spread_settings=Bare)
