"""Places of one thing, followed each by itself: what the others know of one that is lost.

Those that are seen at a frame say how the thing lies there against where it was followed from: two give a similarity, three an
affine map, four and more a homography (Hartley and Zisserman, "Multiple View Geometry in Computer Vision", 2004), found by RANSAC
(Fischler and Bolles, 1981) where there are more than it takes. It counts only where all but a few of them agree with it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.analysis.follow import Seen

NEAR = 2.0  # pixels by which one that agrees may be off
AGREE = 0.8  # share of those that are seen that must agree
TOLD = 0.5  # how sure a place is that others know, against the least sure of those
Points = NDArray[np.float64]


def joined(ways: Sequence[Sequence[Seen]], frame: int, size: tuple[int, int]) -> list[list[Seen]]:
    """The same places, each over the same frames from those at `frame`, where they were set, on; where some are lost, they are put
    where the others say, if two at least are seen and agree. `size` is (width, height) of the reel."""
    if len(ways) < 3:
        return [list(way) for way in ways]
    scale = np.array(size, float)
    start = next(at for at in zip(*ways, strict=True) if at[0].frame == frame)
    before = np.array([one.place for one in start]) * scale
    made = [_mended(before, at, scale) for at in zip(*ways, strict=True)]
    return [list(way) for way in zip(*made, strict=True)]


def _mended(before: Points, at: Sequence[Seen], scale: Points) -> list[Seen]:
    known = np.array([one.sure > 0 for one in at])
    if known.all() or known.sum() < 2:
        return list(at)
    places = np.array([one.place for one in at]) * scale
    motion = _motion(before[known], places[known])
    if motion is None:
        return list(at)
    there = cv2.perspectiveTransform(before[None], motion)[0]
    off = np.hypot(*(there - places)[known].T)
    if (off < NEAR).mean() < AGREE or not np.isfinite(there).all():
        return list(at)
    sure = TOLD * min(one.sure for one in at if one.sure > 0)
    put = there / scale
    return [
        one if one.sure > 0 else replace(one, place=(float(x), float(y)), sure=sure) for one, (x, y) in zip(at, put, strict=True)
    ]


def _motion(before: Points, after: Points) -> Points | None:
    """The map (3, 3) from some points to others."""
    cv2.setRNGSeed(1)
    if len(before) == 2:
        found, _ = cv2.estimateAffinePartial2D(before, after)
    elif len(before) == 3:
        found = cv2.getAffineTransform(before.astype(np.float32), after.astype(np.float32))
    else:
        whole, _ = cv2.findHomography(before, after, cv2.RANSAC, NEAR)
        return None if whole is None else np.asarray(whole, np.float64)
    return None if found is None else np.vstack([found, [0.0, 0.0, 1.0]])
