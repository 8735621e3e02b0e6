"""A sharp subject before a blurred ground: what is sharp is near.

The steepness of an edge at two degrees of blur says how blurred it was already (Zhuo and Sim, "Defocus map estimation from a single
image", 2011): the ratio falls from 2.75 at a step to 1 where the lens has blurred it more than we do.
"""

from __future__ import annotations

import cv2
import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.space.standing import carried

FINE, COARSE = 0.8, 2.2  # pixels of the picture that is looked at
CLEAR = 0.006  # display-encoded step a pixel of an edge that tells
BLURRED, SHARP = 1.3, 1.5  # ratios below and above which an edge is one or the other
# Shares of the picture with blurred edges alone: below the first, no depth of field; above the second, a shallow one.
FEWEST, MANY = 0.05, 0.12
FROM, WIDE = 1.2, 0.8  # the ratio at which nearness begins, and how far it goes
STRONGEST_EDGES = 0.8  # quantile from which edges are looked at
SIDE_BY_SIDE = 1.0  # what is in focus is carried alike upward and sideways
SURE, UNSURE = 0.005, 1e-4
EDGE_CONTRAST = 0.1  # a thing in focus has edges of its own


def depth_of_field(tone: Floats) -> float:
    """How surely a picture (h, w), display-encoded, has a sharp subject before a blurred ground, 0..1."""
    ratio, step = _ratio(tone)
    cells = (12, 8)
    sharp = cv2.resize(((step > CLEAR) & (ratio > SHARP)).astype(np.float32), cells, interpolation=cv2.INTER_AREA)
    blurred = cv2.resize(((step > CLEAR) & (ratio < BLURRED)).astype(np.float32), cells, interpolation=cv2.INTER_AREA)
    share = float((np.asarray(blurred) > np.asarray(sharp)).mean())
    return float(np.clip((share - FEWEST) / (MANY - FEWEST), 0, 1)) if np.asarray(sharp).any() else 0.0


def by_sharpness(tone: Floats, codes: Floats) -> Floats:
    """Nearness (h, w) of a small version `codes` (h, w, 3), from the edges of a larger one, `tone` (H, W); both display-encoded."""
    height, width, _ = codes.shape
    ratio, step = _ratio(tone)
    edges = step > max(float(np.quantile(step, STRONGEST_EDGES)), CLEAR / 2)
    on = np.asarray(cv2.resize(edges.astype(np.float32), (width, height), interpolation=cv2.INTER_AREA))
    there = np.asarray(cv2.resize(np.where(edges, ratio, 0).astype(np.float32), (width, height), interpolation=cv2.INTER_AREA))
    near = np.clip((there / np.maximum(on, 1e-3) - FROM) / WIDE, 0, 1).astype(np.float32)
    regions = np.zeros((height, width), np.int32)
    return carried(codes, near, SURE * on + np.float32(UNSURE), regions, upward=SIDE_BY_SIDE, contrast=EDGE_CONTRAST)


def _ratio(tone: Floats) -> tuple[Floats, Floats]:
    """How much steeper each place is before it is blurred, and how steep it is after, (h, w) each."""

    def steepest(sigma: float) -> Floats:
        soft = cv2.GaussianBlur(tone, (0, 0), sigma)
        step = np.hypot(cv2.Sobel(soft, cv2.CV_32F, 1, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 1)) / 8
        return np.asarray(cv2.dilate(step, np.ones((5, 5), np.uint8)), np.float32)

    fine, coarse = steepest(FINE), steepest(COARSE)
    return np.asarray(fine / np.maximum(coarse, np.float32(1e-4)), np.float32), coarse
