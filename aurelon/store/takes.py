"""Takes: named states of a plate's rig, kept to be compared and gone back to."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

from aurelon.core import Rig
from aurelon.store.files import Files
from aurelon.store.pieces import get_rig, put_rig
from aurelon.store.plates import Plates
from aurelon.store.soft_deletion import SoftlyDeletedRows
from aurelon.store.tables import Tables


@dataclass(frozen=True)
class Take:
    """A named, kept state of a plate's rig."""

    id: int
    name: str
    created: float
    rig: Rig


class Takes:
    """Keeping, listing, naming and deleting takes."""

    def __init__(self, tables: Tables, plates: Plates, files: Files) -> None:
        self._t = tables
        self._plates = plates
        self._files = files
        self.rows = SoftlyDeletedRows(tables.Take, "take")

    def _take(self, row: Any) -> Take:
        return Take(row.id, row.name, row.created, get_rig(self._t, row.rig))

    def of(self, plate_id: int) -> list[Take]:
        """A plate's takes, first to last."""
        self._plates.rows.row(plate_id)
        rows = self.rows.present().where(self._t.Take.plate == plate_id).order_by(self._t.Take.id)
        return [self._take(row) for row in rows]

    def get(self, take_id: int) -> Take:
        return self._take(self.rows.row(take_id))

    def keep(self, plate_id: int, name: str, rig: Rig) -> Take:
        """Keeps a state under a name."""
        with self._t.db.atomic("IMMEDIATE"):
            self._plates.rows.row(plate_id)
            rig = self._files.adopt(plate_id, rig)
            result = self._t.Take.create(plate=plate_id, name=name, rig=put_rig(self._t, rig), created=time.time())
            return self._take(result)

    def rename(self, take_id: int, name: str) -> Take:
        return self._take(self.rows.rename(take_id, name))

    def delete(self, take_id: int) -> Take:
        return self._take(self.rows.delete(take_id))

    def restore(self, take_id: int) -> Take:
        return self._take(self.rows.restore(take_id))
