"""Colours of light: the Planckian locus, tint, hue and saturation.

Chromaticity of a temperature is Planck's law integrated with the CIE 1931 2 degree colour-matching
functions from 380 to 780 nm in steps of 5 nm (CIE 015:2018). Tint moves it across the locus in
CIE 1960 u, v. Valid from 1 000 to 25 000 K.
"""

from __future__ import annotations

from functools import cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Doubles
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.rgb_space import SRGB, RgbSpace

Triple = NDArray[np.float32]

SECOND_RADIATION_CONSTANT = 1.438776877e-2  # m K, CODATA 2018
TINT_REACH = 0.03  # distance from the locus in CIE 1960 u, v at tint 1
NEUTRAL_KELVIN = 6500.0


@cache
def colour_matching() -> Doubles:
    """Rows of wavelength (nm), x, y, z."""
    text = files("aurelon.core").joinpath("data/cie1931.csv").read_text("utf-8")
    return np.array([[float(v) for v in line.split(",")] for line in text.splitlines() if line[0] != "#"])


def black_body(wavelengths: Doubles, kelvin: float) -> Doubles:
    """Planck's law over wavelengths (n,) in nm, relative."""
    metres = wavelengths * 1e-9
    return np.asarray((metres / 560e-9) ** -5 / np.expm1(SECOND_RADIATION_CONSTANT / (metres * kelvin)))


def _planckian_uv(kelvin: float) -> Doubles:
    table = colour_matching()
    x, y, z = black_body(table[:, 0], kelvin) @ table[:, 1:]
    return np.asarray(np.array([4 * x, 6 * y]) / (x + 15 * y + 3 * z), np.float64)


@cache
def chromaticity(kelvin: float, tint: float = 0.0) -> tuple[float, float]:
    """CIE 1931 x, y of a black body of `kelvin` (1 000..25 000), `tint` -1 (green) .. 1 (magenta)."""
    u, v = _planckian_uv(kelvin)
    if tint:
        along = _planckian_uv(kelvin * 1.01) - _planckian_uv(kelvin * 0.99)
        across = np.array([along[1], -along[0]]) / np.hypot(*along)
        if across[1] > 0:  # magenta lies below the locus, where v is smaller
            across = -across
        u, v = np.array([u, v]) + tint * TINT_REACH * across
    scale = 2 * u - 8 * v + 4
    return float(3 * u / scale), float(2 * v / scale)


WARMEST, COOLEST = 1000.0, 25000.0


@cache
def _locus() -> tuple[Doubles, Doubles]:
    """Temperatures, evenly spaced in reciprocal kelvin, and their CIE 1960 u, v: (n,) and (n, 2)."""
    kelvin = 1 / np.linspace(1 / WARMEST, 1 / COOLEST, 600)
    return kelvin, np.array([_planckian_uv(k) for k in kelvin])


def temperature_of(rgb: Triple, space: RgbSpace) -> tuple[float, float]:
    """The temperature (1 000..25 000 K) and tint (-1..1) of a linear colour (3,) in `space`.

    The nearest point of the locus in CIE 1960 u, v, which is what correlated colour temperature is;
    6 500 K and no tint for black.
    """
    x, y, z = np.linalg.inv(space.from_d65) @ np.asarray(rgb, np.float64)
    if x + y + z <= 1e-9:
        return NEUTRAL_KELVIN, 0.0
    here = np.array([4 * x, 6 * y]) / (x + 15 * y + 3 * z)
    kelvin, locus = _locus()
    nearest = int(np.argmin(np.linalg.norm(locus - here, axis=1)))
    before, after = max(nearest - 1, 0), min(nearest + 1, len(kelvin) - 1)
    along = locus[after] - locus[before]
    share = float(np.clip((here - locus[before]) @ along / (along @ along), 0, 1))
    found = 1 / ((1 - share) / kelvin[before] + share / kelvin[after])
    off = here - (locus[before] + share * along)
    green = np.array([along[1], -along[0]]) / np.hypot(*along)
    green = green if green[1] > 0 else -green  # v grows toward green
    return float(found), float(np.clip(-(off @ green) / TINT_REACH, -1, 1))


def at_unit_luminance(rgb: Doubles, space: RgbSpace) -> Triple:
    """A linear colour (3,) scaled to luminance 1, and no channel above 4, so that a deep colour does not run away."""
    rgb = np.maximum(rgb, 0.0)
    scale = max(float(rgb @ space.luminance), float(rgb.max()) / 4.0)
    return (rgb / scale).astype(np.float32)


@cache
def temperature_rgb(kelvin: float, tint: float, space: RgbSpace) -> Triple:
    """Linear RGB (3,) in `space` of light of this temperature and tint, at luminance 1."""
    x, y = chromaticity(kelvin, tint)
    return at_unit_luminance(space.from_d65 @ np.array([x / y, 1.0, (1 - x - y) / y]), space)


@cache
def temperature_hex(kelvin: float, tint: float) -> str:
    """A temperature's colour at full strength as "#rrggbb" in sRGB, to be shown on a screen."""
    rgb = np.asarray(temperature_rgb(kelvin, tint, SRGB), np.float64)
    codes = np.round(255 * encode_array(np.asarray(np.clip(rgb / rgb.max(), 0, 1), np.float32))).astype(int)
    return "#" + "".join(f"{c:02x}" for c in codes)


def picked_rgb(hex_code: str, space: RgbSpace) -> Triple:
    """Linear RGB (3,) in `space` of an sRGB colour '#rrggbb', at luminance 1; black gives white."""
    from aurelon.core.imaging.rgb_space import SRGB, SRGB_CURVE

    codes = np.array([int(hex_code[i : i + 2], 16) / 255 for i in (1, 3, 5)])
    linear = SRGB_CURVE.decode(codes)
    if not linear.any():
        linear = np.ones(3)
    matrix = SRGB.matrix_to(space)
    return at_unit_luminance(linear if matrix is None else matrix @ linear, space)


def white_balance(kelvin: float, tint: float, space: RgbSpace) -> Triple:
    """Gains (3,) that light of `kelvin` and `tint` puts on a picture, against 6 500 K; luminance kept."""
    if kelvin == NEUTRAL_KELVIN and tint == 0.0:
        return np.ones(3, np.float32)
    ratio = temperature_rgb(kelvin, tint, space) / temperature_rgb(NEUTRAL_KELVIN, 0.0, space)
    return np.asarray(ratio / np.float32(ratio @ space.luminance), np.float32)


def hue_and_saturation(hue: float, saturation: float, space: RgbSpace) -> Triple:
    """A (3, 3) matrix that turns hue by degrees about the grey axis and scales chroma; grey is kept.

    The turn is Rodrigues' rotation about (1, 1, 1); saturation then mixes with luminance.
    """
    turn = np.deg2rad(hue)
    axis = np.full(3, 1 / np.sqrt(3))
    cross = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    rotation = np.cos(turn) * np.eye(3) + np.sin(turn) * cross + (1 - np.cos(turn)) * np.outer(axis, axis)
    grey = np.tile(space.luminance.astype(np.float64), (3, 1))
    return np.asarray((saturation * np.eye(3) + (1 - saturation) * grey) @ rotation, np.float32)
