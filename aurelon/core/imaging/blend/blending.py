"""How light is blended: the loop of a mode, with what it is called with."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from aurelon.core.imaging.arrays import f32
from aurelon.core.imaging.blend.modes import MODE_NAMES, MODES


class Blending(NamedTuple):
    """How light is blended: the address of the mode's loop, and what it is called with. `opaque` light is a whole picture, whose
    alpha is 1 all over."""

    loop: int
    opaque: bool
    intensity: np.float32
    opacity: np.float32
    keep_darks: np.float32


def blending(*, mode: str, intensity: float, opacity: float, keep_darks: float, opaque: bool = False) -> Blending:
    """Blending by the name of a mode. Where black is not neutral, an intensity below 1 fades an opaque light in, as
    black would otherwise come before the picture."""
    entry = MODES[MODE_NAMES.index(mode)]
    if opaque and entry.neutral != "black":
        opacity *= min(intensity, 1.0)
        intensity = max(intensity, 1.0) if intensity > 0 else 0.0
    loop = entry.opaque if opaque and entry.opaque is not None else entry.loop
    return Blending(loop.address, opaque, f32(intensity), f32(opacity), f32(keep_darks))
