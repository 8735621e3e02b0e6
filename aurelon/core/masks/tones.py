"""A range of tones: what of the picture is as bright as this."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.fastmath import smoothstep, srgb_encode
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import kernel
from aurelon.core.masks.shared.part import Ground, Part
from aurelon.core.settings import number


class Tones(Part):
    """Full between `low` and `high` of display-encoded luminance, fading over `softness` on either side."""

    title = "Tonal range"
    summary = "What is as bright as this: the sky, or the dark foreground"
    order = 5
    instruction = "Move the range until the tint covers what you want"
    shown_at_once = True
    of_picture: ClassVar[bool] = True

    part: Literal["tones"] = "tones"
    low: float = number(0.5, "Darkest tone that is fully covered", unit="share", low=0, high=1, step=0.005, essential=True)
    high: float = number(1.0, "Brightest tone that is fully covered", unit="share", low=0, high=1, step=0.005, essential=True)
    softness: float = number(
        0.1, "How softly it fades beyond these tones", unit="share", low=0.005, high=0.5, step=0.005, essential=True
    )

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        low, high = sorted((self.low, self.high))
        # A range that reaches white takes all that is brighter.
        top = 1e6 if high >= 1 else high

        def measure(pixels: Floats) -> Floats:
            out = np.empty(pixels.shape[:2], np.float32)
            _within(
                np.ascontiguousarray(pixels).reshape(-1),
                ground.space.luminance,
                f32(low),
                f32(top),
                f32(1 / self.softness),
                out.reshape(-1),
            )
            return out

        return ground.measured(self.key(ground), frame, measure)


BLOCK = 1 << 13


@kernel
def _within(pixels: Floats, luminance: Floats, low: np.float32, high: np.float32, per_soft: np.float32, out: Floats) -> None:
    kr, kg, kb = luminance[0], luminance[1], luminance[2]
    one, zero = f32(1.0), f32(0.0)
    for block in prange((out.size + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min((block + 1) * BLOCK, out.size)):
            level = kr * pixels[3 * i] + kg * pixels[3 * i + 1] + kb * pixels[3 * i + 2]
            tone = srgb_encode(min(max(level, zero), one))
            up = min(max(one - (low - tone) * per_soft, zero), one)
            down = min(max(one - (tone - high) * per_soft, zero), one)
            out[i] = smoothstep(up) * smoothstep(down)


PART = Tones
