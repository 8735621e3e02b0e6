"""What passes before the subject of a matte: where pixels show neither it nor what lies behind it.

A pixel of the subject is strange that has neither a colour which was seen in it nor the look that it had there; one beyond it, that
is not of what lies behind either. Something passes where strange pixels come in over the rim, or go on from where it was before;
what is strange within the subject alone is a new side of it. Gaps in what passes are of it as well, unless they look as the subject
looked there.
"""

from __future__ import annotations

import cv2
import numpy as np

from aurelon.core.analysis.matte_layers import Layers, disc_of, distance_from_rim
from aurelon.core.analysis.matte_motion import Codes, box_about, rim_width
from aurelon.core.imaging.arrays import Floats

STRANGE = 0.5 / 256**3  # likelihood of a colour, for each cubic code value, below which it is not known
COMES_IN = 0.15  # share of a strange piece that must lie beyond the rim
GOES_ON = 6  # pixels about what was covered before
LEAST = 1.0  # squares of the rim's width that a piece must have


def covered_now(codes: Codes, shape: Floats, layers: Layers, before: Codes) -> Codes:
    """Where something passes before a subject of a shape, or beside it: 1 there, (h, w) uint8. `before` is where it was."""
    result = np.zeros(shape.shape, np.uint8)
    hard = (shape > 0.5).astype(np.uint8)
    if not hard.any():
        return result
    wide = rim_width(shape)
    part = box_about(hard > 0, 3 * wide)
    far = distance_from_rim(hard[part])
    front, behind = layers.likelihoods(codes, part, True)
    unlike = (np.where(far > 0, front, np.maximum(front, behind)) < STRANGE).astype(np.uint8)
    strange = np.asarray(cv2.morphologyEx(cv2.medianBlur(unlike, 5), cv2.MORPH_OPEN, disc_of(1)), np.uint8)
    near = cv2.dilate(before[part], disc_of(GOES_ON))
    count, found, stats, _ = cv2.connectedComponentsWithStats(strange, connectivity=8)
    labels = np.asarray(found, np.int32)
    beyond = np.bincount(labels.ravel(), (far < -2).ravel(), count)
    reaches = np.bincount(labels.ravel(), (far < -wide / 2).ravel(), count) > 0
    area = stats[:, cv2.CC_STAT_AREA]
    comes_in = (beyond >= COMES_IN * area) & reaches
    keep = (area >= LEAST * wide * wide) & (comes_in | (np.bincount(labels.ravel(), near.ravel(), count) > 0))
    keep[0] = False
    passing = np.asarray(cv2.dilate(keep[labels].astype(np.uint8), disc_of(1)), np.uint8)
    closed = cv2.morphologyEx(passing, cv2.MORPH_CLOSE, disc_of(wide))
    gaps = (closed > 0) & (layers.as_held(codes, part) < STRANGE)
    result[part] = cv2.bitwise_or(passing, cv2.medianBlur(gaps.astype(np.uint8), 5))
    return result
