"""Velvet: a soft, dreamy finish that knits a picture together.

With p the picture, display-encoded, and s = screen(p, p) = 1 - (1 - p)², the finish is
s · (1 - softness + softness · G(s)), where G is a Gaussian of `radius`: it lightens, deepens and
blurs at once, as two transparencies in one mount do, one of them out of focus. `contrast` is a
power on the result about its middle. What is as bright as a lamp keeps its light. The opacity of
Merge says how much of it there is.

The darkroom's practice: a sharp and a soft transparency, each exposed one stop over, in one mount.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.colour_matrix import Tint, mixed
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.fastmath import smoothstep, srgb_encode, unit
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.gaussian_pyramid import gaussian_mixture
from aurelon.core.imaging.kernels import kernel
from aurelon.core.imaging.merging import LightSample
from aurelon.core.imaging.rgb_space import SRGB_CURVE
from aurelon.core.lights.shared.kind import Colour, Kind, Merge, Reading, Scene
from aurelon.core.settings import Settings, number


class Source(Settings):
    """The whole picture shines."""


class Spread(Settings):
    """How soft the finish is."""

    radius: float = number(
        0.012,
        "How far the soft picture is out of focus",
        unit="diagonal",
        low=0.001,
        high=0.15,
        step=0.0005,
        exponent=2.0,
        essential=True,
    )
    softness: float = number(
        0.6, "How much of the soft picture lies over the sharp one", unit="share", low=0, high=1, step=0.01, essential=True
    )
    contrast: float = number(
        -0.25, "Deepens (above 0) or lightens (below 0) the darks of the finish", low=-1, high=1, step=0.01, essential=True
    )


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the picture, read at the frame."""
    return reading.picture


@dataclass(frozen=True)
class VelvetField:
    """G(s) on the working grid, (h, w, 3) display-encoded; s itself comes with each frame."""

    grid: Floats
    settings: Spread

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes

    def at(self, scene: Scene[None], frame: Frame, tint: Tint) -> LightSample:
        out = np.empty((*frame.shape, 3), np.float32)
        sharp = np.ascontiguousarray(scene.source_at(frame)).reshape(-1)
        soft = enlarge_to(self.grid, frame).reshape(-1)
        _sandwich(sharp, soft, f32(self.settings.softness), _curve(self.settings.contrast), out.reshape(-1))
        return LightSample(drawn=out if tint.is_neutral else mixed(out, tint.light))


LAMP = 0.85  # display-encoded, from which a place is as bright as a lamp
STEPS = 8192  # of the curve


@lru_cache(16)
def _curve(contrast: float) -> Floats:
    """Contrast and decoding as one curve over 0..1, to be looked up: (STEPS,)."""
    return np.asarray(SRGB_CURVE.decode(np.linspace(0, 1, STEPS) ** 2.0**contrast), np.float32)


BLOCK = 1 << 13


@kernel
def _screened(picture: Floats, out: Floats) -> None:
    for block in prange((picture.size + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min((block + 1) * BLOCK, picture.size)):
            dark = f32(1.0) - srgb_encode(min(picture[i], f32(1.0)))
            out[i] = f32(1.0) - dark * dark


@kernel
def _sandwich(sharp: Floats, soft: Floats, softness: np.float32, curve: Floats, out: Floats) -> None:
    last = f32(curve.size) - f32(1.001)
    for block in prange((sharp.size + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min((block + 1) * BLOCK, sharp.size)):
            dark = f32(1.0) - srgb_encode(min(sharp[i], f32(1.0)))
            finish = (f32(1.0) - dark * dark) * (f32(1.0) - softness + softness * min(max(soft[i], f32(0.0)), f32(1.0)))
            place = min(max(finish, f32(0.0)), f32(1.0)) * last
            k = np.int32(place)
            part = place - f32(k)
            below, above = curve[np.uint64(k)], curve[np.uint64(k) + np.uint64(1)]
            result = below + part * (above - below) + max(sharp[i] - f32(1.0), f32(0.0))
            # What is as bright as a lamp is not dimmed.
            lamp = smoothstep(unit((f32(1.0) - dark - f32(LAMP)) * f32(1 / (1 - LAMP))))
            out[i] = result + lamp * max(sharp[i] - result, f32(0.0))


def spread(scene: Scene[None], source: Source, settings: Spread) -> VelvetField:
    frame = scene.working_frame
    screened = np.empty((*frame.shape, 3), np.float32)
    _screened(np.ascontiguousarray(scene.source_at(frame)).reshape(-1), screened.reshape(-1))
    sigma = settings.radius * frame.diagonal
    return VelvetField(gaussian_mixture(screened, [sigma], [1.0]), settings)


KIND = Kind(
    name="velvet",
    order=6,
    summary="A soft, dreamy finish that lightens, deepens and blurs at once",
    words="glow, dream, soft, haze",
    icon="M2 6c2-2.5 4-2.5 6 0s4 2.5 6 0M2 11c2-2.5 4-2.5 6 0s4 2.5 6 0",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    colour=Colour(origin="plate"),
    merge=Merge(mode="normal", opacity=0.6),
    look_at="below",
    at_frame=True,
    opaque=True,
    shifts_white=True,
    nothing_shines="The picture is black; raise Exposure of the plate.",
)
