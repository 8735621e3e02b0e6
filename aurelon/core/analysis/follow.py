"""A place fixed to something in the picture, followed over the frames of a reel both ways from where it was set.

From frame to frame the points round the place are followed by pyramidal Lucas-Kanade (Bouguet, 2000), and those count that come
back to where they were (forward-backward error; Kalal, Mikolajczyk and Matas, 2010). They say how what is round the place moves,
turns and grows; then what was there when it was set is laid on the new frame exactly, so that nothing drifts. Where that has come
to look otherwise, what was seen surely later helps. It ends with its shot.

Where it is less like than it has been it is lost: it goes on as it went, told as lost, and is looked for in an ever wider round.
Where two places are as alike, neither is taken, unless one is where the place should be both by its own way and by that of the
whole picture. A place beyond the frame goes with the motion of the whole picture, and is never sure.
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
from aurelon.core.analysis.warps import NOT_WARPED, Warp, after, aligned, carried_by, inverse, shifted, turn_and_size
from aurelon.core.codecs.shared.raster import UnreadableError
from aurelon.core.errors import Cancelled, PlateError
from aurelon.core.graph.renderer import never
from aurelon.core.reel import Reel
from aurelon.core.reels.shared.footage import glimpse_of
from aurelon.core.settings.types.place import LEAST, MOST

EDGE = 1280  # long edge of the version that is looked at
PATCH = 0.022  # half the side of what is followed, as a share of the diagonal
GRID = 7  # points a side that are followed
WINDOW = (25, 25)
LEVELS = 4
AROUND = 240  # pixels about the points that are looked at: those that their windows reach at the coarsest level, and a little more
RETURNED = 0.7  # pixels by which a point may miss where it came from
ENOUGH = 0.3  # share of the points that must return
ALIKE = 0.78  # correlation from which a patch is the one that was set
TRUE = 0.9  # from which nothing else is asked
SURE = 0.9  # from which what is seen is learned
NEARER, TURNED = 1.2, 0.26  # by how much it must have grown or turned (radians) since then
CHANGES = 1.25  # by which a patch may stretch beyond what its points say
DROPS = 0.12  # by which it may be less like than it has been
LEARNS, FORGETS = 0.5, 0.05  # of how it has been, a frame, where it is more like and less
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
    """Where the place is at a frame, in plate fractions, and how sure that is, 0..1; 0 where it was lost. Against where it was set,
    what is there has turned by `turn` degrees, counter-clockwise as it is seen, and has `size` times its size."""

    frame: int
    place: tuple[float, float]
    sure: float
    turn: float = 0.0
    size: float = 1.0


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
        before, going = begin, [start.begin() for start in starts]
        for number in range(frame + way, end, way):
            if cancelled():
                raise Cancelled
            try:
                now = grey_of(reel, number)
            except PlateError:
                for k, start in enumerate(starts):
                    going[k].pass_by()
                    found[k][number] = Seen(number, start.fractions(start.place(going[k])), 0.0)
                continue
            whole = cache(partial(_whole_motion, before, now))
            for k, start in enumerate(starts):
                sure = start.next(before, now, going[k], whole)
                found[k][number] = Seen(number, start.fractions(start.place(going[k])), sure, *turn_and_size(going[k].warp))
            before = now
            done += 1
            progress(done / max(last - first - 1, 1))
    return [[seen[number] for number in sorted(seen) if first <= number < last] for seen in found]


def grey_of(reel: Reel, number: int) -> Grey:
    """A frame as it is looked at, (h, w) uint8. Raises PlateError for one that cannot be read."""
    try:
        return np.asarray(cv2.cvtColor(glimpse_of(reel.footage, number, EDGE), cv2.COLOR_RGB2GRAY), np.uint8)
    except UnreadableError as error:
        raise PlateError(f"{reel.name} {error}") from error


@dataclass
class _Way:
    """How the place went up to the frame that was looked at last: how the patch that was set lies there, by how many pixels a frame
    it moves, and for how many frames it has been missing. `gone` tells whether it has been seen to go at all, `usual` is how it has
    correlated, `later` how it looked more lately, and `with_all` where it would be had it gone with the whole picture."""

    warp: Warp
    step: Point = field(default_factory=lambda: np.zeros(2))
    missing: int = 0
    gone: bool = False
    usual: float = 1.0
    later: _Later | None = None
    with_all: Point | None = None

    @property
    def least(self) -> float:
        """The correlation that is asked for: near to what it has been."""
        return max(ALIKE, self.usual - DROPS)

    def pass_by(self) -> None:
        """Goes on over a frame at which nothing is seen."""
        self.missing += 1
        self.warp = shifted(self.warp, self.step)


@dataclass(frozen=True)
class _Later:
    """The patch as it was seen at a later frame than it was set at: its picture, where that begins, and how the one that was set
    lies in it."""

    patch: Grey
    corner: Point
    warp: Warp


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
        self.elsewhere = self._elsewhere()
        steps = np.linspace(-self.half, self.half, GRID)
        self.grid = np.stack(np.meshgrid(steps, steps), -1).reshape(-1, 2) + self.offset

    def _elsewhere(self) -> float:
        """How like the patch the most alike other place of its own picture is."""
        if self.patch is None or not self.inside:
            return 0.0
        alike = cv2.matchTemplate(self.grey, self.patch, cv2.TM_CCOEFF_NORMED)
        x, y = np.round(self.at - self.offset).astype(int)
        return _second(alike, int(x), int(y), self.half)

    def begin(self) -> _Way:
        return _Way(shifted(NOT_WARPED, self.at - self.offset))

    def place(self, way: _Way) -> Point:
        return carried_by(way.warp, self.offset)

    def fractions(self, at: Point) -> tuple[float, float]:
        x, y = ((at + 0.5) / self.size).clip(LEAST, MOST)  # farther away no place may be
        return float(x), float(y)

    def next(self, before: Grey, now: Grey, way: _Way, whole: Whole) -> float:
        """Goes on to the next frame, and tells how sure it is of where the place is there."""
        if self.inside and self.patch is not None:
            was = self.place(way)
            found = self._at_once(before, now, way) if way.missing == 0 else None
            if found is None:
                way.with_all = self._with_all(way, whole)
                found = self._looked_for(now, way)
            if found is not None:
                way.warp, sure = found
                if way.missing == 0:
                    way.step = self.place(way) - was
                    self._learn(now, way, sure)
                way.missing, way.gone, way.with_all = 0, True, None
                way.usual += (LEARNS if sure > way.usual else FORGETS) * (sure - way.usual)
                return sure
            if way.gone:
                way.pass_by()
                return 0.0
            way.missing += 1
        motion = whole()
        if motion is not None:
            way.warp = after(motion, way.warp)
        return 0.0

    def _with_all(self, way: _Way, whole: Whole) -> Point | None:
        """Where the place is if it has gone with the whole picture since it was seen last; None where that is not known."""
        at = self.place(way) if way.missing == 0 else way.with_all
        motion = None if at is None else whole()
        return None if at is None or motion is None else carried_by(motion, at)

    def _at_once(self, before: Grey, now: Grey, way: _Way) -> tuple[Warp, float] | None:
        """Where the patch went from one frame to the next, as its points go."""
        motion = _motion_of(before, now, carried_by(way.warp, self.grid))
        return None if motion is None else self._aligned(now, after(motion, way.warp), way)

    def _aligned(self, now: Grey, guess: Warp, way: _Way) -> tuple[Warp, float] | None:
        """The guess made exact: by what was set, as long as that is like it; else by how that looked later."""
        assert self.patch is not None
        found = self._kept_to(guess, aligned(self.patch, now, guess))
        if way.later is not None and (found is None or found[1] < TRUE):
            there = aligned(way.later.patch, now, after(guess, inverse(way.later.warp)))
            again = None if there is None else self._kept_to(guess, (after(there[0], way.later.warp), there[1]))
            found = max((one for one in (found, again) if one is not None), key=lambda one: one[1], default=None)
        return found if found is not None and found[1] >= way.least else None

    def _kept_to(self, guess: Warp, found: tuple[Warp, float] | None) -> tuple[Warp, float] | None:
        """What was found, if it is near what was guessed, and no patch crushed or blown up."""
        if found is None:
            return None
        off = float(np.abs(carried_by(found[0], self.offset) - carried_by(guess, self.offset)).max())
        sizes = np.linalg.svd(found[0][:, :2] @ np.linalg.inv(guess[:, :2]), compute_uv=False)
        sound = off < self.half / 2 and sizes.max() < CHANGES and sizes.min() > 1 / CHANGES
        return found if sound else None

    def _looked_for(self, now: Grey, way: _Way) -> tuple[Warp, float] | None:
        """Where the patch is most alike about where it should be; the only such place, if it was missing."""
        assert self.patch is not None
        again = way.missing > 0
        guess = self.place(way) + way.step
        # As it lay when it was seen last: turned, and nearer or farther.
        side = 2 * self.half + 1
        turn = np.linalg.inv(way.warp[:, :2])
        lay = np.column_stack([turn, self.at - turn @ [self.half, self.half]])
        how = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        patch = cv2.warpAffine(self.grey, lay, (side, side), flags=how, borderMode=cv2.BORDER_REPLICATE)
        far = round(self.half * (FARTHER * (1 + way.missing) if again else 1.0)) + 1
        window, corner = _cut(now, guess, self.half + far)
        if window is None or window.shape[0] < side or window.shape[1] < side or patch.std() < FLAT:
            return None
        alike = cv2.matchTemplate(window, patch, cv2.TM_CCOEFF_NORMED)
        _, best, _, (x, y) = cv2.minMaxLoc(alike)
        if again and np.isfinite(best) and _second(alike, x, y, self.half) > best - DISTINCT:
            # Of places that are alike it is that at which it should be, if both ways of telling that agree.
            if way.with_all is None or np.abs(way.with_all - guess).max() > self.half / 2:
                return None
            alike = _about(alike, guess - corner - self.half, self.half // 2)
            _, best, _, (x, y) = cv2.minMaxLoc(alike)
        if not np.isfinite(best) or best < ALIKE:
            return None
        fine = np.array([x + _peak(alike[y], x), y + _peak(alike[:, x], y)])
        where = corner + fine + self.half
        there = shifted(way.warp, where - self.place(way))
        found = self._aligned(now, there, way)
        if again:
            # Laid on a place that is alike it would be more like than that is.
            needed = min(self.elsewhere + DISTINCT, TRUE + DISTINCT)
            return found if found is not None and found[1] >= needed else None
        return found if found is not None or best < way.least else (there, float(best))

    def _learn(self, now: Grey, way: _Way, sure: float) -> None:
        """Keeps how the patch looks now, where that is sure and it has come to look otherwise."""
        assert self.patch is not None
        if sure < SURE:
            return
        since = way.warp if way.later is None else after(way.warp, inverse(way.later.warp))
        sizes = np.linalg.svd(since[:, :2], compute_uv=False)
        turned = abs(float(np.arctan2(since[1, 0], since[0, 0])))
        if sizes.max() < NEARER and sizes.min() > 1 / NEARER and turned < TURNED:
            return
        patch, corner = _cut(now, self.place(way), self.half)
        if patch is not None:
            way.later = _Later(patch, corner, shifted(way.warp, -corner))


def _cut(grey: Grey, at: Point, half: int) -> tuple[Grey | None, Point]:
    """The square about a place as far as it lies in the picture, and its corner; None where there is nothing to be told apart."""
    x, y = np.round(at).astype(int)
    left, top = max(x - half, 0), max(y - half, 0)
    part = grey[top : max(y + half + 1, 0), left : max(x + half + 1, 0)]
    return (part if part.size and part.std() > FLAT else None), np.array([left, top], float)


def _about(alike: NDArray[Any], place: Point, reach: int) -> NDArray[Any]:
    """The correlations about a place alone; -1 elsewhere."""
    x, y = np.round(place).astype(int)
    near = slice(max(y - reach, 0), max(y + reach + 1, 0)), slice(max(x - reach, 0), max(x + reach + 1, 0))
    result = np.full_like(alike, -1)
    result[near] = alike[near]
    return result


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


def _motion_of(before: Grey, now: Grey, grid: NDArray[np.float64]) -> Warp | None:
    """How the points of a patch go from one frame to the next: as one thing that moves, turns and grows, or that moves alone where
    too few of them can be followed for more; None where hardly any can."""
    rows, columns = before.shape
    inside = ((grid >= 0) & (grid < [columns, rows])).all(1)
    points = grid[inside].astype(np.float32)[:, None]
    if len(points) < GRID:
        return None
    # Pyramids of whole frames are most of the work; the corner stays where their coarsest level has a pixel.
    low = np.maximum(points.min((0, 1)) - AROUND, 0).astype(int) >> LEVELS << LEVELS
    right, bottom = (points.max((0, 1)) + AROUND).astype(int)
    part = slice(low[1], bottom), slice(low[0], right)
    forth, good = there_and_back(before[part], now[part], points - low.astype(np.float32))
    forth = forth + low.astype(np.float32)
    if good.mean() < ENOUGH:
        return None
    cv2.setRNGSeed(1)
    turned, agree = cv2.estimateAffinePartial2D(points[good], forth[good], ransacReprojThreshold=1.0)
    if turned is not None and int(agree.sum()) >= max(2 * GRID, good.sum() // 2):
        return np.asarray(turned, np.float64)
    return shifted(NOT_WARPED, np.median((forth - points)[good, 0], axis=0))


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
