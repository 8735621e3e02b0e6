"""Bloom: highlights spill over what surrounds them.

Glare in a lens and an eye is a narrow core on a wide, faint veil that falls off about as 1/r². Here
it is a sum of Gaussians, each half as wide as the last, from `radius` down: equal weights give that
fall-off, `falloff` tips them toward the veil or toward the core. The weights sum to 1.

References: Spencer, Shirley, Zimmerman and Greenberg, "Physically-Based Glare Effects for Digital
Images" (1995), for the shape of glare; Burt and Adelson (1983) for the pyramid (see `octaves.py`).
"""

from __future__ import annotations

from typing import Any

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.gaussian_pyramid import gaussian_mixture
from aurelon.core.lights.shared.fields import ColouredField
from aurelon.core.lights.shared.highlights import HighlightSource, light_where_open
from aurelon.core.lights.shared.initial_settings import open_share
from aurelon.core.lights.shared.kind import Colour, Kind, Reading, Scene
from aurelon.core.plate import Plate
from aurelon.core.settings import Settings, number

OCTAVES = 7
TIP = 1.1  # natural logarithm by which falloff 0 and 1 weigh one octave against the next


class Source(HighlightSource):
    """Which highlights spill."""

    threshold: float = number(
        0.6, "How bright the picture must be to bloom", unit="share", low=0, high=2, step=0.01, essential=True
    )


class Spread(Settings):
    """How far they spill."""

    radius: float = number(
        0.05, "Width of the widest part of the glow", unit="diagonal", low=0.002, high=0.3, step=0.001, exponent=2.0, essential=True
    )
    falloff: float = number(
        0.5, "Balance between a wide veil (0) and a tight core (1)", unit="share", low=0, high=1, step=0.01, essential=True
    )


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the picture's light where it is above the threshold."""
    return light_where_open(reading, settings, frame)


def octave_weights(falloff: float) -> list[float]:
    """Of the widest octave first; they sum to 1."""
    weights = np.exp(2 * TIP * (falloff - 0.5) * np.arange(OCTAVES))
    return [float(w) for w in weights / weights.sum()]


def spread(scene: Scene[None], source: Source, settings: Spread) -> ColouredField:
    frame = scene.working_frame
    widest = settings.radius * frame.diagonal
    sigmas = [widest / 2**k for k in range(OCTAVES)]
    return ColouredField(gaussian_mixture(scene.source_at(frame), sigmas, octave_weights(settings.falloff)))


def initial(plate: Plate) -> dict[str, dict[str, Any]]:
    """A threshold that a small, bright share of this picture passes."""
    return {"source": {"threshold": open_share(plate, 0.04, Source().knee)}}


KIND = Kind(
    name="bloom",
    order=2,
    summary="Highlights glow over what surrounds them",
    words="glow, highlights, soft, lamps",
    icon="M8 6a2 2 0 1 0 0 4 2 2 0 0 0 0-4zM8 2.5a5.5 5.5 0 0 1 5.5 5.5M8 13.5A5.5 5.5 0 0 1 2.5 8",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    initial=initial,
    colour=Colour(origin="plate"),
)
