"""A new part on a mask."""

from __future__ import annotations

from typing import Any, Literal

from aurelon.core.errors import RigError
from aurelon.core.masks import parts
from aurelon.core.masks.shared.part import Part
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.model import Rig
from aurelon.core.rig.owner import MatteOwner, Owner, mask_of, with_mask


def new_part(name: str, start: str, matte: str | None = None) -> Part:
    """A new part for a mask that begins with `start`; one that refers to a matte takes `matte`.

    Raises RigError where there is no part of that name.
    """
    kind = parts().get(name)
    if kind is None:
        raise RigError([("part", f"'{name}' is not a mask part; the parts are: {', '.join(parts())}")])
    values: dict[str, Any] = {"part": name, "combine": kind.combines_on(start)}
    asks = next((key for key, setting in kind.own_settings().items() if setting.type == "matte"), None)
    if asks and matte:
        values[asks] = matte
    return kind(**values)


class AddPart(Edit):
    """Adds a part to a mask, working as the mask's start suggests."""

    do: Literal["add-part"] = "add-part"
    owner: Owner
    part: str

    def apply(self, rig: Rig) -> Edited:
        mask = mask_of(rig, self.owner)
        # In a matte itself a reference to the newest matte could go round in a circle.
        newest = rig.mattes[-1].id if rig.mattes and not isinstance(self.owner, MatteOwner) else None
        result = new_part(self.part, mask.start, newest)
        changed = mask.model_copy(update={"parts": (*mask.stack, result)})
        label = f"Add {result.title.lower()}"
        return Edited(with_mask(rig, self.owner, changed), label, self.owner, len(mask.stack))


EDIT = AddPart
