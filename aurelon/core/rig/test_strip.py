"""Test strips: one rig with a setting, two settings, the seed or the blend mode stepped through.

The variants are rigs like any other, so whatever stages they share are computed once, in the cache.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from aurelon.core.errors import RigError
from aurelon.core.imaging.blend import MODES
from aurelon.core.rig.model import Rig, check_rig
from aurelon.core.settings.catalogue import SettingInfo, setting_info

STEPS, GRID_STEPS, SEEDS = 7, 5, 12
Sweep = Literal["setting", "grid", "seeds", "modes"]


@dataclass(frozen=True)
class Place:
    """A setting of a light: `stage` is one of the five."""

    stage: str
    setting: str


@dataclass(frozen=True)
class Variant:
    """A rig of the strip, the values that make it, and whether they are the present ones."""

    values: list[tuple[Place, Any]]
    rig: Rig
    present: bool


def steps_of(info: SettingInfo, present: Any, span: float, count: int) -> list[Any]:
    """Values of a setting, evenly spaced in its slider's travel: `span` 1 covers its whole range, less
    is centred on the present value as far as the range allows. All choices where it has choices."""
    if info.choices:
        return list(info.choices)
    if info.low is None or info.high is None or info.kind not in ("number", "whole"):
        raise RigError([(info.name, "cannot be stepped through; take a setting with a slider or with choices")])
    travel = float(np.clip((float(present) - info.low) / (info.high - info.low), 0, 1)) ** (1 / info.bend)
    first = float(np.clip(travel - span / 2, 0, 1 - span))
    step = info.step or 0.01
    values = []
    for k in range(count):
        raw = info.low + (info.high - info.low) * (first + span * k / (count - 1)) ** info.bend
        value = min(max(round(round(raw / step) * step, 6), info.low), info.high)
        values.append(int(value) if info.kind == "whole" else float(value))
    return values


def variants(rig: Rig, light_id: str, sweep: Sweep, places: list[Place], span: float = 1.0) -> list[Variant]:
    """The rigs of a test strip, row by row for a grid. Raises RigError for what cannot be swept."""
    light = next((one for one in rig.stack if one.id == light_id), None)
    if light is None:
        raise RigError([("lights", f"there is no light with the id '{light_id}'")])
    settings = light.model_dump()

    def present(place: Place) -> Any:
        return settings[place.stage][place.setting]

    def known(place: Place) -> SettingInfo:
        return setting_info(light.kind, place.stage, place.setting)

    wanted = {"setting": 1, "grid": 2, "seeds": 0, "modes": 0}[sweep]
    if len(places) != wanted:
        raise RigError([("", f"a strip of {sweep} takes {wanted} settings, not {len(places)}")])
    rows: list[list[tuple[Place, Any]]]
    if sweep == "modes":
        rows = [[(Place("merge", "mode"), mode)] for mode in MODES]
    elif sweep == "seeds":
        at = Place("spread", "seed")
        now = int(present(at)) if known(at) else 0
        high = int(known(at).high or 9999)
        rows = [[(at, (now + k) % (high + 1))] for k in range(SEEDS)]
    elif sweep == "setting":
        rows = [[(places[0], v)] for v in steps_of(known(places[0]), present(places[0]), span, STEPS)]
    else:
        across, down = (steps_of(known(p), present(p), span, GRID_STEPS) for p in places)
        rows = [[(places[0], a), (places[1], b)] for b in down for a in across]
    return [_variant(rig, light_id, row, all(present(place) == value for place, value in row)) for row in rows]


def _variant(rig: Rig, light_id: str, values: list[tuple[Place, Any]], present: bool) -> Variant:
    data = rig.model_dump()
    for light in data["lights"]:
        if light["id"] == light_id:
            for place, value in values:
                light[place.stage][place.setting] = value
    return Variant(values, check_rig(data), present)
