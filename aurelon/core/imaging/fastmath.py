"""Transfer curves, exponential, angle and easing as short polynomials, for use inside kernels.

Library functions keep a compiler from vectorising a loop; these are additions, products and
square roots only, in pairs where that makes the way from one to the next shorter. Each is a
Chebyshev fit of the exact function; the bound beside it is the largest error over the range in
float32, and the tests hold it to that.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange
from numba.extending import register_jitable

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.kernels import inlined, kernel


@register_jitable
def smoothstep(t: Any) -> Any:
    """3t² - 2t³ of t in 0..1, a number or an array: the smooth way from 0 to 1, flat at both ends."""
    return t * t * (f32(3.0) - f32(2.0) * t)


@register_jitable
def unit(x: Any) -> Any:
    """A number held in 0..1."""
    return min(max(x, f32(0.0)), f32(1.0))


@inlined
def srgb_encode(x: np.float32) -> np.float32:
    """IEC 61966-2-1 encoding for 0 <= x <= 1, error below 2e-6.

    x**(1/2.4) is x**(1/2) times x**(-1/12). Bits read as a whole number are nearly a logarithm, so that a twelfth of them, taken
    away, is the latter within 4 %; a fit mends the rest (Blinn, "Floating-Point Tricks", 1997).
    """
    bits = np.float32(np.float32(x).view(np.int32))
    y = np.int32(f32(1153712650.0) - bits * f32(1.0 / 12.0)).view(np.float32)
    y2 = y * y
    y4 = y2 * y2
    r = x * y4 * (y4 * y4)
    r2 = r * r
    low = f32(0.49522296) + f32(-0.32412732) * r
    p = f32(1.26999245) + f32(-0.48538852) * r + r2 * (low + r2 * (f32(0.11708357) + f32(-0.01778247) * r))
    e = min(np.sqrt(x) * y * p - f32(0.055), f32(1.0))  # white is white, to the bit
    return e if x > f32(0.0031308) else x * f32(12.92)


@inlined
def srgb_decode(e: np.float32) -> np.float32:
    """IEC 61966-2-1 decoding for 0 <= e <= 1, error below 1e-5."""
    v = e * e
    high = f32(-0.421929181) + f32(0.215906158) * e + f32(-0.051152304) * v
    p = f32(0.000919755) + f32(0.032948937) * e + v * (f32(0.513254464) + f32(0.710048198) * e + v * high)
    return p if e > f32(0.04045) else e * f32(1.0 / 12.92)


@inlined
def exp_minus(y: np.float32) -> np.float32:
    """exp(-y) for y >= 0, relative error below 1e-6: 2**n from the exponent bits, the rest a fit."""
    return exp2(min(y, f32(80.0)) * f32(-1.4426950408889634))


@inlined
def exp2(z: np.float32) -> np.float32:
    """2**z for -126 <= z <= 126, relative error below 1e-6."""
    n = np.floor(z)
    q = z - n
    p = f32(0.001895108)
    p = p * q + f32(0.008946215)
    p = p * q + f32(0.055863284)
    p = p * q + f32(0.240140766)
    p = p * q + f32(0.693154633)
    p = p * q + f32(0.999999881)
    power: np.float32 = np.int32((np.int32(n) + np.int32(127)) << np.int32(23)).view(np.float32)
    result: np.float32 = p * power
    return result


@inlined
def log2(x: np.float32) -> np.float32:
    """The logarithm to base 2 of a normal x > 0, error below 2e-7 of it, or of 2 where it is less.

    The exponent is read from the bits; the rest, within a factor of sqrt(2) of 1, is 2 artanh((m - 1) / (m + 1)) as a series.
    """
    bits = np.int32(np.float32(x).view(np.int32)) - np.int32(0x3F3504F3)  # from sqrt(1/2) on
    n = np.int32(bits >> np.int32(23))
    m = np.int32((bits & np.int32(0x007FFFFF)) + np.int32(0x3F3504F3)).view(np.float32)
    s = (m - f32(1.0)) / (m + f32(1.0))
    z = s * s
    p = f32(0.4121988)
    p = p * z + f32(0.57707802)
    p = p * z + f32(0.96179669)
    p = p * z + f32(2.88539008)
    result: np.float32 = p * s + f32(n)
    return result


@inlined
def power(x: np.float32, exponent: np.float32) -> np.float32:
    """x**exponent of a normal x > 0, as far as that lies within 2**-126 and 2**126; relative error below 5e-6 for |exponent| <= 4
    and x in 1e-6..1e6."""
    return exp2(min(max(exponent * log2(x), f32(-126.0)), f32(126.0)))


@inlined
def angle_of(y: np.float32, x: np.float32) -> np.float32:
    """atan2(y, x) in -pi..pi, error below 5e-7 rad; 0 at the origin."""
    ax = abs(x)
    ay = abs(y)
    top = max(ax, ay)
    t = min(ax, ay) / max(top, f32(1e-30))
    z = t * t
    p = f32(0.0028340641)
    p = p * z + f32(-0.016005030)
    p = p * z + f32(0.042587608)
    p = p * z + f32(-0.074954458)
    p = p * z + f32(0.106367543)
    p = p * z + f32(-0.142025709)
    p = p * z + f32(0.199924842)
    p = p * z + f32(-0.333330661)
    a = t * (p * z + f32(1.0))
    if ay > ax:
        a = f32(1.5707963267948966) - a
    if x < f32(0.0):
        a = f32(3.141592653589793) - a
    return -a if y < f32(0.0) else a


BLOCK = 1 << 14


def encode_array(linear: Floats) -> Floats:
    """IEC 61966-2-1 encoding of linear light of any shape, held at display white."""
    flat = np.ascontiguousarray(linear).reshape(-1)
    out = np.empty_like(flat)
    _encode_array(flat, out)
    return out.reshape(linear.shape)


@kernel
def _encode_array(linear: Floats, out: Floats) -> None:
    for block in prange((linear.size + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min((block + 1) * BLOCK, linear.size)):
            out[i] = srgb_encode(min(linear[i], f32(1.0)))
