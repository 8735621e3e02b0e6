"""How surely what was found above a border is a sky."""

from __future__ import annotations

import cv2
import numpy as np

from aurelon.core.finding.sky_look import Bools, SkyLook, gradient, on_level_line
from aurelon.core.imaging.arrays import Floats

# Difference of codes up to which a place looks like the sky; share of the ground that does: what is good, and what is too much.
ALIKE, PARTED, NOT_PARTED = 0.08, 0.50, 0.75
BLOCKED, LEAST_GROUND = 0.03, 0.05  # tone that is black all over in photographs as well; share of the picture that tells
ENCLOSED, REACHING = 0.8, 0.04  # how sure what reaches neither side can be; share of a side that is enough
SHOT, DRAWN = 0.30, 0.40  # share of equal neighbours: at most in photographs, and in drawings
ONE_TONED, TWO_TONED = 0.25, 0.35  # standard deviation of tones: at most within a sky, and beyond a sky
STROKE, WRITTEN, THINGS = 7, 0.25, 0.40  # pixels of a closing; share of edges it leaves: at most on a page, at least among things


def confidence_of(look: SkyLook, above: Bools, sky: Bools, shown: float) -> float:
    """How surely it is a sky: a clear border, fewer sharp edges than in the ground, the top edge, and no green or brown."""
    ground = ~(cv2.dilate(sky.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0)
    inner = cv2.erode(sky.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    if not inner.any() or not ground.any():
        return 0.0
    busy = float(look.sharp[inner].mean() / max(look.sharp[ground].mean(), 1e-6))
    even = float(np.clip(1.5 - busy, 0, 1))
    top = min(1.0, float(sky[0].mean()) / 0.7)
    r, g, b = (float(v) for v in np.median(look.codes[sky], axis=0))
    green = np.clip((g - max(r, b)) / 0.04, 0, 1)
    brown = np.clip((r - b - 0.12) / 0.15, 0, 1) * np.clip((0.6 - (r + g + b) / 3) / 0.15, 0, 1)
    columns = np.arange(above.shape[1])
    lined = float(on_level_line(look, above.sum(axis=0), columns).mean())
    sure = shown * even * top * float(1 - max(green, 0.7 * brown)) + 0.25 * min(lined / 0.3, 1.0) * even
    like = np.abs(look.codes[ground] - np.median(look.codes[sky], axis=0)).max(axis=1) < ALIKE
    parted = float(np.clip((NOT_PARTED - float(like.mean())) / (NOT_PARTED - PARTED), 0, 1))
    # A sky that is black is as well the dark round something.
    seen = float(np.clip(max(r, g, b) / BLOCKED - 1, 0, 1))
    # What ends before it reaches either side is as well a wall or a window.
    reaching = max(float(sky[:, 0].mean()), float(sky[:, -1].mean()))
    held = ENCLOSED + (1 - ENCLOSED) * min(1.0, reaching / REACHING)
    return (
        float(np.clip(sure, 0, 1)) * parted * seen * held * _like_a_photograph(look.codes, inner, ground) * _unwritten(look, ground)
    )


def _unwritten(look: SkyLook, ground: Bools) -> float:
    """0 where all there is on the ground is thin and dark, as on a photographed page: a closing of a few pixels leaves nothing of
    it, and of things it leaves half."""
    closed = np.asarray(cv2.morphologyEx(look.codes, cv2.MORPH_CLOSE, np.ones((STROKE, STROKE), np.uint8)), np.float32)
    left = float(gradient(closed, 0.8)[ground].mean() / max(gradient(look.codes, 0.8)[ground].mean(), 1e-6))
    return float(np.clip((left - WRITTEN) / (THINGS - WRITTEN), 0, 1))


def _like_a_photograph(codes: Floats, sky: Bools, ground: Bools) -> float:
    """1 for a photograph, 0 for a drawing or a screenshot: on a ground that is not black neighbours are hardly ever quite the
    same, and a sky is not of two tones as a pattern is."""
    levels = np.round(codes * 255).astype(np.int16)
    same = np.zeros(ground.shape, bool)
    same[:, 1:] = (levels[:, 1:] == levels[:, :-1]).all(axis=2)
    seen = ground & (codes.max(axis=2) > BLOCKED)
    drawn = float(same[seen].mean()) if float(seen.mean()) > LEAST_GROUND else 0.0
    spread = float(codes[sky].std(axis=0).max())
    return float(np.clip((DRAWN - drawn) / (DRAWN - SHOT), 0, 1) * np.clip((TWO_TONED - spread) / (TWO_TONED - ONE_TONED), 0, 1))
