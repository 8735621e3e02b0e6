"""Test strips: one rig with a setting, or two, stepped through.

The variants are rigs like any other, so whatever stages they share are computed once, in the cache.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from aurelon.core.errors import RigError
from aurelon.core.rig.light import Light
from aurelon.core.rig.model import Rig
from aurelon.core.rig.reading import check_rig
from aurelon.core.settings import Setting, settings_of

GRID_STEPS = 5  # of each setting in a grid
MOST = 2  # settings of one strip


@dataclass(frozen=True)
class SettingPath:
    """A setting of a light: `stage` is one of its five."""

    stage: str
    setting: str


@dataclass(frozen=True)
class Variant:
    """A rig of the strip, the values that make it, and whether they are the present ones."""

    values: list[tuple[SettingPath, Any]]
    rig: Rig
    present: bool


@dataclass(frozen=True)
class TestStrip:
    """Variants row by row, and the number of columns."""

    variants: list[Variant]
    columns: int


def setting_at(light: Light, path: SettingPath) -> Setting:
    """One setting of a light. Raises RigError where the kind has no such setting."""
    stage = getattr(light, path.stage, None)
    for name, setting in settings_of(type(stage)) if stage is not None else ():
        if name == path.setting:
            return setting
    raise RigError([(f"{path.stage}.{path.setting}", f"is not a setting of {light.kind}")])


def stepped(rig: Rig, light_id: str, paths: list[SettingPath], span: float = 1.0) -> TestStrip:
    """The rigs of a test strip, row by row where two settings make a grid; `span` 1 covers the whole range.

    Raises RigError for what cannot be stepped through.
    """
    light = rig.light(light_id)
    if not 1 <= len(paths) <= MOST:
        raise RigError([("settings", f"a test strip steps through one setting or {MOST}, not {len(paths)}")])
    steps = [_steps(light, path, span, None if len(paths) == 1 else GRID_STEPS) for path in paths]
    if len(paths) == 1:
        rows = [[(paths[0], value)] for value in steps[0]]
    else:
        rows = [[(paths[0], across), (paths[1], down)] for down in steps[1] for across in steps[0]]
    return TestStrip([_variant(rig, light, row) for row in rows], len(steps[0]))


def _present(light: Light, path: SettingPath) -> Any:
    return getattr(getattr(light, path.stage), path.setting)


def _steps(light: Light, path: SettingPath, span: float, count: int | None) -> list[Any]:
    setting = setting_at(light, path)
    steps = setting.steps(_present(light, path), span, count or type(setting).ON_A_STRIP)
    if not steps:
        raise RigError([(setting.name, "cannot be stepped through; take a setting with a slider or with choices")])
    return steps


def _variant(rig: Rig, light: Light, values: list[tuple[SettingPath, Any]]) -> Variant:
    data = rig.model_dump()
    changed = next(one for one in data["lights"] if one["id"] == light.id)
    for path, value in values:
        changed[path.stage][path.setting] = value
    present = all(_present(light, path) == value for path, value in values)
    return Variant(values, check_rig(data), present)
