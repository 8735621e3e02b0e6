"""From linear light in a plate's primaries to what a screen shows: sRGB, 8 bits."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.colour_matrix import mixed
from aurelon.core.imaging.fastmath import srgb_encode
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.imaging.quantise import quantise
from aurelon.core.imaging.reduce import reduce_to
from aurelon.core.imaging.rgb_space import SRGB, RgbSpace

PAPER = np.float32(1.0)  # transparent parts lie on white paper, as in a file without alpha


def to_screen(
    pixels: Floats, space: RgbSpace, x0: int = 0, y0: int = 0, alpha: Floats | None = None, *, dithered: bool = True
) -> NDArray[Any]:
    """(h, w, 3) uint8 sRGB, dithered as an 8-bit export is; `x0`, `y0` place the part in the whole. What lasts a moment
    needs no dither."""
    matrix = space.matrix_to(SRGB)
    shown = np.ascontiguousarray(pixels) if matrix is None else mixed(pixels, matrix)
    out = np.empty(pixels.shape, np.uint8)
    if alpha is None and not dithered:
        _encode_whole(shown, out)
        return out
    codes = np.empty(pixels.shape, np.float32)
    _encode(shown, codes)
    if alpha is not None:
        codes = codes * alpha[:, :, None] + PAPER * (1 - alpha[:, :, None])
    quantise(codes, x0, y0, out, dithered)
    return out


@inlined
def _encode_row(line: Floats, out: Floats) -> None:
    for i in range(line.size):
        out[i] = srgb_encode(min(max(line[i], np.float32(0.0)), np.float32(1.0)))


@kernel
def _encode(pixels: Floats, out: Floats) -> None:
    for y in prange(pixels.shape[0]):
        _encode_row(pixels[y].reshape(-1), out[y].reshape(-1))


@kernel
def _encode_whole(pixels: Floats, out: NDArray[Any]) -> None:
    for y in prange(pixels.shape[0]):
        result = out[y].reshape(-1)
        codes = np.empty(result.size, np.float32)
        _encode_row(pixels[y].reshape(-1), codes)
        for i in range(result.size):
            result[i] = np.uint8(codes[i] * np.float32(255.0) + np.float32(0.5))


# Colours that no light has; stripes show what lies under them.
WHITE_CODE = 254.5 / 255  # display-encoded, from which 8 bits are white
CLIP_MARK, PEAK_MARK, GAMUT_MARK, STRIPE = (255, 40, 150), (40, 255, 90), (60, 150, 255), 6


def mark_from(picture: NDArray[Any], pixels: Floats, level: float, mark: tuple[int, int, int]) -> None:
    """Stripes over the places of `picture` (h, w, 3) uint8 where `pixels` has a channel at a level of linear light or above."""
    mark_at(picture, np.asarray((pixels >= level * (1.0 - 1e-4)).any(axis=2)), mark)


def mark_at(picture: NDArray[Any], places: NDArray[np.bool_], mark: tuple[int, int, int]) -> None:
    """Stripes over the `places` (h, w) of `picture`."""
    height, width = places.shape
    stripes = (np.arange(height)[:, None] + np.arange(width)[None]) // STRIPE % 2 == 0
    picture[places & stripes] = mark


def encode_jpeg(picture: NDArray[Any], quality: int) -> bytes:
    """For pictures that are looked at for a moment: JPEG without chroma reduction."""
    flags = [cv2.IMWRITE_JPEG_QUALITY, quality, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444]
    done, data = cv2.imencode(".jpg", cv2.cvtColor(picture, cv2.COLOR_RGB2BGR), flags)
    assert done
    return data.tobytes()


def png_of(pixels: Floats, space: RgbSpace, long_edge: int, alpha: Floats | None = None) -> bytes:
    """A PNG of a picture (h, w, 3), linear light in `space`, brought down to `long_edge`."""
    height, width, _ = pixels.shape
    frame = Frame.canonical((width, height), long_edge)
    cover = None if alpha is None else reduce_to(alpha[:, :, None], frame)[:, :, 0]
    return encode_png(to_screen(reduce_to(pixels, frame), space, alpha=cover))


def encode_png(picture: NDArray[Any]) -> bytes:
    """For frames that are exact: PNG, packed lightly."""
    done, data = cv2.imencode(".png", cv2.cvtColor(picture, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_PNG_COMPRESSION, 1])
    assert done
    return data.tobytes()
