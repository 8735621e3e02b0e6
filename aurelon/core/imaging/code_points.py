"""Colour by the code points of ITU-T H.273 ("coding-independent code points"), as AVIF, JPEG XL and PNG state it.

High dynamic range is brought to linear light in which 1 is HDR reference white, 203 cd/m² (ITU-R BT.2408): the picture's own
white is our white, and highlights lie above it.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.rgb_space import (
    DISPLAY_P3,
    LINEAR_CURVE,
    LINEAR_SRGB,
    SRGB,
    SRGB_CURVE,
    Curve,
    RgbSpace,
    make_space,
    primaries_to_pcs,
)

BT709, BT2020, P3_DCI, P3_D65 = 1, 9, 11, 12
LINEAR, SRGB_TRANSFER, PQ, HLG = 8, 13, 16, 18
UNSPECIFIED = 2
SAME_PLACE = 1.5e-3  # in x and y
REFERENCE_WHITE = 203.0  # cd/m²
HLG_PEAK, HLG_GAMMA = 1000.0, 1.2  # cd/m² and system gamma of the nominal display (ITU-R BT.2100)

# x and y of red, green, blue and white.
PRIMARIES = {
    BT709: ("sRGB", ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06), (0.3127, 0.3290))),
    BT2020: ("Rec. 2020", ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046), (0.3127, 0.3290))),
    P3_DCI: ("DCI P3", ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060), (0.314, 0.351))),
    P3_D65: ("Display P3", ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060), (0.3127, 0.3290))),
}
BT709_CURVE = Curve((1 / 0.45, 1 / 1.099, 0.099 / 1.099, 1 / 4.5, 0.081, 0.0, 0.0))
CURVES = {
    1: BT709_CURVE,
    4: Curve((2.2, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0)),
    5: Curve((2.8, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0)),
    6: BT709_CURVE,
    LINEAR: LINEAR_CURVE,
    SRGB_TRANSFER: SRGB_CURVE,
    14: BT709_CURVE,
    15: BT709_CURVE,
}


@cache
def space_of(primaries: int, transfer: int) -> RgbSpace:
    """The space of two code points; unknown ones are taken for those of sRGB. PQ and HLG give that of the linear light that
    `to_light` makes."""
    name, places = PRIMARIES.get(primaries, PRIMARIES[BT709])
    curve = LINEAR_CURVE if transfer in (PQ, HLG) else CURVES.get(transfer, SRGB_CURVE)
    if curve is LINEAR_CURVE and name == SRGB.name:
        return LINEAR_SRGB
    if curve is SRGB_CURVE and name in (SRGB.name, DISPLAY_P3.name):
        return SRGB if name == SRGB.name else DISPLAY_P3
    spelled = f"Linear light, {name} primaries" if curve is LINEAR_CURVE else name
    return make_space(spelled, primaries_to_pcs(*places), curve)


LINEAR_REC2020 = space_of(BT2020, LINEAR)


def linear_space_of(places: Sequence[float]) -> RgbSpace:
    """Linear light of primaries and white by x and y of red, green, blue and white, as files state them.

    Raises ValueError where they span no colours.
    """
    pairs = tuple(zip(places[::2], places[1::2], strict=True))
    for primaries, (_, known) in PRIMARIES.items():
        if np.allclose(pairs, known, atol=SAME_PLACE):
            return space_of(primaries, LINEAR)
    red, green, blue, white = pairs
    if min(y for _, y in pairs) <= 0:
        raise ValueError("primaries that span no colours")
    return make_space("Linear light, the file's own primaries", primaries_to_pcs(red, green, blue, white), LINEAR_CURVE)


def code_points_of(space: RgbSpace) -> tuple[int, int] | None:
    """Primaries and transfer of a space; None where no code point says it."""
    for primaries in (BT709, P3_D65, BT2020):
        for transfer in (SRGB_TRANSFER, LINEAR):
            known = space_of(primaries, transfer)
            if known.matrix_to(space) is None and known.curves == space.curves:
                return primaries, transfer
    return None


def to_light(codes: NDArray[Any], transfer: int) -> Floats:
    """PQ or HLG code values in 0..1 (h, w, 3) as linear light, 1 at reference white."""
    codes = np.asarray(codes, np.float32)
    return pq_to_light(codes) if transfer == PQ else hlg_to_light(codes)


# SMPTE ST 2084.
M1, M2, C1, C2, C3 = 2610 / 16384, 2523 / 4096 * 128, 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32


def pq_to_light(codes: Floats) -> Floats:
    """Perceptual quantiser (SMPTE ST 2084) to linear light, 1 at reference white."""
    root = np.clip(codes, 0, 1) ** (1 / M2)
    return np.asarray((np.maximum(root - C1, 0) / (C2 - C3 * root)) ** (1 / M1) * (10_000 / REFERENCE_WHITE), np.float32)


def light_to_pq(light: Floats) -> Floats:
    """The inverse: linear light, 1 at reference white, as code values in 0..1."""
    power = np.clip(light * np.float32(REFERENCE_WHITE / 10_000), 0, 1) ** np.float32(M1)
    return np.asarray(((C1 + C2 * power) / (1 + C3 * power)) ** M2, np.float32)


def hlg_to_light(codes: Floats) -> Floats:
    """Hybrid log-gamma (ITU-R BT.2100) on its nominal display of 1000 cd/m² to linear light, 1 at reference white."""
    a, b, c = 0.17883277, 0.28466892, 0.55991073
    e = np.clip(codes, 0, 1)
    scene = np.where(e <= 0.5, e * e / 3, (np.exp((e - c) / a) + b) / 12)
    weights = np.array([0.2627, 0.6780, 0.0593], np.float32)
    level = np.maximum(scene @ weights, 1e-9)[:, :, None] if scene.shape[-1] == 3 else np.maximum(scene, 1e-9)
    return np.asarray(scene * level ** (HLG_GAMMA - 1) * (HLG_PEAK / REFERENCE_WHITE), np.float32)
