"""Spectra of light sources by name, and of the sun by its height: from wavelengths to the plate's primaries.

The sun: a black body of 5 778 K through the clear atmosphere, by the Rayleigh and aerosol optical depths of Preetham,
Shirley and Smits, "A Practical Analytic Model for Daylight" (1999), appendix 1, without water and mixed gases, which absorb
what is hardly seen; with the cross-sections of ozone of Bruneton, "Precomputed Atmospheric Scattering: a New
Implementation" (2017), and its path by Robinson (Iqbal, "An Introduction to Solar Radiation", 1983, eq. 5.7.6).
Discharge lamps: their elements' lines (NIST Atomic Spectra Database), each a Gaussian as wide as the lamp's pressure
makes it. A white diode: a blue line and a phosphor (Ohno, "Spectral design considerations for white LED color
rendering", 2005). What falls on the eye is summed with the CIE 1931 colour-matching functions (CIE 018:2019).
"""

from __future__ import annotations

from functools import cache
from typing import Literal, NamedTuple

import numpy as np

from aurelon.core.imaging.arrays import Doubles, Floats
from aurelon.core.imaging.colour import at_unit_luminance, black_body, colour_matching
from aurelon.core.imaging.rgb_space import RgbSpace

LampName = Literal["candle", "tungsten", "sodium-low", "sodium-high", "mercury", "metal-halide", "white-led"]
LAMP_WORDS: dict[str, str] = {
    "candle": "Candle",
    "tungsten": "Tungsten bulb",
    "sodium-low": "Sodium, low pressure",
    "sodium-high": "Sodium, high pressure",
    "mercury": "Mercury",
    "metal-halide": "Metal halide",
    "white-led": "White LED",
}
SUN = 5778.0  # K
NOON = 90.0
# Of ozone, at 233 K: cross-sections in 1e-26 m² from 380 nm on, every 10 nm.
OZONE = np.array(
    [
        *(0.02818, 0.06636, 0.1527, 0.2763, 0.552, 0.8451, 1.582, 2.316, 3.669, 4.924, 7.752, 9.016, 14.8, 16.02, 21.39, 27.55),
        *(30.91, 35.0, 42.66, 46.72, 43.98, 47.01, 50.19, 43.05, 37.4, 32.15, 26.62, 22.38, 18.52, 14.73, 12.09, 9.423, 7.455),
        *(6.566, 5.105, 4.15, 4.228, 3.237, 2.451, 2.801, 2.534),
    ]
)
COLUMN = 300 * 2.6868e20  # molecules over a square metre: 300 Dobson units
LAYER, EARTH = 22.0, 6370.0  # km; height of most of the ozone, and the earth's radius


class Line(NamedTuple):
    """A Gaussian line: wavelength and standard deviation in nm, and how strong it is."""

    at: float
    wide: float
    strength: float


LINES: dict[str, tuple[Line, ...]] = {
    "sodium-low": (Line(589.0, 0.6, 2.0), Line(589.6, 0.6, 1.0)),
    # Under pressure the D lines are absorbed in their own middle and stand as two wings.
    "sodium-high": (
        Line(467, 3, 0.2),
        Line(498, 3, 0.35),
        Line(515, 3, 0.2),
        Line(569, 3, 0.35),
        Line(583, 6, 1.0),
        Line(600, 11, 1.1),
        Line(616, 4, 0.35),
        Line(570, 70, 0.2),
    ),
    "mercury": (Line(404.7, 1, 0.42), Line(435.8, 1, 0.78), Line(546.1, 1, 1.0), Line(577.0, 1, 0.45), Line(579.1, 1, 0.45)),
    "metal-halide": (
        Line(435.8, 3, 0.5),
        Line(474, 6, 0.4),
        Line(510, 8, 0.35),
        Line(546.1, 3, 0.9),
        Line(577.0, 4, 0.5),
        Line(590, 8, 0.9),
        Line(625, 10, 0.35),
        Line(550, 80, 0.25),
    ),
    "white-led": (Line(455, 10, 1.0), Line(560, 55, 0.62)),
}
BLACK_BODIES = {"candle": 1900.0, "tungsten": 2856.0}


def air_mass(height: float) -> float:
    """Relative optical mass of the atmosphere toward a height in degrees above the horizon (Kasten, 1966)."""
    zenith = 90.0 - height
    return float(1 / (np.cos(np.deg2rad(zenith)) + 0.15 * (93.885 - zenith) ** -1.253))


def ozone_mass(height: float) -> float:
    """The same of the ozone, which lies in a layer high up, so that its path grows less toward the horizon."""
    up = LAYER / EARTH
    return float((1 + up) / np.sqrt(np.sin(np.deg2rad(height)) ** 2 + 2 * up))


def ozone_depth(wavelengths: Doubles) -> Doubles:
    """Optical depth of the ozone straight up, (n,)."""
    return np.asarray(np.interp(wavelengths, 380.0 + 10.0 * np.arange(OZONE.size), OZONE) * 1e-26 * COLUMN)


def transmittance(wavelengths: Doubles, height: float, turbidity: float) -> Doubles:
    """Share of sunlight that a clear (turbidity 2) to hazy (10) atmosphere lets through, (n,)."""
    micron, mass = wavelengths / 1000, air_mass(height)
    rayleigh = 0.008735 * micron**-4.08
    aerosol = max(0.04608 * turbidity - 0.04586, 0.0) * micron**-1.3
    return np.asarray(np.exp(-(rayleigh + aerosol) * mass - ozone_depth(wavelengths) * ozone_mass(height)))


def _xyz(spectrum: Doubles) -> Doubles:
    return np.asarray(spectrum @ colour_matching()[:, 1:])


@cache
def sun_rgb(height: float, turbidity: float, space: RgbSpace) -> Floats:
    """Linear RGB (3,) of the sun at a height (0..90 degrees) in haze, at luminance 1 overhead in the same haze."""
    wavelengths = colour_matching()[:, 0]
    spectrum = black_body(wavelengths, SUN)
    here, overhead = (_xyz(spectrum * transmittance(wavelengths, at, turbidity)) for at in (height, NOON))
    dimmed = float(here[1] / overhead[1])
    return np.asarray(at_unit_luminance(space.from_d65 @ here, space) * np.float32(dimmed))


@cache
def lamp_rgb(name: str, space: RgbSpace) -> Floats:
    """Linear RGB (3,) of a lamp by its name, at luminance 1."""
    wavelengths = colour_matching()[:, 0]
    if name in BLACK_BODIES:
        spectrum = black_body(wavelengths, BLACK_BODIES[name])
    else:
        # A line narrower than the table's step of 5 nm is shared between its two neighbours.
        spectrum = np.zeros_like(wavelengths)
        for line in LINES[name]:
            wide = max(line.wide, 2.5)
            spectrum += line.strength * line.wide / wide * np.exp(-0.5 * ((wavelengths - line.at) / wide) ** 2)
    return at_unit_luminance(space.from_d65 @ _xyz(spectrum), space)
