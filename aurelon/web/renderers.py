"""Renderers of the plates that are open now, each with the cache of its stages."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

from aurelon.core import Renderer, read_plate
from aurelon.core.graph.cache import Cache
from aurelon.store import Store

MOST_OPEN = 3
STAGE_BYTES = 640 << 20


class Renderers:
    """Decodes a plate when it is first asked for and keeps the few that were used last."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._open: OrderedDict[str, Renderer] = OrderedDict()
        self._lock = Lock()

    def get(self, plate_id: int) -> Renderer:
        """The renderer of a plate. Raises Unknown where there is no such plate."""
        name = self._store.plates.hash(plate_id)
        with self._lock:
            found = self._open.get(name)
            if found is None:
                record = self._store.plates.get(plate_id)
                plate = read_plate(self._store.plates.file(plate_id), record.file_name)
                plate.file_of = self._store.files.get
                found = self._open[name] = Renderer(plate, Cache(STAGE_BYTES))
                while len(self._open) > MOST_OPEN:
                    self._open.popitem(last=False)
            self._open.move_to_end(name)
            return found

    def forget_stages(self) -> None:
        """Has every stage computed anew: a file that rigs may have named in vain is there now."""
        with self._lock:
            for renderer in self._open.values():
                if renderer.cache is not None:
                    renderer.cache.clear()
