"""One stroke that is being drawn, laid on a rig without going over the rest of it."""

from __future__ import annotations

from aurelon.core.errors import RigError
from aurelon.core.masks.strokes import Strokes
from aurelon.core.rig.light import Light
from aurelon.core.rig.model import Rig
from aurelon.core.rig.owner import LightOwner, Owner, mask_of, with_mask
from aurelon.core.settings import Settings, Stroke, first_of


class Painting(Settings):
    """A stroke on a part of an owner's mask; without a part it is one of the light itself, for kinds whose source is
    painted."""

    owner: Owner
    part: int | None = None
    stroke: Stroke


def painted_rig(rig: Rig, painting: Painting) -> Rig:
    """The rig with the stroke laid last. Raises RigError where there is nothing to paint on."""
    owner, index = painting.owner, painting.part
    if index is None:
        if not isinstance(owner, LightOwner):
            raise RigError([("painting", "only a light is painted by itself")])
        return rig.with_light(_with_stroke(rig.light(owner.id), painting.stroke))
    mask = mask_of(rig, owner)
    stack = list(mask.stack)
    part = stack[index] if 0 <= index < len(stack) else None
    if not isinstance(part, Strokes):
        raise RigError([("painting", f"part {index} of this mask is not a brush")])
    stack[index] = part.model_copy(update={"strokes": (*part.strokes, painting.stroke)})
    return with_mask(rig, owner, mask.model_copy(update={"parts": tuple(stack)}))


def _with_stroke(light: Light, stroke: Stroke) -> Light:
    """The light with one more stroke in what its source is painted of."""
    painted = first_of(type(light.source), lambda setting: setting.type == "strokes")
    if painted is None:
        raise RigError([("painting", f"'{light.id}' is not a painted light")])
    strokes = (*getattr(light.source, painted), stroke)
    return light.model_copy(update={"source": light.source.model_copy(update={painted: strokes})})
