"""Renderers of the plates that are open now, within one budget of memory."""

from __future__ import annotations

from collections import OrderedDict
from functools import partial
from threading import Lock

import psutil

from aurelon.core import Plate, PlateError, Reel, Renderer, read_plate, read_reel
from aurelon.core.graph.cache import Cache, Share
from aurelon.core.memory import give_back
from aurelon.store import Store

MOST_BYTES = 1 << 30  # unless more is asked for
PART_OF_MACHINE = 4
OPEN_REELS = 2
FOR_STAGES = 0.6  # of the budget, for what was computed; the rest is for plates


def usual_budget() -> int:
    """Bytes: a quarter of what the machine has, a gigabyte at most."""
    return min(MOST_BYTES, int(psutil.virtual_memory().total) // PART_OF_MACHINE)


class Renderers:
    """Decodes a plate when it is first asked for, and keeps those that were used last, and what was computed of them, within
    a `budget` in bytes. The plate that is asked for is always kept."""

    def __init__(self, store: Store, budget: int | None = None) -> None:
        self._store = store
        self._budget = budget or usual_budget()
        self._cache = Cache(int(self._budget * FOR_STAGES))
        self._open: OrderedDict[tuple[str, int], Renderer] = OrderedDict()
        self._reels: OrderedDict[str, Reel] = OrderedDict()
        self._lock = Lock()

    @property
    def nbytes(self) -> int:
        """What is kept, in bytes."""
        return self._cache.nbytes + sum(renderer.plate.nbytes for renderer in self._open.values())

    def get(self, plate_id: int, frame: int = 0) -> Renderer:
        """The renderer of a plate; of a reel that of a frame. Raises Unknown where there is no such plate, and PlateError where it
        has no such frame."""
        name = self._store.plates.hash(plate_id)
        with self._lock:
            found = self._open.get((name, frame))
            if found is None:
                plate = self._read(plate_id, name, frame)
                plate.file_of = self._store.files.get
                found = self._open[name, frame] = Renderer(plate, Share(self._cache, (name, frame)))
                self._close_others()
            self._open.move_to_end((name, frame))
            return found

    def reel(self, plate_id: int) -> Reel:
        """A reel that is open. Raises PlateError where the plate is a still picture."""
        with self._lock:
            return self._reel(plate_id, self._store.plates.hash(plate_id))

    def _read(self, plate_id: int, name: str, frame: int) -> Plate:
        record = self._store.plates.get(plate_id)
        if record.frames == 0:
            return read_plate(self._store.plates.file(plate_id), record.file_name)
        try:
            return self._reel(plate_id, name)[frame]
        except IndexError as error:
            raise PlateError(f"{error}") from error

    def _reel(self, plate_id: int, name: str) -> Reel:
        if name not in self._reels:
            record = self._store.plates.get(plate_id)
            if record.frames == 0:
                raise PlateError(f"{record.name} is a still picture; it has no frames")
            self._reels[name] = read_reel(partial(self._store.plates.opened, plate_id), record.file_name, name)
            self._reels[name].file_of = self._store.files.get
            while len(self._reels) > OPEN_REELS:
                self._reels.popitem(last=False)  # closed once nobody reads it any more
        self._reels.move_to_end(name)
        return self._reels[name]

    def _close_others(self) -> None:
        """Closes the plates that were used longest ago, until the others fit."""
        closed = False
        while len(self._open) > 1 and sum(one.plate.nbytes for one in self._open.values()) > self._budget * (1 - FOR_STAGES):
            name, _ = self._open.popitem(last=False)
            self._cache.forget(name)
            closed = True
        if closed:
            give_back()

    def forget_stages(self) -> None:
        """Has every stage computed anew: a file that rigs may have named in vain is there now."""
        self._cache.clear()
