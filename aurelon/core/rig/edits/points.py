"""Points of light: placed, switched off, moved, removed."""

from __future__ import annotations

from typing import Literal

import numpy as np

from aurelon.core.errors import RigError
from aurelon.core.lights.shared.points import PointSource
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.model import Rig
from aurelon.core.rig.reading import check_rig
from aurelon.core.settings import Place

DIGITS = 4


class EditPoint(Edit):
    """Adds a point at `place`; toggles or moves the one that is there, `found` in the picture or placed by hand and
    `on` or off: a found point is switched off and on, a placed one removed."""

    do: Literal["point"] = "point"
    light: str
    act: Literal["add", "toggle", "move"]
    place: Place
    to: Place | None = None
    found: bool = False
    on: bool = True

    def apply(self, rig: Rig) -> Edited:
        light = rig.light(self.light)
        source = light.source
        if not isinstance(source, PointSource):
            raise RigError([("source", f"{light.kind} does not shine from points")])
        placed, off = list(source.placed), list(source.switched_off)
        if self.act == "add":
            placed.append(_rounded(self.place))
            what = "Add a point"
        elif self.act == "move":
            if self.found and self.on:
                off.append(self.place)
            elif not self.found:
                placed = _without(placed, self.place)
            placed.append(_rounded(self.to or self.place))
            what = "Move a point"
        elif not self.found:
            placed, what = _without(placed, self.place), "Remove a point"
        elif self.on:
            off.append(self.place)
            what = "Switch a point off"
        else:
            off, what = _without(off, self.place), "Switch a point on"
        update = {"placed": tuple(placed), "switched_off": tuple(off)}
        changed = light.model_copy(update={"source": source.model_copy(update=update)})
        return Edited(check_rig(rig.with_light(changed).model_dump()), f"{light.name or light.id}: {what}")


def _rounded(place: Place) -> Place:
    return round(place[0], DIGITS), round(place[1], DIGITS)


def _without(places: list[Place], place: Place) -> list[Place]:
    """The places but for the one nearest to `place`."""
    if not places:
        return places
    nearest = int(np.argmin([np.hypot(p[0] - place[0], p[1] - place[1]) for p in places]))
    return places[:nearest] + places[nearest + 1 :]


EDIT = EditPoint
