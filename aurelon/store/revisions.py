"""Revisions: every state that a plate's rig has had, and the walk back and forth between them."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

from aurelon.core import AurelonError, Rig
from aurelon.store.files import Files
from aurelon.store.pieces import get_rig, put_rig
from aurelon.store.plates import PlateRecord, Plates
from aurelon.store.tables import Tables


@dataclass(frozen=True)
class BenchState:
    """A plate's present rig, and what undo and redo would do."""

    plate: PlateRecord
    revision: int
    rig: Rig
    undo: str | None
    redo: str | None


class Conflict(AurelonError):
    """A save on a revision that is no longer the present one. `state` is what is there now."""

    def __init__(self, state: BenchState) -> None:
        super().__init__("this plate was changed in another window since this one last saw it")
        self.state = state


class Revisions:
    """Saving on top of the present revision, undoing and redoing. Each is one transaction."""

    def __init__(self, tables: Tables, plates: Plates, files: Files) -> None:
        self._t = tables
        self._plates = plates
        self._files = files

    def bench(self, plate_id: int) -> BenchState:
        return self._state(self._plates.rows.row(plate_id))

    def save(self, plate_id: int, base: int, rig: Rig, label: str) -> BenchState:
        """A new revision made from `base`. Raises Conflict when that is not the present one."""
        with self._t.db.atomic("IMMEDIATE"):
            row = self._on(plate_id, base)
            rig = self._files.adopt(plate_id, rig)
            result = self._t.Revision.create(
                plate=row, parent=base, label=label, rig=put_rig(self._t, rig), lights=len(rig.stack), created=time.time()
            )
            return self._move(row, result.id)

    def undo(self, plate_id: int, base: int) -> BenchState:
        """Back to the state that the present one was made from; stays at the first state."""
        with self._t.db.atomic("IMMEDIATE"):
            row = self._on(plate_id, base)
            parent = self._t.Revision.get_by_id(base).parent_id
            return self._state(row) if parent is None else self._move(row, parent)

    def redo(self, plate_id: int, base: int) -> BenchState:
        """On to the newest state made from the present one; stays at the last state."""
        with self._t.db.atomic("IMMEDIATE"):
            row = self._on(plate_id, base)
            child = self._newest_child(base)
            return self._state(row) if child is None else self._move(row, child.id)

    def _newest_child(self, revision: int) -> Any:
        table = self._t.Revision
        return table.select().where(table.parent == revision).order_by(table.id.desc()).first()

    def _state(self, row: Any) -> BenchState:
        head = self._t.Revision.get_by_id(row.head)
        child = self._newest_child(head.id)
        return BenchState(
            self._plates.record(row),
            head.id,
            get_rig(self._t, head.rig),
            head.label if head.parent_id is not None else None,
            child.label if child is not None else None,
        )

    def _on(self, plate_id: int, base: int) -> Any:
        """The plate's row; raises Conflict unless `base` is its present revision."""
        row = self._plates.rows.row(plate_id)
        if row.head != base:
            raise Conflict(self._state(row))
        return row

    def _move(self, row: Any, revision: int) -> BenchState:
        row.head = revision
        row.save(only=[self._t.Plate.head])
        return self._state(row)
