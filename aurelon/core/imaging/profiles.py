"""The colour spaces that a file can be written in, by the name that options have for each: IEC 61966-2-1, CSS Color 4, IEC
61966-2-5, ISO 22028-2.
"""

from __future__ import annotations

from aurelon.core.imaging.rgb_space import DISPLAY_P3, OPRGB, ROMM, SRGB

SPACES = {"srgb": SRGB, "display-p3": DISPLAY_P3, "oprgb": OPRGB, "romm": ROMM}
TITLES = {"srgb": "sRGB", "display-p3": "Display P3", "oprgb": "opRGB", "romm": "ROMM RGB"}
