"""A picture that is read in bands of rows, so that a large one need never be there as a whole."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.reduce import Reduction, reduce_rows, reduction_to, rows_under

BAND_PIXELS = 4 << 20  # pixels of a band
ALL_ROWS = 1 << 62

Reduce = Callable[[Floats, Reduction, Floats], None]


@dataclass(frozen=True)
class PictureRows:
    """A picture of `size` (width, height) in pixels. `rows(y0, y1)` gives its rows y0 to before y1, (y1 - y0, W, 3) in linear
    light; `band_pixels` is about how many of its pixels are asked for at once."""

    size: tuple[int, int]
    rows: Callable[[int, int], Floats]
    band_pixels: int = field(default_factory=lambda: BAND_PIXELS)

    @classmethod
    def of(cls, pixels: Floats) -> PictureRows:
        """A picture (H, W, 3) that is there as a whole, and is read at once."""
        height, width, _ = pixels.shape
        return cls((width, height), lambda y0, y1: pixels[y0:y1], ALL_ROWS)

    def whole(self) -> Floats:
        """All of it, (H, W, 3)."""
        return self.rows(0, self.size[1])

    def reduced_to(self, frame: Frame) -> Floats:
        """The frame's part reduced to the frame's size, (h, w, 3): what `reduce_to` gives of the whole picture."""
        if frame.size == self.size:
            return self.rows(frame.y0, frame.y1)[:, frame.x0 : frame.x1]
        return self.through(reduce_rows, frame, 3)

    def through(self, reduce: Reduce, frame: Frame, channels: int) -> Floats:
        """What a kernel makes of the picture, reduced to a frame: (h, w, channels). The same bits whatever the bands."""
        out = np.empty((*frame.shape, channels), np.float32)
        width, height = self.size
        for band in frame.bands(max(1, self.band_pixels // width * frame.height // height) * frame.shape[1]):
            first, end = rows_under(band, height)
            part = out[band.y0 - frame.y0 : band.y1 - frame.y0]
            reduce(np.ascontiguousarray(self.rows(first, end)), reduction_to(band, self.size, first), part)
        return out
