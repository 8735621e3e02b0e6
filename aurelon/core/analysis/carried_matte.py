"""A matte over the frames of a reel: known at some of them, carried to the others, and cut again at each.

What is carried and what lies behind it are two layers, each with a motion of its own. From one frame to the next the matte goes as
one thing that shifts, turns and grows, by points that can be followed there and back, and by what its parts do beside that (dense
inverse search; Kroeger et al., 2016). About its rim it is then decided anew which layer each pixel shows: by how well it agrees
with that layer's own last picture brought here, by the colours of each, by which of them it goes with, and by where the matte was
carried to. Last, the share that each has of the pixels between is found in linear light, where layers mix. What shows neither, and
comes in over the rim, passes before both: there the matte has a hole, and its shape waits. Between two frames at which it is known
it is carried from both, and each counts as it is near; it goes no further than a cut. What does not move between two frames keeps
its matte as it is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Executor, ThreadPoolExecutor
from itertools import pairwise
from typing import NamedTuple

import cv2
import numpy as np

from aurelon.core.analysis.cuts import Cuts, cuts_of
from aurelon.core.analysis.matte_cover import covered_now
from aurelon.core.analysis.matte_layers import Layers, Shot, decided_by, disc_of, mixed_at_rim
from aurelon.core.analysis.matte_motion import Codes, brought_along, motion_of, moved_matte, parted_by, still_places
from aurelon.core.errors import Cancelled, PlateError
from aurelon.core.graph.renderer import never
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.reel import Reel

MOVES = 1.0  # pixels from which a subject moves against what lies behind it
EDGE = 960  # long edge of the version on which it is carried
Progress = Callable[[float], None]


def frame_of_mattes(reel: Reel) -> Frame:
    """The size at which mattes are carried."""
    return Frame.canonical(reel.size, EDGE)


def carried(
    reel: Reel,
    known: Mapping[int, Floats],
    span: tuple[int, int] | None = None,
    kept: Callable[[int], Floats | None] = lambda number: None,
    *,
    by_hand: Mapping[int, bool] | None = None,
    progress: Progress = lambda share: None,
    cancelled: Callable[[], bool] = never,
) -> Iterator[Codes]:
    """The matte at every frame of the reel in turn, (h, w) uint8, from those that are known, (h, w) in 0..1, all at the size of
    `frame_of_mattes`. Only frames of `span` are made anew, all where left out, from those that are known within it; others stay as
    they were `kept`, and are empty where they were not. Cuts are those that are found and those that are said `by_hand`. At a frame
    that cannot be read it stays as it was. Raises Cancelled, and PlateError where a known frame cannot be read."""
    span = span or (0, len(reel))
    within = {number: matte for number, matte in known.items() if span[0] <= number < span[1]}
    anew = [True] * (len(within) + 1)
    return _all_frames(reel, cuts_of(reel, by_hand), within, span, anew, kept, progress, cancelled)


def corrected(
    reel: Reel,
    known: Mapping[int, Floats],
    frame: int,
    kept: Callable[[int], Floats | None],
    *,
    by_hand: Mapping[int, bool] | None = None,
    progress: Progress = lambda share: None,
    cancelled: Callable[[], bool] = never,
) -> Iterator[Codes]:
    """The same of a matte that was carried before, where that of `frame` was mended: it counts both ways, up to the next known
    frames, into whose mattes it blends, so that nothing pops; all others stay as they were `kept`."""
    at = sorted(known).index(frame)
    parts = [part in (at, at + 1) for part in range(len(known) + 1)]
    return _all_frames(reel, cuts_of(reel, by_hand), known, (0, len(reel)), parts, kept, progress, cancelled)


def _all_frames(
    reel: Reel,
    cuts: Cuts,
    known: Mapping[int, Floats],
    span: tuple[int, int],
    anew: list[bool],
    kept: Callable[[int], Floats | None],
    progress: Progress,
    cancelled: Callable[[], bool],
) -> Iterator[Codes]:
    """All frames; `anew` says of each part of the span, before the first known frame, between two, after the last, whether it is
    carried."""
    frames = sorted(known)
    bounds = [span[0] - 1, *frames, span[1]]
    ways = [1, *[2] * (len(frames) - 1), 1]
    steps = sum(way * (b - a - 1) for way, (a, b), new in zip(ways, pairwise(bounds), anew, strict=True) if new)
    done = 0

    def went() -> None:
        nonlocal done
        done += 1
        progress(min(done / max(steps, 1), 1.0))
        if cancelled():
            raise Cancelled

    def way(start: int, stop: int) -> Iterator[_Step]:
        return _carry(reel, cuts, start, known[start], stop, went) if start in known else iter(())

    def as_kept(numbers: Iterable[int]) -> Iterator[Codes]:
        for number in numbers:
            matte = kept(number)
            yield _codes(nothing if matte is None else matte)

    nothing = np.zeros(frame_of_mattes(reel).shape, np.float32)
    yield from as_kept(range(span[0]))
    for new, (first, last) in zip(anew, pairwise(bounds), strict=True):
        if first in known:
            yield _codes(known[first])
        if not new:
            yield from as_kept(range(first + 1, last))
            continue
        # Where little of the subject is seen, as something covers it, little is known of the frames about it.
        area_before, area_after = (float(known[one].sum()) ** 2 if one in known else 0.0 for one in (first, last))
        if not 0 < min(area_before, area_after) < COVERED**2 * max(area_before, area_after):
            area_before = area_after = 1.0
        back = {step.frame: (_packed(step.matte), step.trust) for step in way(last, first)}
        forth, beyond = way(first, last), _Step(last, nothing, 0.0)
        before = next(forth, beyond)
        for number in range(first + 1, last):
            packed, trust = back.pop(number, (None, 0.0))
            after = nothing if packed is None else _unpacked(packed)
            if number < before.frame:  # beyond a cut: where a shot has no known matte, the carried one is empty
                yield _codes(after)
                continue
            counts_before = (last - number) * area_before * min(before.trust / SURE, 1.0)
            counts_after = 0.0 if packed is None else (number - first) * area_after * min(trust / SURE, 1.0)
            weight = np.float32(counts_after / (counts_before + counts_after))
            yield _codes(before.matte + (after - before.matte) * weight)
            before = next(forth, beyond)
    yield from as_kept(range(span[1], len(reel)))
    progress(1.0)


class _Step(NamedTuple):
    """A frame, its matte, and how far that is to be trusted: the least share of the subject that was seen, and of its colours that
    were found again, on the way to it."""

    frame: int
    matte: Floats
    trust: float


BINS = 8  # of each channel
SURE, RENEWED = 0.6, np.float32(0.1)  # share of its colours with which they are a subject's, and how fast they are renewed then
LOST = 0.25  # trust below which what a matte lies on is no longer the subject: it has been hidden, or is lost
COVERED = 0.3  # of the area at one hand-made frame, below which the subject is covered at the next
LEAST_TRUST = 1e-3  # some, so that two ways that are lost can be weighed


def _colours_in(codes: Codes, matte: Floats) -> Floats:
    """The colours within a matte: the share of each cube of code values."""
    inside = (matte > 0.5).astype(np.uint8)
    counts = cv2.calcHist([codes], [0, 1, 2], inside, [BINS] * 3, [0, 256] * 3)
    return np.asarray(counts / max(float(counts.sum()), 1.0), np.float32)


def _in_common(one: Floats, other: Floats) -> float:
    return float(np.minimum(one, other).sum())


def _carry(reel: Reel, cuts: Cuts, start: int, matte: Floats, stop: int, went: Callable[[], None]) -> Iterator[_Step]:
    with ThreadPoolExecutor(1) as beside:
        yield from _carry_on(reel, cuts, start, matte, stop, went, beside)


def _carry_on(
    reel: Reel, cuts: Cuts, start: int, matte: Floats, stop: int, went: Callable[[], None], beside: Executor
) -> Iterator[_Step]:
    """From the frame after `start` on, up to, without, `stop`, either way, as far as the shot goes."""
    if abs(stop - start) < 2:
        return
    step = 1 if stop > start else -1
    first, last = cuts.shot(start, (min(start, stop + 1), max(start + 1, stop)))
    before = Shot(reel[start].at(frame_of_mattes(reel)))
    layers = Layers(before, matte)
    # The shape is all of the subject; the matte, what is not covered of it by what passes before it.
    shape, covered, trust = matte, np.zeros_like(matte, np.uint8), 1.0
    colours = _colours_in(before.codes, matte)
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    gap = False  # whether the frame before could not be read
    for number, now in _shots(reel, range(start + step, last if step > 0 else first - 1, step)):
        if now is None:
            gap = True
            went()
            yield _Step(number, matte, trust)
            continue
        still = still_places(before.codes, now.codes)
        if shape.max() > 0.5 and not still.all():
            inside, outside = (cv2.dilate((shape > share).astype(np.uint8), disc_of(by)) for share, by in ((0.5, 1), (0.02, 5)))
            aside = beside.submit(motion_of, before.grey, now.grey, cv2.subtract(1 - outside, covered))
            motion = motion_of(before.grey, now.grey, cv2.subtract(inside, covered))
            behind = aside.result()
            parted = parted_by(motion, behind, shape) > MOVES
            layers.move(motion, behind, parted and not gap)  # over a gap motion is too inexact to tell by
            if parted:
                still[:] = False  # the subject moves, so a pixel that stays is not of it
            brought = brought_along(shape, motion)
            covered = covered_now(now.codes, brought, layers, covered)
            moved = moved_matte(flow, brought_along(before.grey, motion), now.grey, brought, covered)
            made = mixed_at_rim(now.light, decided_by(now.codes, moved, layers, covered), covered)
            shape = np.where(still, shape, made)
            layers.learn(now, shape, covered)
            seen = shape * (1 - cv2.GaussianBlur(covered.astype(np.float32), (0, 0), 0.8))
            matte = np.where(still, matte, seen)
            share = float(seen.sum()) / max(float(shape.sum()), 1.0)
            found = _colours_in(now.codes, matte)
            alike = _in_common(colours, found)
            trust = max(min(trust, share * alike), LEAST_TRUST)
            # Light that changes slowly changes the colours of a subject; what covers it does so within a few frames.
            if alike >= SURE:
                colours += RENEWED * (found - colours)
            if trust < LOST:
                matte, trust = np.zeros_like(matte), LEAST_TRUST
        before, gap = now, False
        went()
        yield _Step(number, matte, trust)


def _shots(reel: Reel, numbers: Sequence[int]) -> Iterator[tuple[int, Shot | None]]:
    """Frames in turn, None for one that cannot be read; the next is read while one is looked at."""

    def shot(number: int) -> Shot | None:
        try:
            return Shot(reel[number].at(frame_of_mattes(reel)))
        except PlateError:
            return None

    with ThreadPoolExecutor(1) as ahead:
        waiting = [ahead.submit(shot, number) for number in numbers[:1]]
        for k, number in enumerate(numbers):
            now = waiting.pop().result()
            waiting += [ahead.submit(shot, following) for following in numbers[k + 1 : k + 2]]
            yield number, now


def _codes(matte: Floats) -> Codes:
    return np.round(np.clip(matte, 0, 1) * 255).astype(np.uint8)


def _packed(matte: Floats) -> bytes:
    """Kept small: mattes of a thousand frames wait for those from the other side."""
    return cv2.imencode(".png", _codes(matte), [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()


def _unpacked(packed: bytes) -> Floats:
    return np.asarray(cv2.imdecode(np.frombuffer(packed, np.uint8), cv2.IMREAD_GRAYSCALE), np.float32) / np.float32(255)
