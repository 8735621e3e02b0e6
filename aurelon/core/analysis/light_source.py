"""Where a light comes from: its position, or the first of its points that shines."""

from __future__ import annotations

from aurelon.core.graph.light_nodes import LightNodes
from aurelon.core.graph.nodes import Work
from aurelon.core.lights.shared.points import Points
from aurelon.core.settings import first_of, settings_of

Spot = tuple[float, float]


def source_of(nodes: LightNodes, work: Work) -> Spot | None:
    """The place (plate fractions), or None for a light that comes from no place of its own."""
    spread = nodes.light.spread
    values = {name: getattr(spread, name) for name, _ in settings_of(type(spread))}
    name = first_of(type(spread), lambda setting: setting.type == "place" and setting.shown_in(values))
    if name is not None:
        x, y = getattr(spread, name)
        return float(x), float(y)
    found = None if nodes.detected is None else work.evaluate(nodes.detected)
    if not isinstance(found, Points) or not len(found.places):
        return None
    x, y = found.places[0]
    return float(x), float(y)
