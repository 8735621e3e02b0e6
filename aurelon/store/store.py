"""The data file: everything that is kept, one room for each noun."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path
from typing import Any

from filelock import FileLock, Timeout
from peewee import DatabaseError, SqliteDatabase

from aurelon.store.errors import StoreError
from aurelon.store.files import Files
from aurelon.store.migrations import migrate
from aurelon.store.plates import Plates
from aurelon.store.revisions import Revisions
from aurelon.store.rigs import Rigs
from aurelon.store.runs import Runs
from aurelon.store.tables import Tables
from aurelon.store.takes import Takes

PRAGMAS = {"journal_mode": "wal", "foreign_keys": 1, "synchronous": "full", "busy_timeout": 10000}


def _private(path: Path) -> None:
    """Has the data file be readable for its owner alone; those that SQLite lays beside it take that over."""
    with suppress(OSError):  # what is wrong with it is said when it is opened
        os.close(os.open(path, os.O_RDWR | os.O_CREAT, 0o600))
        path.chmod(0o600)


def _unusable(path: Path, error: DatabaseError) -> str:
    """Why a data file cannot be used, and what to do."""
    sentence = str(error)
    if path.is_dir():
        return f"{path} is a folder, where the data file should be; move it away, or choose another folder with --data"
    if "not a database" in sentence or "malformed" in sentence:
        other = "put a copy of it back, or choose another folder with --data"
        return f"{path} is not an Aurelon data file, or it is damaged ({sentence}); {other}"
    if "readonly" in sentence or "unable to open" in sentence:
        return f"{path} cannot be written to ({sentence}); allow it, or choose another folder with --data"
    if "locked" in sentence:
        return f"{path} is held by another program; close that one, and start again"
    return f"{path} cannot be used ({sentence}); make room for it, or choose another folder with --data"


class DataFile(SqliteDatabase):
    """A SQLite file. Where a write finds no room, SQLite takes all of it back by itself (sqlite.org/lang_transaction.html), and
    there is nothing more to roll back; to try would hide what was wrong."""

    def rollback(self) -> None:
        database: Any = self
        if database.connection().in_transaction:
            super().rollback()


class Store:
    """The data file at `path`, made when it is not there. Safe between threads.

    Raises StoreError where the file is in use by another Aurelon, or newer than this one.
    """

    def __init__(self, path: Path) -> None:
        self._lock = FileLock(f"{path}.lock", thread_local=False)
        try:
            self._lock.acquire(timeout=0)
        except Timeout as error:
            raise StoreError(
                f"the data in {path.parent} is in use by another Aurelon; stop that one first, or choose another folder with --data"
            ) from error
        except OSError as error:
            raise StoreError(
                f"{path.parent} cannot be used for the data: {error.strerror}; choose another folder with --data"
            ) from error
        self.path = path
        _private(path)
        self._db = DataFile(str(path), pragmas=PRAGMAS)
        try:
            self.tables = tables = Tables(self._db)
            migrate(tables)
            self.files = Files(tables)
            self.plates = Plates(tables, self.files)
            self.revisions = Revisions(tables, self.plates, self.files)
            self.takes = Takes(tables, self.plates, self.files)
            self.rigs = Rigs(tables, self.files)
            self.runs = Runs(tables, self.plates, self.files, self.revisions)
            self._purge()
        except DatabaseError as error:
            self.close()
            raise StoreError(_unusable(path, error)) from error
        except BaseException:
            self.close()
            raise

    def close(self) -> None:
        self._db.close()
        self._lock.release()

    def _purge(self) -> None:
        """Forgets what was deleted long ago, and files that nothing uses any more."""
        with self._db.atomic("IMMEDIATE"):
            for shelf in (self.plates.rows, self.takes.rows, self.rigs.rows):
                shelf.purge()
            self.files.purge()
