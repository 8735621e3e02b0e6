"""A second light of the same settings, right above the first."""

from __future__ import annotations

from typing import Literal

from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.ids import free_id
from aurelon.core.rig.model import Rig
from aurelon.core.rig.names import NAME_LENGTH
from aurelon.core.rig.owner import LightOwner


class Duplicate(Edit):
    """Duplicates a light. The second is on its own: it belongs to no group."""

    do: Literal["duplicate"] = "duplicate"
    light: str

    def apply(self, rig: Rig) -> Edited:
        first = rig.light(self.light)
        name = first.name or first.kind
        copy = first.model_copy(
            update={"id": free_id(first.id, {light.id for light in rig.stack}), "name": f"{name} copy"[:NAME_LENGTH], "group": ""}
        )
        lights = [other for light in rig.stack for other in ((light, copy) if light is first else (light,))]
        keys = {**rig.keys, copy.id: rig.keys[first.id]} if first.id in rig.keys else rig.keys
        return Edited(rig.model_copy(update={"lights": lights, "keys": keys}), f"Duplicate {name}", LightOwner(id=copy.id))


EDIT = Duplicate
