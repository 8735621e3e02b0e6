"""Pointwise work on pictures: preparation, house light, and the colour of light."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.imaging.colour import NEUTRAL_KELVIN, hue_and_saturation, picked_rgb, temperature_rgb, white_balance
from aurelon.core.imaging.colour_matrix import Tint
from aurelon.core.imaging.rgb_space import RgbSpace

if TYPE_CHECKING:
    from aurelon.core.lights.shared.kind import Colour
    from aurelon.core.rig.model import HouseLight, Prepare

Floats = NDArray[np.float32]

MID_GREY = 0.18
MIRED_REACH = 80.0  # how far, in reciprocal megakelvin, preparation can warm or cool a picture


def prepare(pixels: Floats, settings: Prepare, space: RgbSpace) -> Floats:
    """The picture (H, W, 3) as it is prepared; the same array where nothing is set.

    Exposure and temperature are gains. Contrast is a power of luminance about mid-grey, laid on all
    channels alike so that hue stays; saturation mixes with luminance.
    """
    s = settings
    if s.temperature or s.exposure:
        kelvin = 1e6 / (1e6 / NEUTRAL_KELVIN + MIRED_REACH * s.temperature)
        gain = white_balance(kelvin, 0.0, space) if s.temperature else np.ones(3, np.float32)
        pixels = pixels * np.asarray(gain * 2.0**s.exposure, np.float32)
    if s.contrast:
        luminance = pixels @ space.luminance
        ratio = (np.maximum(luminance, 1e-6) / MID_GREY) ** np.float32(2.0**s.contrast - 1)
        pixels = pixels * ratio[:, :, None]
    if s.saturation:
        luminance = (pixels @ space.luminance)[:, :, None]
        pixels = np.maximum(luminance + (pixels - luminance) * np.float32(1 + s.saturation), 0)
    return pixels


def under_house_light(pixels: Floats, settings: HouseLight, space: RgbSpace) -> Floats:
    """The picture (H, W, 3) under the house light; the same array at full level and neutral colour."""
    if settings.level == 1.0 and settings.temperature == NEUTRAL_KELVIN and settings.tint == 0.0:
        return pixels
    return pixels * np.asarray(white_balance(settings.temperature, settings.tint, space) * settings.level, np.float32)


def tint_of(settings: Colour, space: RgbSpace) -> Tint:
    """The linear part of the Colour stage: a mix of the light itself with its luminance in the
    chosen colour, then hue and saturation."""
    mix = np.eye(3, dtype=np.float32)
    if settings.origin != "plate":
        chosen = (
            temperature_rgb(settings.temperature, settings.tint, space)
            if settings.origin == "temperature"
            else picked_rgb(settings.picked, space)
        )
        mix = (1 - settings.strength) * mix + settings.strength * np.outer(chosen, space.luminance)
    turned = hue_and_saturation(settings.hue, settings.saturation, space)
    return Tint(np.asarray(turned @ mix, np.float32), turned)


NARROWEST = 0.01  # between black and white, where black is set above it


def levelled(light: Floats, settings: Colour) -> Floats:
    """Black, white and gamma on light (h, w, 3), in linear light; what lies above white goes on straight."""
    s = settings
    if s.black == 0.0 and s.white == 1.0 and s.gamma == 1.0:
        return light
    out = np.empty_like(light)
    per_span = np.float32(1 / max(s.white - s.black, NARROWEST))
    _level(light.reshape(-1), np.float32(s.black), per_span, np.float32(1 / s.gamma), out.reshape(-1))
    return out


BLOCK = 1 << 14



@njit(parallel=True, cache=True, fastmath=True)
def _level(light: Floats, black: np.float32, per_span: np.float32, power: np.float32, out: Floats) -> None:
    zero, one = np.float32(0.0), np.float32(1.0)
    for block in prange((light.size + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min((block + 1) * BLOCK, light.size)):
            t = max((light[i] - black) * per_span, zero)
            # The straight part has the curve's slope at white, so that there is no corner.
            out[i] = t**power if t < one else one + (t - one) * power
