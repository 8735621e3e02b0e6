"""Moving pictures as they lie in a file: frames with their times, decoded one at a time."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import Any, BinaryIO, Protocol, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.codecs.shared.raster import CUT_SHORT, Raster, UnreadableError, why_unreadable
from aurelon.core.imaging.frame import fit_within

MOST_FRAMES = 100_000
Codes = NDArray[np.uint8]
Chapter = tuple[Fraction, Fraction, str]  # where it begins and ends, in seconds from the first frame, and its title
T = TypeVar("T")
FLOAT_GAMMA = 0.45  # about how a display encodes linear light


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
    def glimpses_are_codes(self) -> bool:
        """Whether a glimpse has the frame's own code values, in fewer bits, so that a draft can be made from it."""
        ...

    @property
    def chapters(self) -> Sequence[Chapter]: ...
    @property
    def points(self) -> tuple[int, int] | None:
        """Primaries and transfer (ITU-T H.273), where the file states them."""
        ...

    def raster(self, number: int) -> Raster:
        """A frame's samples. Raises UnreadableError for one that cannot be decoded."""

    def glimpse(self, number: int, edge: int) -> Codes:
        """About how a frame looks, (h, w, 3), with a long edge of at most `edge`, for what is found over frames. Raises
        UnreadableError for one that cannot be decoded."""

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
    return _decoded(footage.raster, number)


def glimpse_of(footage: Footage, number: int, edge: int) -> Codes:
    """About how a frame looks, see `Footage.glimpse`. Raises UnreadableError, whatever its decoder stumbles over."""
    return _decoded(footage.glimpse, number, edge)


def _decoded(how: Callable[..., T], *of: int) -> T:
    try:
        return how(*of)
    except Exception as error:
        raise why_unreadable(error, CUT_SHORT) from error


def reduced(samples: NDArray[Any], edge: int) -> Codes:
    """Samples (h, w, 1 or 3) of any depth as codes of 8 bits, (h, w, 3), with a long edge of at most `edge`; of floats only what is
    not above white."""
    size = samples.shape[1], samples.shape[0]
    if samples.dtype == np.uint16:
        samples = (samples >> 8).astype(np.uint8)
    elif samples.dtype != np.uint8:
        samples = np.asarray(np.clip(samples, 0, 1) ** FLOAT_GAMMA * 255, np.uint8)
    samples = np.asarray(cv2.resize(samples, fit_within(size, edge), interpolation=cv2.INTER_AREA), np.uint8)
    tall, wide = samples.shape[:2]
    return np.ascontiguousarray(np.broadcast_to(samples.reshape(tall, wide, -1), (tall, wide, 3)))
