"""The nodes that a rig on a plate is resolved into: each has a digest of its settings and inputs, and a way to make it.

Two nodes of one digest give the same, whatever rig they belong to, so that what is kept is found again.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import Generic, TypeVar, cast

from aurelon.core.errors import Cancelled
from aurelon.core.graph.cache import Cache, Sized
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.picture_rows import PictureRows
from aurelon.core.imaging.reduce import reduce_to

V = TypeVar("V", bound=Sized)


def digest_of(*parts: object) -> str:
    """A digest of settings and of the digests of inputs."""
    return hashlib.blake2b(repr(parts).encode(), digest_size=16).hexdigest()


@dataclass(frozen=True)
class PictureNode:
    """Pixels of the plate at any frame: (h, w, C) or a mask (h, w). One that is not `kept` is made anew each time."""

    digest: str
    make: Callable[[Work, Frame], Floats]
    kept: bool = True


@dataclass(frozen=True)
class ValueNode(Generic[V]):
    """Something that is made once for all frames: what is detected, a field of light."""

    digest: str
    make: Callable[[Work], V]


class Work:
    """Evaluates nodes through a cache, for as long as somebody still wants the outcome.

    Pictures at the frame `passing` are seen once and kept only as long as the work. A picture `in_hand` is not made
    again where a part of it is asked for.
    """

    def __init__(self, cache: Cache, cancelled: Callable[[], bool], passing: Frame | None = None) -> None:
        self.cancelled = cancelled
        self._cache = cache
        self._passing = passing
        self._band = Cache(min(BAND_BYTES, cache.most_bytes))
        self._in_hand: dict[str, tuple[Frame, Floats, bool]] = {}

    def _cache_for(self, frame: Frame) -> Cache:
        return self._band if frame == self._passing else self._cache

    def go_on(self) -> None:
        """Raises Cancelled when the outcome is no longer wanted."""
        if self.cancelled():
            raise Cancelled

    def at(self, node: PictureNode, frame: Frame) -> Floats:
        """The node's picture at a frame."""
        held = self._in_hand.get(node.digest)
        if held is not None and frame.within(held[0]):
            whole, pixels, _ = held
            return pixels[frame.y0 - whole.y0 : frame.y1 - whole.y0, frame.x0 - whole.x0 : frame.x1 - whole.x0]
        if held is not None and held[2] and frame.width <= held[0].width:
            return reduce_to(held[1], frame)
        if not node.kept:
            return node.make(self, frame)
        return self.keep(node.digest, frame, lambda: node.make(self, frame))

    def rows(self, node: PictureNode, whole: Frame) -> PictureRows:
        """The node's picture at all of the plate, to be read row by row: kept as a whole where that leaves room for more."""
        in_hand = self._in_hand.get(node.digest)
        there = not node.kept or self.peek(node.digest, whole) is not None or (in_hand is not None and in_hand[0] == whole)
        if there or 3 * 4 * whole.width * whole.height <= self._cache.most_bytes * LARGEST_SHARE:
            return PictureRows.of(self.at(node, whole))
        return PictureRows(whole.size, lambda y0, y1: self.passing(band := whole.rows(y0, y1)).at(node, band))

    def passing(self, frame: Frame) -> Work:
        """The same work, where nothing at a frame is kept for longer than what this gives."""
        return Work(self._cache, self.cancelled, frame)

    def evaluate(self, node: ValueNode[V]) -> V:
        """The node's value."""
        self.go_on()
        return self._cache.get(node.digest, lambda: node.make(self))

    def keep(self, key: Hashable, frame: Frame, make: Callable[[], Floats]) -> Floats:
        """What was made under a key at a frame, made now if it is not there."""
        self.go_on()
        return self._cache_for(frame).get((key, frame), make)

    def peek(self, key: Hashable, frame: Frame) -> Floats | None:
        """What was kept under a key at a frame, if it is there."""
        return cast(Floats | None, self._cache_for(frame).peek((key, frame)))

    def hold(self, node: PictureNode, frame: Frame, pixels: Floats, *, reducible: bool = False) -> None:
        """Takes a picture in hand until `drop`. One of the whole plate that is `reducible` stands for its smaller versions
        too. That is near enough for a draft: light laid on a small picture is not quite the same as light laid on a large one."""
        self._in_hand[node.digest] = (frame, pixels, reducible and frame.is_whole)

    def drop(self, node: PictureNode) -> None:
        self._in_hand.pop(node.digest, None)


BAND_BYTES = 256 << 20
LARGEST_SHARE = 0.25  # of the cache that one picture of the whole plate may take
