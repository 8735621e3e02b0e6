"""A camera's raw file made up for tests: a mosaic of red, green and blue filters as DNG, the open raw format, 1.4."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any

import numpy as np
import tifffile

from tests.pictures import Floats

Tag = tuple[int, int, int, Any, bool]

WHITE_LEVEL, BLACK_LEVEL = 15000, 512
BALANCE = (0.5, 1.0, 0.65)  # what the camera sees of a neutral grey, green as 1
# XYZ under D65 to linear sRGB (IEC 61966-2-1): a camera whose filters are those of the standard.
CAMERA = ((3.2406, -1.5372, -0.4986), (-0.9689, 1.8758, 0.0415), (0.0557, -0.2040, 1.0570))


def dng_of(light: Floats, model: str = "Merrow One", more: Sequence[Tag] = ()) -> bytes:
    """The file of a camera that looks at `light` (h, w, 3), linear sRGB, h and w even; what is brighter than its white level
    is cut off there. `more` are further tags."""
    height, width, _ = light.shape
    seen = light * np.array(BALANCE, np.float32)
    mosaic = np.empty((height, width), np.float32)
    for row, column, channel in ((0, 0, 0), (0, 1, 1), (1, 0, 1), (1, 1, 2)):
        mosaic[row::2, column::2] = seen[row::2, column::2, channel]
    codes = np.clip(np.round(mosaic * (WHITE_LEVEL - BLACK_LEVEL) + BLACK_LEVEL), 0, WHITE_LEVEL).astype(np.uint16)
    # For the camera's own white, the matrix takes XYZ to what the filters see before they are balanced.
    matrix = np.diag(BALANCE) @ np.array(CAMERA)
    rational = [part for value in matrix.ravel() for part in (round(value * 10_000), 10_000)]
    neutral = [part for value in BALANCE for part in (round(value * 10_000), 10_000)]
    tags = [
        (33421, 3, 2, (2, 2), True),  # CFARepeatPatternDim
        (33422, 1, 4, bytes((0, 1, 1, 2)), True),  # CFAPattern
        (271, 2, 12, "Merrow Point", True),
        (272, 2, len(model) + 1, model, True),
        (50706, 1, 4, bytes((1, 4, 0, 0)), True),  # DNGVersion
        (50708, 2, len(model) + 1, model, True),  # UniqueCameraModel
        (50714, 3, 1, BLACK_LEVEL, True),
        (50717, 4, 1, WHITE_LEVEL, True),
        (50721, 10, 9, rational, True),  # ColorMatrix1
        (50728, 5, 3, neutral, True),  # AsShotNeutral
        (50778, 3, 1, 21, True),  # CalibrationIlluminant1: D65
        *more,
    ]
    out = io.BytesIO()
    tifffile.imwrite(out, codes, photometric=32803, extratags=tags, metadata=None, software=False, rowsperstrip=height)
    return out.getvalue()
