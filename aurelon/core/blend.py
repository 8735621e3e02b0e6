"""Blend modes: how light is laid on a picture.

`add`, `expose` and `relight` work in linear light. The other names and their formulae are those of
W3C "Compositing and Blending Level 1"; they work on display-encoded values (IEC 61966-2-1).

A light is black where it does not shine. In the modes whose neutral colour is black that is all;
in the others (normal, multiply, overlay, ...) the light is read as a premultiplied colour whose
alpha is its strongest channel, so that no light leaves the picture as it is in every mode.
"""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.fastmath import exp_minus, srgb_decode, srgb_encode

Floats = NDArray[np.float32]
f32 = np.float32

ModeName = Literal[
    "expose", "add", "relight",
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn",
    "hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity",
]  # fmt: skip
MODES: tuple[str, ...] = get_args(ModeName)
(EXPOSE, ADD, RELIGHT, NORMAL, MULTIPLY, SCREEN, OVERLAY, DARKEN, LIGHTEN, COLOR_DODGE, COLOR_BURN,
 HARD_LIGHT, SOFT_LIGHT, DIFFERENCE, EXCLUSION, HUE, SATURATION, COLOR, LUMINOSITY) = range(len(MODES))  # fmt: skip
# Modes in which black light changes nothing, so that light needs no alpha of its own.
BLACK_IS_NEUTRAL = frozenset(
    ("expose", "add", "relight", "screen", "lighten", "color-dodge", "difference", "exclusion")
)
# keep_darks holds light back below this display-encoded luminance, wholly so at 0.
DARKS_END = 0.4


def merge(
    below: Floats, light: Floats, mask: Floats | None, luminance: Floats,
    *, mode: str, intensity: float, opacity: float, keep_darks: float,
) -> Floats:  # fmt: skip
    """`light` (h, w, 3) laid on `below` (h, w, 3), both linear; `mask` (h, w) in 0..1 or None."""
    out = np.empty_like(below)
    cover = mask if mask is not None else np.ones((1, 1), np.float32)
    _merge(
        below, light, cover, mask is not None, luminance, MODES.index(mode), mode in BLACK_IS_NEUTRAL,
        f32(intensity), f32(opacity), f32(keep_darks), out,
    )  # fmt: skip
    return out


@njit(fastmath=True)
def _expose(b: np.float32, l: np.float32) -> np.float32:
    room = max(f32(1.0) - b, f32(1e-6))
    lit = room * (f32(1.0) - exp_minus(l / room))
    return b + (lit if b < f32(1.0) and l > f32(0.0) else f32(0.0))


@njit(fastmath=True)
def _hard_light(b: np.float32, s: np.float32) -> np.float32:
    t = f32(2.0) * s - f32(1.0)
    return f32(2.0) * b * s if s <= f32(0.5) else b + t - b * t


@njit(fastmath=True)
def _soft_light(b: np.float32, s: np.float32) -> np.float32:
    d = ((f32(16.0) * b - f32(12.0)) * b + f32(4.0)) * b if b <= f32(0.25) else np.sqrt(b)
    darker = b - (f32(1.0) - f32(2.0) * s) * b * (f32(1.0) - b)
    lighter = b + (f32(2.0) * s - f32(1.0)) * (d - b)
    return darker if s <= f32(0.5) else lighter


@njit(fastmath=True)
def _color_dodge(b: np.float32, s: np.float32) -> np.float32:
    lifted = min(f32(1.0), b / max(f32(1.0) - s, f32(1e-7)))
    return f32(0.0) if b <= f32(0.0) else lifted


@njit(fastmath=True)
def _color_burn(b: np.float32, s: np.float32) -> np.float32:
    burnt = f32(1.0) - min(f32(1.0), (f32(1.0) - b) / max(s, f32(1e-7)))
    return f32(1.0) if b >= f32(1.0) else burnt


@njit(fastmath=True)
def _separable(mode: int, e: Floats, s: Floats) -> None:
    """B(cb, cs) of the specification, section 10.1, over a row; the result takes the place of `s`.

    The choice stands outside the loops, so that each loop is one formula the compiler can vectorise.
    """
    n = e.size
    if mode == MULTIPLY:
        for i in range(n):
            s[i] = e[i] * s[i]
    elif mode == SCREEN:
        for i in range(n):
            s[i] = e[i] + s[i] - e[i] * s[i]
    elif mode == OVERLAY:
        for i in range(n):
            s[i] = _hard_light(s[i], e[i])
    elif mode == DARKEN:
        for i in range(n):
            s[i] = min(e[i], s[i])
    elif mode == LIGHTEN:
        for i in range(n):
            s[i] = max(e[i], s[i])
    elif mode == COLOR_DODGE:
        for i in range(n):
            s[i] = _color_dodge(e[i], s[i])
    elif mode == COLOR_BURN:
        for i in range(n):
            s[i] = _color_burn(e[i], s[i])
    elif mode == HARD_LIGHT:
        for i in range(n):
            s[i] = _hard_light(e[i], s[i])
    elif mode == SOFT_LIGHT:
        for i in range(n):
            s[i] = _soft_light(e[i], s[i])
    elif mode == DIFFERENCE:
        for i in range(n):
            s[i] = abs(e[i] - s[i])
    elif mode == EXCLUSION:
        for i in range(n):
            s[i] = e[i] + s[i] - f32(2.0) * e[i] * s[i]


@njit(fastmath=True)
def _set_saturation(r: Floats, g: Floats, b: Floats, target: Floats) -> None:
    """SetSat of the specification over planar rows, in place."""
    for i in range(r.size):
        low = min(min(r[i], g[i]), b[i])
        span = max(max(r[i], g[i]), b[i]) - low
        k = target[i] / max(span, f32(1e-6)) if span > f32(1e-6) else f32(0.0)
        r[i], g[i], b[i] = (r[i] - low) * k, (g[i] - low) * k, (b[i] - low) * k


@njit(fastmath=True)
def _set_luminosity(r: Floats, g: Floats, b: Floats, target: Floats) -> None:
    """SetLum with ClipColor of the specification over planar rows, in place."""
    one, tiny = f32(1.0), f32(1e-9)
    for i in range(r.size):
        aim = target[i]
        d = aim - (f32(0.3) * r[i] + f32(0.59) * g[i] + f32(0.11) * b[i])
        x, y, z = r[i] + d, g[i] + d, b[i] + d
        low = min(min(x, y), z)
        k = aim / max(aim - low, tiny) if low < f32(0.0) else one
        x, y, z = aim + (x - aim) * k, aim + (y - aim) * k, aim + (z - aim) * k
        high = max(max(x, y), z)
        k = (one - aim) / max(high - aim, tiny) if high > one else one
        r[i], g[i], b[i] = aim + (x - aim) * k, aim + (y - aim) * k, aim + (z - aim) * k


@njit(fastmath=True)
def _spans(r: Floats, g: Floats, b: Floats, out: Floats) -> None:
    for i in range(r.size):
        out[i] = max(max(r[i], g[i]), b[i]) - min(min(r[i], g[i]), b[i])


@njit(fastmath=True)
def _luminosities(r: Floats, g: Floats, b: Floats, out: Floats) -> None:
    for i in range(r.size):
        out[i] = f32(0.3) * r[i] + f32(0.59) * g[i] + f32(0.11) * b[i]


@njit(fastmath=True)
def _non_separable(mode: int, e: Floats, s: Floats) -> None:
    """B(Cb, Cs) of the specification, section 10.2, over a row; the result takes the place of `s`."""
    n = e.size // 3
    er, eg, eb = e[0::3].copy(), e[1::3].copy(), e[2::3].copy()
    sr, sg, sb = s[0::3].copy(), s[1::3].copy(), s[2::3].copy()
    target = np.empty(n, np.float32)
    if mode == LUMINOSITY:
        _luminosities(sr, sg, sb, target)
        sr, sg, sb = er, eg, eb
    else:
        if mode == HUE:
            _spans(er, eg, eb, target)
            _set_saturation(sr, sg, sb, target)
            _luminosities(er, eg, eb, target)
        elif mode == SATURATION:
            _spans(sr, sg, sb, target)
            sr, sg, sb = er.copy(), eg.copy(), eb.copy()
            _set_saturation(sr, sg, sb, target)
            _luminosities(er, eg, eb, target)
        else:
            _luminosities(er, eg, eb, target)
    _set_luminosity(sr, sg, sb, target)
    for i in range(n):
        s[3 * i], s[3 * i + 1], s[3 * i + 2] = sr[i], sg[i], sb[i]


@njit(fastmath=True)
def _encode_row(linear: Floats, scale: np.float32, out: Floats) -> None:
    for i in range(out.size):
        out[i] = srgb_encode(min(linear[i] * scale, f32(1.0)))


@njit(fastmath=True)
def _decode_row(encoded: Floats, below: Floats, alpha: Floats, black_is_neutral: bool, out: Floats) -> None:
    """What lies above display white is outside the display modes: it stays where black light is
    neutral, and gives way with alpha elsewhere. Where alpha is 0 the picture stays as it is, to the bit."""
    keep = f32(1.0) if black_is_neutral else f32(0.0)
    for i in range(out.size):
        over = max(below[i] - f32(1.0), f32(0.0)) * max(keep, f32(1.0) - alpha[i])
        made = max(srgb_decode(min(max(encoded[i], f32(0.0)), f32(1.0))), f32(0.0)) + over
        out[i] = made if alpha[i] > f32(0.0) else below[i]


@njit(fastmath=True)
def _hold_darks(below: Floats, luminance: Floats, keep_darks: np.float32, alpha: Floats) -> None:
    red, green, blue = luminance[0], luminance[1], luminance[2]
    for x in range(alpha.size):
        level = red * below[3 * x] + green * below[3 * x + 1] + blue * below[3 * x + 2]
        t = min(srgb_encode(min(level, f32(1.0))) * f32(1.0 / DARKS_END), f32(1.0))
        alpha[x] *= f32(1.0) - keep_darks * (f32(1.0) - t * t * (f32(3.0) - f32(2.0) * t))


@njit(fastmath=True)
def _unmultiply(s: Floats, alpha: Floats) -> None:
    """Reads a row of light as a premultiplied colour: its strongest channel goes into alpha."""
    for x in range(s.size // 3):
        top = max(s[3 * x], s[3 * x + 1], s[3 * x + 2])
        per_top = f32(1.0) / max(top, f32(1e-7))
        for c in range(3):
            alpha[3 * x + c] *= top
            s[3 * x + c] *= per_top


@njit(fastmath=True)
def _drop_unlit(s: Floats, alpha: Floats) -> None:
    """Alpha 0 where there is no light at all."""
    for x in range(s.size // 3):
        dark = max(s[3 * x], s[3 * x + 1], s[3 * x + 2]) <= f32(0.0)
        for c in range(3):
            alpha[3 * x + c] = f32(0.0) if dark else alpha[3 * x + c]


@njit(fastmath=True)
def _linear_row(
    mode: int, b: Floats, l: Floats, intensity: np.float32, alpha: Floats, out: Floats
) -> None:
    if mode == EXPOSE:
        for i in range(out.size):
            out[i] = b[i] + alpha[i] * (_expose(b[i], l[i] * intensity) - b[i])
    elif mode == ADD:
        for i in range(out.size):
            out[i] = b[i] + alpha[i] * (l[i] * intensity)
    else:
        for i in range(out.size):
            out[i] = b[i] + alpha[i] * (b[i] * l[i] * intensity)


@njit(parallel=True, cache=True, fastmath=True)
def _merge(
    below: Floats, light: Floats, mask: Floats, masked: bool, luminance: Floats, mode: int, black_is_neutral: bool,
    intensity: np.float32, opacity: np.float32, keep_darks: np.float32, out: Floats,
) -> None:  # fmt: skip
    rows, columns, _ = below.shape
    n = 3 * columns
    for row in prange(rows):
        b, l, o = below[row].reshape(n), light[row].reshape(n), out[row].reshape(n)
        cover = np.full(columns, opacity, np.float32)
        if masked:
            cover *= mask[row]
        if keep_darks > f32(0.0):
            _hold_darks(b, luminance, keep_darks, cover)
        alpha = np.empty(n, np.float32)
        for x in range(columns):
            alpha[3 * x] = alpha[3 * x + 1] = alpha[3 * x + 2] = cover[x]
        if mode <= RELIGHT:
            _linear_row(mode, b, l, intensity, alpha, o)
            continue
        s = np.empty(n, np.float32)
        e = np.empty(n, np.float32)
        _encode_row(l, intensity, s)
        _encode_row(b, f32(1.0), e)
        if black_is_neutral:
            _drop_unlit(s, alpha)
        else:
            _unmultiply(s, alpha)
        if mode < HUE:
            _separable(mode, e, s)
        else:
            _non_separable(mode, e, s)
        for i in range(n):
            s[i] = e[i] + alpha[i] * (s[i] - e[i])
        _decode_row(s, b, alpha, black_is_neutral, o)
