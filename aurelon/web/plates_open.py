"""Plates that are open now, decoded, each with the cache of its stages."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from threading import Lock

from aurelon.core import Plate, read_plate
from aurelon.core.graph.cache import Cache
from aurelon.store import Store

MOST_OPEN = 3
STAGE_BYTES = 640 << 20


@dataclass(frozen=True)
class OpenPlate:
    plate: Plate
    cache: Cache


class OpenPlates:
    """Decodes a plate when it is first asked for and keeps the few that were used last."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._open: OrderedDict[str, OpenPlate] = OrderedDict()
        self._lock = Lock()

    def get(self, plate_id: int) -> OpenPlate:
        record = self._store.plate(plate_id)
        with self._lock:
            found = self._open.get(record.hash)
            if found is None:
                plate = read_plate(self._store.file(plate_id), record.file_name)
                plate.file_of = self._store.named_file
                found = self._open[record.hash] = OpenPlate(plate, Cache(STAGE_BYTES))
                while len(self._open) > MOST_OPEN:
                    self._open.popitem(last=False)
            self._open.move_to_end(record.hash)
            return found

    def forget_stages(self) -> None:
        """Has every stage computed anew: a file that rigs may have named in vain is there now."""
        with self._lock:
            for opened in self._open.values():
                opened.cache.clear()
