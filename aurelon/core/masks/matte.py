"""A matte: an area that was saved with the plate, which a light stands behind or stays within."""

from __future__ import annotations

from collections.abc import Hashable
from typing import ClassVar, Literal

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.part import COMBINE_HELP, COMBINES, Combine, Ground, Part
from aurelon.core.settings import choice, matte_setting, number


class MatteUse(Part):
    """Behind m: 1 - m (1 - spill). Within m: m + spill (1 - m). A matte that is not there changes nothing."""

    title = "Matte"
    summary = "Behind or within an area saved with the plate"
    order = 8
    usual_combine: ClassVar[Combine | None] = "intersect"

    part: Literal["matte"] = "matte"
    combine: Combine = choice("intersect", COMBINE_HELP, label="Combine", words=COMBINES, essential=True)
    matte: str = matte_setting("The matte", essential=True)
    side: Literal["behind", "within"] = choice("behind", "Whether the light stands behind it or stays within it", essential=True)
    spill: float = number(
        0.0, "How much light still reaches the other side", unit="share", low=0, high=1, step=0.01, essential=True
    )

    def key(self, ground: Ground) -> Hashable:
        return super().key(ground), ground.mattes[self.matte].key

    def counts(self, ground: Ground) -> bool:
        return self.on and self.matte in ground.mattes

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        area = ground.mattes[self.matte].at(frame)
        keep = np.float32(1 - self.spill)
        return 1 - area * keep if self.side == "behind" else 1 - (1 - area) * keep


PART = MatteUse
