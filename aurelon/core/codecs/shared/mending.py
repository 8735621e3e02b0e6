"""Samples that are NaN or infinite, taken as the light beside them."""

from __future__ import annotations

import cv2
import numpy as np

from aurelon.core.codecs.shared.raster import NO_NUMBERS, UnreadableError
from aurelon.core.imaging.arrays import Floats

MOST = 0.01  # share of the pixels, beyond which a picture is damaged and no stray sample
FARTHEST = 16  # pixels to the light that is taken


def mended(light: Floats) -> tuple[Floats, str]:
    """Light (h, w, c) without NaN or infinite samples, each pixel that has one being the mean of the whole ones round it, and what
    to say of it. Raises UnreadableError where there are too many, or where no whole pixel is near."""
    stray = np.asarray(~np.isfinite(light).all(axis=2))
    count = int(stray.sum())
    if count > max(1, MOST * stray.size):
        raise UnreadableError(NO_NUMBERS)
    out = np.asarray(np.where(stray[:, :, None], np.float32(0), light), np.float32)
    known = np.asarray(~stray, np.float32)
    for _ in range(FARTHEST):
        if known.all():
            break
        near = cv2.blur(known, (3, 3), borderType=cv2.BORDER_CONSTANT)
        mean = cv2.blur(out * known[:, :, None], (3, 3), borderType=cv2.BORDER_CONSTANT).reshape(out.shape)
        reached = (known == 0) & (near > 0)
        out[reached] = mean[reached] / near[reached][:, None]
        known[reached] = 1
    if not known.all():
        raise UnreadableError(NO_NUMBERS)
    pixels = "1 pixel" if count == 1 else f"{count} pixels"
    return out, f"contains NaN or infinite samples in {pixels}; they were taken as the light beside them"
