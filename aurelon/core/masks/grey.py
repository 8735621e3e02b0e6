"""A grey picture from a file: a depth map, or a matte made elsewhere."""

from __future__ import annotations

from typing import Literal

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.part import Ground, Part, resampled
from aurelon.core.settings import file_setting, number


class Grey(Part):
    """Laid over the whole plate; `low` and `high` say which of its tones (stored values) begin and end."""

    title = "Grey file"
    summary = "A depth map or a matte from a file"
    order = 9
    of_one_picture = True

    part: Literal["grey"] = "grey"
    file: str = file_setting("The depth map or matte file", essential=True)
    low: float = number(0.0, "Tone up to which nothing is covered", unit="share", low=0, high=1, step=0.005, essential=True)
    high: float = number(1.0, "Tone from which everything is covered", unit="share", low=0, high=1, step=0.005, essential=True)

    def counts(self, ground: Ground) -> bool:
        return self.on and ground.grey(self.file) is not None

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        grey = ground.grey(self.file)
        if grey is None:
            raise LookupError(f"there is no file '{self.file}'")

        def levelled() -> Floats:
            low, high = sorted((self.low, self.high))
            result = (grey - np.float32(low)) / np.float32(max(high - low, 1e-3))
            return np.asarray(np.clip(result, 0, 1), np.float32)

        return resampled(ground.keep(("levelled", self.key(ground)), ground.reading, levelled), frame)


PART = Grey
