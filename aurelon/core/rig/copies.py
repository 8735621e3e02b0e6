"""Copies of a light that belong together: they share their settings, but each has its own place and mask."""

from __future__ import annotations

from typing import Any

from aurelon.core.errors import RigError
from aurelon.core.rig.model import Rig, check_rig
from aurelon.core.settings import names_of

# Handles of settings that say where a light is; in a group each copy has its own.
OWN_HANDLES = ("position", "quads", "path", "strokes", "points")


def with_copies(rig: Rig, light_id: str, count: int, offset: tuple[float, float]) -> tuple[Rig, list[str]]:
    """The rig with `count` copies of a light right above it, each moved by `offset` (plate fractions) from the one
    before, all in one group; and the ids of the copies. Raises RigError where there is no such light."""
    index = next((n for n, light in enumerate(rig.stack) if light.id == light_id), None)
    if index is None:
        raise RigError([("lights", f"there is no light with the id '{light_id}'")])
    first = rig.stack[index]
    group = first.group or first.id
    taken = {light.id for light in rig.stack}
    data = rig.model_dump(mode="json")
    original = data["lights"][index]
    original["group"] = group
    made, stem = [], light_id.rsplit("-", 1)[0] if light_id.rsplit("-", 1)[-1].isdigit() else light_id
    for n in range(1, count + 1):
        name = next(f"{stem[:58]}-{k}" for k in range(2, 2000) if f"{stem[:58]}-{k}" not in taken)
        taken.add(name)
        copy = {**original, "id": name, "name": f"{first.name or first.kind} {n + 1}"[:80]}
        for stage in ("source", "spread"):
            own = names_of(type(getattr(first, stage)), "handle", *OWN_HANDLES)
            copy[stage] = {
                key: moved(value, (offset[0] * n, offset[1] * n)) if key in own else value
                for key, value in original[stage].items()
            }
        made.append(copy)
    data["lights"][index + 1 : index + 1] = made
    return check_rig(data), [copy["id"] for copy in made]


def moved(value: Any, by: tuple[float, float]) -> Any:
    """A place, or any list of places or strokes, moved by plate fractions."""
    if isinstance(value, dict):  # a stroke
        points = list(value["points"])
        points[0::3] = [x + by[0] for x in points[0::3]]
        points[1::3] = [y + by[1] for y in points[1::3]]
        return {**value, "points": points}
    if isinstance(value, list):
        if len(value) == 2 and all(isinstance(v, int | float) for v in value):
            return [value[0] + by[0], value[1] + by[1]]
        return [moved(one, by) for one in value]
    return value
