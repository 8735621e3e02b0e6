"""What is brighter than white brought below it: a shoulder, by the tone curve of ITU-R BT.2390-10, section 5.4.1 (EETF).

On values of the perceptual quantiser a Hermite spline leaves all below its knee as it is, and brings the picture's own peak to
white without a corner. The strongest channel is what is rolled off, and the others with it, so that no hue turns.
"""

from __future__ import annotations

import numpy as np

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.code_points import light_to_pq, pq_to_light

PEAK_SHARE = 99.95  # per cent of the picture's pixels that its peak is not below
STEPS = 4096


def peak_of(pixels: Floats) -> float:
    """The peak of a picture (h, w, 3), leaving out what is a few pixels only."""
    return float(np.percentile(pixels.max(axis=2), PEAK_SHARE))


def shoulder(light: Floats, peak: float) -> Floats:
    """Linear light of any shape, 1 at white, rolled off so that `peak` becomes white; as it is where the peak is no brighter."""
    if peak <= 1:
        return light
    most = float(light_to_pq(np.array(peak, np.float32)))
    e = light_to_pq(np.minimum(light, f32(peak))) / f32(most)
    white = float(light_to_pq(np.array(1.0, np.float32))) / most
    knee = 1.5 * white - 0.5
    t = np.maximum((e - knee) / (1 - knee), 0)
    spline = (2 * t**3 - 3 * t**2 + 1) * knee + (t**3 - 2 * t**2 + t) * (1 - knee) + (3 * t**2 - 2 * t**3) * white
    rolled = pq_to_light(np.asarray(spline * most, np.float32))
    return np.asarray(np.where(e <= knee, light, rolled), np.float32)


class Shoulder:
    """The same over a table, for whole pictures."""

    def __init__(self, peak: float) -> None:
        self._peak = max(peak, 1.0)
        self._roots = np.linspace(0, self._peak**0.25, STEPS)
        there = np.asarray(self._roots**4, np.float32)
        self._gains = shoulder(there, self._peak) / np.maximum(there, 1e-9)
        self._gains[0] = 1.0

    def __call__(self, pixels: Floats) -> Floats:
        """Pixels (h, w, 3) of linear light, none brighter than white."""
        top = pixels.max(axis=2)
        gain = np.interp(np.minimum(top, self._peak) ** 0.25, self._roots, self._gains)
        return np.asarray(np.minimum(pixels * gain[:, :, None], 1), np.float32)
