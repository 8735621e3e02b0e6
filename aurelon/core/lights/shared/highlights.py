"""Highlights: what of the picture shines, by its brightness and, where one is picked, by its colour."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from aurelon.core.imaging.colour import picked_rgb
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.resample import highlights
from aurelon.core.settings import Settings, setting

if TYPE_CHECKING:
    from aurelon.core.lights.shared.kind import Reading

Floats = NDArray[np.float32]
ONE_COLOUR: dict[str, Any] = {"colours": ["one"]}


class HighlightSource(Settings):
    """Which highlights shine."""

    threshold: float = setting(
        0.6, "How bright the picture must be to shine", unit="share", low=0, high=2, step=0.01
    )
    knee: float = setting(
        0.25, "How gradually light counts above the threshold", unit="share", low=0.01, high=1, step=0.01
    )
    colours: Literal["all", "one"] = setting("all", "Whether light of every colour shines, or of one alone")
    colour: str = Field(
        "#ffb35c",
        pattern=r"^#[0-9a-f]{6}$",
        description="The colour that shines, as sRGB; its brightness does not count",
        json_schema_extra={"unit": "colour", "when": ONE_COLOUR},
    )
    tolerance: float = setting(
        0.25, "How far from that colour light may be", unit="share", low=0.02, high=1, step=0.01, when=ONE_COLOUR
    )


def shining(reading: Reading, settings: HighlightSource, frame: Frame) -> Floats:
    """(h, w, 4): the picture's light where it shines, and the openness w itself; measured at full size."""
    s = settings
    picked = picked_rgb(s.colour, reading.space) if s.colours == "one" else None
    return highlights(
        reading.picture, reading.space.luminance, s.threshold, s.knee, frame, picked=picked, tolerance=s.tolerance
    )
