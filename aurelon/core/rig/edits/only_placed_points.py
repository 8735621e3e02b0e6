"""Of all points of light, only those placed by hand are left."""

from __future__ import annotations

from typing import Literal

from aurelon.core.errors import RigError
from aurelon.core.lights.shared.points import PointSource
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.model import Rig


class EditOnlyPlacedPoints(Edit):
    """Takes no points from the picture; those placed by hand stay."""

    do: Literal["only-placed-points"] = "only-placed-points"
    light: str

    def apply(self, rig: Rig) -> Edited:
        light = rig.light(self.light)
        if not isinstance(light.source, PointSource):
            raise RigError([("source", f"{light.kind} does not shine from points")])
        source = light.source.model_copy(update={"max_points": 0, "switched_off": ()})
        return Edited(rig.with_light(light.model_copy(update={"source": source})), f"{light.name or light.id}: Only placed points")


EDIT = EditOnlyPlacedPoints
