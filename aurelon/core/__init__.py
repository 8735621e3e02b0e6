"""Aurelon's core: pictures, rigs and the computation of light. Usable on its own."""

from numba import config

from aurelon.core.errors import AurelonError, OutputError, PlateError, RigError
from aurelon.core.graph.distance import PlateDistance, distance_of
from aurelon.core.graph.lit import Lit
from aurelon.core.graph.renderer import Renderer, render
from aurelon.core.graph.rendering import Rendering
from aurelon.core.imaging.memory import keep_freed
from aurelon.core.plate import Plate, open_plate, read_plate
from aurelon.core.reel import Reel, open_reel, read_reel
from aurelon.core.rig import Rig, check_rig, parse_rig

__all__ = [
    "AurelonError",
    "Lit",
    "OutputError",
    "Plate",
    "PlateDistance",
    "PlateError",
    "Reel",
    "Renderer",
    "Rendering",
    "Rig",
    "RigError",
    "check_rig",
    "distance_of",
    "open_plate",
    "open_reel",
    "parse_rig",
    "read_plate",
    "read_reel",
    "render",
]

# Pictures of two plates may be made at the same time; the layer that is not made for that would end the process.
vars(config)["THREADING_LAYER"] = "threadsafe"
keep_freed()
