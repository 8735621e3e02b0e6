"""A range of colours: what of the picture is like the picture at a picked spot."""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.fastmath import encode_array, smoothstep, srgb_encode
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import kernel
from aurelon.core.masks.shared.part import Ground, Part, pixel_middles, resampled
from aurelon.core.settings import Place, choice, number, place_setting

SPOT = 0.006  # diagonals; radius of the spot whose colour is picked
CONNECTS = 0.1  # cover from which neighbours count as hanging together


class Colours(Part):
    """Distance in luma and colour difference of Rec. ITU-R BT.709, from the picked spot's median.

    Luma counts by `lightness`. Full within half the tolerance, fading to nothing at the tolerance.
    """

    title = "Colour range"
    summary = "Areas of the same colour as a picked spot"
    order = 6
    instruction = "Click a spot of the colour that you want"
    shown_at_once = True
    picked = "spot"
    of_picture: ClassVar[bool] = True

    part: Literal["colours"] = "colours"
    spot: Place = place_setting((0.5, 0.3), "Where the colour is picked", essential=True)
    tolerance: float = number(
        0.12, "How different a colour may be", unit="share", low=0.005, high=1, step=0.005, exponent=2.0, essential=True
    )
    lightness: float = number(0.5, "How much a difference in brightness counts", unit="share", low=0, high=1, step=0.01)
    reach: Literal["everywhere", "contiguous"] = choice(
        "everywhere", "Everywhere in the picture, or only areas connected to the spot", essential=True
    )

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        canonical = ground.canonical
        picked = self._picked(ground, canonical)

        def measure(pixels: Floats) -> Floats:
            out = np.empty(pixels.shape[:2], np.float32)
            _alike(np.ascontiguousarray(pixels).reshape(-1), picked, f32(1 / self.tolerance), f32(self.lightness), out.reshape(-1))
            return out

        everywhere = ground.measured(self.key(ground), frame, measure)
        if self.reach == "everywhere":
            return everywhere

        def hanging_together() -> Floats:
            return self._hanging_together(measure(ground.picture.at(canonical)), ground, canonical)

        hanging = ground.keep(("hanging", self.key(ground)), canonical, hanging_together)
        return np.minimum(everywhere, resampled(hanging, frame))

    def _near(self, ground: Ground, frame: Frame) -> Floats:
        """Distance of every pixel from the spot, in diagonals."""
        x, y = pixel_middles(frame, ground.aspect)
        spot = np.clip(self.spot, 0, 1) * np.array(ground.aspect)
        return np.asarray(np.hypot(x - f32(spot[0]), y - f32(spot[1])), np.float32)

    def _picked(self, ground: Ground, canonical: Frame) -> Floats:
        """Display-encoded (3,) at the spot: the median, so that a speck does not count."""
        away = self._near(ground, canonical)
        near = away <= max(SPOT, float(away.min()))
        return np.asarray(np.median(encode_array(ground.picture.at(canonical)[near]), axis=0), np.float32)

    def _hanging_together(self, cover: Floats, ground: Ground, canonical: Frame) -> Floats:
        _, labels = cv2.connectedComponents((cover > CONNECTS).astype(np.uint8), connectivity=4)
        away = np.where(labels > 0, self._near(ground, canonical), np.inf)
        nearest = np.unravel_index(int(np.argmin(away)), away.shape)
        if not np.isfinite(away[nearest]):
            return np.zeros_like(cover)
        # Grown a little, so that the soft edge of the range itself is what is seen.
        own = (labels == labels[nearest]).astype(np.float32)
        return cv2.GaussianBlur(cv2.dilate(own, np.ones((5, 5), np.uint8)), (0, 0), 1.0).astype(np.float32)


BLOCK = 1 << 13


@kernel
def _alike(pixels: Floats, picked: Floats, per_tolerance: np.float32, lightness: np.float32, out: Floats) -> None:
    one, zero = f32(1.0), f32(0.0)
    kr, kg, kb = f32(0.2126), f32(0.7152), f32(0.0722)
    luma = kr * picked[0] + kg * picked[1] + kb * picked[2]
    blue, red = (picked[2] - luma) / f32(1.8556), (picked[0] - luma) / f32(1.5748)
    for block in prange((out.size + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min((block + 1) * BLOCK, out.size)):
            r = srgb_encode(min(max(pixels[3 * i], zero), one))
            g = srgb_encode(min(max(pixels[3 * i + 1], zero), one))
            b = srgb_encode(min(max(pixels[3 * i + 2], zero), one))
            y = kr * r + kg * g + kb * b
            dy, db, dr = (y - luma) * lightness, (b - y) / f32(1.8556) - blue, (r - y) / f32(1.5748) - red
            away = np.sqrt(dy * dy + f32(4.0) * (db * db + dr * dr)) * per_tolerance
            t = min(max(f32(2.0) - f32(2.0) * away, zero), one)
            out[i] = smoothstep(t)


PART = Colours
