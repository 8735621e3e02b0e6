"""Renderers of the plates that are open now, within one budget of memory."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

import psutil

from aurelon.core import Renderer, read_plate
from aurelon.core.graph.cache import Cache, Share
from aurelon.core.memory import give_back
from aurelon.store import Store

MOST_BYTES = 1 << 30  # unless more is asked for
PART_OF_MACHINE = 4
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
        self._open: OrderedDict[str, Renderer] = OrderedDict()
        self._lock = Lock()

    @property
    def nbytes(self) -> int:
        """What is kept, in bytes."""
        return self._cache.nbytes + sum(renderer.plate.nbytes for renderer in self._open.values())

    def get(self, plate_id: int) -> Renderer:
        """The renderer of a plate. Raises Unknown where there is no such plate."""
        name = self._store.plates.hash(plate_id)
        with self._lock:
            found = self._open.get(name)
            if found is None:
                record = self._store.plates.get(plate_id)
                plate = read_plate(self._store.plates.file(plate_id), record.file_name)
                plate.file_of = self._store.files.get
                found = self._open[name] = Renderer(plate, Share(self._cache, name))
                self._close_others()
            self._open.move_to_end(name)
            return found

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
