"""Renderers of the plates that are open now, within one budget of memory."""

from __future__ import annotations

import math
import time
from collections import Counter, OrderedDict
from collections.abc import Callable, Hashable, Iterator
from concurrent.futures import Future
from contextlib import contextmanager
from functools import partial
from threading import Lock
from typing import Generic, NamedTuple, TypeVar

import psutil

from aurelon.core import Plate, PlateError, Reel, Renderer, read_plate, read_reel
from aurelon.core.graph.cache import Cache, Share
from aurelon.core.imaging.memory import give_back
from aurelon.store import Store

MOST_BYTES = 1 << 30  # unless more is asked for
PART_OF_MACHINE = 4
OPEN_REELS = 2
LATELY = 0.7  # s
FOR_STAGES = 0.6  # of the budget, for what was computed; the rest is for plates
T = TypeVar("T")


def usual_budget() -> int:
    """Bytes: a quarter of what the machine has, a gigabyte at most."""
    return min(MOST_BYTES, int(psutil.virtual_memory().total) // PART_OF_MACHINE)


class _Pending(Generic[T]):
    """Makes the value of a key once: callers that ask for the same key meanwhile wait for it; callers of other keys do not."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._made: dict[Hashable, Future[T]] = {}

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        with self._lock:
            future = self._made.get(key)
            mine = future is None
            if future is None:
                future = self._made[key] = Future()
        if mine:
            try:
                future.set_result(make())
            except BaseException as error:
                future.set_exception(error)
            finally:
                with self._lock:
                    del self._made[key]
        return future.result()


class Opened(NamedTuple):
    """What is open: a plate by its hash, which frame of it, and the long edge of a proxy; 0 for the frame itself."""

    plate: str
    frame: int = 0
    edge: int = 0


class Renderers:
    """Decodes a plate when it is first asked for, and keeps those that were used last, and what was computed of them, within
    a `budget` in bytes. The plate that is asked for is kept for as long as a bench shows it."""

    def __init__(self, store: Store, budget: int | None = None) -> None:
        self._store = store
        self._budget = budget or usual_budget()
        self._cache = Cache(int(self._budget * FOR_STAGES))
        self._open: OrderedDict[Opened, Renderer] = OrderedDict()
        self._reels: OrderedDict[str, Reel] = OrderedDict()
        self._scrubbed: dict[str, float] = {}
        self._shown: Counter[str] = Counter()
        self._lock = Lock()
        self._opening = _Pending[Renderer]()
        self._opening_reels = _Pending[Reel]()

    @property
    def nbytes(self) -> int:
        """What is kept, in bytes."""
        with self._lock:
            return self._cache.nbytes + self._plates_bytes() + sum(reel.rough_nbytes for reel in self._reels.values())

    def get(self, plate_id: int, frame: int = 0) -> Renderer:
        """The renderer of a plate; of a reel that of a frame. Raises Unknown where there is no such plate, and PlateError where it
        has no such frame."""
        key = Opened(self._store.plates.hash(plate_id), frame)
        return self._if_open(key) or self._opening.get(key, partial(self._opened, plate_id, key))

    def for_preview(self, plate_id: int, frame: int, width: int | None, rough: bool = False) -> Renderer:
        """The same for a picture of the plate at a `width` in pixels, None for an exact one: a draft of a large frame that is not
        open yet is made from a proxy, a `rough` one from a smaller."""
        name = self._store.plates.hash(plate_id)
        if rough:
            self._scrubbed[name] = time.monotonic()
        if width is None or self._if_open(Opened(name, frame)) or self._store.plates.get(plate_id).frames == 0:
            return self.get(plate_id, frame)
        edge = self.reel(plate_id).proxy_edge(width, rough=rough)
        if edge is None:
            return self.get(plate_id, frame)
        key = Opened(name, frame, edge)
        return self._if_open(key) or self._opening.get(key, partial(self._opened, plate_id, key))

    def scrubbed_lately(self, plate_id: int) -> bool:
        """Whether a hand has just gone over the frames of a reel."""
        return time.monotonic() - self._scrubbed.get(self._store.plates.hash(plate_id), -math.inf) < LATELY

    def reel(self, plate_id: int) -> Reel:
        """A reel that is open. Raises PlateError where the plate is a still picture."""
        name = self._store.plates.hash(plate_id)
        with self._lock:
            found = self._reels.get(name)
            if found is not None:
                self._reels.move_to_end(name)
                return found
        return self._opening_reels.get(name, partial(self._opened_reel, plate_id, name))

    @contextmanager
    def shown(self, plate_id: int) -> Iterator[None]:
        """For as long as a bench shows a plate. What lies beyond the budget, and a reel with its decoder and its frames, is given
        back with the last bench that shows it."""
        name = self._store.plates.hash(plate_id)
        with self._lock:
            self._shown[name] += 1
        try:
            yield
        finally:
            with self._lock:
                self._shown[name] -= 1
                if self._shown[name] <= 0:
                    del self._shown[name]
                    self._let_go(name)

    def _if_open(self, key: Opened) -> Renderer | None:
        with self._lock:
            found = self._open.get(key)
            if found is not None:
                self._open.move_to_end(key)
            return found

    def _opened(self, plate_id: int, key: Opened) -> Renderer:
        plate = self._read(plate_id, key.frame, key.edge)
        plate.file_of = self._store.files.get
        result = Renderer(plate, Share(self._cache, key))
        with self._lock:
            self._open[key] = result
            self._close_others(least=1)
        return result

    def _read(self, plate_id: int, frame: int, edge: int) -> Plate:
        record = self._store.plates.get(plate_id)
        if record.frames == 0:
            return read_plate(self._store.plates.file(plate_id), record.file_name)
        try:
            reel = self.reel(plate_id)
            return reel.proxy(frame, edge) if edge else reel[frame]
        except IndexError as error:
            raise PlateError(f"{error}") from error

    def _opened_reel(self, plate_id: int, name: str) -> Reel:
        record = self._store.plates.get(plate_id)
        if record.frames == 0:
            raise PlateError(f"{record.name} is a still picture; it has no frames")
        reel = read_reel(partial(self._store.plates.opened, plate_id), record.file_name, name)
        reel.file_of = self._store.files.get
        with self._lock:
            self._reels[name] = reel
            while len(self._reels) > OPEN_REELS:
                self._reels.popitem(last=False)  # closed after its last reader
        return reel

    def _plates_bytes(self) -> int:
        """Bytes of the plates, and of the frames that reels keep: those that are both count once."""
        plates = [renderer.plate for renderer in self._open.values()]
        kept = [frame for reel in self._reels.values() for frame in reel.kept]
        return sum(plate.nbytes for plate in {id(plate): plate for plate in (*plates, *kept)}.values())

    def _close_others(self, least: int) -> None:
        """Closes the plates that were used longest ago, until the others fit; `least` are kept."""
        closed = False
        while len(self._open) > least and self._plates_bytes() > self._budget * (1 - FOR_STAGES):
            key, _ = self._open.popitem(last=False)
            self._cache.forget(key)
            if key.plate in self._reels and key.edge == 0:
                self._reels[key.plate].forget(key.frame)
            closed = True
        if closed:
            give_back()

    def _let_go(self, name: str) -> None:
        """Gives back what only a bench that is gone has needed."""
        self._scrubbed.pop(name, None)
        reel = self._reels.pop(name, None)
        if reel is not None:
            for key in [key for key in self._open if key.plate == name]:
                del self._open[key]
                self._cache.forget(key)
            reel.forget()
        self._close_others(least=0)
        give_back()

    def forget_stages(self) -> None:
        """Has every stage computed anew: a file that rigs may have named in vain is there now."""
        self._cache.clear()
