"""What every writer of reels is given, and offers."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, BinaryIO, Protocol

from numpy.typing import NDArray

from aurelon.core.reels.shared.footage import Chapter
from aurelon.core.settings import Settings


@dataclass(frozen=True)
class ReelFormat:
    """A kind of file: its name in the API, on the screen, and the depths that it can hold. `matrix` says whether colours are stored
    as luma and chroma, `even` whether sides must be even numbers of pixels. `held` are codecs of sound that it holds as they are,
    `sound` the one that others become."""

    name: str
    title: str
    media_type: str
    suffix: str
    depths: tuple[str, ...]
    has_quality: bool = False
    even: bool = False
    sound: str = ""
    held: frozenset[str] = frozenset()
    order: int = 99


class Look(Settings):
    """How all frames of a file are stored: (width, height), depth, quality 1..100, frames a second in the mean, and primaries and
    transfer by code points (ITU-T H.273)."""

    size: tuple[int, int]
    depth: str
    quality: int
    rate: Fraction
    points: tuple[int, int]


@dataclass(frozen=True)
class Timed:
    """A frame's samples, (h, w, 3) uint8 or uint16, and when it is seen, in seconds from the first of the file."""

    samples: NDArray[Any]
    time: Fraction


@dataclass(frozen=True)
class Sound:
    """A reel's sound: the file it is in, and the seconds of it that are wanted."""

    file: BinaryIO
    begin: Fraction
    end: Fraction


@dataclass(frozen=True)
class Timeline:
    """What lies beside the pictures of a file: the times of all frames and at last the end, in seconds from the first; its sound,
    and its chapters."""

    times: Sequence[Fraction]
    sound: Sound | None = None
    chapters: Sequence[Chapter] = ()


class ReelWriter(Protocol):
    """What a module in `writers/` offers."""

    FORMATS: tuple[ReelFormat, ...]

    def segment(self, form: ReelFormat, look: Look, frames: Iterable[Timed], /) -> bytes:
        """Some of the frames, one after another, as a file."""

    def join(self, form: ReelFormat, look: Look, segments: Iterable[bytes], timeline: Timeline, out: BinaryIO, /) -> None:
        """Writes the whole file of its segments in their order."""
