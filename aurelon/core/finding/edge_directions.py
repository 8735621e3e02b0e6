"""The directions of strong straight edges in a picture, for lines that are to run along them."""

from __future__ import annotations

import cv2
import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame
from aurelon.core.plate import Plate

EDGE = 800  # long edge of the version that is looked at
MOST = 6
APART = 4.0  # degrees within which two directions are one
SHORTEST = 0.08  # of the diagonal


def edges_of(plate: Plate) -> list[float]:
    """The directions of strong straight edges in a plate; see `edge_directions`."""
    small = plate.at(Frame.canonical(plate.size, EDGE))
    return edge_directions(encode_array(np.ascontiguousarray(small @ plate.space.luminance)))


def edge_directions(tone: Floats) -> list[float]:
    """Degrees (-90..90, 0 level, positive rising to the right) of the longest straight edges, strongest first.

    `tone` is (h, w) in 0..1. Found by the probabilistic Hough transform (Matas, Galambos and Kittler, 2000).
    """
    codes = np.clip(tone * 255, 0, 255).astype(np.uint8)
    outline = cv2.Canny(cv2.GaussianBlur(codes, (0, 0), 1.2), 40, 100)
    shortest = SHORTEST * float(np.hypot(*tone.shape))
    cv2.setRNGSeed(1)
    lines = cv2.HoughLinesP(outline, 1, np.pi / 720, 60, minLineLength=shortest, maxLineGap=4)
    if lines is None:
        return []
    ends = np.asarray(lines, float).reshape(-1, 4)
    across, down = ends[:, 2] - ends[:, 0], ends[:, 3] - ends[:, 1]
    degrees = (np.rad2deg(np.arctan2(-down, across)) + 90) % 180 - 90
    length = np.hypot(across, down)
    found: list[float] = []
    tally = np.array([length[np.abs((degrees - d + 90) % 180 - 90) < APART / 2].sum() for d in degrees])
    for n in np.argsort(-tally, kind="stable"):
        if all(abs((degrees[n] - d + 90) % 180 - 90) > APART for d in found):
            near = np.abs((degrees - degrees[n] + 90) % 180 - 90) < APART / 2
            off = (degrees[near] - degrees[n] + 90) % 180 - 90
            found.append(round(float(degrees[n] + np.average(off, weights=length[near])), 2))
    return found[:MOST]
