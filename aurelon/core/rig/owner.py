"""Whose mask is meant: that of a light, of a matte, or of the house light."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from aurelon.core.errors import RigError
from aurelon.core.masks.shared.mask import Mask
from aurelon.core.rig.model import Matte, Rig
from aurelon.core.settings import Settings


class HouseOwner(Settings):
    """The house light."""

    of: Literal["house"] = "house"


class LightOwner(Settings):
    """A light by its id."""

    of: Literal["light"] = "light"
    id: str


class MatteOwner(Settings):
    """A matte by its id."""

    of: Literal["matte"] = "matte"
    id: str


Owner = Annotated[HouseOwner | LightOwner | MatteOwner, Field(discriminator="of")]


def mask_of(rig: Rig, owner: Owner) -> Mask:
    """The mask of an owner. Raises RigError where the rig has no such owner."""
    match owner:
        case HouseOwner():
            return rig.house.mask
        case LightOwner():
            return rig.light(owner.id).mask
        case MatteOwner():
            return _matte(rig, owner).mask


def with_mask(rig: Rig, owner: Owner, mask: Mask) -> Rig:
    """The rig with another mask for an owner. Raises RigError where the rig has no such owner."""
    match owner:
        case HouseOwner():
            return rig.model_copy(update={"house": rig.house.model_copy(update={"mask": mask})})
        case LightOwner():
            return rig.with_light(rig.light(owner.id).model_copy(update={"mask": mask}))
        case MatteOwner():
            changed = _matte(rig, owner).model_copy(update={"mask": mask})
            return rig.model_copy(update={"mattes": tuple(changed if m.id == owner.id else m for m in rig.mattes)})


def called(rig: Rig, owner: Owner) -> str:
    """What a person calls an owner."""
    if isinstance(owner, HouseOwner):
        return "the house light"
    found = rig.light(owner.id) if isinstance(owner, LightOwner) else _matte(rig, owner)
    return found.name or found.id


def _matte(rig: Rig, owner: MatteOwner) -> Matte:
    found = rig.matte(owner.id)
    if found is None:
        raise RigError([("mattes", f"there is no matte with the id '{owner.id}'")])
    return found
