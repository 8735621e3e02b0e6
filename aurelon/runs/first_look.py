"""The first look at a file that is brought in: in a process of its own, so that a decoder that ends its process, or never comes to
an end, costs that file and nothing else.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from multiprocessing.reduction import DupFd
from typing import Any, BinaryIO, Protocol, TypeVar

from pebble import ProcessExpired, ProcessPool

from aurelon.core import PlateError, Renderer, Rig, read_reel
from aurelon.core.graph.small_pictures import thumbnail
from aurelon.core.memory import give_back
from aurelon.core.plate import glance, read_grey
from aurelon.runs import early
from aurelon.runs.worker import begin

SECONDS = 5.0  # in which any small file is read
SECONDS_A_MEGABYTE = 0.5  # more for a larger one: the densest code takes a tenth of it
S = TypeVar("S")
T = TypeVar("T")


@dataclass(frozen=True)
class Looked:
    """What there is to know of a plate before it is opened, see `Plate`; and its small picture, a JPEG."""

    size: tuple[int, int]
    depth: str
    said: tuple[str, ...]
    rig: str
    thumbnail: bytes


def look(data: bytes, name: str) -> Looked:
    """Reads a picture file, but does not develop camera raw, which is done when it is opened. Raises PlateError in a sentence where
    it cannot be read."""
    plate, size = glance(data, name)
    return Looked(size, plate.depth, plate.said, plate.rig, thumbnail(Renderer(plate), Rig()))


def size_of_grey(data: bytes, name: str) -> tuple[int, int]:
    """(rows, columns) of a depth map or a matte, which is read whole. Raises PlateError as `look` does."""
    rows, columns = read_grey(data, name).shape
    return rows, columns


def look_at_frames(file: BinaryIO, name: str) -> None:
    """Reads where the frames of a file are, and the first of them. Raises PlateError as `look` does."""
    file.seek(0)
    with closing(read_reel(lambda: file, name)) as reel:
        reel[0]


class FirstLook(Protocol):
    """Looks at files."""

    def look(self, data: bytes, name: str) -> Looked: ...

    def size_of_grey(self, data: bytes, name: str) -> tuple[int, int]: ...

    def look_at_frames(self, file: BinaryIO, name: str) -> None:
        """`file` stays open, wherever it then is."""

    def close(self) -> None: ...


class Here:
    """In this process."""

    def look(self, data: bytes, name: str) -> Looked:
        return look(data, name)

    def size_of_grey(self, data: bytes, name: str) -> tuple[int, int]:
        return size_of_grey(data, name)

    def look_at_frames(self, file: BinaryIO, name: str) -> None:
        """Nothing: it is read here as soon as it is kept."""

    def close(self) -> None: ...


class Apart:
    """In a process of its own, one file after another."""

    def __init__(self, seconds: float = SECONDS) -> None:
        self._seconds = seconds
        threads = os.cpu_count() or 1
        self._pool: Any = ProcessPool(1, initializer=_begin, initargs=(threads, os.getpid()), context=early.context())
        self._pool.schedule(os.getpid)  # so that it is there when the first file comes

    def look(self, data: bytes, name: str) -> Looked:
        return self.had(look, data, name)

    def size_of_grey(self, data: bytes, name: str) -> tuple[int, int]:
        return self.had(size_of_grey, data, name)

    def look_at_frames(self, file: BinaryIO, name: str) -> None:
        size = file.seek(0, os.SEEK_END)  # which also has what was in memory only put into a file
        self.had(_look_at_shared, DupFd(file.fileno()), name, size)

    def close(self) -> None:
        self._pool.stop()
        self._pool.join()

    def had(self, done: Callable[[S, str], T], data: S, name: str, size: int = 0) -> T:
        """What `done` makes of a file there. Raises PlateError in a sentence where it comes to no end, or to a bad one."""
        longest = self._seconds + SECONDS_A_MEGABYTE * (len(data) if isinstance(data, bytes) else size) / 1e6
        try:
            answer: T = self._pool.schedule(_and_give_back, args=(done, data, name), timeout=longest).result()
            return answer
        except TimeoutError as error:
            raise PlateError(
                f"{name} could not be read in {longest:.0f} s; it is damaged, so copy it again from where it came"
            ) from error
        except ProcessExpired as error:
            raise PlateError(f"{name} is so damaged that what reads it broke off; copy it again from where it came") from error


def _begin(threads: int, owner: int) -> None:
    begin(threads, owner)
    # What libraries in C say of damage they say beside the sentence that is told.
    nowhere = os.open(os.devnull, os.O_WRONLY)
    for stream in (1, 2):
        os.dup2(nowhere, stream)


def _look_at_shared(shared: Any, name: str) -> None:
    with os.fdopen(shared.detach(), "rb") as file:
        look_at_frames(file, name)


def _and_give_back(done: Callable[[S, str], T], data: S, name: str) -> T:
    try:
        return done(data, name)
    finally:
        give_back()
