"""A place that the finder proposed, taken for a light with its colour."""

from __future__ import annotations

from typing import Literal

from aurelon.core.lights.shared.points import PointSource
from aurelon.core.rig.copies import following
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.model import Rig
from aurelon.core.settings import Place, Settings, settings_of


class TakeProposal(Edit):
    """Sets where a light comes from, and its temperature and tint. A light of points gets one more."""

    do: Literal["take-proposal"] = "take-proposal"
    light: str
    place: Place
    temperature: float
    tint: float

    def apply(self, rig: Rig) -> Edited:
        light = rig.light(self.light)
        colour = light.colour.model_copy(update={"origin": "temperature", "temperature": self.temperature, "tint": self.tint})
        update: dict[str, Settings] = {"colour": colour}
        values = light.spread.model_dump()
        first = next((s for _, s in settings_of(type(light.spread)) if s.type == "place" and s.shown_in(values)), None)
        if first is not None:
            update["spread"] = light.spread.model_copy(update={first.name: self.place})
        elif isinstance(light.source, PointSource):
            update["source"] = light.source.model_copy(update={"placed": (*light.source.placed, self.place)})
        changed = rig.with_light(light.model_copy(update=update))
        return Edited(following(changed, light.id), f"{light.name or light.id}: light from the picture")


EDIT = TakeProposal
