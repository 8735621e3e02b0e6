"""Copies of a light that belong together: they share their settings, but each has its own place and mask."""

from __future__ import annotations

from aurelon.core.rig.ids import free_id
from aurelon.core.rig.model import Rig
from aurelon.core.rig.names import NAME_LENGTH
from aurelon.core.rig.reading import check_rig
from aurelon.core.settings import settings_of
from aurelon.core.settings.types.place import shifted_by

OFFSET = (0.06, 0.0)  # plate fractions from one copy to the next
SHARED = ("source", "spread", "colour", "merge")


def with_copies(rig: Rig, light_id: str, count: int, offset: tuple[float, float] = OFFSET) -> tuple[Rig, list[str]]:
    """The rig with `count` copies of a light right above it, each moved by `offset` (plate fractions) from the one
    before, all in one group; and the ids of the copies. Raises RigError where there is no such light."""
    first = rig.light(light_id)
    index = rig.stack.index(first)
    taken = {light.id for light in rig.stack}
    data = rig.model_dump(mode="json")
    original = data["lights"][index]
    original["group"] = first.group or first.id
    result = []
    for n in range(1, count + 1):
        name = free_id(light_id, taken)
        taken.add(name)
        copy = {**original, "id": name, "name": f"{first.name or first.kind} {n + 1}"[:NAME_LENGTH]}
        for stage in ("source", "spread"):
            values = dict(original[stage])
            for key, setting in settings_of(type(getattr(first, stage))):
                if setting.own:
                    values[key] = setting.carried(values[key], shifted_by(offset[0] * n, offset[1] * n))
            copy[stage] = values
        result.append(copy)
    data["lights"][index + 1 : index + 1] = result
    return check_rig(data), [copy["id"] for copy in result]


def following(rig: Rig, lead: str | None) -> Rig:
    """The rig with all lights of one group set as the light `lead` is, but for what each has for itself: where it is,
    and its mask. The same rig where there is no such light, or where it belongs to no group."""
    first = next((light for light in rig.stack if light.id == lead), None)
    if first is None or not first.group:
        return rig
    lights = []
    for light in rig.stack:
        if light.group == first.group and light.kind == first.kind and light is not first:
            stages = {}
            for stage in SHARED:
                own, theirs = getattr(light, stage), getattr(first, stage)
                kept = {name: getattr(own, name) for name, setting in settings_of(type(own)) if setting.own}
                stages[stage] = theirs.model_copy(update=kept)
            light = light.model_copy(update=stages)
        lights.append(light)
    return rig.model_copy(update={"lights": lights})
