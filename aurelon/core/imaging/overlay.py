"""Shows over the picture what a mask covers."""

from __future__ import annotations

import numpy as np

from aurelon.core.imaging.arrays import Floats

COVER = np.float32(0.6)  # of the colour where the mask is full
GREY = 0.02  # mean chroma below which a picture has no colour to contrast with
DEFAULT = (0.05, 0.35, 0.9)  # on a grey picture


def contrasting(pixels: Floats) -> Floats:
    """A linear colour (3,) opposite in hue to the picture's own mean colour, and far from its brightness."""
    mean = np.clip(pixels, 0, 1).reshape(-1, 3).mean(axis=0)
    chroma = mean - mean.mean()
    if float(np.abs(chroma).max()) < GREY * max(float(mean.max()), 0.05):
        return np.array(DEFAULT, np.float32)
    opposite = -chroma / np.abs(chroma).max()
    return np.asarray(np.clip(0.45 + 0.45 * opposite, 0, 1), np.float32)


def mark_covered(picture: Floats, mask: Floats | None, colour: Floats, *, held_off: bool = False) -> Floats:
    """`picture` (h, w, 3) tinted where `mask` (h, w) covers it, or with `held_off` where it does not; None covers all."""
    if mask is None:
        mask = np.ones(picture.shape[:2], np.float32)
    cover = ((1 - mask if held_off else mask) * COVER)[:, :, None]
    return np.asarray(picture + cover * (colour * np.float32(0.6) - picture), np.float32)
