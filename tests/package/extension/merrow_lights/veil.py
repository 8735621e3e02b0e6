"""Veil: light that fills the air from the top of the picture down."""

from __future__ import annotations

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.lights.shared.fields import DrawnField
from aurelon.core.lights.shared.kind import Colour, Kind, Merge, Reading, Scene
from aurelon.core.settings import Settings, number, seed_setting


class Source(Settings):
    """The air itself."""

    strength: float = number(0.5, "How much light is in the air", unit="share", low=0, high=1, step=0.01, essential=True)


class Spread(Settings):
    """How far down it reaches."""

    depth: float = number(0.6, "How far down it reaches", unit="share", low=0.1, high=1, step=0.01, essential=True)
    seed: int = seed_setting("Another drift of the air")


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    return np.full((*frame.shape, 3), settings.strength, np.float32)


def spread(scene: Scene[None], source: Source, settings: Spread) -> DrawnField:
    def draw(frame: Frame) -> Floats:
        down = (np.arange(frame.y0, frame.y1, dtype=np.float32) + 0.5) / frame.height
        level = source.strength * np.maximum(1 - down / settings.depth, 0)
        return np.repeat(level[:, None], frame.shape[1], axis=1).astype(np.float32)

    return DrawnField(draw)


KIND = Kind(
    name="veil",
    summary="Light that fills the air from the top down",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    colour=Colour(),
    merge=Merge(mode="screen"),
    reads=False,
    nothing_shines="The air has no light; raise Strength.",
)
