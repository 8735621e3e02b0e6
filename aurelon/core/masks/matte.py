"""A matte: an area that was saved with the plate, which a light stands behind or stays within."""

from __future__ import annotations

from collections.abc import Hashable
from typing import ClassVar, Literal, Self

import numpy as np

from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.part import Combine, Floats, Ground, Part
from aurelon.core.settings import setting


class MatteUse(Part):
    """Behind m: 1 - m (1 - spill). Within m: m + spill (1 - m). A matte that is not there changes nothing."""

    title = "Matte"
    summary = "Behind or within an area that is saved with the plate"
    place = 8
    usual_combine: ClassVar[Combine | None] = "intersect"

    part: Literal["matte"] = "matte"
    combine: Combine = setting(
        "intersect", "Adds to what is above it, takes from it, or keeps only what both cover", label="Works by"
    )
    matte: str = setting("", "The area", unit="matte")
    side: Literal["behind", "within"] = setting("behind", "Whether the light stands behind it or stays within it")
    spill: float = setting(
        0.0, "How much still reaches the other side", unit="share", low=0, high=1, step=0.01
    )

    def mattes(self) -> list[str]:
        return [self.matte] if self.matte else []

    def with_mattes(self, names: dict[str, str]) -> Self:
        return self.model_copy(update={"matte": names.get(self.matte, self.matte)})

    def key(self, ground: Ground) -> Hashable:
        return super().key(ground), ground.matte_key(self.matte)

    def counts(self, ground: Ground) -> bool:
        return self.on and ground.has_matte(self.matte)

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        area = ground.matte(self.matte, frame)
        if area is None:
            raise LookupError(f"there is no matte '{self.matte}'")
        keep = np.float32(1 - self.spill)
        return 1 - area * keep if self.side == "behind" else 1 - (1 - area) * keep


PART = MatteUse
