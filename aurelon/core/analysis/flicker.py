"""How much the light of a reel flickers: how it jumps from frame to frame, beyond what the picture itself does.

A light that moves or swells steadily does not flicker, so it is the bend over three frames that counts, |a - 2 b + c| / 2, in
blocks of the picture; what the picture bends by itself, in proportion, is taken off. The sum is told as a share of the light.
Three frames count where they are of one shot.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from aurelon.core.analysis.cuts import cuts_of
from aurelon.core.errors import Cancelled
from aurelon.core.graph.renderer import Renderer, never
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import fit_within
from aurelon.core.reel import Reel
from aurelon.core.rig import Rig

EDGE = 480  # long edge of the frames that are looked at
BLOCKS = 24  # along the longer side


@dataclass(frozen=True)
class Flicker:
    """`share` is that of the light that jumps, in the mean of all frames; `worst` the frame at which it jumps most, with its share
    there. `light` is the mean of all light, against which it is told."""

    share: float
    worst: int
    worst_share: float
    light: float


def flicker(
    reel: Reel,
    rig: Rig,
    span: tuple[int, int] | None = None,
    *,
    progress: Callable[[float], None] = lambda share: None,
    cancelled: Callable[[], bool] = never,
) -> Flicker:
    """Of the frames of a span, all where left out. Raises Cancelled, and PlateError for a frame that cannot be read."""
    first, last = span or (0, len(reel))
    lights, pictures, cuts = [], [], cuts_of(reel, rig.shots.by_hand)
    begins = np.zeros(last - first, bool)
    for number in range(first, last):
        if cancelled():
            raise Cancelled
        light, picture = _blocks(reel, rig, number)
        lights.append(light)
        pictures.append(picture)
        begins[number - first] = cuts.before(number)
        progress((number - first + 1) / (last - first))
    return of_blocks(np.stack(lights), np.stack(pictures), first, begins)


def of_blocks(lights: Floats, pictures: Floats, first: int = 0, begins: NDArray[np.bool_] | None = None) -> Flicker:
    """The same of the light and the picture in blocks, (frames, rows, columns); `begins` (frames,) says with which frames a shot
    begins, none where left out."""
    mean = float(lights.mean())
    begins = np.zeros(len(lights), bool) if begins is None else begins
    of_one_shot = ~(begins[1:-1] | begins[2:])
    if mean <= 0 or not of_one_shot.any():
        return Flicker(0.0, first, 0.0, mean)

    def bend(of: Floats) -> Floats:
        return np.asarray(np.abs(of[:-2] - 2 * of[1:-1] + of[2:]) / 2, np.float32)

    own = bend(pictures) * np.float32(mean / max(float(pictures.mean()), 1e-9))
    beyond = np.maximum(bend(lights) - own, 0).mean(axis=(1, 2)) / mean
    worst = int((beyond * of_one_shot).argmax())
    return Flicker(float(beyond[of_one_shot].mean()), first + worst + 1, float(beyond[worst]), mean)


def _blocks(reel: Reel, rig: Rig, number: int) -> tuple[Floats, Floats]:
    plate = reel[number]
    renderer, size = Renderer(plate), fit_within(plate.size, EDGE)
    still = rig.at(number)
    whole = still.prepare.model_copy(update={"crop": None, "straighten": 0.0})
    lit = renderer.render(still.model_copy(update={"prepare": whole}), size=size)
    shot = renderer.render(Rig(), size=size)
    luminance = plate.space.luminance
    added, picture = np.maximum(lit - shot, 0) @ luminance, shot @ luminance
    return _mean_of(added), _mean_of(picture)


def _mean_of(picture: Floats) -> Floats:
    side = max(1, -(-max(picture.shape) // BLOCKS))
    rows, columns = (extent // side * side for extent in picture.shape)
    cut = picture[: max(rows, 1), : max(columns, 1)]
    if not (rows and columns):
        return np.asarray(cut.mean(keepdims=True), np.float32)
    return np.asarray(cut.reshape(rows // side, side, columns // side, side).mean((1, 3)), np.float32)
