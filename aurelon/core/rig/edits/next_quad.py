"""One more opening, or sheet, in the row of those that a light has."""

from __future__ import annotations

from typing import Literal

from aurelon.core.errors import RigError
from aurelon.core.imaging.perspective import next_in_row
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.model import Rig
from aurelon.core.rig.reading import check_rig
from aurelon.core.settings import settings_of


class NextQuad(Edit):
    """Adds a quad where the row of the others goes on, in their perspective."""

    do: Literal["next-quad"] = "next-quad"
    light: str
    stage: Literal["source", "spread"]
    setting: str

    def apply(self, rig: Rig) -> Edited:
        light = rig.light(self.light)
        stage = getattr(light, self.stage)
        setting = dict(settings_of(type(stage))).get(self.setting)
        if setting is None or setting.type != "quads":
            raise RigError([(f"{self.stage}.{self.setting}", f"is not a row of {light.kind}")])
        quads = getattr(stage, self.setting)
        longer = (*quads, next_in_row(quads, setting.default[0]))
        changed = light.model_copy(update={self.stage: stage.model_copy(update={self.setting: longer})})
        return Edited(check_rig(rig.with_light(changed).model_dump()), f"{light.name or light.id}: one more")


EDIT = NextQuad
