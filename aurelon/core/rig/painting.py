"""One stroke that is being drawn, laid on a rig without going over the rest of it."""

from __future__ import annotations

from typing import Literal

from aurelon.core.errors import RigError
from aurelon.core.masks.shared.mask import Mask
from aurelon.core.masks.strokes import Stroke, Strokes
from aurelon.core.rig.model import Light, Rig
from aurelon.core.settings import Settings, names_of


class Painting(Settings):
    """`owner` and `id` say whose mask it is (the house light needs no id), `part` which of its parts is painted on;
    without a part the stroke is one of the light itself, for kinds whose source is painted."""

    owner: Literal["light", "house", "matte"]
    id: str = ""
    part: int | None = None
    stroke: Stroke


def painted_rig(rig: Rig, painting: Painting) -> Rig:
    """The rig with the stroke laid last. Raises RigError where there is nothing to paint on."""

    def painted(mask: Mask) -> Mask:
        stack, index = list(mask.stack), -1 if painting.part is None else painting.part
        part = stack[index] if 0 <= index < len(stack) else None
        if not isinstance(part, Strokes):
            raise RigError([("painting", f"part {painting.part} of this mask is no brush")])
        stack[index] = part.model_copy(update={"strokes": (*part.strokes, painting.stroke)})
        return mask.model_copy(update={"parts": tuple(stack)})

    if painting.owner == "house":
        return rig.model_copy(update={"house": rig.house.model_copy(update={"mask": painted(rig.house.mask)})})
    owners = rig.stack if painting.owner == "light" else list(rig.mattes)
    if not any(owner.id == painting.id for owner in owners):
        raise RigError([("painting", f"there is no {painting.owner} with the id '{painting.id}'")])
    if painting.owner == "light" and painting.part is None:
        lights = [_with_stroke(light, painting.stroke) if light.id == painting.id else light for light in rig.stack]
        return rig.model_copy(update={"lights": lights})
    made = [
        owner.model_copy(update={"mask": painted(owner.mask)}) if owner.id == painting.id else owner for owner in owners
    ]
    return rig.model_copy(update={"lights": made} if painting.owner == "light" else {"mattes": tuple(made)})


def _with_stroke(light: Light, stroke: Stroke) -> Light:
    """The light with one more stroke in what its source is painted of."""
    painted = next(iter(names_of(type(light.source), "handle", "strokes")), None)
    if painted is None:
        raise RigError([("painting", f"'{light.id}' is no light that is painted")])
    strokes = (*getattr(light.source, painted), stroke)
    return light.model_copy(update={"source": light.source.model_copy(update={painted: strokes})})
