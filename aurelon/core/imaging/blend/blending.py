"""Light blended with a picture, a run of pixels at a time, by the table of modes."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.blend.ladder import ladder
from aurelon.core.imaging.blend.mode import Family, covered
from aurelon.core.imaging.blend.modes import MODE_NAMES, MODES
from aurelon.core.imaging.fastmath import smoothstep, srgb_encode, unit
from aurelon.core.imaging.four import spread, store
from aurelon.core.imaging.kernels import inlined
from aurelon.core.imaging.planes import join, split
from aurelon.core.imaging.runs import multiply

# keep_darks holds light back below this display-encoded luminance, wholly so at 0.
DARKS_END = 0.4


class Blending(NamedTuple):
    """How light is blended. `mode` is its place in the table; `opaque` light is a whole picture, whose alpha is 1 all over."""

    mode: int
    family: int
    opaque: bool
    intensity: np.float32
    opacity: np.float32
    keep_darks: np.float32


def blending(*, mode: str, intensity: float, opacity: float, keep_darks: float, opaque: bool = False) -> Blending:
    """Blending by the name of a mode. Where black is not neutral, an intensity below 1 fades an opaque light in, as
    black would otherwise come before the picture."""
    number = MODE_NAMES.index(mode)
    entry = MODES[number]
    if opaque and entry.neutral != "black":
        opacity *= min(intensity, 1.0)
        intensity = max(intensity, 1.0) if intensity > 0 else 0.0
    family = Family.COVER if opaque and entry.opaque is not None else entry.family
    return Blending(number, int(family), opaque, f32(intensity), f32(opacity), f32(keep_darks))


# Compiled code has integers where Python has the members.
PREMULTIPLIED, NON_SEPARABLE = int(Family.PREMULTIPLIED), int(Family.NON_SEPARABLE)
_numbered = tuple(enumerate(MODES))
_linear_modes = ladder([(k, mode.run) for k, mode in _numbered if mode.family == Family.LINEAR])
_light_modes = ladder([(k, mode.run) for k, mode in _numbered if mode.family == Family.LIGHT])
_covering_modes = ladder(
    [
        *((k, mode.run) for k, mode in _numbered if mode.family == Family.PREMULTIPLIED),
        *((k, mode.opaque) for k, mode in _numbered if mode.opaque is not None),
    ]
)
_non_separable_modes = ladder([(k, mode.run) for k, mode in _numbered if mode.family == Family.NON_SEPARABLE])


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
def _hold_darks(below: Floats, luminance: Floats, keep_darks: np.float32, alpha: Floats) -> None:
    red, green, blue = luminance[0], luminance[1], luminance[2]
    for x in range(alpha.size):
        level = red * below[3 * x] + green * below[3 * x + 1] + blue * below[3 * x + 2]
        t = min(srgb_encode(min(level, f32(1.0))) * f32(1.0 / DARKS_END), f32(1.0))
        alpha[x] *= f32(1.0) - keep_darks * (f32(1.0) - smoothstep(t))


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
def _mix_in(below: Floats, e: Floats, s: Floats, alpha: Floats, out: Floats) -> None:
    """Mixes what was blended in by alpha and goes back to linear light."""
    for i in range(out.size):
        out[i] = covered(below[i], min(below[i], f32(1.0)), alpha[i], unit(e[i] + alpha[i] * (s[i] - e[i])))


class Scratch(NamedTuple):
    """For a run of n pixels: alpha for each channel (3n + 1,); picture and light encoded, each (3n,), and both as planes (n,),
    red, green and blue. Arrays of their own, as a compiler that cannot tell them apart does not vectorise."""

    each: Floats
    e: Floats
    s: Floats
    er: Floats
    eg: Floats
    eb: Floats
    sr: Floats
    sg: Floats
    sb: Floats


@inlined
def scratch_for(n: int) -> Scratch:
    """Scratch for runs of up to `n` pixels."""
    return Scratch(
        np.empty(3 * n + 1, np.float32),
        np.empty(3 * n, np.float32),
        np.empty(3 * n, np.float32),
        np.empty(n, np.float32),
        np.empty(n, np.float32),
        np.empty(n, np.float32),
        np.empty(n, np.float32),
        np.empty(n, np.float32),
        np.empty(n, np.float32),
    )


# Three functions, so that a kernel has one of them in it and its modes are compiled when they are first wanted. Each blends
# light `l` with the picture `b` into `out`, all interleaved (3n,) and linear; `alpha` (n,) is opacity and mask, and is used up.


@inlined
def blend_linear(how: Blending, b: Floats, l: Floats, luminance: Floats, alpha: Floats, scratch: Scratch, out: Floats) -> None:
    """In linear light."""
    if how.keep_darks > f32(0.0):
        _hold_darks(b, luminance, how.keep_darks, alpha)
    _linear_modes(how.mode, b, l, how.intensity, alpha, out)


@inlined
def blend_light(how: Blending, b: Floats, l: Floats, luminance: Floats, alpha: Floats, scratch: Scratch, out: Floats) -> None:
    """In display modes for which black is neutral."""
    if how.keep_darks > f32(0.0):
        _hold_darks(b, luminance, how.keep_darks, alpha)
    _for_each_channel(alpha, scratch.each)
    _light_modes(how.mode, b, l, how.intensity, scratch.each, out)


@inlined
def blend_cover(how: Blending, b: Floats, l: Floats, luminance: Floats, alpha: Floats, scratch: Scratch, out: Floats) -> None:
    """In display modes in which light covers."""
    n = alpha.size
    if how.keep_darks > f32(0.0):
        _hold_darks(b, luminance, how.keep_darks, alpha)
    each = scratch.each
    e, s = scratch.e[: 3 * n], scratch.s[: 3 * n]
    _encode(l, how.intensity, s)
    if how.family != NON_SEPARABLE:
        if not how.opaque:
            _premultiply(s, alpha)
        _for_each_channel(alpha, each)
        if how.opaque and how.family == PREMULTIPLIED:
            multiply(s, each)
        _covering_modes(how.mode, b, s, each, out)
        return
    er, eg, eb = scratch.er[:n], scratch.eg[:n], scratch.eb[:n]
    sr, sg, sb = scratch.sr[:n], scratch.sg[:n], scratch.sb[:n]
    _encode(b, f32(1.0), e)
    split(e, er, eg, eb)
    split(s, sr, sg, sb)
    if not how.opaque:
        _unmultiply(sr, sg, sb, alpha)
    _for_each_channel(alpha, each)
    _non_separable_modes(how.mode, er, eg, eb, sr, sg, sb)
    join(sr, sg, sb, s)
    _mix_in(b, e, s, each, out)
