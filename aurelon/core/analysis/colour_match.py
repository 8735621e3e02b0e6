"""The colour of the prepared picture at a spot, for lights that are to match it."""

from __future__ import annotations

from aurelon.core.finding.spot_colour import EDGE, colour_at
from aurelon.core.graph.renderer import Renderer
from aurelon.core.imaging.frame import Frame
from aurelon.core.rig import Rig


def match_colour(renderer: Renderer, rig: Rig, spot: tuple[float, float]) -> tuple[float, float]:
    """Temperature (K) and tint of the prepared picture at `spot` (plate fractions)."""
    frame = Frame.canonical(renderer.plate.size, EDGE)
    with renderer.working(rig) as now:
        return colour_at(now.work.at(now.graph.prepared, frame), renderer.plate.space, spot)
