"""Decodes what came from outside in confined processes, so that a decoder that breaks off, comes to no end, or is taken over costs
that file and nothing else."""

from __future__ import annotations

import os
import weakref
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from queue import LifoQueue
from threading import Lock
from typing import Any, BinaryIO, TypeVar

import numpy as np

from aurelon.confined.process import ConfinedProcess, NeedsMemory, Operation, ProcessLost, Refused, TookTooLong, file_elsewhere
from aurelon.confined.wire import carried
from aurelon.core.codecs.shared.in_space import in_space
from aurelon.core.codecs.shared.raster import Raster, UnreadableError
from aurelon.core.errors import PlateError
from aurelon.core.graph.first_look import FirstLook, look
from aurelon.core.imaging.rgb_space import Curve, RgbSpace
from aurelon.core.imaging.samples import all_finite
from aurelon.core.plates.decoding import DecoderHere
from aurelon.core.reels.shared.footage import Chapter, Codes, Footage, frame_of, glimpse_of

SECONDS = 20.0  # of a processor, in which any small file is looked at
SECONDS_A_MEGABYTE = 1.0  # more for a larger one: the densest code takes a fifth of it
FOR_READING = 3  # times as many for what is read whole: camera raw is developed
FRAME_SECONDS = 120.0  # for one frame of a reel, which may lie far behind the last that can be sought
PATIENCE, PATIENCE_A_SECOND = 30.0, 10.0  # seconds by the clock, for a process that waits for others
NOT_DECODED = "is damaged and cannot be decoded; copy it again from where it came"
PROCESSES = 4  # pictures that are decoded at once: one that comes to no end holds up no other
T = TypeVar("T")

for _kind in (Raster, RgbSpace, Curve, FirstLook):
    carried(_kind)


@dataclass(frozen=True)
class FootageFacts:
    """What there is to know of frames before the first is decoded, see `Footage`."""

    times: Sequence[Fraction]
    end: Fraction
    rate: Fraction | None
    size: tuple[int, int]
    depth: str
    numbers: Sequence[int]
    notices: tuple[str, ...]
    sounds: bool
    glimpses_are_codes: bool
    chapters: Sequence[Chapter]
    points: tuple[int, int] | None


carried(FootageFacts)


# In the confined process


def operations() -> Mapping[str, Operation]:
    """What a process that decodes offers. Whatever is loaded late is loaded here, before the process is confined."""
    here = DecoderHere()
    open_footage: list[tuple[Footage, str]] = []

    def raster(data: bytes, name: str, spaced: bool) -> Raster:
        return here.raster(data, name, spaced=spaced)

    def footage(size: int, name: str) -> FootageFacts:
        for one, _ in open_footage:
            one.close()
        open_footage[:] = [(here.footage(file_elsewhere(size), name), name)]
        found = open_footage[0][0]
        return FootageFacts(**{field: getattr(found, field) for field in FootageFacts.__dataclass_fields__})

    def frame(number: int) -> Raster:
        found, _ = open_footage[0]
        return in_space(frame_of(found, number))

    def glimpse(number: int, edge: int) -> Codes:
        return glimpse_of(open_footage[0][0], number, edge)

    def sound(size: int, name: str, end: Fraction) -> bytes:
        return here.sound(file_elsewhere(size), name, end)

    offered = (here.layers, here.layer, look, raster, footage, frame, glimpse, sound)
    return {operation.__name__: operation for operation in offered}


# In the service


class DecoderPool:
    """Decodes pictures in a pool of confined processes, and frames in one process for each open reel."""

    def __init__(self, seconds: float = SECONDS, patience: float = PATIENCE) -> None:
        self._seconds = seconds
        self._patience = patience
        self._closed = False
        self._lock = Lock()
        self._reels: weakref.WeakSet[ConfinedProcess] = weakref.WeakSet()
        self._pictures = [ConfinedProcess(operations) for _ in range(PROCESSES)]
        self._idle: LifoQueue[ConfinedProcess] = LifoQueue()  # the one that was used last first: the others may never be needed
        for process in self._pictures:
            self._idle.put(process)

    def start(self) -> None:
        """Has a process ready for the first file."""
        with self._process() as process:
            process.start()

    def look(self, data: bytes, name: str) -> FirstLook:
        """See `aurelon.core.graph.first_look.look`."""
        result: FirstLook = self._asked("look", name, len(data), 1, data, name)
        return result

    def raster(self, data: bytes, name: str, *, spaced: bool) -> Raster:
        return checked(self._asked("raster", name, len(data), FOR_READING, data, name, spaced), name)

    def layers(self, data: bytes, name: str) -> list[str]:
        return list(self._asked("layers", name, len(data), FOR_READING, data, name))

    def layer(self, data: bytes, name: str, layer: str) -> tuple[bytes, str]:
        found, called = self._asked("layer", name, len(data), FOR_READING, data, name, layer)
        return found, called

    def footage(self, file: BinaryIO, name: str) -> FootageElsewhere:
        process = ConfinedProcess(operations)
        with self._lock:
            if self._closed:
                raise PlateError(f"{name} cannot be read: the service is being stopped")
            self._reels.add(process)
        return FootageElsewhere(process, file, name, self._limits(file.seek(0, os.SEEK_END), FOR_READING), self._patience)

    def sound(self, file: BinaryIO, name: str, end: Fraction) -> bytes:
        size = file.seek(0, os.SEEK_END)
        found = self._asked("sound", name, size, FOR_READING, size, name, end, file=file)
        return bytes(found)

    def close(self) -> None:
        """Ends every process, whatever it does."""
        with self._lock:
            self._closed = True
            for process in (*self._pictures, *self._reels):
                process.close()

    @contextmanager
    def _process(self) -> Iterator[ConfinedProcess]:
        process = self._idle.get()
        try:
            yield process
        finally:
            self._idle.put(process)

    def _limits(self, size: int, times: float) -> float:
        return times * (self._seconds + SECONDS_A_MEGABYTE * size / 1e6)

    def _asked(self, operation: str, name: str, size: int, times: float, *arguments: Any, file: BinaryIO | None = None) -> Any:
        seconds = self._limits(size, times)
        patience = patience_for(seconds, self._patience)
        with self._process() as process:
            return answered(process, name, operation, *arguments, seconds=seconds, patience=patience, file=file)


def patience_for(seconds: float, least: float) -> float:
    """The limit by the clock, in seconds, of a process with this limit of processor seconds."""
    return least + PATIENCE_A_SECOND * seconds


def answered(
    process: ConfinedProcess,
    name: str,
    operation: str,
    *arguments: Any,
    seconds: float | None,
    patience: float,
    file: BinaryIO | None = None,
) -> Any:
    """What a process answers of the file called `name`. Raises PlateError in a sentence, or UnreadableError, where it fails."""
    try:
        return process.ask(operation, *arguments, seconds=seconds, patience=patience, file=file)
    except Refused as error:
        if error.kind == UnreadableError.__name__:
            raise UnreadableError(str(error)) from error
        raise PlateError(str(error)) from error
    except TookTooLong as error:
        raise PlateError(
            f"{name} took too long to read and was given up {_after(seconds, patience)}; save it again in a simpler form, or at a "
            "smaller size"
        ) from error
    except NeedsMemory as error:
        raise PlateError(f"{name} is too large: reading it needs more memory than there is; reduce it first") from error
    except ProcessLost as error:
        if process.closed:
            raise PlateError(f"{name} was not read to its end: its reader was stopped") from error
        raise PlateError(f"{name} is so damaged that what reads it broke off; copy it again from where it came") from error


def _after(seconds: float | None, patience: float) -> str:
    by_clock = f"after {patience:.0f} s"
    return by_clock if seconds is None else f"after {seconds:.0f} seconds of a processor, or {by_clock} by the clock"


def checked(raster: Any, name: str) -> Raster:
    """A raster as the kernels can rely on it, whatever the process has become that made it. Raises PlateError where it is not."""
    good = isinstance(raster, Raster) and _is_picture(raster.samples, 3)
    if good and raster.alpha is not None:
        good = _is_picture(raster.alpha, 2) and raster.alpha.shape == raster.samples.shape[:2]
    if good and raster.nearness is not None:
        good = _is_picture(raster.nearness, 2) and raster.nearness.dtype == np.float32
    if not good:
        raise PlateError(f"{name} {NOT_DECODED}")
    result: Raster = raster
    return result


def _is_picture(samples: Any, dimensions: int) -> bool:
    if not isinstance(samples, np.ndarray) or samples.ndim != dimensions or samples.size == 0:
        return False
    if samples.ndim == 3 and samples.shape[2] not in (1, 3):
        return False
    return samples.dtype in (np.uint8, np.uint16) or (samples.dtype == np.float32 and bool(all_finite(samples)))


class FootageElsewhere:
    """The frames of a file in a process of their own. One that was lost is begun again with the next frame."""

    def __init__(self, process: ConfinedProcess, file: BinaryIO, name: str, seconds: float, patience: float) -> None:
        self._process = process
        self._file = file
        self._name = name
        self._seconds = seconds
        self._patience = patience
        self._size = file.seek(0, os.SEEK_END)
        self._lock = Lock()
        self._opened_in: int | None = None
        self.close: Callable[[], None] = weakref.finalize(self, process.close)
        try:
            with self._lock:
                facts = self._open()
        except BaseException:
            process.close()
            raise
        self.times, self.end, self.rate = facts.times, facts.end, facts.rate
        self.size, self.depth, self.numbers = facts.size, facts.depth, facts.numbers
        self.notices, self.sounds, self.points = facts.notices, facts.sounds, facts.points
        self.chapters, self.glimpses_are_codes = facts.chapters, facts.glimpses_are_codes

    def raster(self, number: int) -> Raster:
        return checked(self._of_frame("frame", number), self._name)

    def glimpse(self, number: int, edge: int) -> Codes:
        found = self._of_frame("glimpse", number, edge)
        if not _is_picture(found, 3) or found.dtype != np.uint8 or found.shape[2] != 3 or max(found.shape) > edge:
            raise UnreadableError(NOT_DECODED)
        return np.asarray(found, np.uint8)

    def _of_frame(self, operation: str, *arguments: int) -> Any:
        with self._lock:
            if self._process.pid != self._opened_in or not self._process.alive:
                self._open()
            return self._asked(operation, FRAME_SECONDS, *arguments)

    def _open(self) -> FootageFacts:
        facts: FootageFacts = self._asked("footage", self._seconds, self._size, self._name)
        self._opened_in = self._process.pid
        return facts

    def _asked(self, operation: str, seconds: float, *arguments: Any) -> Any:
        patience = patience_for(seconds, self._patience)
        try:
            return answered(self._process, self._name, operation, *arguments, seconds=seconds, patience=patience, file=self._file)
        except PlateError as error:
            # The reel names its file itself.
            raise UnreadableError(str(error).removeprefix(f"{self._name} ")) from error
