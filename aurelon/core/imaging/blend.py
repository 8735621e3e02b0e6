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

from aurelon.core.imaging.fastmath import exp_minus, srgb_decode, srgb_encode

Floats = NDArray[np.float32]
Triple = tuple[np.float32, np.float32, np.float32]
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
    *, mode: str, intensity: float, opacity: float, keep_darks: float, opaque: bool = False,
) -> Floats:  # fmt: skip
    """`light` (h, w, 3) laid on `below` (h, w, 3), both linear; `mask` (h, w) in 0..1 or None.

    `opaque` light is a whole picture: where black is not neutral its alpha is 1 all over, and an
    intensity below 1 fades it in, as black would else come before the picture.
    """
    if opaque and mode not in BLACK_IS_NEUTRAL:
        opacity *= min(intensity, 1.0)
        intensity = max(intensity, 1.0) if intensity > 0 else 0.0
    out = np.empty(below.shape, np.float32)
    cover = mask if mask is not None else np.ones((1, 1), np.float32)
    _merge(
        np.ascontiguousarray(below).reshape(-1), light.reshape(-1), cover.reshape(-1), mask is not None, luminance,
        MODES.index(mode), mode in BLACK_IS_NEUTRAL, opaque,
        f32(intensity), f32(opacity), f32(keep_darks), out.reshape(-1),
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
def _span(r: np.float32, g: np.float32, b: np.float32) -> np.float32:
    """Sat of the specification."""
    return max(max(r, g), b) - min(min(r, g), b)


@njit(fastmath=True)
def _luminosity(r: np.float32, g: np.float32, b: np.float32) -> np.float32:
    """Lum of the specification."""
    return f32(0.3) * r + f32(0.59) * g + f32(0.11) * b


@njit(fastmath=True)
def _set_saturation(r: np.float32, g: np.float32, b: np.float32, target: np.float32) -> Triple:
    """SetSat of the specification."""
    low = min(min(r, g), b)
    span = max(max(r, g), b) - low
    k = target / max(span, f32(1e-6)) if span > f32(1e-6) else f32(0.0)
    return (r - low) * k, (g - low) * k, (b - low) * k


@njit(fastmath=True)
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


@njit(fastmath=True)
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


@njit(fastmath=True)
def split(pixels: Floats, red: Floats, green: Floats, blue: Floats) -> None:
    """Interleaved pixels as three planes: only over planes do the loops below vectorise."""
    for x in range(red.size):
        red[x], green[x], blue[x] = pixels[3 * x], pixels[3 * x + 1], pixels[3 * x + 2]


@njit(fastmath=True)
def join(red: Floats, green: Floats, blue: Floats, pixels: Floats) -> None:
    for x in range(red.size):
        pixels[3 * x], pixels[3 * x + 1], pixels[3 * x + 2] = red[x], green[x], blue[x]


@njit(fastmath=True)
def _encode(linear: Floats, scale: np.float32, out: Floats) -> None:
    for x in range(out.size):
        out[x] = srgb_encode(min(linear[x] * scale, f32(1.0)))


@njit(fastmath=True)
def _finish(e: Floats, s: Floats, alpha: Floats, light: Floats, below: Floats) -> None:
    """Mixes a blended plane in by alpha and goes back to linear light, in the place of `below`.

    For modes in which black is neutral. What lies above display white is outside the display modes
    and stays. Where there is no light the picture stays, to the bit.
    """
    for x in range(alpha.size):
        b = below[x]
        encoded = e[x] + alpha[x] * (s[x] - e[x])
        made = max(srgb_decode(min(max(encoded, f32(0.0)), f32(1.0))), f32(0.0)) + max(b - f32(1.0), f32(0.0))
        below[x] = made if min(alpha[x], light[x]) > f32(0.0) else b


@njit(fastmath=True)
def _finish_covering(e: Floats, s: Floats, alpha: Floats, below: Floats) -> None:
    """The same for modes in which the light covers: what lies above display white gives way with alpha."""
    for x in range(alpha.size):
        b, k = below[x], alpha[x]
        encoded = e[x] + k * (s[x] - e[x])
        over = max(b - f32(1.0), f32(0.0)) * (f32(1.0) - k)
        below[x] = max(srgb_decode(min(max(encoded, f32(0.0)), f32(1.0))), f32(0.0)) + over if k > f32(0.0) else b


@njit(fastmath=True)
def _hold_darks(below: Floats, luminance: Floats, keep_darks: np.float32, alpha: Floats) -> None:
    red, green, blue = luminance[0], luminance[1], luminance[2]
    for x in range(alpha.size):
        level = red * below[3 * x] + green * below[3 * x + 1] + blue * below[3 * x + 2]
        t = min(srgb_encode(min(level, f32(1.0))) * f32(1.0 / DARKS_END), f32(1.0))
        alpha[x] *= f32(1.0) - keep_darks * (f32(1.0) - t * t * (f32(3.0) - f32(2.0) * t))


@njit(fastmath=True)
def _unmultiply(r: Floats, g: Floats, b: Floats, alpha: Floats) -> None:
    """Reads planes of light as a premultiplied colour: its strongest channel goes into alpha."""
    for x in range(alpha.size):
        top = max(max(r[x], g[x]), b[x])
        per_top = f32(1.0) / max(top, f32(1e-7))
        alpha[x] *= top
        r[x], g[x], b[x] = r[x] * per_top, g[x] * per_top, b[x] * per_top


@njit(fastmath=True)
def _linear_row(mode: int, b: Floats, l: Floats, intensity: np.float32, alpha: Floats, out: Floats) -> None:
    for x in range(alpha.size):
        k = alpha[x]
        for c in range(3):
            i = 3 * x + c
            if mode == EXPOSE:
                out[i] = b[i] + k * (_expose(b[i], l[i] * intensity) - b[i])
            elif mode == ADD:
                out[i] = b[i] + k * (l[i] * intensity)
            else:
                out[i] = b[i] + k * (b[i] * l[i] * intensity)


CHUNK = 2048  # pixels merged together; all that is made of them stays in the second cache
RUN = 4  # chunks that a thread takes at once, with one set of planes


@njit(parallel=True, cache=True, fastmath=True)
def _merge(
    below: Floats, light: Floats, mask: Floats, masked: bool, luminance: Floats, mode: int, black_is_neutral: bool, opaque: bool,
    intensity: np.float32, opacity: np.float32, keep_darks: np.float32, out: Floats,
) -> None:  # fmt: skip
    pixels = out.size // 3
    chunks = (pixels + CHUNK - 1) // CHUNK
    for run in prange((chunks + RUN - 1) // RUN):
        made_br, made_bg, made_bb = np.empty(CHUNK, np.float32), np.empty(CHUNK, np.float32), np.empty(CHUNK, np.float32)
        made_lr, made_lg, made_lb = np.empty(CHUNK, np.float32), np.empty(CHUNK, np.float32), np.empty(CHUNK, np.float32)
        made_er, made_eg, made_eb = np.empty(CHUNK, np.float32), np.empty(CHUNK, np.float32), np.empty(CHUNK, np.float32)
        made_sr, made_sg, made_sb = np.empty(CHUNK, np.float32), np.empty(CHUNK, np.float32), np.empty(CHUNK, np.float32)
        cover = np.empty(CHUNK, np.float32)
        for chunk in range(run * RUN, min((run + 1) * RUN, chunks)):
            begin = chunk * CHUNK
            columns = min(CHUNK, pixels - begin)
            n = 3 * columns
            b, l, o = below[3 * begin : 3 * begin + n], light[3 * begin : 3 * begin + n], out[3 * begin : 3 * begin + n]
            alpha = cover[:columns]
            alpha[:] = opacity if intensity > f32(0.0) else f32(0.0)
            if masked:
                alpha *= mask[begin : begin + columns]
            if keep_darks > f32(0.0):
                _hold_darks(b, luminance, keep_darks, alpha)
            if mode <= RELIGHT:
                _linear_row(mode, b, l, intensity, alpha, o)
                continue
            br, bg, bb = made_br[:columns], made_bg[:columns], made_bb[:columns]
            lr, lg, lb = made_lr[:columns], made_lg[:columns], made_lb[:columns]
            er, eg, eb = made_er[:columns], made_eg[:columns], made_eb[:columns]
            sr, sg, sb = made_sr[:columns], made_sg[:columns], made_sb[:columns]
            split(b, br, bg, bb)
            split(l, lr, lg, lb)
            _encode(br, f32(1.0), er)
            _encode(bg, f32(1.0), eg)
            _encode(bb, f32(1.0), eb)
            _encode(lr, intensity, sr)
            _encode(lg, intensity, sg)
            _encode(lb, intensity, sb)
            if not black_is_neutral and not opaque:
                _unmultiply(sr, sg, sb, alpha)
            if mode < HUE:
                _separable(mode, er, sr)
                _separable(mode, eg, sg)
                _separable(mode, eb, sb)
            else:
                _non_separable(mode, er, eg, eb, sr, sg, sb)
            if black_is_neutral:
                _finish(er, sr, alpha, lr, br)
                _finish(eg, sg, alpha, lg, bg)
                _finish(eb, sb, alpha, lb, bb)
            else:
                _finish_covering(er, sr, alpha, br)
                _finish_covering(eg, sg, alpha, bg)
                _finish_covering(eb, sb, alpha, bb)
            join(br, bg, bb, o)
