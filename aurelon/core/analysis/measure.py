"""Numbers to judge by: histograms, clipping, and what a light has to say for itself. Facts, never a score."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from aurelon.core.analysis.finder import proposals_for
from aurelon.core.analysis.light_source import source_of
from aurelon.core.finding.spot_colour import colour_at
from aurelon.core.graph.light_nodes import LightNodes
from aurelon.core.graph.renderer import Renderer, Working, never, seen_frame, shown
from aurelon.core.graph.show import RESULT
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.colour import temperature_of
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.imaging.screen import WHITE_CODE
from aurelon.core.lights.shared.points import Points
from aurelon.core.rig import Rig
from aurelon.core.rig.finish import Finish

EDGE = 512  # long edge of the version that is counted
BINS = 96
LIGHT_BINS = 64
LIGHT_REACH = 4.0  # linear light at the right end of a light's histogram, whose places are square roots
INVISIBLE = 1 / 512  # display-encoded change that no screen shows


@dataclass(frozen=True)
class Histogram:
    """Shares of pixels in each bin of display-encoded red, green and blue, and of those clipped at white; and how far the
    brightest is above white, in stops (0 where none is)."""

    red: list[float]
    green: list[float]
    blue: list[float]
    clipped: float
    above_white: float


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
    seen from the middle of the plate, to the finder's likeliest place. None without such a place.
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


def _histogram(pixels: Floats, finish: Finish, space: RgbSpace) -> Histogram:
    """Of linear light as the finish shows it; how far it is above white is that of the light itself."""
    codes = encode_array(np.ascontiguousarray(finish.finished(pixels, space)[0]))
    white = codes >= WHITE_CODE
    clipped = float(np.mean(white[:, :, 0] | white[:, :, 1] | white[:, :, 2]))
    red, green, blue = (_shares(codes, channel, BINS, 1.0) for channel in range(3))
    return Histogram(red, green, blue, clipped, float(np.log2(max(float(pixels.max()), 1.0))))


def _shares(values: Floats, channel: int, bins: int, high: float) -> list[float]:
    """Shares of a channel's values in bins from 0 to `high`, both counted."""
    beyond = float(np.nextafter(np.float32(high), np.float32(2 * high)))
    counts = cv2.calcHist([values], [channel], None, [bins], [0.0, beyond])
    return [float(count) for count in np.ravel(counts) / (values.shape[0] * values.shape[1])]


def _notice(now: Working, nodes: LightNodes, frame: Frame) -> str | None:
    """What a person should know of a light: that and why it shows nothing, or what shapes it."""
    work, light = now.work, nodes.light
    gone = [name for name, users in now.graph.rig.missing_mattes().items() if (light.name or light.id) in users]
    if gone:
        named = " and ".join(f"“{name}”" for name in gone)
        return f"It uses the matte {named}, which no longer exists; the light is shown without it."
    if nodes.mask is not None and float(work.at(nodes.mask, frame).max()) < INVISIBLE:
        before = now.graph.rig.matte(light.behind.matte)
        if before is not None:
            return f"“{before.name or before.id}”, which stands before it, hides all of it; raise Spill, or move the light."
        return "The mask hides all of it; paint it in, or invert the mask."
    change = np.abs(encode_array(work.at(nodes.merged, frame)) - encode_array(work.at(nodes.below, frame)))
    if float(change.max()) >= INVISIBLE:
        return nodes.kind.notice(work.evaluate(nodes.field))
    shines = float(work.at(nodes.source, frame)[:, :, :3].max()) > 0
    return nodes.kind.nothing_seen if shines else nodes.kind.nothing_shines


def measure(renderer: Renderer, rig: Rig, light_id: str | None, cancelled: Callable[[], bool] = never) -> Facts:
    """Facts of a rig on a plate, and of one of its lights. Raises RigError where it has no such light."""
    renderer = renderer.for_input(rig)
    plate = renderer.plate
    rows, columns = seen_frame(plate, rig).shape
    window = seen_frame(plate, rig, fit_within((columns, rows), EDGE))
    frame = Frame.canonical(plate.size, EDGE)
    unlit = rig.model_copy(update={"lights": [], "house": type(rig.house)()})
    before = renderer.part(unlit, window)
    with renderer.working(rig, cancelled=cancelled) as now:
        after = shown(now, RESULT, window)
        says = {nodes.light.id: notice for nodes in now.graph.lights if (notice := _notice(now, nodes, frame))}
        of_light = None if light_id is None else _of_light(now, now.graph.of(light_id), frame)
    first, last = (_histogram(pixels, rig.finish, plate.space) for pixels in (before, after))
    return Facts(first, last, max(last.clipped - first.clipped, 0.0), says, of_light)


def _of_light(now: Working, nodes: LightNodes, frame: Frame) -> LightFacts:
    plate, work = now.graph.plate, now.work
    shining = work.at(nodes.unlevelled, frame)
    strongest = shining.max(axis=2)
    shares = _shares(np.sqrt(np.minimum(strongest, LIGHT_REACH)), 0, LIGHT_BINS, LIGHT_REACH**0.5)
    points = None
    found = None if nodes.detected is None else work.evaluate(nodes.detected)
    if isinstance(found, Points):
        lit = zip(found.places, found.found, strict=True)
        points = [FoundPoint(float(place[0]), float(place[1]), bool(of), True) for place, of in lit]
        points += [FoundPoint(float(x), float(y), True, False) for x, y in found.off]
    shown_light = work.at(nodes.colour, frame).sum(axis=2)
    if nodes.mask is not None:
        shown_light = shown_light * work.at(nodes.mask, frame)
    total = float(shown_light.sum())
    on_mattes = {}
    for matte, area in now.graph.mattes.items():
        if total > 0:
            on_mattes[matte] = 1.0 if area is None else float((shown_light * work.at(area, frame)).sum()) / total
    colour = shining.sum(axis=(0, 1))
    kelvin = temperature_of(colour, plate.space)[0] if float(colour.sum()) > 0 else None
    place = source_of(nodes, work)
    at_source = off = None
    if place is not None:
        at_source = colour_at(work.at(now.graph.prepared, frame), plate.space, place)[0]
        best = next(iter(proposals_for(now).ranked), None)
        off = None if best is None else _angle_between(place, best.place, plate.size)
    return LightFacts(shares, points, on_mattes, kelvin, at_source, off)


def _angle_between(a: tuple[float, float], b: tuple[float, float], size: tuple[int, int]) -> float | None:
    """Degrees between two places seen from the middle of the plate; None where either is the middle."""
    one, other = ((np.array(p) - 0.5) * size for p in (a, b))
    lengths = float(np.hypot(*one) * np.hypot(*other))
    return None if lengths < 1e-9 else float(np.rad2deg(np.arccos(np.clip(one @ other / lengths, -1, 1))))
