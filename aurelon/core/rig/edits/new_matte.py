"""A new matte of the plate."""

from __future__ import annotations

from typing import Literal

from aurelon.core.masks.shared.mask import Mask
from aurelon.core.rig.edits.add_part import new_part
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.ids import free_id
from aurelon.core.rig.model import Matte, Rig
from aurelon.core.rig.owner import MatteOwner


class NewMatte(Edit):
    """Makes a matte of one part."""

    do: Literal["new-matte"] = "new-matte"
    part: str

    def apply(self, rig: Rig) -> Edited:
        part = new_part(self.part, "nothing")
        name = part.title if part.part == "subject" else f"{part.title} matte"
        matte_id = free_id("matte-1", {matte.id for matte in rig.mattes})
        result = Matte(id=matte_id, name=name, mask=Mask(start="nothing", parts=(part,)))
        changed = rig.model_copy(update={"mattes": (*rig.mattes, result)})
        return Edited(changed, f"New matte {name}", MatteOwner(id=matte_id), 0)


EDIT = NewMatte
