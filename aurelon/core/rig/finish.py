"""What becomes of light above white where a screen or a file cannot hold it."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from aurelon.core.errors import RigError
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.colour_config import ColourConfig, ConfigError, chosen
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.imaging.roll_off import rolled_off
from aurelon.core.settings import Settings, choice

AboveWhite = Literal["cut", "roll_off"]
WORDS = {"cut": "Cut off at white", "roll_off": "Rolled off, as on film"}


NO_CONFIG = "is a view of a colour configuration, and none is chosen here; start with --ocio, or take the view away under Finish"


class DisplayView(Settings):
    """A view of a display, as the chosen OpenColorIO configuration calls them."""

    display: str = Field(max_length=200)
    view: str = Field(max_length=200)


class Finish(Settings):
    """The last step of a rig, on the bench and in files for a display alike; files that hold light above white do not need it."""

    above_white: AboveWhite = choice(
        "cut",
        "What becomes of light above white; OpenEXR, HDR and float files keep it whatever is chosen",
        label="Above white",
        words=WORDS,
        essential=True,
    )

    view: DisplayView | None = Field(None, description="How a display shows it, in place of what is chosen for light above white")

    @property
    def cuts(self) -> bool:
        """Whether light is cut off at white."""
        return self.view is None and self.above_white == "cut"

    def finished(self, pixels: Floats, space: RgbSpace) -> tuple[Floats, RgbSpace]:
        """Pixels (h, w, 3) of linear light in `space` as a display shows them, and their space; what is still above white is cut
        off there. Raises RigError for a view that is not known here."""
        if self.view is not None:
            try:
                return self._config().on_display(pixels, space, self.view.display, self.view.view)
            except ConfigError as error:
                raise RigError([("finish.view", str(error))]) from error
        return rolled_off(pixels, space) if self.above_white == "roll_off" else pixels, space

    def space(self, own: RgbSpace) -> RgbSpace:
        """The space of what `finished` gives for light in `own`."""
        return own if self.view is None else self.finished(np.zeros((1, 1, 3), np.float32), own)[1]

    def draft(self, pixels: Floats, space: RgbSpace) -> NDArray[np.uint8] | None:
        """About what a view shows, for the screen (h, w, 3) uint8, while the hand moves; None without a view."""
        if self.view is None:
            return None
        try:
            return self._config().draft(pixels, space, self.view.display, self.view.view)
        except ConfigError as error:
            raise RigError([("finish.view", str(error))]) from error

    def _config(self) -> ColourConfig:
        config = chosen()
        if config is None:
            raise RigError([("finish.view", NO_CONFIG)])
        return config
