"""The colour of the prepared picture, for lights that are to match it."""

from __future__ import annotations

from aurelon.core.analysis.light_source import source_of
from aurelon.core.finding.spot_colour import EDGE, colour_at
from aurelon.core.graph.renderer import Renderer
from aurelon.core.imaging.frame import Frame
from aurelon.core.rig import Rig

MIDDLE = (0.5, 0.5)  # of the plate, for lights that come from no place


def match_colour(renderer: Renderer, rig: Rig, spot: tuple[float, float] | None, light: str = "") -> tuple[float, float]:
    """Temperature (K) and tint of the prepared picture at `spot` (plate fractions); where that is None, at the source of the light
    of that id. Raises RigError where there is no such light."""
    frame = Frame.canonical(renderer.plate.size, EDGE)
    with renderer.working(rig) as now:
        place = spot or source_of(now.graph.of(light), now.work) or MIDDLE
        return colour_at(now.work.at(now.graph.prepared, frame), renderer.plate.space, place)
