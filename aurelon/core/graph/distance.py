"""How far everything in a plate is, as a picture."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from aurelon.core.graph.cache import Cache
from aurelon.core.graph.renderer import Renderer
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.plate import Plate
from aurelon.core.rig.model import Rig
from aurelon.core.space.found import found_distance

SAID = 1.0  # how sure what a person says is


class PlateDistance(NamedTuple):
    """Nearness, float32 (h, w): 1 the nearest thing seen, 0 infinitely far; how sure it is, 0..1; what it comes from, in words."""

    nearness: Floats
    sure: float
    origin: str


def distance_of(plate: Plate, rig: Rig | None = None) -> PlateDistance:
    """How far everything in a plate is, at the plate's own size, as the rig has it where one is given. Where nothing is known all
    is as near as can be, and not sure at all."""
    rig = rig or Rig()
    renderer = Renderer(plate, Cache(plate.nbytes + (1 << 28)))
    with renderer.working(rig) as now:
        node = now.graph.distance
        if node is None:
            return PlateDistance(np.ones(plate.pixels.shape[:2], np.float32), 0.0, "nothing")
        nearness = now.work.at(node, Frame.whole(plate.size))
    match rig.distance.origin:
        case "horizon":
            return PlateDistance(nearness, SAID, "the horizon that was set")
        case "file" if rig.distance.file and (rig.file(rig.distance.file) or plate.file_of(rig.distance.file)):
            return PlateDistance(nearness, SAID, "a depth picture")
    found = found_distance(plate)
    return PlateDistance(nearness, found.sure, found.origin)
