"""Combines the finders: the nearness of a plate, and how sure it is."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from aurelon.core.finding.areas import sky_of
from aurelon.core.finding.sky import SURE as SURE_SKY
from aurelon.core.finding.sky import looked_at
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.reduce import reduce_to
from aurelon.core.plate import Plate
from aurelon.core.space.ground import outdoors
from aurelon.core.space.room import room
from aurelon.core.space.sharpness import by_sharpness, depth_of_field

EDGE = 160  # long edge of the version on which nearness is solved
TONE_EDGE = 768  # and of the version whose edges are measured
SMALLEST = 24  # shortest side in pixels that can be analysed
NEAREST = 0.995  # quantile of nearness that becomes 1
OF_SHARPNESS, OF_ROOM = 0.6, 0.3  # highest confidence of these finders
INSIDE = 0.5  # range of nearness that a guess may use


@dataclass(frozen=True)
class FoundDistance:
    """Nearness (h, w) of the things in a small version of a plate: 1 the nearest seen, 0 infinitely far; and where there are
    `things`, (h, w) in 0..1, before the sky. How sure it is, 0..1, and what it comes from, in words for a person."""

    nearness: Floats
    things: Floats | None
    sure: float
    origin: str

    @property
    def nbytes(self) -> int:
        return self.nearness.nbytes + (0 if self.things is None else self.things.nbytes)

    @property
    def all_over(self) -> Floats:
        """Nearness (h, w), 0 in the sky."""
        return self.nearness if self.things is None else self.nearness * self.things


def found_distance(plate: Plate, horizon: float | None = None) -> FoundDistance:
    """Nearness from the depth in the plate's file, or else from the picture as shot. A `horizon` set by hand replaces what is
    found. Only the result without one is kept with the plate, since a dragged horizon has many values."""
    return plate.found("distance", lambda: _find(plate, None)) if horizon is None else _find(plate, horizon)


def _find(plate: Plate, horizon: float | None) -> FoundDistance:
    frame = Frame.canonical(plate.size, EDGE)
    if plate.nearness is not None and horizon is None:
        nearness = np.asarray(cv2.resize(plate.nearness, frame.size, interpolation=cv2.INTER_AREA), np.float32)
        return FoundDistance(nearness, None, 1.0, "the depth in its file")
    if min(frame.size) < SMALLEST:
        return FoundDistance(np.ones(frame.shape, np.float32), None, 0.0, "nothing: the picture is too small")
    # The sky's finder has made this version already.
    codes = np.clip(encode_array(reduce_to(plate.at(looked_at(plate.size)), frame)), 0, 1)
    sky = sky_of(plate)
    if sky.confidence >= SURE_SKY or horizon is not None:
        cover = np.asarray(cv2.resize(sky.cover, frame.size, interpolation=cv2.INTER_AREA), np.float32)
        if sky.confidence < SURE_SKY:
            cover = np.zeros_like(cover)
        outside = outdoors(codes, cover, horizon)
        words = "the sky and the ground below it" if horizon is None else "the horizon that was set"
        return FoundDistance(_to_one(outside.nearness), outside.things.astype(np.float32), max(sky.confidence, SURE_SKY), words)
    edges = Frame.canonical(plate.size, TONE_EDGE)
    tone = encode_array(np.ascontiguousarray(plate.at(edges) @ plate.space.luminance))
    shallow = depth_of_field(tone)
    if shallow > 0.5:
        return FoundDistance(_to_one(by_sharpness(tone, codes)), None, OF_SHARPNESS * shallow, "what is sharp and what is blurred")
    inside = _to_one(room(codes))
    return FoundDistance(1 - np.float32(INSIDE) * (1 - inside), None, OF_ROOM, "a room that is only guessed")


def _to_one(nearness: Floats) -> Floats:
    most = float(np.quantile(nearness, NEAREST))
    return np.asarray(np.clip(nearness / max(most, 1e-6), 0, 1), np.float32)
