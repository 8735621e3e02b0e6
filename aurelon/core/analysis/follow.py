"""A place fixed to something in the picture, followed over the frames of a reel both ways from where it was set.

From frame to frame the points round the place are followed by pyramidal Lucas-Kanade (Bouguet, 2000), and those count that come
back to where they were (forward-backward error; Kalal, Mikolajczyk and Matas, 2010). What was round the place when it was set is
looked for there, so that nothing drifts; where it was lost and two places are as alike, neither is taken. It ends with its shot.
Where it is lost it goes on as it went, told as lost, and is looked for in an ever wider
round; a place beyond the frame goes with the motion of the whole picture, and is never sure.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache, partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.analysis.cuts import cuts_of
from aurelon.core.errors import Cancelled, PlateError
from aurelon.core.graph.renderer import never
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame
from aurelon.core.reel import Reel
from aurelon.core.settings.types.place import LEAST, MOST

EDGE = 1280  # long edge of the version that is looked at
PATCH = 0.022  # half the side of what is followed, as a share of the diagonal
GRID = 7  # points a side that are followed
WINDOW = (25, 25)
LEVELS = 4
RETURNED = 0.7  # pixels by which a point may miss where it came from
ENOUGH = 0.3  # share of the points that must return
ALIKE = 0.72  # correlation from which a patch is the one that was set
DISTINCT = 0.06  # correlation by which it must be more alike than any other place that is looked at
FARTHER = 3.0  # patches about the place in which it is looked for again
FLAT = 1.0  # code values by which what is followed must differ within itself
CORNERS = 400  # of the whole picture, whose motion is taken where the place is lost
Grey = NDArray[np.uint8]
Point = NDArray[np.float64]
Progress = Callable[[float], None]
Whole = Callable[[], NDArray[np.float64] | None]


@dataclass(frozen=True)
class Seen:
    """Where the place is at a frame, in plate fractions, and how sure that is, 0..1; 0 where it was lost."""

    frame: int
    place: tuple[float, float]
    sure: float


def follow(
    reel: Reel,
    frame: int,
    place: tuple[float, float],
    span: tuple[int, int] | None = None,
    *,
    by_hand: Mapping[int, bool] | None = None,
    progress: Progress = lambda share: None,
    cancelled: Callable[[], bool] = never,
) -> list[Seen]:
    """The place over the frames of `span` (all where left out) that are of its shot, in their order; cuts are those that are found
    and those that are said `by_hand`. At a frame that cannot be read it is lost. Raises Cancelled, and PlateError where the first
    frame cannot be read."""
    return follow_all(reel, frame, [place], span, by_hand=by_hand, progress=progress, cancelled=cancelled)[0]


def follow_all(
    reel: Reel,
    frame: int,
    places: Sequence[tuple[float, float]],
    span: tuple[int, int] | None = None,
    *,
    by_hand: Mapping[int, bool] | None = None,
    progress: Progress = lambda share: None,
    cancelled: Callable[[], bool] = never,
) -> list[list[Seen]]:
    """The same of several places at once, each by itself."""
    # The shot is found first: a search for cuts looks at frames ahead, and a file is read fastest in its order.
    first, last = cuts_of(reel, by_hand).shot(frame, span or (0, len(reel)), cancelled)
    begin = grey_of(reel, frame)
    starts = [_Start(begin, place) for place in places]
    found = [{frame: Seen(frame, place, 1.0)} for place in places]
    done = 0
    for way, end in ((1, last), (-1, first - 1)):
        before, at = begin, [start.at for start in starts]
        going = [_Way() for _ in starts]
        for number in range(frame + way, end, way):
            if cancelled():
                raise Cancelled
            try:
                now = grey_of(reel, number)
            except PlateError:
                for k, start in enumerate(starts):
                    at[k] = at[k] + going[k].pass_by()
                    found[k][number] = Seen(number, start.fractions(at[k]), 0.0)
                continue
            whole = cache(partial(_whole_motion, before, now))
            for k, start in enumerate(starts):
                at[k], sure = start.next(before, now, at[k], going[k], whole)
                going[k].gone = going[k].gone or sure > 0
                found[k][number] = Seen(number, start.fractions(at[k]), sure)
            before = now
            done += 1
            progress(done / max(last - first - 1, 1))
    return [[seen[number] for number in sorted(seen) if first <= number < last] for seen in found]


def grey_of(reel: Reel, number: int) -> Grey:
    """A frame as it is looked at, (h, w) uint8: brightness in display code values."""
    plate = reel[number]
    small = plate.at(Frame.canonical(plate.size, EDGE))
    return np.round(encode_array(small @ plate.space.luminance) * 255).clip(0, 255).astype(np.uint8)


@dataclass
class _Way:
    """How the place went when it was last seen: by how many pixels a frame, and for how many frames it has been missing. `gone`
    tells whether it has been seen to go at all."""

    step: Point = field(default_factory=lambda: np.zeros(2))
    missing: int = 0
    gone: bool = False

    def pass_by(self) -> Point:
        """How it goes on over a frame at which nothing is seen."""
        self.missing += 1
        return self.step


class _Start:
    """What is followed, as it was where it was set."""

    def __init__(self, grey: Grey, place: tuple[float, float]) -> None:
        rows, columns = grey.shape
        self.grey = grey
        self.size = np.array([columns, rows], float)
        self.at: Point = np.array(place) * self.size - 0.5
        self.half = max(8, round(PATCH * float(np.hypot(rows, columns))))
        self.inside = bool(((self.at > -self.half) & (self.at < self.size + self.half - 1)).all())
        self.patch, corner = _cut(grey, self.at, self.half)
        self.offset: Point = self.at - corner  # of the place within the patch

    def fractions(self, at: Point) -> tuple[float, float]:
        x, y = ((at + 0.5) / self.size).clip(LEAST, MOST)  # farther away no place may be
        return float(x), float(y)

    def next(self, before: Grey, now: Grey, at: Point, way: _Way, whole: Whole) -> tuple[Point, float]:
        """Where the place is in the next frame, and how sure that is."""
        if self.inside:
            moved = _moved(before, now, at, self.half) if way.missing == 0 else None
            guess = at + (way.step if moved is None else moved[0])
            found = self._looked_for(now, guess, 0.5 if moved is not None else FARTHER * (1 + way.missing), again=way.missing > 0)
            if found is not None:
                way.step, way.missing = (found[0] - at if way.missing == 0 else way.step), 0
                return found
            way.missing += 1
            if way.gone:
                return at + way.step, 0.0
        motion = whole()
        return (at if motion is None else motion @ np.array([*at, 1.0])), 0.0

    def _looked_for(self, now: Grey, guess: Point, reach: float, *, again: bool) -> tuple[Point, float] | None:
        """Where the patch that was set is most alike, about a guess; to be found `again` it must be the only such place."""
        if self.patch is None:
            return None
        far = round(self.half * reach) + 1
        window, corner = _cut(now, guess, self.half + far)
        tall, wide = self.patch.shape
        if window is None or window.shape[0] < tall or window.shape[1] < wide:
            return None
        alike = cv2.matchTemplate(window, self.patch, cv2.TM_CCOEFF_NORMED)
        _, best, _, (x, y) = cv2.minMaxLoc(alike)
        if not np.isfinite(best) or best < ALIKE or (again and _second(alike, x, y, self.half) > best - DISTINCT):
            return None
        fine = np.array([x + _peak(alike[y], x), y + _peak(alike[:, x], y)])
        return corner + fine + self.offset, float(best)


def _cut(grey: Grey, at: Point, half: int) -> tuple[Grey | None, Point]:
    """The square about a place as far as it lies in the picture, and its corner; None where there is nothing to be told apart."""
    x, y = np.round(at).astype(int)
    left, top = max(x - half, 0), max(y - half, 0)
    part = grey[top : max(y + half + 1, 0), left : max(x + half + 1, 0)]
    return (part if part.size and part.std() > FLAT else None), np.array([left, top], float)


def _second(alike: NDArray[Any], x: int, y: int, half: int) -> float:
    """The highest correlation at a peak of its own, away from the best one at (x, y)."""
    elsewhere = alike.copy()
    elsewhere[max(y - half, 0) : y + half + 1, max(x - half, 0) : x + half + 1] = -1
    if elsewhere.max() <= -1:
        return -1.0
    # Only local maxima count, and not the slope of the best peak.
    return float(elsewhere[(elsewhere >= cv2.dilate(alike, np.ones((3, 3), np.uint8))) & (elsewhere > -1)].max(initial=-1.0))


def _peak(line: NDArray[Any], at: int) -> float:
    """Where between the samples a line has its highest point, by a parabola."""
    if not 0 < at < len(line) - 1:
        return 0.0
    before, here, after = (float(value) for value in line[at - 1 : at + 2])
    bend = before - 2 * here + after
    return 0.0 if bend >= 0 else max(-0.5, min(0.5, 0.5 * (before - after) / bend))


def _moved(before: Grey, now: Grey, at: Point, half: int) -> tuple[Point, float] | None:
    """By how much the points round a place have moved, and the share of them that came back to where they were."""
    steps = np.linspace(-half, half, GRID)
    grid = np.stack(np.meshgrid(steps, steps), -1).reshape(-1, 2) + at
    rows, columns = before.shape
    inside = ((grid >= 0) & (grid < [columns, rows])).all(1)
    points = grid[inside].astype(np.float32)[:, None]
    if len(points) < GRID:
        return None
    forth, good = there_and_back(before, now, points)
    if good.mean() < ENOUGH:
        return None
    return np.median((forth - points)[good, 0], axis=0).astype(float), float(good.mean())


def there_and_back(before: Grey, now: Grey, points: Any) -> tuple[Any, NDArray[np.bool_]]:
    """Where points (n, 1, 2) are in the next picture, and which of them come back to where they were."""
    how: dict[str, Any] = {"winSize": WINDOW, "maxLevel": LEVELS}
    forth, there, _ = cv2.calcOpticalFlowPyrLK(before, now, points, points.copy(), **how)
    back, returned, _ = cv2.calcOpticalFlowPyrLK(now, before, forth, points.copy(), **how)
    missed = np.abs(np.asarray(back) - points).max((1, 2))
    return forth, (np.asarray(there)[:, 0] == 1) & (np.asarray(returned)[:, 0] == 1) & (missed < RETURNED)


def _whole_motion(before: Grey, now: Grey) -> NDArray[np.float64] | None:
    """How the picture as a whole has moved, (2, 3); None where nothing in it can be followed."""
    corners = cv2.goodFeaturesToTrack(before, CORNERS, 0.01, 12)
    if corners is None or len(corners) < 8:
        return None
    forth, good = there_and_back(before, now, corners)
    if good.sum() < 6:
        return None
    cv2.setRNGSeed(1)
    motion, _ = cv2.estimateAffinePartial2D(corners[good], forth[good], ransacReprojThreshold=1.5)
    return None if motion is None else np.asarray(motion, np.float64)
