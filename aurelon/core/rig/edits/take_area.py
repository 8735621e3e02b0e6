"""An area that was proposed, taken as a matte; a light may be put behind it at once."""

from __future__ import annotations

from typing import Literal

from aurelon.core.finding.areas import TITLES, AreaName
from aurelon.core.masks.shared.mask import Mask
from aurelon.core.masks.shared.part import Part
from aurelon.core.masks.sky import Sky
from aurelon.core.masks.subject import Subject
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.ids import free_id
from aurelon.core.rig.model import Matte, Rig
from aurelon.core.rig.owner import LightOwner, MatteOwner
from aurelon.core.settings import Corners


class TakeArea(Edit):
    """Makes a matte of an area; one that is there already is used again. A `light` is put behind it."""

    do: Literal["take-area"] = "take-area"
    area: AreaName
    box: Corners | None = None
    light: str | None = None

    def apply(self, rig: Rig) -> Edited:
        title = TITLES[self.area]
        mask = Mask(start="nothing", parts=(self._part(),))
        known = next((matte for matte in rig.mattes if matte.mask.stack[:1] == mask.stack and matte.name == title), None)
        matte = known or Matte(id=free_id(self.area, {matte.id for matte in rig.mattes}), name=title, mask=mask)
        changed = rig if known else rig.model_copy(update={"mattes": (*rig.mattes, matte)})
        if self.light is None:
            return Edited(changed, f"New matte {title}", MatteOwner(id=matte.id), None)
        light = changed.light(self.light)
        behind = light.behind.model_copy(update={"matte": matte.id})
        name = light.name or light.id
        moved = changed.with_light(light.model_copy(update={"behind": behind}))
        return Edited(moved, f"{name}: behind {title.lower()}", LightOwner(id=light.id))

    def _part(self) -> Part:
        match self.area:
            case "sky":
                return Sky(combine="add")
            case "foreground":
                return Sky(combine="add", invert=True)
            case "subject":
                return Subject(combine="add", box=self.box)


EDIT = TakeArea
