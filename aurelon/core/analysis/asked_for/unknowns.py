"""Settings of a light as a vector of unknowns, in units of about equal effect, and back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from aurelon.core.imaging.arrays import Doubles
from aurelon.core.rig.light import Light
from aurelon.core.settings import settings_of
from aurelon.core.settings.base import Setting
from aurelon.core.settings.slider import Slider
from aurelon.core.settings.types.place import PlaceSetting

TURN = 180.0  # degrees to one unit of a direction


@dataclass(frozen=True)
class Unknown:
    """One setting of a light that is looked for."""

    stage: str
    name: str
    setting: Setting

    def of(self, light: Light) -> Doubles:
        """Its value in a light as a vector: a slider's travel, a direction in half turns, places as fractions of the plate."""
        value = getattr(getattr(light, self.stage), self.name)
        if not isinstance(self.setting, Slider):
            return np.array(self.setting.numbers(value))
        if self.is_direction:
            return np.array([value / TURN])
        s = self.setting
        return np.array([((value - s.low) / (s.high - s.low)) ** (1 / s.exponent)])

    def value(self, like: Light, vector: Doubles) -> Any:
        """The value that a vector stands for, within the setting's bounds; of the shape that it has in a light `like` it."""
        s = self.setting
        if not isinstance(s, Slider):
            low, high = getattr(s, "low", -10.0), getattr(s, "high", 11.0)
            return s.of_numbers(
                getattr(getattr(like, self.stage), self.name), [round(float(v), 4) for v in np.clip(vector, low, high)]
            )
        if self.is_direction:
            return s.value((float(vector[0]) * TURN + TURN) % (2 * TURN) - TURN)
        return s.value(s.low + (s.high - s.low) * float(np.clip(vector[0], 0, 1)) ** s.exponent)

    def between(self, one: Doubles, other: Doubles) -> float:
        """How far two of its vectors differ at most, a direction the short way round."""
        off = np.abs(one - other)
        return float(np.minimum(off, 2 - off).max() if self.is_direction else off.max())

    @property
    def is_place(self) -> bool:
        """Whether it is one place."""
        return isinstance(self.setting, PlaceSetting)

    @property
    def is_direction(self) -> bool:
        """Whether it goes round and round."""
        return isinstance(self.setting, Slider) and self.setting.handle == "direction"


def unknowns_of(light: Light, paths: Sequence[str]) -> list[Unknown]:
    """The settings of a light under paths such as `spread.position`."""
    result = []
    for path in paths:
        stage, name = path.split(".")
        result.append(Unknown(stage, name, dict(settings_of(type(getattr(light, stage))))[name]))
    return result


def vector_of(light: Light, unknowns: Sequence[Unknown]) -> Doubles:
    """All unknowns of a light in a row."""
    return np.concatenate([u.of(light) for u in unknowns])


def light_of(like: Light, unknowns: Sequence[Unknown], vector: Doubles) -> Light:
    """A light with the unknowns of a vector and all else `like` another."""
    at = 0
    changes: dict[str, dict[str, Any]] = {}
    for u in unknowns:
        length = u.of(like).size
        changes.setdefault(u.stage, {})[u.name] = u.value(like, vector[at : at + length])
        at += length
    return with_settings(like, changes)


def with_settings(light: Light, changes: Mapping[str, Mapping[str, Any]]) -> Light:
    """A light with settings of its stages changed."""
    stages = {stage: getattr(light, stage).model_copy(update=values) for stage, values in changes.items()}
    return light.model_copy(update=stages)
