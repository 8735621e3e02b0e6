"""One stroke that is being drawn, laid on a rig without going over the rest of it."""

from __future__ import annotations

from typing import Literal

from aurelon.core.errors import RigError
from aurelon.core.mask import Mask
from aurelon.core.masks.strokes import Stroke, Strokes
from aurelon.core.rig import Rig
from aurelon.core.settings import Settings


class Painting(Settings):
    """`owner` and `id` say whose mask it is (the house light needs no id), `part` which of its parts is painted on."""

    owner: Literal["light", "house", "matte"]
    id: str = ""
    part: int
    stroke: Stroke


def painted_rig(rig: Rig, painting: Painting) -> Rig:
    """The rig with the stroke laid last. Raises RigError where there is nothing to paint on."""

    def painted(mask: Mask) -> Mask:
        stack = list(mask.stack)
        part = stack[painting.part] if 0 <= painting.part < len(stack) else None
        if not isinstance(part, Strokes):
            raise RigError([("painting", f"part {painting.part} of this mask is no brush")])
        stack[painting.part] = part.model_copy(update={"strokes": (*part.strokes, painting.stroke)})
        return mask.model_copy(update={"parts": tuple(stack)})

    if painting.owner == "house":
        return rig.model_copy(update={"house": rig.house.model_copy(update={"mask": painted(rig.house.mask)})})
    owners = rig.stack if painting.owner == "light" else list(rig.mattes)
    if not any(owner.id == painting.id for owner in owners):
        raise RigError([("painting", f"there is no {painting.owner} with the id '{painting.id}'")])
    made = [
        owner.model_copy(update={"mask": painted(owner.mask)}) if owner.id == painting.id else owner for owner in owners
    ]
    return rig.model_copy(update={"lights": made} if painting.owner == "light" else {"mattes": tuple(made)})
