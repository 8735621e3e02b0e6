"""The table of blend modes: one entry a mode, in the order in which they are offered.

`add`, `expose` and `relight` work in linear light. The other names and their formulae are those of
W3C "Compositing and Blending Level 1"; they work on display-encoded values (IEC 61966-2-1).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

import numpy as np

from aurelon.core.imaging.arrays import f32
from aurelon.core.imaging.blend.mode import Mode, Triple, black_neutral, covering, grey_neutral, linear, non_separable
from aurelon.core.imaging.fastmath import exp_minus
from aurelon.core.imaging.kernels import inlined

ROLLS_OFF = 0.75  # linear light from which relight rolls off toward white


@inlined
def _expose(b: np.float32, l: np.float32, intensity: np.float32, alpha: np.float32) -> np.float32:
    """b + (1 - b)(1 - exp(-l / (1 - b))), which never clips."""
    room = max(f32(1.0) - b, f32(1e-6))
    strength = l * intensity
    exposed = room * (f32(1.0) - exp_minus(strength / room))
    lit = b + (exposed if b < f32(1.0) and strength > f32(0.0) else f32(0.0))
    return b + alpha * (lit - b)


@inlined
def _add(b: np.float32, l: np.float32, intensity: np.float32, alpha: np.float32) -> np.float32:
    return b + alpha * intensity * l


@inlined
def _relight(b: np.float32, l: np.float32, intensity: np.float32, alpha: np.float32) -> np.float32:
    """b (1 + l), which rolls off above `ROLLS_OFF` so that bright things keep their form."""
    lit = b * (f32(1.0) + intensity * l)
    knee = min(max(f32(ROLLS_OFF), b), f32(1.0))
    room = max(f32(1.0) - knee, f32(1e-6))
    rolled = knee + room * (f32(1.0) - exp_minus((lit - knee) / room))
    lit = rolled if lit > knee else lit
    return b + alpha * (max(lit, b) - b)


@inlined
def _screen(b: np.float32, s: np.float32) -> np.float32:
    return b + s - b * s


@inlined
def _lighten(b: np.float32, s: np.float32) -> np.float32:
    return max(b, s)


@inlined
def _color_dodge(b: np.float32, s: np.float32) -> np.float32:
    # Nothing stays nothing, as the specification says of it by itself.
    return min(f32(1.0), b / max(f32(1.0) - s, f32(1e-7)))


@inlined
def _difference(b: np.float32, s: np.float32) -> np.float32:
    return abs(b - s)


@inlined
def _exclusion(b: np.float32, s: np.float32) -> np.float32:
    return b + s - f32(2.0) * b * s


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
def _soft_swing(b: np.float32, s: np.float32) -> np.float32:
    d = ((f32(16.0) * b - f32(12.0)) * b + f32(4.0)) * b if b <= f32(0.25) else np.sqrt(b)
    return b + s * (d - b)


@inlined
def _overlay(b: np.float32, s: np.float32) -> np.float32:
    return _hard_light(s, b)


@inlined
def _overlay_swing(b: np.float32, s: np.float32) -> np.float32:
    return b * (f32(1.0) + s) if b <= f32(0.5) else b + s - b * s


# With m = alpha · s:
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
def _span(r: np.float32, g: np.float32, b: np.float32) -> np.float32:
    """Sat of the specification."""
    return max(max(r, g), b) - min(min(r, g), b)


@inlined
def _luma(r: np.float32, g: np.float32, b: np.float32) -> np.float32:
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
def _set_luma(r: np.float32, g: np.float32, b: np.float32, target: np.float32) -> Triple:
    """SetLum of the specification, with ClipColor."""
    one, tiny = f32(1.0), f32(1e-9)
    d = target - _luma(r, g, b)
    x, y, z = r + d, g + d, b + d
    low = min(min(x, y), z)
    k = target / max(target - low, tiny) if low < f32(0.0) else one
    x, y, z = target + (x - target) * k, target + (y - target) * k, target + (z - target) * k
    high = max(max(x, y), z)
    k = (one - target) / max(high - target, tiny) if high > one else one
    return target + (x - target) * k, target + (y - target) * k, target + (z - target) * k


@inlined
def _hue(er: np.float32, eg: np.float32, eb: np.float32, sr: np.float32, sg: np.float32, sb: np.float32) -> Triple:
    r, g, b = _set_saturation(sr, sg, sb, _span(er, eg, eb))
    return _set_luma(r, g, b, _luma(er, eg, eb))


@inlined
def _saturation(er: np.float32, eg: np.float32, eb: np.float32, sr: np.float32, sg: np.float32, sb: np.float32) -> Triple:
    r, g, b = _set_saturation(er, eg, eb, _span(sr, sg, sb))
    return _set_luma(r, g, b, _luma(er, eg, eb))


@inlined
def _color(er: np.float32, eg: np.float32, eb: np.float32, sr: np.float32, sg: np.float32, sb: np.float32) -> Triple:
    return _set_luma(sr, sg, sb, _luma(er, eg, eb))


@inlined
def _luminosity(er: np.float32, eg: np.float32, eb: np.float32, sr: np.float32, sg: np.float32, sb: np.float32) -> Triple:
    return _set_luma(er, eg, eb, _luma(sr, sg, sb))


MODES: tuple[Mode, ...] = (
    linear("expose", _expose),
    linear("add", _add),
    linear("relight", _relight),
    covering("normal", _normal),
    covering("multiply", _multiply),
    black_neutral("screen", _screen, operator="svg:screen"),
    grey_neutral("overlay", _overlay, _overlay_swing),
    covering("darken", _darken),
    black_neutral("lighten", _lighten, operator="svg:lighten"),
    black_neutral("color-dodge", _color_dodge, operator="svg:color-dodge"),
    covering("color-burn", _color_burn),
    grey_neutral("hard-light", _hard_light, _screen),
    grey_neutral("soft-light", _soft_light, _soft_swing),
    black_neutral("difference", _difference),
    black_neutral("exclusion", _exclusion),
    non_separable("hue", _hue),
    non_separable("saturation", _saturation),
    non_separable("color", _color),
    non_separable("luminosity", _luminosity),
)
MODE_NAMES: tuple[str, ...] = tuple(mode.name for mode in MODES)
# A type checker cannot read a table, so for it any word is one; Pydantic refuses what is not in the table.
if TYPE_CHECKING:
    ModeName = str
else:
    ModeName = Literal[MODE_NAMES]
