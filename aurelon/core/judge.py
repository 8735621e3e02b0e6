"""Numbers to judge by: histograms, clipping, and what a light has to say of itself. Facts, never a score."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from aurelon.core.cache import Cache
from aurelon.core.colour import temperature_of
from aurelon.core.fastmath import encode_array
from aurelon.core.frame import Frame, fit_within
from aurelon.core.lights import kinds
from aurelon.core.pipeline import Evaluation, engine, seen_frame
from aurelon.core.plate import Plate
from aurelon.core.points import Points
from aurelon.core.rig import Light, Rig
from aurelon.core.tone import tint_of

Floats = NDArray[np.float32]

EDGE = 512  # long edge of the version that is counted
BINS = 96
LIGHT_BINS = 64
LIGHT_REACH = 4.0  # linear light at the right end of a light's histogram, whose places are square roots
CLIPPED = 254.5 / 255
INVISIBLE = 1 / 512  # display-encoded change that no screen shows
SPOT = 0.015  # diagonals; radius of the place whose colour is matched
WIDENINGS, COLOURED = 5, 0.3  # how often a spot grows, and the share of it that must have a colour
CLIPPED_LIGHT = 0.97


@dataclass(frozen=True)
class Histogram:
    """Shares of pixels in each bin of display-encoded red, green and blue, and of those clipped."""

    red: list[float]
    green: list[float]
    blue: list[float]
    clipped: float


@dataclass(frozen=True)
class FoundPoint:
    """A point of light: plate fractions, whether found in the picture, whether it shines."""

    x: float
    y: float
    found: bool
    on: bool


@dataclass(frozen=True)
class Facts:
    """Of the picture as prepared and as lit; of one light: what shines at which strength, its points."""

    before: Histogram
    after: Histogram
    light: list[float] | None
    says: dict[str, str]
    points: list[FoundPoint] | None


def _histogram(pixels: Floats) -> Histogram:
    codes = encode_array(pixels)
    clipped = float(np.mean((codes >= CLIPPED).any(axis=2)))
    red, green, blue = (
        [float(v) for v in np.histogram(codes[:, :, c], BINS, (0, 1))[0] / codes[:, :, c].size] for c in range(3)
    )
    return Histogram(red, green, blue, clipped)


def _says(evaluation: Evaluation, light: Light, frame: Frame) -> str | None:
    """What a person should know of a light that does nothing."""
    kind = kinds()[light.kind]
    if float(evaluation.source(light, frame)[:, :, :3].max()) <= 0:
        return kind.nothing_shines
    below = evaluation.below(light, frame)
    change = np.abs(encode_array(evaluation.merge(light, below, frame)) - encode_array(below))
    return "Changes nothing that can be seen." if float(change.max()) < INVISIBLE else None


def judge(
    plate: Plate, rig: Rig, light_id: str | None, cache: Cache, cancelled: Callable[[], bool] = lambda: False
) -> Facts:
    """Facts of a rig on a plate, and of one of its lights. Raises RigError where it has no such light."""
    small = fit_within(plate.size, EDGE)
    rows, columns = seen_frame(plate, rig).shape
    frame = Frame.whole(small)
    with engine:
        evaluation = Evaluation(plate, rig, cache, cancelled=cancelled)
        window = seen_frame(plate, rig, fit_within((columns, rows), EDGE))
        unlit = Evaluation(plate, rig.model_copy(update={"lights": [], "house": type(rig.house)()}), cache)
        before, after = unlit.show("result", window), evaluation.show("result", window)
        says = {light.id: said for light in evaluation.lights if (said := _says(evaluation, light, frame))}
        shares = points = None
        if light_id is not None:
            light = evaluation.light(light_id)
            shining = evaluation.travelled(light, frame, tint_of(light.colour, plate.space)).max(axis=2)
            counts, _ = np.histogram(np.sqrt(np.minimum(shining, LIGHT_REACH)), LIGHT_BINS, (0, LIGHT_REACH**0.5))
            shares = [float(v) for v in counts / shining.size]
            found = evaluation.found(light)
            if isinstance(found, Points):
                lit = zip(found.places, found.found, strict=True)
                points = [FoundPoint(float(place[0]), float(place[1]), bool(of), True) for place, of in lit]
                points += [FoundPoint(float(x), float(y), True, False) for x, y in found.off]
    return Facts(_histogram(before), _histogram(after), shares, says, points)


def match_colour(plate: Plate, rig: Rig, spot: tuple[float, float], cache: Cache) -> tuple[float, float]:
    """Temperature (K) and tint of the prepared picture at `spot` (plate fractions).

    The brighter half of what lies within SPOT counts, as that is what the light there falls on. What is
    clipped has lost its colour; where all is, as on a lamp, the spot grows until it reaches what is not.
    """
    frame = Frame.whole(fit_within(plate.size, EDGE))
    with engine:
        pixels = Evaluation(plate, rig, cache).prepared(frame)
    y, x = np.mgrid[0 : frame.height, 0 : frame.width] + 0.5
    place = np.clip(spot, 0, 1) * np.array(frame.size)
    away = np.hypot(x - place[0], y - place[1])
    reach = max(SPOT * float(np.hypot(*frame.size)), float(away.min()))
    clipped = np.asarray((pixels >= CLIPPED_LIGHT).any(axis=2))
    for _ in range(WIDENINGS):
        if np.mean(clipped, where=away <= reach) < 1 - COLOURED:
            break
        reach *= 1.5
    near = pixels[(away <= reach) & ~clipped]
    if not len(near):
        near = pixels[away <= reach]
    level = near @ plate.space.luminance
    colour = near[level >= np.median(level)].mean(axis=0)
    return temperature_of(colour, plate.space)
