"""A light that is set to stand where a thing is: as near as what is seen at a place."""

from __future__ import annotations

from aurelon.core.errors import RigError
from aurelon.core.graph.renderer import Renderer
from aurelon.core.graph.show import ShowDistance
from aurelon.core.imaging.frame import fit_within
from aurelon.core.rig.light import Light
from aurelon.core.rig.model import Rig
from aurelon.core.settings import Place, settings_of
from aurelon.core.settings.types.number import Number

EDGE = 1024  # long edge of the version in which the place is looked up
STANDS_AT = "stands_at"


def standing_at(renderer: Renderer, rig: Rig, light_id: str, place: Place) -> Light:
    """The light, as near as what is seen at a place (plate fractions; the nearest one of the plate where it lies outside). Raises
    RigError for a light that stands nowhere."""
    light = rig.light(light_id)
    setting = next((one for name, one in settings_of(type(light.spread)) if name == STANDS_AT), None)
    if not isinstance(setting, Number):
        raise RigError([("light", f"'{light.name or light.id}' has no distance of its own; it shines from within the picture")])
    # The whole plate is looked at, cropped away or not.
    whole = rig.model_copy(update={"prepare": rig.prepare.model_copy(update={"straighten": 0.0, "crop": None}), "lights": []})
    nearness = renderer.render(whole, size=fit_within(renderer.plate.size, EDGE), show=ShowDistance())[:, :, 0]
    rows, columns = nearness.shape
    x, y = (min(max(int(at * count), 0), count - 1) for at, count in zip(place, (columns, rows), strict=True))
    value = setting.value(float(nearness[y, x]))
    return light.model_copy(update={"spread": light.spread.model_copy(update={STANDS_AT: value})})
