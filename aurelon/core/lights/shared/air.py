"""The air that a light is seen in. All kinds that travel through air declare it alike, as `air` and `stands_at` in their Spread.

Of light in the air only what is scattered between the eye and the thing behind is seen: `1 - exp(-h / n)` of it, with the
thickness h of the air and the nearness n of the thing (the airlight of Koschmieder, 1924, with distance 1 / n). So near black fur
stays black, and the sky has all of it.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.settings import Settings, number, settings_of

EVERYWHERE = 10.0  # thickness from which distance has no effect
FOREMOST = 1.0  # nearness of a light that nothing hides
SOFT = 0.06  # range of nearness over which a nearer thing begins to hide a light
INFINITELY_FAR = 1e-4


class Air(NamedTuple):
    """How thick the air is, and how near the light stands."""

    thickness: float
    stands_at: float


def air_setting(when: dict[str, list[Any]] | None = None) -> Any:
    """The thickness of the air; at its maximum distance has no effect. `when` names settings and the values that it needs."""
    help = "How soon light fills the air before things: thin air leaves what is near clear, at the most all is veiled alike"
    return number(
        EVERYWHERE, help, low=0.02, high=EVERYWHERE, step=0.01, exponent=4.0, group="Distance", essential=True, when=when or {}
    )


def stands_at_setting() -> Any:
    """How near the light itself is, on the plate's scale of nearness."""
    help = "How near the light stands: 0 is infinitely far, 1 before everything; what is nearer hides it"
    return number(FOREMOST, help, unit="share", low=0, high=1, step=0.01, group="Distance")


THIN_AIR = {"spread": {"air": 0.35}}  # in which a new light is seen
NEUTRAL = {"air": EVERYWHERE, "stands_at": FOREMOST}


def air_of(spread: Settings) -> Air | None:
    """The air of a light; None for kinds without any, and where distance has no effect."""
    values = {name: getattr(spread, name) for name, _ in settings_of(type(spread))}
    counts = {name for name, setting in settings_of(type(spread)) if setting.shown_in(values)}
    thickness = values["air"] if "air" in counts else EVERYWHERE
    stands_at = values["stands_at"] if "stands_at" in counts else FOREMOST
    return None if thickness >= EVERYWHERE and stands_at >= FOREMOST else Air(thickness, stands_at)


def seen_in_air(nearness: Floats, air: Air) -> Floats:
    """The share of a light that is seen before things of this nearness, (h, w) in 0..1."""
    result = np.ones_like(nearness)
    if air.thickness < EVERYWHERE:
        result -= np.exp(np.float32(-air.thickness) / np.maximum(nearness, np.float32(INFINITELY_FAR)))
    if air.stands_at < FOREMOST:
        before = np.clip((nearness - np.float32(air.stands_at)) / np.float32(SOFT), 0, 1)
        result *= 1 - before * before * (3 - 2 * before)
    return result
