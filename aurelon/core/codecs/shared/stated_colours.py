"""The RGB space that a file states by its gamma and chromaticities, as PNG's gAMA and cHRM do."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from aurelon.core.imaging.rgb_space import D65, LINEAR_CURVE, SRGB_TO_PCS, Curve, RgbSpace, make_space, primaries_to_pcs

SOLVABLE = 1e-4  # determinant of primaries below which they span no colours


def space_stated(gamma: float | None, chromaticities: Sequence[float] | None) -> RgbSpace | None:
    """The space of samples that are light to the power of `gamma` (PNG's gAMA, 1 / 2.2 for most files) and whose white, red,
    green and blue have these x and y; what is not stated is as in sRGB, its curve a power of 2.2. None where nothing is stated, or
    nothing that can be."""
    to_pcs = SRGB_TO_PCS
    if chromaticities is not None:
        white, red, green, blue = ((chromaticities[k], chromaticities[k + 1]) for k in (0, 2, 4, 6))
        corners = np.array([red, green, blue])
        area = float(np.linalg.det(np.column_stack([corners, np.ones(3)])))
        if min(white[1], red[1], green[1]) <= 0 or blue[1] < 0 or abs(area) < SOLVABLE:
            chromaticities = None
        else:
            # A blue primary without luminance has no finite XYZ by y alone.
            to_pcs = primaries_to_pcs(red, green, (blue[0], max(blue[1], 1e-5)), white or D65)
    usable = gamma is not None and 0.05 < gamma < 20
    if not usable and chromaticities is None:
        return None
    exponent = 1 / gamma if usable and gamma is not None else 2.2
    curve = LINEAR_CURVE if abs(exponent - 1) < 1e-3 else Curve((exponent, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0))
    return make_space("RGB as the file states it", to_pcs, curve)
