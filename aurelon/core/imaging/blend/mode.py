"""What a blend mode is: one entry of the table in `modes.py`, with its compiled loop.

A light is black where it does not shine, and leaves the picture as it is there in every mode. Each family of modes sees to
that in its own way, and has its own loop.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.called import Called
from aurelon.core.imaging.fastmath import srgb_decode, srgb_encode, unit
from aurelon.core.imaging.four import spread, store
from aurelon.core.imaging.kernels import in_python, inlined
from aurelon.core.imaging.planes import join, split
from aurelon.core.imaging.runs import multiply

Triple = tuple[np.float32, np.float32, np.float32]
Linear = Callable[[np.float32, np.float32, np.float32, np.float32], np.float32]
Separable = Callable[[np.float32, np.float32], np.float32]
Premultiplied = Callable[[np.float32, np.float32, np.float32], np.float32]
NonSeparable = Callable[[np.float32, np.float32, np.float32, np.float32, np.float32, np.float32], Triple]


@dataclass(frozen=True)
class Mode:
    """A blend mode: its name, the loop of its formula, and that for light that is opaque where it is another (None: the same).
    `neutral` says of which colour light changes nothing by the formula: "black", "grey", or "" for none. `operator` is the
    composite-op of OpenRaster that gives the same result for light without an alpha.

    A loop blends `light` with `below` into `out`, linear and interleaved (3n,). `alpha` (n,) is opacity and mask, and is used up;
    `each` (3n + 1,) has it for each channel; `encoded` and `source` (3n,) are for picture and light in display values."""

    name: str
    loop: Called
    neutral: str = ""
    opaque: Called | None = None
    operator: str = ""


def linear(name: str, formula: Linear) -> Mode:
    """A mode that works in linear light: formula(backdrop, light, intensity, alpha)."""

    def loop(
        intensity: np.float32,
        opaque: bool,
        below: Floats,
        light: Floats,
        alpha: Floats,
        each: Floats,
        encoded: Floats,
        source: Floats,
        out: Floats,
    ) -> None:
        for x in range(alpha.size):
            k = alpha[x]
            for c in range(3):
                i = 3 * x + c
                out[i] = formula(below[i], light[i], intensity, k)

    return Mode(name, Called(loop, name, in_python(formula)), "black")


def black_neutral(name: str, formula: Separable, *, operator: str = "") -> Mode:
    """A mode in whose formula B(backdrop, source) a black source changes nothing."""
    return Mode(name, _lighting(name, formula), "black", operator=operator)


def grey_neutral(name: str, formula: Separable, swing: Separable) -> Mode:
    """A mode in whose formula grey changes nothing. Light l is laid as a swing from that grey upward: `swing` is the formula at
    the source (1 + l) / 2. An opaque light is its own colour."""

    def loop(
        intensity: np.float32,
        opaque: bool,
        below: Floats,
        light: Floats,
        alpha: Floats,
        each: Floats,
        encoded: Floats,
        source: Floats,
        out: Floats,
    ) -> None:
        _encode(light, intensity, source)
        _for_each_channel(alpha, each)
        for i in range(out.size):
            b, k = below[i], each[i]
            shown = min(b, f32(1.0))
            e = srgb_encode(shown)
            out[i] = covered(b, shown, k, e + k * (formula(e, source[i]) - e))

    return Mode(name, _lighting(name, swing), "grey", Called(loop, f"{name}-opaque", in_python(formula)))


def _lighting(name: str, formula: Separable) -> Called:
    """The loop of a mode in which black light changes nothing."""

    def loop(
        intensity: np.float32,
        opaque: bool,
        below: Floats,
        light: Floats,
        alpha: Floats,
        each: Floats,
        encoded: Floats,
        source: Floats,
        out: Floats,
    ) -> None:
        _for_each_channel(alpha, each)
        for i in range(out.size):
            b, l, k = below[i], light[i], each[i]
            shown = min(b, f32(1.0))
            e = srgb_encode(shown)
            s = formula(e, srgb_encode(min(l * intensity, f32(1.0))))
            out[i] = _lit(b, shown, l, k, e + k * (s - e))

    return Called(loop, name, in_python(formula))


def covering(name: str, formula: Premultiplied) -> Mode:
    """A mode in which light covers: formula(backdrop, alpha times source, alpha), mixed by alpha already, needs no division to
    find the source. Light that is not opaque is a premultiplied colour, whose alpha is its strongest channel."""

    def loop(
        intensity: np.float32,
        opaque: bool,
        below: Floats,
        light: Floats,
        alpha: Floats,
        each: Floats,
        encoded: Floats,
        source: Floats,
        out: Floats,
    ) -> None:
        _encode(light, intensity, source)
        if not opaque:
            _premultiply(source, alpha)
        _for_each_channel(alpha, each)
        if opaque:
            multiply(source, each)
        for i in range(out.size):
            b, k = below[i], each[i]
            shown = min(b, f32(1.0))
            out[i] = covered(b, shown, k, formula(srgb_encode(shown), source[i], k))

    return Mode(name, Called(loop, name, in_python(formula)))


def non_separable(name: str, formula: NonSeparable) -> Mode:
    """A mode that mixes the channels: B(Cb, Cs) of the specification, section 10.2."""

    def loop(
        intensity: np.float32,
        opaque: bool,
        below: Floats,
        light: Floats,
        alpha: Floats,
        each: Floats,
        encoded: Floats,
        source: Floats,
        out: Floats,
    ) -> None:
        n = alpha.size
        er, eg, eb = np.empty(n, np.float32), np.empty(n, np.float32), np.empty(n, np.float32)
        sr, sg, sb = np.empty(n, np.float32), np.empty(n, np.float32), np.empty(n, np.float32)
        _encode(light, intensity, source)
        _encode(below, f32(1.0), encoded)
        split(encoded, er, eg, eb)
        split(source, sr, sg, sb)
        if not opaque:
            _unmultiply(sr, sg, sb, alpha)
        _for_each_channel(alpha, each)
        for x in range(n):
            sr[x], sg[x], sb[x] = formula(er[x], eg[x], eb[x], sr[x], sg[x], sb[x])
        join(sr, sg, sb, source)
        for i in range(out.size):
            b, e, k = below[i], encoded[i], each[i]
            out[i] = covered(b, min(b, f32(1.0)), k, unit(e + k * (source[i] - e)))

    return Mode(name, Called(loop, name, in_python(formula)))


@inlined
def _encode(linear: Floats, scale: np.float32, out: Floats) -> None:
    for x in range(out.size):
        out[x] = srgb_encode(min(linear[x] * scale, f32(1.0)))


@inlined
def _for_each_channel(alpha: Floats, each: Floats) -> None:
    """A number of each pixel three times (3n and one more, which is of no use)."""
    for x in range(alpha.size):
        store(each, 3 * x, spread(alpha[x]))  # the next pixel writes over the fourth


@inlined
def _premultiply(light: Floats, alpha: Floats) -> None:
    """Reads interleaved light as a colour times its strongest channel: that goes into alpha, and what alpha there was into the
    light."""
    for x in range(alpha.size):
        k, i = alpha[x], 3 * x
        top = max(max(light[i], light[i + 1]), light[i + 2])
        light[i], light[i + 1], light[i + 2] = light[i] * k, light[i + 1] * k, light[i + 2] * k
        alpha[x] = k * top


@inlined
def _unmultiply(red: Floats, green: Floats, blue: Floats, alpha: Floats) -> None:
    """The same over planes, which become the colour itself."""
    for x in range(alpha.size):
        top = max(max(red[x], green[x]), blue[x])
        per_top = f32(1.0) / max(top, f32(1e-7))
        red[x], green[x], blue[x] = red[x] * per_top, green[x] * per_top, blue[x] * per_top
        alpha[x] *= top


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
