"""Rows that are deleted softly: marked, brought back on demand, and gone for good after a while."""

from __future__ import annotations

import time
from typing import Any

from aurelon.store.errors import Unknown

KEPT_AFTER_DELETE = 30 * 24 * 3600.0


class SoftlyDeletedRows:
    """The rows of one table that can be named, deleted and brought back. `noun` is what a person calls one."""

    def __init__(self, table: Any, noun: str) -> None:
        self.table = table
        self.noun = noun

    def row(self, number: int, *, deleted: bool = False) -> Any:
        """A row by its number. Raises Unknown where no row has it, or where the row is deleted, unless deleted rows count."""
        found = self.table.get_or_none(self.table.id == number)
        if found is None or (found.deleted is not None and not deleted):
            raise Unknown(self.noun, number)
        return found

    def present(self) -> Any:
        """A query of the rows that are not deleted."""
        return self.table.select().where(self.table.deleted.is_null())

    def rename(self, number: int, name: str) -> Any:
        row = self.row(number)
        row.name = name
        row.save(only=[self.table.name])
        return row

    def delete(self, number: int) -> Any:
        return self._mark(self.row(number), time.time())

    def restore(self, number: int) -> Any:
        return self._mark(self.row(number, deleted=True), None)

    def _mark(self, row: Any, when: float | None) -> Any:
        row.deleted = when
        row.save(only=[self.table.deleted])
        return row

    def purge(self) -> None:
        """Forgets for good what was deleted long ago."""
        old = time.time() - KEPT_AFTER_DELETE
        self.table.delete().where(self.table.deleted < old).execute()
