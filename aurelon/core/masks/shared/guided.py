"""Draws a rough mask's edges along the edges of a picture.

He, Sun and Tang, "Guided Image Filtering" (2010), with a guide in colour: round every pixel the mask
is the line a . rgb + b that fits it best. The lines are found on a small version of the picture and
laid on any larger one, as in He and Sun, "Fast Guided Filter" (2015).
"""

from __future__ import annotations

import cv2
import numpy as np

from aurelon.core.imaging.arrays import Floats


def lines_of(cover: Floats, guide: Floats, radius: int, contrast: float) -> Floats:
    """The lines (h, w, 4), a and b, from `guide` (h, w, 3) to `cover` (h, w), within `radius` pixels.

    What differs by less than `contrast` is no edge to be drawn along.
    """
    side = (2 * radius + 1, 2 * radius + 1)

    def mean(of: Floats) -> Floats:
        return np.asarray(cv2.blur(of, side, borderType=cv2.BORDER_REFLECT))

    middle = mean(guide)
    r, g, b = guide[:, :, 0], guide[:, :, 1], guide[:, :, 2]
    mr, mg, mb = middle[:, :, 0], middle[:, :, 1], middle[:, :, 2]
    least = np.float32(contrast**2)
    rr, rg, rb = mean(r * r) - mr * mr + least, mean(r * g) - mr * mg, mean(r * b) - mr * mb
    gg, gb, bb = mean(g * g) - mg * mg + least, mean(g * b) - mg * mb, mean(b * b) - mb * mb + least
    mean_cover = mean(cover)
    cr, cg, cb = (mean(cover * c) - mean_cover * m for c, m in ((r, mr), (g, mg), (b, mb)))
    # Cramer's rule for the symmetric covariance.
    i, j, k = gg * bb - gb * gb, gb * rb - rg * bb, rg * gb - gg * rb
    per = 1 / (rr * i + rg * j + rb * k)
    ar = (i * cr + j * cg + k * cb) * per
    ag = (j * cr + (rr * bb - rb * rb) * cg + (rb * rg - rr * gb) * cb) * per
    ab = (k * cr + (rb * rg - rr * gb) * cg + (rr * gg - rg * rg) * cb) * per
    offset = mean_cover - ar * mr - ag * mg - ab * mb
    return np.asarray(cv2.blur(np.stack([ar, ag, ab, offset], axis=2), side, borderType=cv2.BORDER_REFLECT))


ROUNDS = 4  # times that a mask is drawn along the edges and made crisper there
CRISPER = 1.6
STRONG_EDGE = 0.06  # display-encoded contrast from which an edge makes a mask crisp


def drawn_to_edges(cover: Floats, guide: Floats, radius: int, contrast: float) -> Floats:
    """The lines (h, w, 4) for a mask that is drawn to edges within `radius` pixels and is crisp along them.

    Where the picture has no edge the mask keeps its own softness.
    """
    level = guide.mean(axis=2)
    side = (2 * radius + 1, 2 * radius + 1)
    spread = np.maximum(cv2.blur(level * level, side) - cv2.blur(level, side) ** 2, 0)
    edges = spread / (spread + np.float32(STRONG_EDGE**2))
    for _ in range(ROUNDS - 1):
        result = on_lines(lines_of(cover, guide, radius, contrast), guide)
        crisp = np.clip((result - np.float32(0.5)) * np.float32(CRISPER) + np.float32(0.5), 0, 1)
        cover = result + edges * (crisp - result)
    return lines_of(cover, guide, radius, contrast)


def on_lines(lines: Floats, guide: Floats) -> Floats:
    """The mask (h, w) that lines (h, w, 4 or more) give with a guide (h, w, 3)."""
    result = lines[:, :, 3] + np.einsum("hwc,hwc->hw", lines[:, :, :3], guide)
    return np.asarray(np.clip(result, 0, 1), np.float32)
