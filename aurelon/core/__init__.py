"""Aurelon's core: pictures, rigs and the computation of light. Usable on its own."""

from aurelon.core.errors import AurelonError, OutputError, PlateError, RigError
from aurelon.core.graph.pipeline import render
from aurelon.core.memory import keep_freed
from aurelon.core.plate import Plate, open_plate, read_plate
from aurelon.core.rig.model import Rig, check_rig, parse_rig

__all__ = [
    "AurelonError",
    "OutputError",
    "Plate",
    "PlateError",
    "Rig",
    "RigError",
    "check_rig",
    "open_plate",
    "parse_rig",
    "read_plate",
    "render",
]

keep_freed()
