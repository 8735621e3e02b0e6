"""Outdoors: the sky is infinitely far, the ground comes nearer from its horizon to the foot of the picture, and what stands on it
is as near as its foot.

On a level ground inverse distance is linear in rows below the horizon (Hoiem, Efros and Hebert, "Putting Objects in Perspective",
2006). Where the skyline is level over a long stretch, as at the sea, a plane right below it reaches the horizon; things that rise
above that row stand before the plane.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats
from aurelon.core.space.standing import carried, neighbours

SHARP = 0.035  # display-encoded gradient a pixel between a thing and the sky
LARGEST_THING, WIDEST_THING = 0.06, 0.2  # largest area and width of a thing within the sky, as shares of the picture's
SHORTEST_LEVEL, LEAST_LEVEL = 0.06, 0.12  # shortest level stretch of the skyline, and least sum of them, as shares of the width
ALIKE = 0.1  # largest display-encoded difference within one plane
FAR_PLANE = 0.2  # nearness of the far plane at the foot of the picture
LEAST = 0.03  # nearness of what stands at the horizon
USUAL_HORIZON = 0.4  # share of the height, for pictures without a sky
GROUND = 0.2  # sum of gradients from the foot at which the confidence in ground falls to 1/e
SURE_GROUND, UNSURE = 0.3, 1e-4
EACH_STEP = 0.002  # cost of each pixel of the way

Bools = NDArray[np.bool_]
SKY, FAR = 1, 2  # labels of regions; 0 is what stands before them


@dataclass(frozen=True)
class Outdoors:
    """Nearness (h, w) of the things before the sky, continued beyond their rim; a mask of `things` (h, w); and the row of the
    horizon as a fraction of the height."""

    nearness: Floats
    things: Bools
    horizon: float


def outdoors(codes: Floats, sky: Floats, horizon: float | None = None) -> Outdoors:
    """The nearness of a picture, display-encoded (h, w, 3), with its sky (h, w) in 0..1. A `horizon` that is said by hand, a
    fraction of the height, may lie outside the picture."""
    from scipy import ndimage  # slow to load, and not every start needs it

    height, width, _ = codes.shape
    steps = _steps(codes)
    open_sky = (sky > 0.5) & ~_things_within(codes, sky, steps)
    top = np.where(open_sky.any(axis=0), height - np.argmax(open_sky[::-1], axis=0), 0)
    row, level = _level_stretch(codes, top)
    far = np.zeros((height, width), bool)
    if horizon is None:
        found = top[top > 0]
        horizon = USUAL_HORIZON if not found.size else float(np.quantile(found, 0.9)) / height
        if level.sum() > LEAST_LEVEL * width and not level.all():
            horizon = row / height
            far = _far_plane(codes, open_sky, top, row, level)
    rows = (np.arange(height, dtype=np.float32)[:, None] + np.float32(0.5)) / np.float32(height)
    slope = np.broadcast_to(np.clip((rows - horizon) / max(1 - horizon, 0.05), 0, 1), (height, width))
    ground = np.exp(-_crossed_from_foot(steps, open_sky) / GROUND) * (rows > horizon)
    sure = np.where(open_sky, 1.0, np.where(far, SURE_GROUND, SURE_GROUND * ground + UNSURE))
    known = np.where(open_sky, 0.0, np.where(far, FAR_PLANE * slope, np.maximum(slope, LEAST)))
    regions = np.where(open_sky, SKY, np.where(far, FAR, 0)).astype(np.int32)
    nearness = np.maximum(carried(codes, known.astype(np.float32), sure.astype(np.float32), regions), 0)
    if open_sky.any() and not open_sky.all():
        _, nearest = ndimage.distance_transform_edt(open_sky, return_indices=True)
        nearness = nearness[tuple(nearest)]
    return Outdoors(nearness.astype(np.float32), ~open_sky, horizon)


def _steps(codes: Floats) -> Floats:
    """The steepest change of any channel, (h, w), in codes a pixel."""
    across, down = cv2.Sobel(codes, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(codes, cv2.CV_32F, 0, 1) / 8
    return np.asarray(np.hypot(across, down).max(axis=2), np.float32)


def _crossed_from_foot(steps: Floats, sky: Bools) -> Floats:
    """The least sum of gradients along any path from the foot of the picture, (h, w); infinite in the sky."""
    from scipy import sparse  # slow to load
    from scipy.sparse.csgraph import dijkstra

    index = np.arange(steps.size).reshape(steps.shape)
    cost = np.where(sky, np.inf, EACH_STEP + steps).ravel()
    one, other = neighbours(index)
    way = (cost[one] + cost[other]) / 2
    open_ = np.isfinite(way)
    graph = sparse.coo_matrix((way[open_], (one[open_], other[open_])), shape=(index.size,) * 2).tocsr()
    return np.asarray(dijkstra(graph, directed=False, indices=index[-1], min_only=True).reshape(steps.shape), np.float32)


def _things_within(codes: Floats, sky: Floats, steps: Floats) -> Bools:
    """Things of the sky's colour that stand on the ground, enclosed by sharp edges, such as a white tower: (h, w)."""
    height, width = sky.shape
    sharp = np.maximum(steps - np.float32(1.2) * _steps(np.asarray(cv2.GaussianBlur(codes, (0, 0), 2.0), np.float32)), 0)
    even = ((sky > 0.5) & (sharp < SHARP)).astype(np.uint8)
    by_ground = cv2.dilate((sky <= 0.5).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    count, labels, stats, _ = cv2.connectedComponentsWithStats(even, connectivity=4)
    things = np.zeros((height, width), bool)
    for label in range(1, count):
        left, above, wide, high, area = (int(v) for v in stats[label])
        at_a_side = above <= 1 or left <= 1 or left + wide >= width - 1
        if at_a_side or not 6 <= area <= LARGEST_THING * height * width or wide > WIDEST_THING * width or 2 * high < wide:
            continue
        inside = labels == label
        if (inside & by_ground).any():
            things |= inside
    rim = cv2.dilate(things.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    return things | (rim & (sharp >= SHARP))


def _level_stretch(codes: Floats, top: NDArray[np.int64]) -> tuple[int, Bools]:
    """The row at which the skyline is level over most columns, and those columns. Their colours below it must be alike."""
    height = codes.shape[0]
    best_row, best = 0, np.zeros(top.shape, bool)
    for row in np.unique(top[(top > 0.1 * height) & (top < 0.9 * height)]):
        ends = np.diff(np.concatenate([[0], (top == row).astype(np.int8), [0]]))
        spans = [slice(*span) for span in zip(np.nonzero(ends > 0)[0], np.nonzero(ends < 0)[0], strict=True)]
        long = [span for span in spans if span.stop - span.start >= SHORTEST_LEVEL * top.size]
        colours = [codes[row + 2 : row + 6, span].mean(axis=(0, 1)) for span in long]
        level = np.zeros(top.shape, bool)
        if long:
            longest = int(np.argmax([span.stop - span.start for span in long]))
            for span, colour in zip(long, colours, strict=True):
                level[span] = np.abs(colour - colours[longest]).max() < ALIKE
        if level.sum() > best.sum():
            best_row, best = int(row), level
    return best_row, best


def _far_plane(codes: Floats, sky: Bools, top: NDArray[np.int64], row: int, level: Bools) -> Bools:
    """The plane that reaches the level horizon, separated by a watershed (Meyer, 1992) from all that rises above it: (h, w)."""
    height, width = sky.shape
    markers = np.where(sky, 3, 0).astype(np.int32)
    for x in range(width):
        if level[x]:
            markers[min(row + 2, height - 1) : min(row + 5, height), x] = 1
        elif top[x] < row:
            markers[min(int(top[x]) + 1, height - 1) : max(min(row + 4, height), int(top[x]) + 2), x] = 2
    markers[-1, width // 3 : 2 * width // 3] = 2
    cv2.watershed(np.clip(codes * 255, 0, 255).astype(np.uint8), markers)
    # OpenCV gives pixels at the border no label.
    markers = np.pad(markers[1:-1, 1:-1], 1, mode="edge")
    return np.asarray((markers == 1) & ~sky)
