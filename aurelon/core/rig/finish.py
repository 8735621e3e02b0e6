"""What becomes of light above white where a screen or a file cannot hold it."""

from __future__ import annotations

from typing import Literal

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.imaging.roll_off import rolled_off
from aurelon.core.settings import Settings, choice

AboveWhite = Literal["cut", "roll_off"]
WORDS = {"cut": "Cut off at white", "roll_off": "Rolled off, as on film"}


class Finish(Settings):
    """The last step of a rig, on the bench and in files for a display alike; files that hold light above white do not need it."""

    above_white: AboveWhite = choice(
        "cut",
        "What becomes of light above white; OpenEXR, HDR and float files keep it whatever is chosen",
        label="Above white",
        words=WORDS,
        essential=True,
    )

    def finished(self, pixels: Floats, space: RgbSpace) -> Floats:
        """Pixels (h, w, 3) of linear light in `space` as a display shows them; what is still above white is cut off there."""
        return rolled_off(pixels, space) if self.above_white == "roll_off" else pixels
