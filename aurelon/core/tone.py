"""Pointwise work on pictures: preparation, house light, and the colour of light."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.colour import NEUTRAL_KELVIN, hue_and_saturation, picked_rgb, temperature_rgb, white_balance
from aurelon.core.space import RgbSpace

if TYPE_CHECKING:
    from aurelon.core.lights.kind import Colour, Travelled
    from aurelon.core.rig import HouseLight, Prepare

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


def colour_light(travelled: Travelled, settings: Colour, space: RgbSpace) -> Floats:
    """The Colour stage: light (h, w, 4) of the plate's colour to light (h, w, 3) of its final one.

    The whole stage is one matrix on the light: a mix of the light itself with its luminance in the
    chosen colour, then hue and saturation.
    """
    mix = np.eye(3, dtype=np.float32)
    if settings.origin != "plate":
        chosen = (
            temperature_rgb(settings.temperature, settings.tint, space)
            if settings.origin == "temperature"
            else picked_rgb(settings.picked, space)
        )
        mix = (1 - settings.strength) * mix + settings.strength * np.outer(chosen, space.luminance)
    turned = hue_and_saturation(settings.hue, settings.saturation, space)
    own = travelled.own if travelled.own is not None else np.zeros(3, np.float32)
    matrix = np.column_stack([turned @ mix, turned @ own]).astype(np.float32)
    out = np.empty((*travelled.light.shape[:2], 3), np.float32)
    _apply(travelled.light.reshape(-1, 4), matrix, out.reshape(-1, 3))
    return out


@njit(parallel=True, cache=True, fastmath=True)
def _apply(light: Floats, matrix: Floats, out: Floats) -> None:
    """Rows of a (3, 4) matrix on each pixel, never below zero."""
    zero = np.float32(0.0)
    for i in prange(light.shape[0]):
        r, g, b, own = light[i, 0], light[i, 1], light[i, 2], light[i, 3]
        for c in range(3):
            out[i, c] = max(matrix[c, 0] * r + matrix[c, 1] * g + matrix[c, 2] * b + matrix[c, 3] * own, zero)
