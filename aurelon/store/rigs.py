"""Saved rigs: recipes kept for other plates."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

from aurelon.core import Rig
from aurelon.store.files import Files
from aurelon.store.pieces import get_rig, put_rig
from aurelon.store.soft_deletion import SoftlyDeletedRows
from aurelon.store.tables import Tables


@dataclass(frozen=True)
class SavedRig:
    """A rig that was saved for other plates."""

    id: int
    name: str
    created: float
    rig: Rig


class Rigs:
    """Saving, listing, naming and deleting rigs."""

    def __init__(self, tables: Tables, files: Files) -> None:
        self._t = tables
        self._files = files
        self.rows = SoftlyDeletedRows(tables.NamedRig, "saved rig")

    def _saved(self, row: Any) -> SavedRig:
        return SavedRig(row.id, row.name, row.created, get_rig(self._t, row.rig))

    def all(self) -> list[SavedRig]:
        """All saved rigs, the newest first."""
        table = self._t.NamedRig
        return [self._saved(row) for row in self.rows.present().order_by(table.id.desc())]

    def get(self, rig_id: int) -> SavedRig:
        return self._saved(self.rows.row(rig_id))

    def picture(self, rig_id: int) -> bytes | None:
        """How the rig looked where it was made (JPEG), or None where it was never seen."""
        picture = self.rows.row(rig_id).picture
        return None if picture is None else bytes(picture)

    def save(self, name: str, rig: Rig, picture: bytes | None) -> SavedRig:
        """Saves a rig under a name; files that it carries are kept."""
        with self._t.db.atomic("IMMEDIATE"):
            bare = rig.model_copy(update={"files": {}})
            row = self._t.NamedRig.create(name=name, rig=put_rig(self._t, bare), picture=picture, created=time.time())
            for used in rig.file_names():
                carried = rig.file(used)
                if carried is not None:
                    self._files.put(carried)
                if self._files.has(used):
                    self._files.use(used, rig_id=row.id)
            return self._saved(row)

    def rename(self, rig_id: int, name: str) -> SavedRig:
        return self._saved(self.rows.rename(rig_id, name))

    def delete(self, rig_id: int) -> SavedRig:
        return self._saved(self.rows.delete(rig_id))

    def restore(self, rig_id: int) -> SavedRig:
        return self._saved(self.rows.restore(rig_id))
