"""The subject of a picture: what differs from the picture's rim, as a loose box to cut it out from.

Saliency by contrast to the border (Wei, Wen, Zhu and Sun, "Geodesic Saliency Using Background Priors", 2012; Zhu,
Liang, Wei and Sun, "Saliency Optimization from Robust Background Detection", 2014): the rim of a picture is mostly
background, so the colours that are rare along it belong to the subject, and the more so the nearer the middle.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.fastmath import encode_array

EDGE = 256  # long edge of the version in which it is looked for
SMALLEST = 24  # pixels a side, below which nothing can be told
SURE = 0.66  # from which a subject is proposed
RIM = 0.07  # share of each side that is taken for background
CELLS = (10, 12, 12)  # of lightness and of two axes of colour
LOOSE = 0.03  # of the picture's sides, by which the box is wider than what was found
BESIDE = 6  # pixels round a subject in which its surroundings are looked at
LEAST, MOST = 0.015, 0.55  # share of the picture that a subject may fill

Bools = NDArray[np.bool_]
Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class FoundSubject:
    """A loose box (left, top, right, bottom in plate fractions), and how surely it holds a subject, 0..1."""

    box: Box
    confidence: float

    @property
    def nbytes(self) -> int:
        return 64


NONE = FoundSubject((0.0, 0.0, 1.0, 1.0), 0.0)


def find_subject(pixels: Floats, sky: Floats | None = None) -> FoundSubject:
    """The subject of a small version (h, w, 3) of a picture in linear light, EDGE on its long side; `sky` (h, w) in 0..1,
    where one is known, is background."""
    height, width, _ = pixels.shape
    if min(height, width) < SMALLEST:
        return NONE
    known = np.zeros((height, width), np.bool_) if sky is None else sky > 0.5
    salient = _saliency(np.clip(encode_array(np.ascontiguousarray(pixels)), 0, 1), known)
    level, _ = cv2.threshold(np.round(salient * 255).astype(np.uint8), 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    count, labels, stats, _ = cv2.connectedComponentsWithStats((salient * 255 > level).astype(np.uint8))
    if count < 2:
        return NONE
    weights = np.bincount(labels.ravel(), weights=salient.ravel())
    weights[0] = 0
    best = int(np.argmax(weights))
    inside = labels == best
    share = float(inside.mean())
    if not LEAST <= share <= MOST:
        return NONE
    left, top, wide, high, _ = (int(v) for v in stats[best])
    box = (
        max(0.0, left / width - LOOSE),
        max(0.0, top / height - LOOSE),
        min(1.0, (left + wide) / width + LOOSE),
        min(1.0, (top + high) / height + LOOSE),
    )
    # Clear against what lies round it, most of what is salient, compact, and not cut off by the picture's sides.
    ring = (cv2.dilate(inside.astype(np.uint8), np.ones((2 * BESIDE + 1, 2 * BESIDE + 1), np.uint8)) > 0) & ~inside
    apart = float(salient[inside].mean() - salient[ring].mean()) if ring.any() else 0.0
    most = float(weights[best] / weights.sum())
    hull = cv2.convexHull(np.argwhere(inside).astype(np.int32))
    compact = float(inside.sum() / max(cv2.contourArea(hull), 1.0))
    touching = sum((left == 0, left + wide == width, top == 0)) / 3
    sure = np.clip(apart / 0.45, 0, 1) * most * np.clip(compact / 0.7, 0, 1) ** 2 * (1 - 0.6 * touching)
    return FoundSubject(box, float(np.clip(sure, 0, 1)))


def _saliency(codes: Floats, sky: Bools) -> Floats:
    """How little each pixel's colour belongs to the picture's rim, and how near the middle it lies, (h, w) in 0..1."""
    height, width, _ = codes.shape
    lab = cv2.cvtColor(cv2.GaussianBlur(codes, (0, 0), 1.0), cv2.COLOR_RGB2LAB)
    scaled = np.stack([lab[:, :, 0] / 100, lab[:, :, 1] / 160 + 0.5, lab[:, :, 2] / 160 + 0.5], axis=2)
    cells = np.clip((scaled * CELLS).astype(int), 0, np.array(CELLS) - 1)
    index = np.ravel_multi_index(tuple(np.moveaxis(cells, 2, 0)), CELLS)
    y, x = np.mgrid[0:height, 0:width]
    side = np.minimum(np.minimum(x / width, 1 - (x + 1) / width), np.minimum(y / height, 1 - (y + 1) / height))
    size = int(np.prod(CELLS))
    rim, whole = (
        np.bincount(index[of], minlength=size).reshape(CELLS).astype(np.float32)
        for of in ((side < RIM) | sky, (side >= RIM) & ~sky)
    )
    rim, whole = (_blurred(counts) for counts in (rim, whole))
    apart = (whole / whole.sum()) / (whole / whole.sum() + 2 * rim / rim.sum() + 1e-9)
    salient = cv2.GaussianBlur(apart.ravel()[index].astype(np.float32), (0, 0), 0.01 * max(height, width))
    middle = np.exp(-(((x / width - 0.5) / 0.36) ** 2) - ((y / height - 0.52) / 0.36) ** 2)
    result = np.where(sky, 0, salient * (0.35 + 0.65 * middle))
    return np.asarray(result / max(float(result.max()), 1e-6), np.float32)


def _blurred(counts: Floats) -> Floats:
    for axis, n in enumerate(CELLS):
        padded = np.pad(counts, [(1, 1) if a == axis else (0, 0) for a in range(3)], mode="edge")
        before, here, after = (np.take(padded, range(k, k + n), axis=axis) for k in range(3))
        counts = np.float32(0.25) * before + np.float32(0.5) * here + np.float32(0.25) * after
    return counts + np.float32(0.05)
