"""Cuts of a reel: where one shot ends and another begins.

Two frames belong to one shot where the first, brought to the second by dense optical flow (dense inverse search; Kroeger et al.,
2016), correlates with it, or correlates somewhat and shares its colours, as where something large passes. A flash, or something
that covers the picture for a moment, does not count as a cut, since what was there before comes back. Where one shot dissolves
into another, the second begins with the frame at which it weighs more than the first: there a picture is a mixture of one before
and one after it, which are not of one shot. After a fade through black, it begins with the first frame that shows something.

Cuts set or removed by hand win over detected ones. Unreadable frames are skipped.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Mapping
from threading import Lock
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.codecs.shared.raster import UnreadableError
from aurelon.core.errors import Cancelled
from aurelon.core.graph.renderer import never
from aurelon.core.reel import Reel
from aurelon.core.reels.shared.footage import glimpse_of

EDGE = 160  # long edge of the version that is compared
SAME = 0.7  # correlation from which frames are of one shot
LIKELY, COLOURS = 0.4, 0.55  # and from which they are where so much of their colours is the same
RETURNS = 4  # frames within which what was covered comes back
FLAT = 2.0  # code values by which a picture must differ within itself to be compared by correlation
FAINT = 10.0  # and up to which one may, of one shot with a flat one
BRIGHTNESS = 24.0  # code values by which flat pictures of one shot may differ
BINS = 6  # of each channel
HALVES = (24, 12, 6)  # frames on each side of a dissolve's middle at which it is looked for
MIXED = 0.93  # correlation from which a picture is a mixture of two
BETTER = 0.06  # by which it must be more like the mixture than like one of them
FADED = 48  # frames of black between two shots at most
KEPT = 4 * max(HALVES)  # small frames
Codes = NDArray[np.uint8]


class Cuts:
    """The cuts of a reel: those that are said by hand, and those that are found, each when it is asked for. Safe between
    threads."""

    def __init__(self, found: _Found, by_hand: Mapping[int, bool]) -> None:
        self._found = found
        self._by_hand = by_hand

    @property
    def damaged(self) -> list[int]:
        """Frames that could not be read while cuts were looked for."""
        return sorted(self._found.damaged)

    def before(self, number: int) -> bool:
        """Whether a shot begins with a frame."""
        if not 0 < number < self._found.count:
            return False
        said = self._by_hand.get(number)
        return self._found.before(number) if said is None else said

    def shot(self, frame: int, span: tuple[int, int], cancelled: Callable[[], bool] = never) -> tuple[int, int]:
        """The frames about one that are of its shot, within a span: the first, and the one after the last. Raises Cancelled."""
        first, last = frame, frame + 1
        while first > span[0] and not self.before(first):
            _unless(cancelled)
            first -= 1
        while last < span[1] and not self.before(last):
            _unless(cancelled)
            last += 1
        return first, last

    def all(self, progress: Callable[[float], None] = lambda share: None, cancelled: Callable[[], bool] = never) -> list[int]:
        """The first frame of every shot but the first. Raises Cancelled."""
        found = []
        for number in range(1, self._found.count):
            _unless(cancelled)
            if self.before(number):
                found.append(number)
            progress(number / self._found.count)
        return found


class _Found:
    """What is found of each frame of a reel, once."""

    def __init__(self, reel: Reel) -> None:
        self._reel = reel
        self._small: OrderedDict[int, Codes] = OrderedDict()
        self._known: dict[int, bool] = {}
        self._sudden: dict[int, bool] = {}
        self._middles: dict[int, bool] = {}
        self._lock = Lock()
        self.count = len(reel)
        self.damaged: set[int] = set()

    def before(self, number: int) -> bool:
        found = self._known.get(number)
        if found is None:
            found = self._known[number] = self._is_sudden(number) or self._after_black(number) or self._is_dissolved(number)
        return found

    def _is_sudden(self, number: int) -> bool:
        found = self._sudden.get(number)
        if found is None:
            found = self._sudden[number] = self._is_cut(number)
        return found

    def _is_cut(self, number: int) -> bool:
        # A frame that cannot be read is of the shot before it.
        if self._look(number) is None:
            return False
        last = next((one for one in range(number - 1, max(number - 1 - RETURNS, -1), -1) if self._look(one) is not None), None)
        if last is None or self._of_one_shot(last, number):
            return False
        after = range(number + 1, min(number + RETURNS, self.count))
        earlier = range(last - 1, max(last - RETURNS, -1), -1)
        # What was there comes back, or what is there now was there already.
        comes_back = any(self._are_alike(one, later) for one in (last, *earlier) for later in after)
        return not (comes_back or any(self._are_alike(one, number) for one in earlier))

    def _after_black(self, number: int) -> bool:
        """Whether something else is seen with a frame than was seen before the pictures of one tone that come before it."""
        here, last = self._look(number), self._look(number - 1)
        if here is None or last is None or _is_flat(here) or not _is_flat(last):
            return False
        for earlier in range(number - 2, max(number - FADED, -1), -1):
            seen = self._look(earlier)
            if seen is not None and not _is_flat(seen):
                return not self._of_one_shot(earlier, number)
        return False

    def _is_dissolved(self, number: int) -> bool:
        # Looked at from nearer and from farther, the middle of one dissolve may be two frames side by side.
        return self._middle(number) and not any(self._middle(one) for one in range(max(number - RETURNS, 1), number))

    def _middle(self, number: int) -> bool:
        """Whether a frame is the first in which what comes after weighs more than what was before."""
        found = self._middles.get(number)
        if found is None:
            found = self._middles[number] = self._is_middle(number)
        return found

    def _is_middle(self, number: int) -> bool:
        # The farthest frames of which it is a mixture count: nearer ones may be mixtures themselves.
        for half in HALVES:
            if not half <= number < self.count - half:
                continue
            ends = self._look(number - half), self._look(number + half)
            weights = [self._weight(one, *ends) for one in (number - 1, number)]
            if min(weights) > 0:
                passed = weights[0] > 0.5 >= weights[1]
                return passed and not self._goes_on(number - half, number + half)
        return False

    def _weight(self, number: int, before: Codes | None, after: Codes | None) -> float:
        seen = self._look(number)
        if seen is None or before is None or after is None or _is_flat(before) or _is_flat(after):
            return 0.0
        return _weight_in(seen, before, after)

    def _goes_on(self, first: int, last: int) -> bool:
        """Whether two frames are of one shot, or parted by a sudden cut."""
        return self._of_one_shot(first, last) or any(self._is_sudden(at) for at in range(first + 1, last + 1))

    def _of_one_shot(self, one: int, other: int) -> bool:
        looks = self._look(one), self._look(other)
        return looks[0] is not None and looks[1] is not None and of_one_shot(looks[0], looks[1])

    def _are_alike(self, one: int, other: int) -> bool:
        """Whether one frame is surely seen in another: shots may share their colours, as those of one place do."""
        looks = self._look(one), self._look(other)
        return looks[0] is not None and looks[1] is not None and of_one_shot(looks[0], looks[1], surely=True)

    def _look(self, number: int) -> Codes | None:
        """A small frame; None for one that cannot be read."""
        if number in self.damaged:
            return None
        with self._lock:
            found = self._small.get(number)
        if found is not None:
            return found
        try:
            found = glimpse_of(self._reel.footage, number, EDGE)
        except UnreadableError:
            self.damaged.add(number)
            return None
        with self._lock:
            self._small[number] = found
            while len(self._small) > KEPT:
                self._small.popitem(last=False)
        return found


def cuts_of(reel: Reel, by_hand: Mapping[int, bool] | None = None) -> Cuts:
    """The cuts of a reel, but for those that are said `by_hand`; what is found is kept with the reel."""
    return Cuts(reel.found("cuts", lambda: _Found(reel)), by_hand or {})


def of_one_shot(one: Codes, other: Codes, *, surely: bool = False) -> bool:
    """Whether two small frames (h, w, 3) are of one shot; `surely` without what their colours say."""
    grey, there = (cv2.cvtColor(codes, cv2.COLOR_RGB2GRAY) for codes in (one, other))
    if grey.std() < FLAT or there.std() < FLAT:
        return bool(abs(float(grey.mean()) - float(there.mean())) < BRIGHTNESS and max(grey.std(), there.std()) < FAINT)
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST).calc(there, grey, np.zeros((*grey.shape, 2), np.float32))
    rows, columns = grey.shape
    down, across = np.mgrid[:rows, :columns].astype(np.float32)
    across, down = across + flow[:, :, 0], down + flow[:, :, 1]
    brought = cv2.remap(grey, across, down, cv2.INTER_LINEAR)
    seen = (across >= 0) & (down >= 0) & (across <= columns - 1) & (down <= rows - 1)
    alike = _correlation(brought[seen], there[seen])
    return alike >= SAME or (not surely and alike >= LIKELY and _colours_in_common(one, other) >= COLOURS)


def _is_flat(codes: Codes) -> bool:
    return float(cv2.cvtColor(codes, cv2.COLOR_RGB2GRAY).std()) < FLAT


def _weight_in(picture: Codes, before: Codes, after: Codes) -> float:
    """How much `before` weighs in a picture that is a mixture of it and `after`, 0..1; 0 for one that is none."""
    one, other, mixed = (np.asarray(codes, np.float32).ravel() for codes in (before, after, picture))
    apart = one - other
    weight = float(apart @ (mixed - other)) / max(float(apart @ apart), 1e-6)
    if not 0 < weight < 1:
        return 0.0
    alike = _correlation(other + np.float32(weight) * apart, mixed)
    single = max(_correlation(one, mixed), _correlation(other, mixed))
    return weight if alike >= MIXED and alike >= single + BETTER else 0.0


def _correlation(one: NDArray[Any], other: NDArray[Any]) -> float:
    a, b = (np.asarray(codes, np.float64) - float(codes.mean()) if codes.size else np.zeros(1) for codes in (one, other))
    size = float(np.sqrt((a * a).sum() * (b * b).sum()))
    return float((a * b).sum()) / size if size > 0 else 0.0


def _colours_in_common(one: Codes, other: Codes) -> float:
    """The share of the pixels whose colours both have."""
    first, second = (
        cv2.calcHist([codes], [0, 1, 2], None, [BINS] * 3, [0, 256] * 3) / (codes.shape[0] * codes.shape[1])
        for codes in (one, other)
    )
    return float(np.minimum(first, second).sum())


def _unless(cancelled: Callable[[], bool]) -> None:
    if cancelled():
        raise Cancelled
