"""Pointwise work on pictures: preparation, house light, and the colour of light."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.colour import NEUTRAL_KELVIN, hue_and_saturation, picked_rgb, temperature_rgb, white_balance
from aurelon.core.imaging.colour_matrix import Tint
from aurelon.core.imaging.merging import Levels
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.optics.spectra import lamp_rgb, sun_rgb

if TYPE_CHECKING:
    from aurelon.core.lights.shared.kind import Colour
    from aurelon.core.rig.model import HouseLight, Prepare


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


def tint_of(settings: Colour, space: RgbSpace, *, shifts_white: bool = False) -> Tint:
    """The linear part of the Colour stage: a mix of the light itself with its luminance in the
    chosen colour, then hue and saturation. Where it `shifts_white` the light is what it was under white, seen under the
    chosen colour, and keeps the colours that it has."""
    mix = np.eye(3, dtype=np.float32)
    if settings.origin != "plate":
        chosen = _chosen(settings, space)
        strength = settings.strength if settings.origin == "temperature" else settings.picked_strength
        tinted = np.diag(chosen) if shifts_white else np.outer(chosen, space.luminance)
        mix = (1 - strength) * mix + strength * tinted
    turned = hue_and_saturation(settings.hue, settings.saturation, space)
    return Tint(np.asarray(turned @ mix, np.float32), turned)


def _chosen(settings: Colour, space: RgbSpace) -> Floats:
    """The colour (3,) that a light is to have, at luminance 1; that of the sun is dimmed by the air, as far as it is let."""
    match settings.origin:
        case "temperature":
            return temperature_rgb(settings.temperature, settings.tint, space)
        case "sun":
            # A camera's exposure makes up for most of what the air takes.
            sun = sun_rgb(settings.sun_height, settings.haze, space)
            return sun * f32(max(float(sun @ space.luminance), 1e-6) ** (settings.dimming - 1))
        case "lamp":
            return lamp_rgb(settings.lamp, space)
        case _:
            return picked_rgb(settings.picked, space)


NARROWEST = 0.01  # between black and white, where black is set above it


def levels_of(settings: Colour) -> Levels:
    """Black, white and gamma as the merging has them."""
    s = settings
    return Levels(f32(s.black), f32(1 / max(s.white - s.black, NARROWEST)), f32(1 / s.gamma))
