"""Light above white, rolled off as film does.

Up to a knee light is as it is. Above it the strongest channel goes on along a hyperbola that leaves the knee without a corner
and reaches white at infinity, as the shoulder of a film's characteristic curve flattens, and the others keep their ratio to
it. The more of the light is held back, the more its colour gives way to white, as the layers of a film fill one after the
other: along a line of constant hue in Oklab (Ottosson, "A perceptual color space for image processing", 2020).
"""

from __future__ import annotations

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.kernels import kernel
from aurelon.core.imaging.rgb_space import RgbSpace

KNEE = f32(0.8)  # of linear light, 1 at white
# CIE XYZ under D65 to the cones' response of Oklab, and its roots to L, a and b.
TO_LMS = np.array(
    [
        [0.8189330101, 0.3618667424, -0.1288597137],
        [0.0329845436, 0.9293118715, 0.0361456387],
        [0.0482003018, 0.2643662691, 0.6338517070],
    ]
)
TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
LAB, FROM_LAB = TO_LAB.astype(np.float32), np.linalg.inv(TO_LAB).astype(np.float32)
THIRD = f32(1 / 3)


def rolled_off(pixels: Floats, space: RgbSpace) -> Floats:
    """Pixels (h, w, 3) of linear light in `space`, none brighter than white."""
    to_lms = TO_LMS @ np.linalg.inv(space.from_d65)
    to_lms /= to_lms.sum(axis=1, keepdims=True)  # so that greys stay grey to the last bit
    out = np.empty(pixels.shape, np.float32)
    back = np.linalg.inv(to_lms).astype(np.float32)
    _roll_off(np.ascontiguousarray(pixels, np.float32), to_lms.astype(np.float32), back, LAB, FROM_LAB, out)
    return out


@kernel
def _roll_off(pixels: Floats, to_lms: Floats, from_lms: Floats, to_lab: Floats, from_lab: Floats, out: Floats) -> None:
    room = f32(1.0) - KNEE
    for y in prange(pixels.shape[0]):
        lms, lab, mixed = np.empty(3, np.float32), np.empty(3, np.float32), np.empty(3, np.float32)
        for x in range(pixels.shape[1]):
            r, g, b = pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2]
            most = max(r, g, b)
            if most <= KNEE:
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = r, g, b
                continue
            beyond = (most - KNEE) / room
            held = KNEE + room * beyond / (f32(1.0) + beyond)
            share = held / most
            r, g, b = r * share, g * share, b * share
            if max(r, g, b) - min(r, g, b) < f32(1e-6):
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = held, held, held
                continue
            white = (f32(1.0) - share) ** 3
            for k in range(3):
                lms[k] = max(to_lms[k, 0] * r + to_lms[k, 1] * g + to_lms[k, 2] * b, f32(0.0)) ** THIRD
            for k in range(3):
                lab[k] = to_lab[k, 0] * lms[0] + to_lab[k, 1] * lms[1] + to_lab[k, 2] * lms[2]
            lab[0] += white * (held**THIRD - lab[0])
            lab[1] *= f32(1.0) - white
            lab[2] *= f32(1.0) - white
            for k in range(3):
                mixed[k] = (from_lab[k, 0] * lab[0] + from_lab[k, 1] * lab[1] + from_lab[k, 2] * lab[2]) ** 3
            for k in range(3):
                lit = from_lms[k, 0] * mixed[0] + from_lms[k, 1] * mixed[1] + from_lms[k, 2] * mixed[2]
                out[y, x, k] = min(max(lit, f32(0.0)), f32(1.0))
