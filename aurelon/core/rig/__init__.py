"""The rig as data: the open format, and what is done to it as a whole."""

from aurelon.core.rig.light import Light
from aurelon.core.rig.model import Matte, Rig
from aurelon.core.rig.problems import problem_of
from aurelon.core.rig.reading import check_rig, parse_rig

__all__ = ["Light", "Matte", "Rig", "check_rig", "parse_rig", "problem_of"]
