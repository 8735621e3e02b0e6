"""A rig made for one picture, its light placed anew in another."""

from __future__ import annotations

import numpy as np

from aurelon.core.analysis.finder import propose
from aurelon.core.graph.renderer import Renderer
from aurelon.core.rig import Light, Rig
from aurelon.core.settings import first_of
from aurelon.core.settings.types.place import shifted_by

TOGETHER = 0.08  # of the plate, within which lights of a rig have one source


def _place_of(light: Light) -> tuple[str, tuple[float, float]] | None:
    name = first_of(type(light.spread), lambda setting: setting.type == "place")
    if name is None:
        return None
    x, y = getattr(light.spread, name)
    return name, (float(x), float(y))


def placed_anew(renderer: Renderer, rig: Rig) -> tuple[Rig, list[str]]:
    """The rig with its source moved to where the finder holds it likeliest that this picture's light comes from, and what
    there is to say of it.

    The source is where the first light that has a position stands. Lights within TOGETHER of it go with it, each as far
    beside it as it was; all others stay where the rig has them. Where the finder has no proposal, nothing moves.
    """
    placed = [(light, found) for light in rig.stack if (found := _place_of(light)) is not None]
    if not placed:
        return rig, ["no light of this rig has a position to be found anew"]
    ranked = propose(renderer, rig).ranked
    if not ranked:
        return rig, ["nothing in the picture says where its light comes from; the lights stay where the rig has them"]
    _, old = placed[0][1]
    by = float(ranked[0].place[0] - old[0]), float(ranked[0].place[1] - old[1])
    for light, (name, place) in placed:
        if np.hypot(*np.subtract(place, old)) <= TOGETHER:
            moved = shifted_by(*by)(place)
            rig = rig.with_light(light.model_copy(update={"spread": light.spread.model_copy(update={name: moved})}))
    return rig, []
