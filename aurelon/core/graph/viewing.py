"""How the picture is looked at, which changes nothing of what it is."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.profiles import SPACES, TITLES
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.imaging.screen import CLIP_MARK, GAMUT_MARK, PEAK_MARK, mark_at, mark_from
from aurelon.core.settings import Settings, choice, number

OUTSIDE = 0.002  # of linear light that a channel may lack unseen
Proof = Literal["none", "srgb", "display-p3", "oprgb", "romm"]


class Viewing(Settings):
    """The exposure under which the picture is shown, the peak that its light is held against, and the profile that its colours
    are."""

    exposure: float = number(
        0,
        "Darkens or brightens only what is shown, to look into light above white or into shadows",
        label="View exposure",
        unit="stops",
        low=-8,
        high=8,
        step=0.1,
    )
    peak: float = number(
        0,
        "Brightness of the screen or file that the picture is for, above white; Clipping marks what is brighter",
        label="Peak",
        unit="stops",
        low=0,
        high=8,
        step=0.1,
    )

    proof: Proof = choice(
        "none",
        "Shows the colours that a file in this profile can hold; Clipping marks those that it cannot",
        label="Proof",
        words={"none": "Off", **TITLES},
    )

    def seen(self, pixels: Floats, space: RgbSpace) -> Floats:
        """Linear light in `space` as it is shown, in the same space."""
        held = self._held(pixels, space)
        if held is not None:
            back = SPACES[self.proof].matrix_to(space)
            held = np.clip(held, 0.0, 1.0)
            pixels = np.maximum(held if back is None else held @ back.T, 0.0).astype(np.float32)
        return pixels if self.exposure == 0 else np.asarray(pixels * np.float32(2.0**self.exposure), np.float32)

    def mark(self, picture: NDArray[Any], pixels: Floats, space: RgbSpace, *, cuts: bool = True) -> None:
        """Stripes on a picture for the screen (h, w, 3) uint8: over what is clipped at white, where the finish `cuts` it off
        there, others where the linear light `pixels` is above the peak, others where its colour is outside the proof's gamut."""
        if cuts:
            mark_from(picture, pixels, 1.0, CLIP_MARK)
        if self.peak > 0:
            mark_from(picture, pixels, 2.0**self.peak, PEAK_MARK)
        held = self._held(pixels, space)
        if held is not None:
            mark_at(picture, np.asarray((held < -OUTSIDE).any(axis=2)), GAMUT_MARK)

    def _held(self, pixels: Floats, space: RgbSpace) -> Floats | None:
        """The light in the proof's own space, where there is a proof."""
        if self.proof == "none":
            return None
        matrix = space.matrix_to(SPACES[self.proof])
        return pixels if matrix is None else np.asarray(pixels @ matrix.T, np.float32)
