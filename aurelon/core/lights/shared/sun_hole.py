"""Where the picture is closed round a sun, a hole of the sun's own size, so that it is never lost."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.fastmath import encode_array, smoothstep
from aurelon.core.imaging.frame import Frame
from aurelon.core.lights.shared.kind import Scene
from aurelon.core.settings import Place

OPEN_ENOUGH = 0.25  # openness round a source from which it needs no hole of its own
LEAST_SEEN = 0.004  # diagonals round a source that are looked at, however small its disc
HOLE = 2.5  # radii of the disc
CORE, CORE_SIZE = 0.75, 0.9  # how far the middle of a hole is open, and how wide it is in radii of the disc
LIKE = 0.09  # display-encoded difference within which the picture is what it is at the source


class Hole(NamedTuple):
    """Where the picture is closed round a source, a hole of the source's own size: how far it is open (0..1), the tones
    of the picture at the source (3,), display-encoded, and the radius in diagonals."""

    share: float
    tones: Floats
    radius: float


def hole_at(scene: Scene[None], place: Place, size: float) -> Hole | None:
    """The hole that a source opens at a place where nothing lets its light through; None where something does, or outside the
    frame. `size` is the radius of its disc in diagonals."""
    x, y = place
    if not (0 <= x < 1 and 0 <= y < 1):
        return None
    whole = scene.frame_of(1.0)
    grid = whole.near(place, max(size, LEAST_SEEN) * whole.diagonal + 2)
    if grid is None:
        return None
    part = slice(grid.y0, grid.y1), slice(grid.x0, grid.x1)
    round_it = disc_at(grid, place, max(size, LEAST_SEEN))
    openness = float(np.average(scene.source_at(whole)[part][:, :, 3], weights=round_it))
    share = 1 - float(smoothstep(np.float32(min(openness / OPEN_ENOUGH, 1.0))))
    if share <= 0:
        return None
    near = disc_at(grid, place, LEAST_SEEN)
    tones = np.average(encode_array(scene.picture_at(whole)[part]).reshape(-1, 3), axis=0, weights=near.ravel())
    return Hole(share, tones.astype(np.float32), HOLE * size)


def disc_at(frame: Frame, place: Place, radius: float) -> Floats:
    """1 within `radius` (diagonals) of a place, 0 outside, (h, w); at least the pixel there."""
    reach = max(radius, 1 / frame.diagonal)
    inside = (np.float32(reach) - distances_from(frame, place)) * np.float32(frame.diagonal) + np.float32(0.5)
    return np.asarray(np.clip(inside, 0, 1), np.float32)


def opened_by(hole: Hole, picture: Floats, frame: Frame, place: Place) -> Floats:
    """How far a hole is open, (h, w): where the picture has the tones that it has at the source, so that what stands before
    it, as bars and leaves do, stays closed."""
    apart = np.abs(encode_array(picture) - hole.tones).max(axis=2)
    like = smoothstep(np.clip(2 - apart / np.float32(LIKE), 0, 1))
    # Soft at its rim, so that no ring is seen.
    away = distances_from(frame, place) / np.float32(hole.radius)
    within = smoothstep(np.clip(2 - 2 * away, 0, 1))
    # In its very middle the hole is open whatever is there, so that a source is never lost.
    core = np.float32(CORE) * smoothstep(np.clip(1 - away * np.float32(HOLE / CORE_SIZE), 0, 1))
    return np.asarray(np.float32(hole.share) * np.maximum(like * within, core), np.float32)


def distances_from(frame: Frame, place: Place) -> Floats:
    """Distance of every pixel from a place, (h, w), in diagonals."""
    rows = (np.arange(frame.y0, frame.y1, dtype=np.float32) + np.float32(0.5) - np.float32(place[1] * frame.height))[:, None]
    columns = (np.arange(frame.x0, frame.x1, dtype=np.float32) + np.float32(0.5) - np.float32(place[0] * frame.width))[None, :]
    return np.asarray(np.sqrt(rows * rows + columns * columns) / np.float32(frame.diagonal))
