"""A light that becomes one of another kind, and keeps its place, mask, colour and whatever else both kinds have."""

from __future__ import annotations

import re
from typing import TypeVar

from pydantic import ValidationError

from aurelon.core.graph.new_light import new_light
from aurelon.core.graph.renderer import Renderer
from aurelon.core.lights import kinds
from aurelon.core.rig.edits.shared.edit import Edited
from aurelon.core.rig.light import Light
from aurelon.core.rig.model import Keys, Rig
from aurelon.core.rig.owner import LightOwner
from aurelon.core.settings import Settings, settings_of
from aurelon.core.settings.base import Setting
from aurelon.core.settings.types.number import Number

S = TypeVar("S", bound=Settings)
STAGES = ("source", "spread")  # that each kind has settings of its own for


def in_another_kind(rig: Rig, light_id: str, kind: str, renderer: Renderer) -> Edited:
    """The rig with a light changed into another kind. Raises RigError where there is no such light or kind.

    What both kinds have alike under one name stays; the rest is as for a new light on this plate. Keys of settings that the new
    kind does not have are dropped, and named.
    """
    old = rig.light(light_id)
    others = rig.model_copy(update={"lights": [light for light in rig.stack if light is not old]})
    fresh = new_light(kind, renderer.plate, others, cache=renderer.cache)
    usual = re.fullmatch(rf"{re.escape(kinds()[old.kind].called)}( \d+)?", old.name) is not None or not old.name
    stages = {stage: _carried(getattr(old, stage), getattr(fresh, stage)) for stage in STAGES}
    kept = {name: getattr(old, name) for name in ("id", "on", "look_at", "behind", "mask", "colour")}
    merge = fresh.merge.model_copy(update={"opacity": old.merge.opacity})
    changed = fresh.model_copy(update={**kept, **stages, "merge": merge, "name": fresh.name if usual else old.name})
    keys, dropped = _keys(rig, old, changed)
    lights = [changed if light is old else light for light in rig.stack]
    name = old.name or kinds()[old.kind].called
    notes = (
        [f"{name}: the keys of {', '.join(dropped)} were dropped, as {kinds()[kind].called} has no such setting"] if dropped else []
    )
    label = f"Change {name} into {kinds()[kind].called}"
    return Edited(rig.model_copy(update={"lights": lights, "keys": keys}), label, LightOwner(id=changed.id), notes=notes)


def _carried(old: Settings, fresh: S) -> S:
    """The fresh settings with those of the old that have the same name, type and unit."""
    before = dict(settings_of(type(old)))
    for name, setting in settings_of(type(fresh)):
        if name not in before or not _alike(before[name], setting):
            continue
        value = getattr(old, name)
        if isinstance(setting, Number):
            value = min(max(value, setting.low), setting.high)
        try:
            fresh = type(fresh).model_validate({**fresh.model_dump(), name: value})
        except ValidationError:
            continue  # a word that only the other kind knows
    return fresh


def _alike(one: Setting, other: Setting) -> bool:
    return one.type == other.type and getattr(one, "unit", None) == getattr(other, "unit", None)


def _keys(rig: Rig, old: Light, changed: Light) -> tuple[Keys, list[str]]:
    """The rig's keys without those of settings that the changed light does not have; and the names of these settings."""
    tracks = rig.keys.get(old.id, {})
    had, has = ({f"{stage}.{n}": s for stage in STAGES for n, s in settings_of(type(getattr(of, stage)))} for of in (old, changed))
    lost = {path for path in tracks if path in had and (path not in has or has[path].type != had[path].type)}
    left = {path: track for path, track in tracks.items() if path not in lost}
    keys = {owner: of for owner, of in {**rig.keys, old.id: left}.items() if of}
    return keys, sorted(had[path].label for path in lost)
