"""How a new light is laid on a plate so that it is seen at once and spoils nothing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from aurelon.core.finding.spot_colour import EDGE as SPOT_EDGE
from aurelon.core.finding.spot_colour import colour_at
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.imaging.rgb_space import SRGB_CURVE
from aurelon.core.plate import Plate

SUNS = 2800.0, 5600.0  # K, from a low sun to noon
EDGE = 160  # pixels on the long edge are enough to place a light by
BLACK = 0.01  # linear luminance below which light on the surface cannot be seen, only light in the air


def luminance_in(plate: Plate, box: tuple[float, float, float, float] = (0, 0, 1, 1)) -> Floats:
    """(h, w): linear luminance of the part of the plate from left, top to right, bottom (fractions), at a small size."""
    frame = Frame.whole(fit_within(plate.size, EDGE))
    whole = plate.at(frame) @ plate.space.luminance
    columns = slice(int(box[0] * frame.width), max(int(box[2] * frame.width), int(box[0] * frame.width) + 1))
    rows = slice(int(box[1] * frame.height), max(int(box[3] * frame.height), int(box[1] * frame.height) + 1))
    return np.asarray(whole[rows, columns], np.float32)


def open_share(plate: Plate, share: float, knee: float) -> float:
    """The threshold, display-encoded, that this share of the picture's pixels passes by half the knee."""
    codes = SRGB_CURVE.encode(np.minimum(luminance_in(plate), 1.0))
    return round(float(np.clip(np.quantile(codes, 1 - share) - knee / 2, 0.02, 0.9)), 2)


def merge_on(plate: Plate, box: tuple[float, float, float, float], *, relight: float, expose: float) -> dict[str, Any]:
    """Mode and intensity for light that falls on what is there, or hangs in the air where all is black."""
    if float(np.median(luminance_in(plate, box))) < BLACK:
        return {"mode": "expose", "intensity": expose}
    return {"mode": "relight", "intensity": relight}


def warmth_at(plate: Plate, place: Sequence[float]) -> float:
    """A temperature (K) for a sun at a place (plate fractions): the picture's own, but no colder than noon."""
    frame = Frame.canonical(plate.size, SPOT_EDGE)
    kelvin, _ = colour_at(plate.at(frame), plate.space, (place[0], place[1]))
    return float(np.clip(round(kelvin, -2), *SUNS))
