"""A subject, cut out from a rough hint: a loose box, or a few strokes that say what is in and what is out.

The colours inside and outside are told apart by GrabCut (Rother, Kolmogorov and Blake, 2004) on a
small version of the picture as shot; the rim is then drawn again along the picture's own edges.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.errors import Cancelled
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.part import Ground, Part, resampled
from aurelon.core.masks.shared.rim import along_the_rim, cut_along
from aurelon.core.masks.strokes import lay_down
from aurelon.core.settings import Corners, Stroke, box_setting, flag, strokes_setting

CUT_EDGE = 512  # long edge of the version that is cut
ROUNDS = 4
SETTLED = 0.0025  # share of the pixels that must still go over for another round
DRAWN = 0.9  # share of neighbours that are quite the same, which no photograph has
SURE = 0.3  # paint from which a hint is certain
SPECK = 0.02  # of the subject's size, below which a piece apart from it is dropped


def no_news(share: float) -> None:
    """For a cut without a progress bar."""


class Subject(Part):
    """Box corners are left, top, right, bottom in plate fractions; a hint that erases says "out"."""

    title = "Subject"
    summary = "Cut out automatically from a loose box or a few strokes"
    order = 7
    instruction = "Draw a box round the subject"
    shown_at_once = True
    takes_a_while = True
    of_one_picture: ClassVar[bool] = True
    brush: ClassVar[dict[str, float] | None] = {"size": 0.008, "hardness": 0.9, "flow": 1.0}

    part: Literal["subject"] = "subject"
    box: Corners | None = box_setting("A loose box around the subject")
    hints: tuple[Stroke, ...] = strokes_setting(
        "Strokes over what is in, and erasing ones over what is out", max_strokes=500, hints=True
    )
    solid: bool = flag(True, "Fills holes inside the subject, except those marked as out")

    def key(self, ground: Ground) -> Hashable:
        return "subject", self.box, self.solid, tuple(hint.digest for hint in self.hints), ground.original.key

    def counts(self, ground: Ground) -> bool:
        return self.on and (self.box is not None or any(not hint.erase for hint in self.hints))

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        canonical = ground.canonical
        if frame.width > canonical.width:
            return along_the_rim(enlarge_to(self.cut(ground), frame), ground, frame)
        key = ("cut out", self.key(ground))
        return resampled(ground.keep(key, canonical, lambda: along_the_rim(self.cut(ground), ground, canonical)), frame)

    def prepare(self, ground: Ground, progress: Callable[[float], None]) -> None:
        self.cut(ground, progress)

    def cut(self, ground: Ground, progress: Callable[[float], None] = no_news) -> Floats:
        """On the canonical version: the rim's lines, what is surely in, and what may be, (h, w, 6)."""
        return ground.keep(self.key(ground), ground.canonical, lambda: cut_along(_cut_out(self, ground, progress), ground))


def _cut_out(subject: Subject, ground: Ground, progress: Callable[[float], None]) -> Floats:
    """The first cut on the small version, (h, w), 1 inside."""
    frame = Frame.canonical(ground.size, CUT_EDGE)
    codes = _grained(np.round(encode_array(ground.original.at(frame)) * 255).astype(np.uint8))
    hints: NDArray[np.uint8] = np.full(frame.shape, cv2.GC_PR_BGD, np.uint8)
    if subject.box is not None:
        x0, y0, x1, y1 = np.round(np.array(subject.box) * (frame.size * 2)).astype(int)
        hints[:] = cv2.GC_BGD
        hints[max(min(y0, y1), 0) : max(y0, y1), max(min(x0, x1), 0) : max(x0, x1)] = cv2.GC_PR_FGD
    for hint in subject.hints:
        certain = lay_down((hint.model_copy(update={"erase": False, "flow": 1.0}),), ground.aspect, frame, None) > SURE
        hints[certain] = cv2.GC_BGD if hint.erase else cv2.GC_FGD
    inside = (hints == cv2.GC_FGD) | (hints == cv2.GC_PR_FGD)
    if not inside.any() or inside.all():
        return np.asarray(inside, np.float32)
    cv2.setRNGSeed(1)  # the cut is the same every time
    models = np.zeros((1, 65)), np.zeros((1, 65))
    for done in range(ROUNDS):
        if ground.cancelled():
            raise Cancelled
        progress(done / ROUNDS)
        mode, before = cv2.GC_INIT_WITH_MASK if done == 0 else cv2.GC_EVAL, hints.copy()
        cv2.grabCut(codes, hints, (0, 0, 0, 0), models[0], models[1], 1, mode)
        if np.count_nonzero(hints != before) < SETTLED * hints.size:
            break
    return _tidied(np.isin(hints, (cv2.GC_FGD, cv2.GC_PR_FGD)), hints, subject.solid).astype(np.float32)


def _grained(codes: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture that is drawn, or a blank backdrop, with a code of grain: through even tones every cut is as short as another,
    and to find the shortest of them takes a minute."""
    if codes.shape[1] < 2 or not codes.size or (codes[:, 1:] == codes[:, :-1]).all(axis=2).mean() < DRAWN:
        return codes
    grain = np.random.default_rng(1).integers(-1, 2, codes.shape)
    return np.asarray(np.clip(codes + grain, 0, 255), np.uint8)


def _tidied(inside: NDArray[np.bool_], hints: NDArray[np.uint8], solid: bool) -> NDArray[np.bool_]:
    """Without specks that no hint asked for, and without holes that none marked as out."""
    inside = inside & ~_small_areas(inside, hints == cv2.GC_FGD, SPECK * inside.sum())
    if solid:
        border = np.zeros_like(inside)
        border[[0, -1], :] = border[:, [0, -1]] = True
        inside = inside | _small_areas(~inside, border | (hints == cv2.GC_BGD), inside.size)
    return inside


def _small_areas(area: NDArray[np.bool_], wanted: NDArray[np.bool_], most: float) -> NDArray[np.bool_]:
    """What of `area` hangs together over fewer than `most` pixels and holds nothing wanted."""
    _, labels = cv2.connectedComponents(area.astype(np.uint8), connectivity=4)
    small = np.bincount(labels.ravel()) < most
    small[np.unique(labels[wanted & area])] = False
    small[0] = False
    return np.asarray(small[labels], np.bool_)


PART = Subject
