"""Moving pictures as they lie in a file: frames with their times, decoded one at a time."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import BinaryIO, Protocol

from aurelon.core.codecs.shared.raster import CUT_SHORT, Raster, UnreadableError, why_unreadable

MOST_FRAMES = 100_000


class Footage(Protocol):
    """`times` are seconds from the first frame, `end` where the last one ends; `depth` is that of a plate; `numbers` are those in
    the names of numbered files, or count from 0. `notices` are ends of sentences that begin with the file's name."""

    @property
    def times(self) -> Sequence[Fraction]: ...
    @property
    def end(self) -> Fraction: ...
    @property
    def rate(self) -> Fraction | None:
        """Frames a second, where the file states them."""
        ...

    @property
    def size(self) -> tuple[int, int]: ...
    @property
    def depth(self) -> str: ...
    @property
    def numbers(self) -> Sequence[int]: ...
    @property
    def notices(self) -> tuple[str, ...]: ...
    @property
    def sounds(self) -> bool: ...
    @property
    def points(self) -> tuple[int, int] | None:
        """Primaries and transfer (ITU-T H.273), where the file states them."""
        ...

    def raster(self, number: int) -> Raster:
        """A frame's samples. Raises UnreadableError for one that cannot be decoded."""

    @property
    def close(self) -> Callable[[], None]: ...


class Kind(Protocol):
    """What a module in this folder offers."""

    TITLE: str
    SUFFIXES: tuple[str, ...]

    def matches(self, head: bytes, /) -> bool: ...

    def open_footage(self, file: BinaryIO, /) -> Footage:
        """Raises UnreadableError for what is not footage of this kind."""


def check_count(count: int) -> None:
    """Raises UnreadableError for more frames than a reel may have."""
    if count > MOST_FRAMES:
        raise UnreadableError(
            f"has about {count:,} frames; Aurelon takes reels of up to {MOST_FRAMES:,}, so cut it into parts first"
        )


def opened(kind: Kind, file: BinaryIO) -> Footage:
    """The frames of a file of this kind. Raises UnreadableError, whatever its reader stumbles over."""
    try:
        return kind.open_footage(file)
    except Exception as error:  # readers of many hands, each with faults of its own
        raise why_unreadable(error, CUT_SHORT) from error


def frame_of(footage: Footage, number: int) -> Raster:
    """A frame's samples. Raises UnreadableError, whatever its decoder stumbles over."""
    try:
        return footage.raster(number)
    except Exception as error:
        raise why_unreadable(error, CUT_SHORT) from error
