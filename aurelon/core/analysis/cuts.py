"""Cuts of a reel: where one shot ends and another begins.

Two frames belong to one shot where the first, brought to the second by dense optical flow (dense inverse search; Kroeger et al.,
2016), correlates with it, or correlates somewhat and shares its colours, as where something large passes. A flash, or something
that covers the picture for a moment, does not count as a cut, since what was there before comes back. Dissolves are not detected.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.codecs.shared.raster import UnreadableError
from aurelon.core.errors import Cancelled, PlateError
from aurelon.core.graph.renderer import never
from aurelon.core.imaging.frame import fit_within
from aurelon.core.reel import Reel
from aurelon.core.reels.shared.footage import frame_of

EDGE = 160  # long edge of the version that is compared
SAME = 0.7  # correlation from which frames are of one shot
LIKELY, COLOURS = 0.4, 0.55  # and from which they are where so much of their colours is the same
RETURNS = 4  # frames within which what was covered comes back
FLAT = 2.0  # code values by which a picture must differ within itself to be compared by correlation
BRIGHTNESS = 24.0  # code values by which flat pictures of one shot may differ
BINS = 6  # of each channel
KEPT = 3 * RETURNS  # small frames
Codes = NDArray[np.uint8]


class Cuts:
    """The cuts of a reel, each found when it is asked for, and then known. Safe between threads."""

    def __init__(self, reel: Reel) -> None:
        self._reel = reel
        self._small: OrderedDict[int, Codes] = OrderedDict()
        self._known: dict[int, bool] = {}
        self._lock = Lock()

    def before(self, number: int) -> bool:
        """Whether a shot begins with a frame. Raises PlateError for a frame that cannot be read."""
        if not 0 < number < len(self._reel):
            return False
        found = self._known.get(number)
        if found is None:
            found = self._known[number] = self._is_cut(number)
        return found

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
        for number in range(1, len(self._reel)):
            _unless(cancelled)
            if self.before(number):
                found.append(number)
            progress(number / len(self._reel))
        return found

    def _is_cut(self, number: int) -> bool:
        if self._of_one_shot(number - 1, number):
            return False
        after = range(number + 1, min(number + RETURNS, len(self._reel)))
        earlier = range(number - 2, max(number - 1 - RETURNS, -1), -1)
        # What was there comes back, or what is there now was there already.
        return not (
            any(self._of_one_shot(number - 1, later) for later in after) or any(self._of_one_shot(one, number) for one in earlier)
        )

    def _of_one_shot(self, one: int, other: int) -> bool:
        return of_one_shot(self._look(one), self._look(other))

    def _look(self, number: int) -> Codes:
        with self._lock:
            found = self._small.get(number)
        if found is not None:
            return found
        try:
            found = _small(frame_of(self._reel.footage, number).samples)
        except UnreadableError as error:
            raise PlateError(f"{self._reel.name} {error}") from error
        with self._lock:
            self._small[number] = found
            while len(self._small) > KEPT:
                self._small.popitem(last=False)
        return found


def cuts_of(reel: Reel) -> Cuts:
    """The cuts of a reel, kept with it."""
    return reel.found("cuts", lambda: Cuts(reel))


def of_one_shot(one: Codes, other: Codes) -> bool:
    """Whether two small frames (h, w, 3) are of one shot."""
    grey, there = (cv2.cvtColor(codes, cv2.COLOR_RGB2GRAY) for codes in (one, other))
    if grey.std() < FLAT or there.std() < FLAT:
        return bool(abs(float(grey.mean()) - float(there.mean())) < BRIGHTNESS and max(grey.std(), there.std()) < 2 * FLAT)
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST).calc(there, grey, np.zeros((*grey.shape, 2), np.float32))
    rows, columns = grey.shape
    down, across = np.mgrid[:rows, :columns].astype(np.float32)
    across, down = across + flow[:, :, 0], down + flow[:, :, 1]
    brought = cv2.remap(grey, across, down, cv2.INTER_LINEAR)
    seen = (across >= 0) & (down >= 0) & (across <= columns - 1) & (down <= rows - 1)
    alike = _correlation(brought[seen], there[seen])
    return alike >= SAME or (alike >= LIKELY and _colours_in_common(one, other) >= COLOURS)


def _correlation(one: Codes, other: Codes) -> float:
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


def _small(samples: NDArray[Any]) -> Codes:
    if samples.dtype == np.uint16:
        samples = (samples >> 8).astype(np.uint8)
    elif samples.dtype != np.uint8:
        samples = np.asarray(np.clip(samples, 0, 1) ** 0.45 * 255, np.uint8)
    height, width = samples.shape[:2]
    small = cv2.resize(samples, fit_within((width, height), EDGE), interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(np.broadcast_to(small.reshape(*small.shape[:2], -1), (*small.shape[:2], 3)))


def _unless(cancelled: Callable[[], bool]) -> None:
    if cancelled():
        raise Cancelled
