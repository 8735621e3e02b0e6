"""Blank plates: a backdrop of two colours, for scenes that are built of light alone."""

from __future__ import annotations

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from aurelon.core.settings import Settings, colour_setting, number, whole

MOST_PIXELS = 100_000_000


class Blank(Settings):
    """A gradient from one colour to another across the whole plate; `angle` is where it runs to (90 is up)."""

    width: int = whole(2400, "Width in pixels", unit="pixels", low=16, high=20000, exponent=3.0, essential=True)
    height: int = whole(1600, "Height in pixels", unit="pixels", low=16, high=20000, exponent=3.0, essential=True)
    begin: str = colour_setting("#1a2138", "Colour at the start", essential=True)
    end: str = colour_setting("#05070d", "Colour at the end", essential=True)
    angle: float = number(
        -90.0, "Direction of the gradient: -90 is down, 0 right", unit="degrees", low=-180, high=180, step=1, essential=True
    )


def blank_picture(of: Blank) -> bytes:
    """The backdrop as a 16-bit PNG. The colours are mixed as they are stored, so that steps look even."""
    turn = np.deg2rad(of.angle)
    x = (np.arange(of.width) + 0.5 - of.width / 2)[None] * np.cos(turn)
    y = (np.arange(of.height) + 0.5 - of.height / 2)[:, None] * -np.sin(turn)
    half = abs(of.width / 2 * np.cos(turn)) + abs(of.height / 2 * np.sin(turn))
    t = ((x + y) / max(half, 1e-9) / 2 + 0.5).astype(np.float32).clip(0, 1)
    begin, end = (np.array([int(c[k : k + 2], 16) / 255 for k in (1, 3, 5)], np.float32) for c in (of.begin, of.end))
    codes: NDArray[np.uint16] = np.empty((of.height, of.width, 3), np.uint16)
    for channel in range(3):
        codes[:, :, channel] = np.round((begin[channel] + (end[channel] - begin[channel]) * t) * 65535)
    return bytes(imagecodecs.png_encode(codes, level=3))
