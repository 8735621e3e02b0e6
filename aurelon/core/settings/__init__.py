"""The types of setting, and how a group of settings is declared.

A setting is declared once, in the core, with all that the screen, the command line and the documentation need:
`reach: float = number(0.5, "How far a ray carries", unit="diagonal", low=0.02, high=2, step=0.01)`.
"""

from aurelon.core.settings.base import Setting, Settings, first_of, settings_of
from aurelon.core.settings.declared import temperature_setting, tint_setting
from aurelon.core.settings.types.box import Corners, box_setting
from aurelon.core.settings.types.choice import choice
from aurelon.core.settings.types.colour import colour_setting
from aurelon.core.settings.types.file import file_setting
from aurelon.core.settings.types.flag import flag
from aurelon.core.settings.types.matte import matte_setting
from aurelon.core.settings.types.number import direction, number
from aurelon.core.settings.types.path import path_setting
from aurelon.core.settings.types.place import Place, place_setting
from aurelon.core.settings.types.places import places_setting
from aurelon.core.settings.types.polygon import polygon_setting
from aurelon.core.settings.types.quads import Quad, quads_setting
from aurelon.core.settings.types.seed import seed_setting
from aurelon.core.settings.types.strokes import Stroke, strokes_setting
from aurelon.core.settings.types.whole import whole

__all__ = [
    "Corners",
    "Place",
    "Quad",
    "Setting",
    "Settings",
    "Stroke",
    "box_setting",
    "choice",
    "colour_setting",
    "direction",
    "file_setting",
    "first_of",
    "flag",
    "matte_setting",
    "number",
    "path_setting",
    "place_setting",
    "places_setting",
    "polygon_setting",
    "quads_setting",
    "seed_setting",
    "settings_of",
    "strokes_setting",
    "temperature_setting",
    "tint_setting",
    "whole",
]
