"""A grey picture from a file: a depth picture, or a matte made elsewhere."""

from __future__ import annotations

from typing import Literal

import numpy as np

from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.part import Floats, Ground, Part, sampled
from aurelon.core.settings import setting


class GreyPicture(Part):
    """Laid over the whole plate; `low` and `high` say which of its tones (stored values) begin and end."""

    title = "Grey picture"
    summary = "A depth picture or a matte from a file"
    place = 9
    of_one_picture = True

    part: Literal["picture"] = "picture"
    picture: str = setting("", "The picture, by the SHA-256 of its file", unit="picture")
    low: float = setting(0.0, "The tone up to which nothing is covered", unit="share", low=0, high=1, step=0.005)
    high: float = setting(1.0, "The tone from which all is covered", unit="share", low=0, high=1, step=0.005)

    def counts(self, ground: Ground) -> bool:
        return self.on and ground.grey(self.picture) is not None

    def pictures(self) -> list[str]:
        return [self.picture] if self.picture else []

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        grey = ground.grey(self.picture)
        if grey is None:
            raise LookupError(f"there is no picture '{self.picture}'")

        def levelled() -> Floats:
            low, high = sorted((self.low, self.high))
            made = (grey - np.float32(low)) / np.float32(max(high - low, 1e-3))
            return np.asarray(np.clip(made, 0, 1), np.float32)

        return sampled(ground.keep(("levelled", self.key(ground)), ground.reading, levelled), frame)


PART = GreyPicture
