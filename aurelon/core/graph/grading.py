"""Pointwise work on pictures: preparation, house light, and the colour of light."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32, lines_of
from aurelon.core.imaging.colour import NEUTRAL_KELVIN, hue_and_saturation, picked_rgb, temperature_rgb, white_balance
from aurelon.core.imaging.colour_matrix import Tint
from aurelon.core.imaging.fastmath import power
from aurelon.core.imaging.kernels import kernel
from aurelon.core.imaging.merging import Levels
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.lights.shared.kind import Colour
from aurelon.core.optics.spectra import lamp_rgb, sun_rgb
from aurelon.core.rig.model import HouseLight, Prepare

MID_GREY = 0.18
MIRED_REACH = 80.0  # how far, in reciprocal megakelvin, preparation can warm or cool a picture


def prepare(pixels: Floats, settings: Prepare, space: RgbSpace) -> Floats:
    """The picture (H, W, 3) as it is prepared; the same array where nothing is set.

    Exposure and temperature are gains. Contrast is a power of luminance about mid-grey, laid on all
    channels alike so that hue stays; saturation mixes with luminance.
    """
    s = settings
    if not (s.temperature or s.exposure or s.contrast or s.saturation):
        return pixels
    kelvin = 1e6 / (1e6 / NEUTRAL_KELVIN + MIRED_REACH * s.temperature)
    gain = white_balance(kelvin, 0.0, space) if s.temperature else np.ones(3, np.float32)
    grading = Grading(
        np.asarray(gain * 2.0**s.exposure, np.float32),
        space.luminance,
        f32(2.0**s.contrast - 1),
        f32(1 + s.saturation),
        s.contrast != 0,
        s.saturation != 0,
    )
    return _graded(pixels, grading, None)


def under_house_light(pixels: Floats, settings: HouseLight, space: RgbSpace, mask: Floats | None = None) -> Floats:
    """The picture (H, W, 3) under the house light, as far as a mask (H, W) in 0..1 has it; the same array at full level and
    neutral colour."""
    if settings.level == 1.0 and settings.temperature == NEUTRAL_KELVIN and settings.tint == 0.0:
        return pixels
    gain = np.asarray(white_balance(settings.temperature, settings.tint, space) * settings.level, np.float32)
    return _graded(pixels, Grading(gain, space.luminance, f32(0.0), f32(1.0), False, False), mask)


class Grading(NamedTuple):
    """A gain (3,), then a power of luminance about mid-grey less one, then saturation."""

    gain: Floats
    luminance: Floats
    power: np.float32
    saturation: np.float32
    contrasting: bool
    saturating: bool


NO_MASK = np.ones((1, 1), np.float32)


def _graded(pixels: Floats, grading: Grading, mask: Floats | None) -> Floats:
    out = np.empty(pixels.shape, np.float32)
    cover = NO_MASK if mask is None else np.ascontiguousarray(mask)
    _grade(lines_of(pixels), grading, cover, mask is not None, lines_of(out))
    return out


@kernel
def _grade(pixels: Floats, by: Grading, mask: Floats, masked: bool, out: Floats) -> None:
    zero, one, per_grey = f32(0.0), f32(1.0), f32(1 / MID_GREY)
    kr, kg, kb = by.luminance[0], by.luminance[1], by.luminance[2]
    gr, gg, gb = by.gain[0], by.gain[1], by.gain[2]
    for y in prange(pixels.shape[0]):
        line, result = pixels[y], out[y]
        n = line.size // 3
        if masked:
            cover = mask[y]
            for x in range(n):
                share = cover[x]
                result[3 * x] = line[3 * x] * (one + (gr - one) * share)
                result[3 * x + 1] = line[3 * x + 1] * (one + (gg - one) * share)
                result[3 * x + 2] = line[3 * x + 2] * (one + (gb - one) * share)
        elif by.contrasting:
            for x in range(n):
                r, g, b = line[3 * x] * gr, line[3 * x + 1] * gg, line[3 * x + 2] * gb
                level = kr * r + kg * g + kb * b
                ratio = power(max(level, f32(1e-6)) * per_grey, by.power)
                result[3 * x], result[3 * x + 1], result[3 * x + 2] = r * ratio, g * ratio, b * ratio
        else:
            for x in range(n):
                result[3 * x], result[3 * x + 1], result[3 * x + 2] = line[3 * x] * gr, line[3 * x + 1] * gg, line[3 * x + 2] * gb
        if by.saturating:
            for x in range(n):
                r, g, b = result[3 * x], result[3 * x + 1], result[3 * x + 2]
                level = kr * r + kg * g + kb * b
                result[3 * x] = max(level + (r - level) * by.saturation, zero)
                result[3 * x + 1] = max(level + (g - level) * by.saturation, zero)
                result[3 * x + 2] = max(level + (b - level) * by.saturation, zero)


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
