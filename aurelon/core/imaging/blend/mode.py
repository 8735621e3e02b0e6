"""What a blend mode is: one entry of the table in `modes.py`, with its compiled loop.

A light is black where it does not shine, and leaves the picture as it is there in every mode. Each family of modes sees to
that in its own way, and has its own loop.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import IntEnum

import numpy as np

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.fastmath import srgb_decode, srgb_encode
from aurelon.core.imaging.kernels import inlined

Triple = tuple[np.float32, np.float32, np.float32]
Linear = Callable[[np.float32, np.float32, np.float32, np.float32], np.float32]
Separable = Callable[[np.float32, np.float32], np.float32]
Premultiplied = Callable[[np.float32, np.float32, np.float32], np.float32]
NonSeparable = Callable[[np.float32, np.float32, np.float32, np.float32, np.float32, np.float32], Triple]
Run = Callable[..., None]  # a compiled loop over a run of samples; its arguments are those of its family


class Family(IntEnum):
    """How a mode treats light, and so which loop it has."""

    LINEAR = 0  # blended in linear light
    LIGHT = 1  # blended in display values; black light changes nothing
    PREMULTIPLIED = 2  # light covers: it is a premultiplied colour, whose alpha is its strongest channel
    COVER = 3  # light is an opaque colour with an alpha of its own
    NON_SEPARABLE = 4  # the same, of all three channels at once


@dataclass(frozen=True)
class Mode:
    """A blend mode: its name, its family with the compiled loop of its formula, and the loop for light that is opaque where
    that is another (None: the same). `neutral` says of which colour light changes nothing by the formula: "black", "grey", or
    "" for none. `operator` is the composite-op of OpenRaster that gives the same result for light without an alpha."""

    name: str
    family: Family
    run: Run
    neutral: str = ""
    opaque: Run | None = None
    operator: str = ""


def linear(name: str, formula: Linear) -> Mode:
    """A mode that works in linear light: formula(backdrop, light, intensity, alpha)."""

    @inlined
    def run(below: Floats, light: Floats, intensity: np.float32, alpha: Floats, out: Floats) -> None:
        for x in range(alpha.size):
            k = alpha[x]
            for c in range(3):
                i = 3 * x + c
                out[i] = formula(below[i], light[i], intensity, k)

    return Mode(name, Family.LINEAR, run, "black")


def black_neutral(name: str, formula: Separable, *, operator: str = "") -> Mode:
    """A mode in whose formula B(backdrop, source) a black source changes nothing."""
    return Mode(name, Family.LIGHT, _light_run(formula), "black", operator=operator)


def grey_neutral(name: str, formula: Separable, swing: Separable) -> Mode:
    """A mode in whose formula grey changes nothing. Light l is laid as a swing from that grey upward: `swing` is the formula at
    the source (1 + l) / 2. An opaque light is its own colour."""
    return Mode(name, Family.LIGHT, _light_run(swing), "grey", _cover_run(_mixed_by_alpha(formula)))


def covering(name: str, formula: Premultiplied) -> Mode:
    """A mode in which light covers: formula(backdrop, alpha times source, alpha), mixed by alpha already, needs no division to
    find the source."""
    return Mode(name, Family.PREMULTIPLIED, _cover_run(formula))


def non_separable(name: str, formula: NonSeparable) -> Mode:
    """A mode that mixes the channels: B(Cb, Cs) of the specification, section 10.2."""

    @inlined
    def run(er: Floats, eg: Floats, eb: Floats, sr: Floats, sg: Floats, sb: Floats) -> None:
        for i in range(er.size):
            sr[i], sg[i], sb[i] = formula(er[i], eg[i], eb[i], sr[i], sg[i], sb[i])

    return Mode(name, Family.NON_SEPARABLE, run)


def _light_run(formula: Separable) -> Run:
    """A loop over a run of samples; one formula a loop, so that it vectorises."""

    @inlined
    def run(below: Floats, light: Floats, intensity: np.float32, alpha: Floats, out: Floats) -> None:
        for i in range(out.size):
            b, l, k = below[i], light[i], alpha[i]
            shown = min(b, f32(1.0))
            e = srgb_encode(shown)
            s = formula(e, srgb_encode(min(l * intensity, f32(1.0))))
            out[i] = _lit(b, shown, l, k, e + k * (s - e))

    return run


def _cover_run(formula: Premultiplied) -> Run:
    """A loop over a run of samples for a mode in which light covers; `light` is display-encoded here."""

    @inlined
    def run(below: Floats, light: Floats, alpha: Floats, out: Floats) -> None:
        for i in range(out.size):
            b, k = below[i], alpha[i]
            shown = min(b, f32(1.0))
            out[i] = covered(b, shown, k, formula(srgb_encode(shown), light[i], k))

    return run


def _mixed_by_alpha(formula: Separable) -> Premultiplied:
    """The formula for an opaque light, which is a colour as it is."""

    @inlined
    def mixed(b: np.float32, s: np.float32, alpha: np.float32) -> np.float32:
        return b + alpha * (formula(b, s) - b)

    return mixed


@inlined
def _lit(b: np.float32, shown: np.float32, l: np.float32, alpha: np.float32, encoded: np.float32) -> np.float32:
    """Linear light of a blended, display-encoded value, in modes for which black is neutral.

    What lies above display white, b - `shown`, is outside the display modes and stays. Where there is no light the
    picture stays, to the bit.
    """
    blended = max(srgb_decode(encoded), f32(0.0)) + (b - shown)
    return blended if min(alpha, l) > f32(0.0) else b


@inlined
def covered(b: np.float32, shown: np.float32, alpha: np.float32, encoded: np.float32) -> np.float32:
    """The same in modes in which the light covers: what lies above display white gives way with alpha."""
    blended = max(srgb_decode(encoded), f32(0.0)) + (b - shown) * (f32(1.0) - alpha)
    return blended if alpha > f32(0.0) else b
