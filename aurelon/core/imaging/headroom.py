"""Light that a picture lost where it is cut off at white, given back by guess.

A clipped place gets the more back the deeper it lies within what is clipped, so that it rises smoothly to its middle and
nothing round it changes; and the less the larger the clipped place is, so that a lamp is a lamp and a white wall
stays a wall. (Inverse tone mapping: Banterle, Ledda, Debattista and Chalmers, 2006; Rempel et al., "Ldr2Hdr", 2007, who
brighten by a blurred mask of what is clipped and stop it at edges.)
"""

from __future__ import annotations

import cv2
import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.fastmath import smoothstep, unit
from aurelon.core.imaging.frame import CANONICAL_EDGE, Frame
from aurelon.core.imaging.kernels import kernel
from aurelon.core.imaging.reduce import reduce_to

CLIPPED = 0.965  # linear light of the strongest channel from which a place counts as cut off
DIM = 0.7  # linear light up to which a place keeps what it has, so that grain within a lamp does not show
TOUCHED = 0.04  # share of a cell that is clipped from which the cell is
GRAIN = 3  # pixels of that version
LAMP, WALL = 0.012, 0.06  # diagonals; the inner radius of what is surely a lamp, and of what is surely none
WHITEST = 1.02  # above which a picture holds its own highlights and nothing was cut off


def depth_of(pixels: Floats) -> Floats:
    """How much of the headroom each place gets, (h, w, 1) in 0..1 on a small version of a picture (H, W, 3) in linear
    light; nothing where the picture itself goes above white."""
    height, width, _ = pixels.shape
    frame = Frame.canonical((width, height), CANONICAL_EDGE)
    if float(pixels.max()) > WHITEST:
        return np.zeros((*frame.shape, 1), np.float32)
    clipped = reduce_to((pixels.max(axis=2) >= CLIPPED).astype(np.float32)[:, :, None], frame)[:, :, 0] > TOUCHED
    # What grain has cut to pieces is one place.
    ball = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * GRAIN + 1, 2 * GRAIN + 1))
    clipped = cv2.morphologyEx(clipped.astype(np.uint8), cv2.MORPH_CLOSE, ball) > 0
    padded = np.pad(clipped.astype(np.uint8), 1, mode="edge")
    within = cv2.distanceTransform(padded, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)[1:-1, 1:-1]
    _, labels = cv2.connectedComponents(clipped.astype(np.uint8))
    radii = np.zeros(int(labels.max()) + 1, np.float32)
    np.maximum.at(radii, labels.ravel().astype(np.intp), within.ravel())
    radius = np.maximum(radii[labels], 1.0)
    lamp = 1 - smoothstep(np.clip((radius / frame.diagonal - LAMP) / (WALL - LAMP), 0, 1))
    rise = smoothstep(np.clip(within / radius, 0, 1))
    inside = clipped.astype(np.float32)
    deep, of = (cv2.GaussianBlur(one, (0, 0), GRAIN / 2) for one in (inside * (rise * lamp).astype(np.float32), inside))
    return np.ascontiguousarray(np.where(clipped, deep / np.maximum(of, 1e-6), 0)[:, :, None], np.float32)


def restored(pixels: Floats, depth: Floats, stops: float, frame: Frame) -> Floats:
    """A frame's pixels (h, w, 3) with up to `stops` of light given back where they are clipped; `depth` is that of the
    whole picture."""
    smaller = frame.width <= depth.shape[1]
    deep = reduce_to(depth, frame) if smaller else enlarge_to(depth, frame)
    out = np.empty(pixels.shape, np.float32)
    _restore(np.ascontiguousarray(pixels), np.ascontiguousarray(deep[:, :, 0]), f32(stops), out)
    return out


@kernel
def _restore(pixels: Floats, depth: Floats, stops: np.float32, out: Floats) -> None:
    for y in prange(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            strongest = max(max(pixels[y, x, 0], pixels[y, x, 1]), pixels[y, x, 2])
            bright = smoothstep(unit((strongest - f32(DIM)) * f32(1 / (CLIPPED - DIM))))
            share = bright * max(depth[y, x], f32(0.0))
            gain = f32(2.0) ** (stops * share)
            for c in range(3):
                out[y, x, c] = pixels[y, x, c] * gain
