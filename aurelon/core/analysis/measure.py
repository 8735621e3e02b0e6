"""Numbers to judge by: histograms, clipping, and what a light has to say of itself. Facts, never a score."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from aurelon.core.analysis.finder import Proposals, find_light
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.pipeline import Evaluation, engine, seen_frame
from aurelon.core.imaging.colour import temperature_of
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.imaging.tone import tint_of
from aurelon.core.lights import kinds
from aurelon.core.lights.shared.points import Points
from aurelon.core.plate import Plate
from aurelon.core.rig.model import Light, Rig
from aurelon.core.settings import names_of

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
class LightFacts:
    """Of one light. `shares` is its histogram, `on_mattes` which share of it lies on each matte.

    Temperatures (K) are the light's own and the plate's at its source; `off_best` is the angle in degrees,
    seen from the middle of the plate, to the place that the finder holds likeliest. None where there is none.
    """

    shares: list[float]
    points: list[FoundPoint] | None
    on_mattes: dict[str, float]
    temperature: float | None
    plate_temperature: float | None
    off_best: float | None


@dataclass(frozen=True)
class Facts:
    """Of the picture as prepared and as lit, and of one light. `says` is what a person should know of a light."""

    before: Histogram
    after: Histogram
    newly_clipped: float
    says: dict[str, str]
    of_light: LightFacts | None


def _histogram(pixels: Floats) -> Histogram:
    codes = encode_array(pixels)
    clipped = float(np.mean((codes >= CLIPPED).any(axis=2)))
    red, green, blue = (
        [float(v) for v in np.histogram(codes[:, :, c], BINS, (0, 1))[0] / codes[:, :, c].size] for c in range(3)
    )
    return Histogram(red, green, blue, clipped)


def _says(evaluation: Evaluation, light: Light, frame: Frame) -> str | None:
    """What a person should know of a light that does nothing."""
    gone = [name for name, users in evaluation.rig.missing_mattes().items() if (light.name or light.id) in users]
    if gone:
        named = " and ".join(f"“{name}”" for name in gone)
        return f"Its mask refers to the matte {named}, which is not there; the light goes on without it."
    mask = evaluation.mask(light.mask, frame)
    if mask is not None and float(mask.max()) < INVISIBLE:
        return "Its mask hides all of it; paint it in, or invert the mask."
    kind = kinds()[light.kind]
    if float(evaluation.source(light, frame)[:, :, :3].max()) <= 0:
        return kind.nothing_shines
    below = evaluation.below(light, frame)
    change = np.abs(encode_array(evaluation.merge(light, below, frame)) - encode_array(below))
    return kind.nothing_seen if float(change.max()) < INVISIBLE else None


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
        of_light = None if light_id is None else _of_light(evaluation, evaluation.light(light_id), frame)
    first, last = _histogram(before), _histogram(after)
    return Facts(first, last, max(last.clipped - first.clipped, 0.0), says, of_light)


def _of_light(evaluation: Evaluation, light: Light, frame: Frame) -> LightFacts:
    plate, rig = evaluation.plate, evaluation.rig
    shining = evaluation.travelled(light, frame, tint_of(light.colour, plate.space))
    strongest = shining.max(axis=2)
    counts, _ = np.histogram(np.sqrt(np.minimum(strongest, LIGHT_REACH)), LIGHT_BINS, (0, LIGHT_REACH**0.5))
    points = None
    found = evaluation.found(light)
    if isinstance(found, Points):
        lit = zip(found.places, found.found, strict=True)
        points = [FoundPoint(float(place[0]), float(place[1]), bool(of), True) for place, of in lit]
        points += [FoundPoint(float(x), float(y), True, False) for x, y in found.off]
    shown = evaluation.colour(light, frame).sum(axis=2)
    mask = evaluation.mask(light.mask, frame)
    if mask is not None:
        shown = shown * mask
    total = float(shown.sum())
    on_mattes = {}
    for matte in rig.mattes:
        area = evaluation.matte(matte.id, frame)
        if area is not None and total > 0:
            on_mattes[matte.id] = float((shown * area).sum()) / total
    colour = shining.sum(axis=(0, 1))
    kelvin = temperature_of(colour, plate.space)[0] if float(colour.sum()) > 0 else None
    place = _source_of(light, points)
    at_source = off = None
    if place is not None:
        at_source = _colour_at(evaluation, place)[0]
        best = next(iter(_proposals(evaluation).ranked), None)
        off = None if best is None else _angle_between(place, best.place, plate.size)
    return LightFacts([float(v) for v in counts / strongest.size], points, on_mattes, kelvin, at_source, off)


def _source_of(light: Light, points: list[FoundPoint] | None) -> tuple[float, float] | None:
    """Where a light comes from: its position, or the first of its points that shines."""
    for name in names_of(type(light.spread), "handle", "position"):
        place = getattr(light.spread, name)
        return float(place[0]), float(place[1])
    first = next((p for p in points or [] if p.on), None)
    return None if first is None else (first.x, first.y)


def _angle_between(a: tuple[float, float], b: tuple[float, float], size: tuple[int, int]) -> float | None:
    """Degrees between two places seen from the middle of the plate; None where either is the middle."""
    one, other = ((np.array(p) - 0.5) * size for p in (a, b))
    lengths = float(np.hypot(*one) * np.hypot(*other))
    return None if lengths < 1e-9 else float(np.rad2deg(np.arccos(np.clip(one @ other / lengths, -1, 1))))


def _proposals(evaluation: Evaluation) -> Proposals:
    frame = Frame.whole(fit_within(evaluation.plate.size, EDGE))
    space = evaluation.plate.space
    return evaluation.found_once("proposals", frame, lambda: find_light(evaluation.prepared(frame), space))


def propose(plate: Plate, rig: Rig, cache: Cache) -> Proposals:
    """Where light may come from in the prepared picture, the likeliest first."""
    with engine:
        return _proposals(Evaluation(plate, rig, cache))


def match_colour(plate: Plate, rig: Rig, spot: tuple[float, float], cache: Cache) -> tuple[float, float]:
    """Temperature (K) and tint of the prepared picture at `spot` (plate fractions)."""
    with engine:
        return _colour_at(Evaluation(plate, rig, cache), spot)


def _colour_at(evaluation: Evaluation, spot: tuple[float, float]) -> tuple[float, float]:
    """Temperature (K) and tint of the prepared picture at `spot` (plate fractions).

    The brighter half of what lies within SPOT counts, as that is what the light there falls on. What is
    clipped has lost its colour; where all is, as on a lamp, the spot grows until it reaches what is not.
    """
    plate = evaluation.plate
    frame = Frame.whole(fit_within(plate.size, EDGE))
    pixels = evaluation.prepared(frame)
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
