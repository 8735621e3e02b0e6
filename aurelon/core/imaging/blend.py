"""Blend modes: how light is laid on a picture.

`add`, `expose` and `relight` work in linear light. The other names and their formulae are those of
W3C "Compositing and Blending Level 1"; they work on display-encoded values (IEC 61966-2-1).

A light is black where it does not shine. In the modes whose neutral colour is black that is all. In those whose neutral
colour is grey (overlay, hard-light, soft-light) it is laid as a swing from that grey upward, s = (1 + l) / 2. In the
others (normal, multiply, ...) it is read as a premultiplied colour whose alpha is its strongest channel. So no light
leaves the picture as it is in every mode.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal, NamedTuple, get_args

import numpy as np

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.fastmath import exp_minus, smoothstep, srgb_decode, srgb_encode, unit
from aurelon.core.imaging.four import spread, store
from aurelon.core.imaging.kernels import inlined
from aurelon.core.imaging.runs import multiply

Triple = tuple[np.float32, np.float32, np.float32]

ModeName = Literal[
    "expose",
    "add",
    "relight",
    "normal",
    "multiply",
    "screen",
    "overlay",
    "darken",
    "lighten",
    "color-dodge",
    "color-burn",
    "hard-light",
    "soft-light",
    "difference",
    "exclusion",
    "hue",
    "saturation",
    "color",
    "luminosity",
]
MODES: tuple[str, ...] = get_args(ModeName)
(
    EXPOSE,
    ADD,
    RELIGHT,
    NORMAL,
    MULTIPLY,
    SCREEN,
    OVERLAY,
    DARKEN,
    LIGHTEN,
    COLOR_DODGE,
    COLOR_BURN,
    HARD_LIGHT,
    SOFT_LIGHT,
    DIFFERENCE,
    EXCLUSION,
    HUE,
    SATURATION,
    COLOR,
    LUMINOSITY,
) = range(len(MODES))
# Modes in which black light changes nothing, so that light needs no alpha of its own.
GREY_IS_NEUTRAL = frozenset(("overlay", "hard-light", "soft-light"))
BLACK_IS_NEUTRAL = frozenset(("expose", "add", "relight", "screen", "lighten", "color-dodge", "difference", "exclusion"))
# keep_darks holds light back below this display-encoded luminance, wholly so at 0.
DARKS_END = 0.4


class Blending(NamedTuple):
    """How light is blended; `opaque` light is a whole picture, whose alpha is 1 all over."""

    mode: int
    black_is_neutral: bool
    opaque: bool
    intensity: np.float32
    opacity: np.float32
    keep_darks: np.float32


def blending(*, mode: str, intensity: float, opacity: float, keep_darks: float, opaque: bool = False) -> Blending:
    """Blending by the name of a mode. Where black is not neutral, an intensity below 1 fades an opaque light in, as
    black would otherwise come before the picture."""
    if opaque and mode not in BLACK_IS_NEUTRAL:
        opacity *= min(intensity, 1.0)
        intensity = max(intensity, 1.0) if intensity > 0 else 0.0
    from_black = mode in BLACK_IS_NEUTRAL or (mode in GREY_IS_NEUTRAL and not opaque)
    return Blending(MODES.index(mode), from_black, opaque, f32(intensity), f32(opacity), f32(keep_darks))


@inlined
def _expose(b: np.float32, l: np.float32) -> np.float32:
    room = max(f32(1.0) - b, f32(1e-6))
    lit = room * (f32(1.0) - exp_minus(l / room))
    return b + (lit if b < f32(1.0) and l > f32(0.0) else f32(0.0))


@inlined
def _hard_light(b: np.float32, s: np.float32) -> np.float32:
    t = f32(2.0) * s - f32(1.0)
    return f32(2.0) * b * s if s <= f32(0.5) else b + t - b * t


@inlined
def _soft_light(b: np.float32, s: np.float32) -> np.float32:
    d = ((f32(16.0) * b - f32(12.0)) * b + f32(4.0)) * b if b <= f32(0.25) else np.sqrt(b)
    darker = b - (f32(1.0) - f32(2.0) * s) * b * (f32(1.0) - b)
    lighter = b + (f32(2.0) * s - f32(1.0)) * (d - b)
    return darker if s <= f32(0.5) else lighter


@inlined
def _color_dodge(b: np.float32, s: np.float32) -> np.float32:
    # Nothing stays nothing, as the specification says of it by itself.
    return min(f32(1.0), b / max(f32(1.0) - s, f32(1e-7)))


@inlined
def _hard_swing(b: np.float32, s: np.float32) -> np.float32:
    return b + s - b * s


@inlined
def _soft_swing(b: np.float32, s: np.float32) -> np.float32:
    d = ((f32(16.0) * b - f32(12.0)) * b + f32(4.0)) * b if b <= f32(0.25) else np.sqrt(b)
    return b + s * (d - b)


@inlined
def _overlay_swing(b: np.float32, s: np.float32) -> np.float32:
    return b * (f32(1.0) + s) if b <= f32(0.5) else b + s - b * s


# Four modes in which light covers, mixed in already: with m = alpha · s they need no division to find s.
@inlined
def _normal(b: np.float32, m: np.float32, alpha: np.float32) -> np.float32:
    return b - alpha * b + m


@inlined
def _multiply(b: np.float32, m: np.float32, alpha: np.float32) -> np.float32:
    return b - alpha * b + b * m


@inlined
def _darken(b: np.float32, m: np.float32, alpha: np.float32) -> np.float32:
    return b + min(m - alpha * b, f32(0.0))


@inlined
def _color_burn(b: np.float32, m: np.float32, alpha: np.float32) -> np.float32:
    # White stays white, as the specification says of it by itself.
    dark = f32(1.0) - b
    return b - alpha * (min(f32(1.0), dark * alpha / max(m, f32(1e-9))) - dark)


@inlined
def _screen(b: np.float32, s: np.float32) -> np.float32:
    return b + s - b * s


@inlined
def _overlay(b: np.float32, s: np.float32) -> np.float32:
    return _hard_light(s, b)


@inlined
def _lighten(b: np.float32, s: np.float32) -> np.float32:
    return max(b, s)


@inlined
def _difference(b: np.float32, s: np.float32) -> np.float32:
    return abs(b - s)


@inlined
def _exclusion(b: np.float32, s: np.float32) -> np.float32:
    return b + s - f32(2.0) * b * s


@inlined
def _lit(b: np.float32, shown: np.float32, l: np.float32, alpha: np.float32, encoded: np.float32) -> np.float32:
    """Back to linear light from a blended, display-encoded value, in modes for which black is neutral.

    What lies above display white, b - `shown`, is outside the display modes and stays. Where there is no light the
    picture stays, to the bit.
    """
    made = max(srgb_decode(encoded), f32(0.0)) + (b - shown)
    return made if min(alpha, l) > f32(0.0) else b


@inlined
def _covered(b: np.float32, shown: np.float32, alpha: np.float32, encoded: np.float32) -> np.float32:
    """The same in modes in which the light covers: what lies above display white gives way with alpha."""
    made = max(srgb_decode(encoded), f32(0.0)) + (b - shown) * (f32(1.0) - alpha)
    return made if alpha > f32(0.0) else b


Formula = Callable[[np.float32, np.float32], np.float32]
Mixed = Callable[[np.float32, np.float32, np.float32], np.float32]
Run = Callable[[Floats, Floats, np.float32, Floats, Floats], None]
Cover = Callable[[Floats, Floats, Floats, Floats], None]


def _over_light(formula: Formula) -> Run:
    """A loop over a run of values for a mode in which black is neutral; one formula a loop, so that it vectorises."""

    @inlined
    def run(below: Floats, light: Floats, intensity: np.float32, alpha: Floats, out: Floats) -> None:
        for i in range(out.size):
            b, l, k = below[i], light[i], alpha[i]
            shown = min(b, f32(1.0))
            e = srgb_encode(shown)
            s = formula(e, srgb_encode(min(l * intensity, f32(1.0))))
            out[i] = _lit(b, shown, l, k, e + k * (s - e))

    made: Run = run
    return made


def _over_cover(formula: Mixed) -> Cover:
    """A loop over a run of values for a mode in which light covers; `light` is display-encoded here, and times its alpha."""

    @inlined
    def run(below: Floats, light: Floats, alpha: Floats, out: Floats) -> None:
        for i in range(out.size):
            b, k = below[i], alpha[i]
            shown = min(b, f32(1.0))
            out[i] = _covered(b, shown, k, formula(srgb_encode(shown), light[i], k))

    made: Cover = run
    return made


def _opaque(formula: Formula) -> Cover:
    """The same for an opaque light, which is a colour as it is: `light` is display-encoded only."""

    @inlined
    def mixed(b: np.float32, s: np.float32, alpha: np.float32) -> np.float32:
        return b + alpha * (formula(b, s) - b)

    return _over_cover(mixed)


_run_screen, _run_lighten = _over_light(_screen), _over_light(_lighten)
_run_color_dodge, _run_difference, _run_exclusion = _over_light(_color_dodge), _over_light(_difference), _over_light(_exclusion)
_run_overlay_swing, _run_hard_swing, _run_soft_swing = (
    _over_light(_overlay_swing),
    _over_light(_hard_swing),
    _over_light(_soft_swing),
)
_run_normal, _run_multiply = _over_cover(_normal), _over_cover(_multiply)
_run_darken, _run_color_burn = _over_cover(_darken), _over_cover(_color_burn)
_run_overlay, _run_hard_light, _run_soft_light = _opaque(_overlay), _opaque(_hard_light), _opaque(_soft_light)


@inlined
def _span(r: np.float32, g: np.float32, b: np.float32) -> np.float32:
    """Sat of the specification."""
    return max(max(r, g), b) - min(min(r, g), b)


@inlined
def _luminosity(r: np.float32, g: np.float32, b: np.float32) -> np.float32:
    """Lum of the specification."""
    return f32(0.3) * r + f32(0.59) * g + f32(0.11) * b


@inlined
def _set_saturation(r: np.float32, g: np.float32, b: np.float32, target: np.float32) -> Triple:
    """SetSat of the specification."""
    low = min(min(r, g), b)
    span = max(max(r, g), b) - low
    k = target / max(span, f32(1e-6)) if span > f32(1e-6) else f32(0.0)
    return (r - low) * k, (g - low) * k, (b - low) * k


@inlined
def _set_luminosity(r: np.float32, g: np.float32, b: np.float32, aim: np.float32) -> Triple:
    """SetLum of the specification, with ClipColor."""
    one, tiny = f32(1.0), f32(1e-9)
    d = aim - _luminosity(r, g, b)
    x, y, z = r + d, g + d, b + d
    low = min(min(x, y), z)
    k = aim / max(aim - low, tiny) if low < f32(0.0) else one
    x, y, z = aim + (x - aim) * k, aim + (y - aim) * k, aim + (z - aim) * k
    high = max(max(x, y), z)
    k = (one - aim) / max(high - aim, tiny) if high > one else one
    return aim + (x - aim) * k, aim + (y - aim) * k, aim + (z - aim) * k


@inlined
def _non_separable(mode: int, er: Floats, eg: Floats, eb: Floats, sr: Floats, sg: Floats, sb: Floats) -> None:
    """B(Cb, Cs) of the specification, section 10.2, over planar rows; the result takes the place of `s`."""
    n = er.size
    if mode == HUE:
        for i in range(n):
            r, g, b = _set_saturation(sr[i], sg[i], sb[i], _span(er[i], eg[i], eb[i]))
            sr[i], sg[i], sb[i] = _set_luminosity(r, g, b, _luminosity(er[i], eg[i], eb[i]))
    elif mode == SATURATION:
        for i in range(n):
            r, g, b = _set_saturation(er[i], eg[i], eb[i], _span(sr[i], sg[i], sb[i]))
            sr[i], sg[i], sb[i] = _set_luminosity(r, g, b, _luminosity(er[i], eg[i], eb[i]))
    elif mode == COLOR:
        for i in range(n):
            sr[i], sg[i], sb[i] = _set_luminosity(sr[i], sg[i], sb[i], _luminosity(er[i], eg[i], eb[i]))
    else:
        for i in range(n):
            sr[i], sg[i], sb[i] = _set_luminosity(er[i], eg[i], eb[i], _luminosity(sr[i], sg[i], sb[i]))


@inlined
def split(pixels: Floats, red: Floats, green: Floats, blue: Floats) -> None:
    """Interleaved pixels as three planes: only over planes do some loops vectorise."""
    for x in range(red.size):
        red[x], green[x], blue[x] = pixels[3 * x], pixels[3 * x + 1], pixels[3 * x + 2]


@inlined
def join(red: Floats, green: Floats, blue: Floats, pixels: Floats) -> None:
    for x in range(red.size):
        pixels[3 * x], pixels[3 * x + 1], pixels[3 * x + 2] = red[x], green[x], blue[x]


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
        out[i] = _covered(below[i], min(below[i], f32(1.0)), alpha[i], unit(e[i] + alpha[i] * (s[i] - e[i])))


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


@inlined
def _in_linear_light(how: Blending, b: Floats, l: Floats, alpha: Floats, out: Floats) -> None:
    mode, intensity = how.mode, how.intensity
    if mode == EXPOSE:
        for x in range(alpha.size):
            k = alpha[x]
            for c in range(3):
                i = 3 * x + c
                out[i] = b[i] + k * (_expose(b[i], l[i] * intensity) - b[i])
    elif mode == ADD:
        for x in range(alpha.size):
            k = alpha[x] * intensity
            for c in range(3):
                out[3 * x + c] = b[3 * x + c] + k * l[3 * x + c]
    else:
        for x in range(alpha.size):
            k = alpha[x] * intensity
            for c in range(3):
                out[3 * x + c] = b[3 * x + c] * (f32(1.0) + k * l[3 * x + c])


@inlined
def _over(mode: int, b: Floats, l: Floats, intensity: np.float32, alpha: Floats, out: Floats) -> None:
    """B(cb, cs) of the specification, section 10.1, where black is neutral; `alpha` has a value for each channel."""
    if mode == SCREEN:
        _run_screen(b, l, intensity, alpha, out)
    elif mode == LIGHTEN:
        _run_lighten(b, l, intensity, alpha, out)
    elif mode == COLOR_DODGE:
        _run_color_dodge(b, l, intensity, alpha, out)
    elif mode == DIFFERENCE:
        _run_difference(b, l, intensity, alpha, out)
    elif mode == OVERLAY:
        _run_overlay_swing(b, l, intensity, alpha, out)
    elif mode == HARD_LIGHT:
        _run_hard_swing(b, l, intensity, alpha, out)
    elif mode == SOFT_LIGHT:
        _run_soft_swing(b, l, intensity, alpha, out)
    else:
        _run_exclusion(b, l, intensity, alpha, out)


@inlined
def _covering(mode: int, b: Floats, m: Floats, alpha: Floats, out: Floats) -> None:
    """The same where light covers; `m` is display-encoded, times alpha but in the last three."""
    if mode == MULTIPLY:
        _run_multiply(b, m, alpha, out)
    elif mode == DARKEN:
        _run_darken(b, m, alpha, out)
    elif mode == COLOR_BURN:
        _run_color_burn(b, m, alpha, out)
    elif mode == NORMAL:
        _run_normal(b, m, alpha, out)
    elif mode == OVERLAY:
        _run_overlay(b, m, alpha, out)
    elif mode == HARD_LIGHT:
        _run_hard_light(b, m, alpha, out)
    else:
        _run_soft_light(b, m, alpha, out)


# Three functions, so that a kernel has one of them in it and its modes are compiled when they are first wanted. Each blends
# light `l` with the picture `b` into `out`, all interleaved (3n,) and linear; `alpha` (n,) is opacity and mask, and is used up.


@inlined
def blend_linear(how: Blending, b: Floats, l: Floats, luminance: Floats, alpha: Floats, scratch: Scratch, out: Floats) -> None:
    """In linear light."""
    if how.keep_darks > f32(0.0):
        _hold_darks(b, luminance, how.keep_darks, alpha)
    _in_linear_light(how, b, l, alpha, out)


@inlined
def blend_light(how: Blending, b: Floats, l: Floats, luminance: Floats, alpha: Floats, scratch: Scratch, out: Floats) -> None:
    """In display modes for which black is neutral."""
    if how.keep_darks > f32(0.0):
        _hold_darks(b, luminance, how.keep_darks, alpha)
    _for_each_channel(alpha, scratch.each)
    _over(how.mode, b, l, how.intensity, scratch.each, out)


@inlined
def blend_cover(how: Blending, b: Floats, l: Floats, luminance: Floats, alpha: Floats, scratch: Scratch, out: Floats) -> None:
    """In display modes in which light covers."""
    n = alpha.size
    if how.keep_darks > f32(0.0):
        _hold_darks(b, luminance, how.keep_darks, alpha)
    each = scratch.each
    e, s = scratch.e[: 3 * n], scratch.s[: 3 * n]
    _encode(l, how.intensity, s)
    if how.mode < HUE:
        if not how.opaque:
            _premultiply(s, alpha)
        _for_each_channel(alpha, each)
        if how.opaque and how.mode in (NORMAL, MULTIPLY, DARKEN, COLOR_BURN):
            multiply(s, each)
        _covering(how.mode, b, s, each, out)
        return
    er, eg, eb = scratch.er[:n], scratch.eg[:n], scratch.eb[:n]
    sr, sg, sb = scratch.sr[:n], scratch.sg[:n], scratch.sb[:n]
    _encode(b, f32(1.0), e)
    split(e, er, eg, eb)
    split(s, sr, sg, sb)
    if not how.opaque:
        _unmultiply(sr, sg, sb, alpha)
    _for_each_channel(alpha, each)
    _non_separable(how.mode, er, eg, eb, sr, sg, sb)
    join(sr, sg, sb, s)
    _mix_in(b, e, s, each, out)
