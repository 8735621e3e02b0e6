"""A new light for a plate: named, and with settings that show at once on it."""

from __future__ import annotations

from aurelon.core.errors import RigError
from aurelon.core.lights import kinds
from aurelon.core.plate import Plate
from aurelon.core.rig.ids import free_id
from aurelon.core.rig.model import LIGHT_MODELS, Light, Rig


def new_light(name: str, plate: Plate, rig: Rig, *, example: bool = False) -> Light:
    """A light of a kind, placed on the plate over the rig as it stands; one that begins with nothing may be given an
    example. Raises RigError where there is no such kind."""
    kind = kinds().get(name)
    if kind is None:
        raise RigError([("kind", f"'{name}' is no kind of light; there are: {', '.join(kinds())}")])
    light_id = free_id(f"{name}-1", {light.id for light in rig.stack})
    title = kind.called if light_id == f"{name}-1" else f"{kind.called} {light_id.rsplit('-', 1)[-1]}"
    settings = kind.seen_by(plate) if example else kind.initial(plate)
    return LIGHT_MODELS[name].model_validate({"id": light_id, "name": title, "kind": name, **settings})
