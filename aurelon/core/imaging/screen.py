"""From linear light in a plate's primaries to what a screen shows: sRGB, 8 bits."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.fastmath import srgb_encode
from aurelon.core.imaging.quantise import quantise
from aurelon.core.imaging.rgb_space import SRGB, RgbSpace

PAPER = np.float32(1.0)  # transparent parts lie on white paper, as in a file without alpha


def to_screen(pixels: Floats, space: RgbSpace, x0: int = 0, y0: int = 0, alpha: Floats | None = None) -> NDArray[Any]:
    """(h, w, 3) uint8 sRGB, dithered as an 8-bit export is; `x0`, `y0` place the part in the whole."""
    matrix = space.matrix_to(SRGB)
    codes = np.empty(pixels.shape, np.float32)
    _encode(pixels, np.eye(3, dtype=np.float32) if matrix is None else matrix, matrix is not None, codes)
    if alpha is not None:
        codes = codes * alpha[:, :, None] + PAPER * (1 - alpha[:, :, None])
    out = np.empty(pixels.shape, np.uint8)
    quantise(codes, x0, y0, out, True)
    return out


@njit(parallel=True, cache=True, fastmath=True)
def _encode(pixels: Floats, matrix: Floats, turned: bool, out: Floats) -> None:
    zero, one = np.float32(0.0), np.float32(1.0)
    rows, columns, _ = pixels.shape
    for y in prange(rows):
        for x in range(columns):
            r, g, b = pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2]
            for c in range(3):
                value = matrix[c, 0] * r + matrix[c, 1] * g + matrix[c, 2] * b if turned else pixels[y, x, c]
                out[y, x, c] = srgb_encode(min(max(value, zero), one))


CLIP_MARK, STRIPE = (255, 40, 150), 6  # a colour that no light has; stripes show what lies under them


def mark_clipped(picture: NDArray[Any], pixels: Floats) -> None:
    """Stripes over the places of `picture` (h, w, 3) uint8 where `pixels` has a channel at display white."""
    height, width, _ = pixels.shape
    stripes = (np.arange(height)[:, None] + np.arange(width)[None]) // STRIPE % 2 == 0
    picture[(pixels >= 1.0 - 1e-4).any(axis=2) & stripes] = CLIP_MARK


def encode_jpeg(picture: NDArray[Any], quality: int) -> bytes:
    """For frames that last a moment: JPEG without chroma reduction."""
    flags = [cv2.IMWRITE_JPEG_QUALITY, quality, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444]
    done, data = cv2.imencode(".jpg", picture[:, :, ::-1], flags)
    assert done
    return data.tobytes()


def encode_png(picture: NDArray[Any]) -> bytes:
    """For frames that are exact: PNG, packed lightly."""
    done, data = cv2.imencode(".png", picture[:, :, ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 1])
    assert done
    return data.tobytes()
