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
    """How thick the air is, how near the light stands, and how strongly it lights the things that it falls on."""

    thickness: float
    stands_at: float
    things: float = 0.0


def air_setting(when: dict[str, list[Any]] | None = None) -> Any:
    """The thickness of the air; at its maximum distance has no effect. `when` names settings and the values that it needs."""
    help = "How soon light fills the air before things: thin air leaves what is near clear, at the most all is veiled alike"
    return number(
        EVERYWHERE, help, low=0.02, high=EVERYWHERE, step=0.01, exponent=4.0, group="Distance", essential=True, when=when or {}
    )


def stands_at_setting() -> Any:
    """How near the light itself is, on the plate's scale of nearness."""
    help = "How near the light stands: 0 is infinitely far, 1 before everything; what is nearer hides it"
    return number(FOREMOST, help, unit="share", low=0, high=1, step=0.01, group="Distance", handle="standing")


def things_setting(when: dict[str, list[Any]] | None = None) -> Any:
    """How strongly the light shines on things."""
    help = "How strongly it lights the ground and the things that it falls on"
    return number(0.0, help, unit="gain", low=0, high=40, step=0.1, exponent=2.0, group="Distance", essential=True, when=when or {})


THIN_AIR = {"spread": {"air": 0.2, "things": 12.0}}  # in which a new light is seen
NEUTRAL = {"air": EVERYWHERE, "stands_at": FOREMOST, "things": 0.0}


def air_of(spread: Settings) -> Air | None:
    """The air of a light; None for kinds without any, and where distance has no effect and no thing is lit."""
    values = {name: getattr(spread, name) for name, _ in settings_of(type(spread))}
    counts = {name: values[name] for name, setting in settings_of(type(spread)) if setting.shown_in(values)}
    air = Air(counts.get("air", EVERYWHERE), counts.get("stands_at", FOREMOST), counts.get("things", 0.0))
    return None if air.thickness >= EVERYWHERE and air.stands_at >= FOREMOST and air.things == 0 else air


def seen_in_air(nearness: Floats, air: Air) -> Floats:
    """The share of a light that is seen before things of this nearness, (h, w) in 0..1."""
    result = np.ones_like(nearness)
    if air.thickness < EVERYWHERE:
        result -= np.exp(np.float32(-air.thickness) / np.maximum(nearness, np.float32(INFINITELY_FAR)))
    return result * not_nearer(nearness, air) if air.stands_at < FOREMOST else result


def not_nearer(nearness: Floats, air: Air) -> Floats:
    """The share of a light that nothing nearer hides, (h, w) in 0..1."""
    before = np.clip((nearness - np.float32(air.stands_at)) / np.float32(SOFT), 0, 1)
    return np.asarray(1 - before * before * (3 - 2 * before), np.float32)
