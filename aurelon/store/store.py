"""What can be done with plates and revisions. Every method is one transaction."""

from __future__ import annotations

import hashlib
import time
from dataclasses import dataclass
from pathlib import Path

from peewee import SqliteDatabase

from aurelon.core import AurelonError, Rig, parse_rig
from aurelon.store.tables import Blob, Chunk, PlateRow, Revision, database, migrate

CHUNK = 1 << 20
KEPT_AFTER_DELETE = 30 * 24 * 3600.0


class UnknownPlate(AurelonError):
    """There is no plate of that number."""


class Conflict(AurelonError):
    """A save on a revision that is no longer the present one. `state` is what is there now."""

    def __init__(self, state: BenchState) -> None:
        super().__init__("this plate was changed in another window since this one last saw it")
        self.state = state


@dataclass(frozen=True)
class PlateRecord:
    """A plate as it is listed."""

    id: int
    name: str
    file_name: str
    width: int
    height: int
    depth: str
    revision: int
    lights: int
    created: float
    hash: str


@dataclass(frozen=True)
class BenchState:
    """A plate's present rig, and what undo and redo would do."""

    plate: PlateRecord
    revision: int
    rig: Rig
    undo: str | None
    redo: str | None


class Store:
    """The data file at `path`, made when it is not there. Safe between threads."""

    def __init__(self, path: Path) -> None:
        self._db = SqliteDatabase(
            str(path),
            pragmas={"journal_mode": "wal", "foreign_keys": 1, "synchronous": "full", "busy_timeout": 10000},
        )
        database.initialize(self._db)
        migrate(self._db)
        self._purge()

    def close(self) -> None:
        self._db.close()

    def _purge(self) -> None:
        """Forgets plates deleted long ago, and files that no plate has any more."""
        with self._db.atomic("IMMEDIATE"):
            PlateRow.delete().where(PlateRow.deleted < time.time() - KEPT_AFTER_DELETE).execute()
            Blob.delete().where(Blob.hash.not_in(PlateRow.select(PlateRow.blob))).execute()

    # Files

    def _put_blob(self, data: bytes) -> str:
        name = hashlib.sha256(data).hexdigest()
        if Blob.get_or_none(Blob.hash == name) is None:
            Blob.create(hash=name, size=len(data))
            for place in range(0, max(len(data), 1), CHUNK):
                Chunk.create(blob=name, place=place // CHUNK, data=data[place : place + CHUNK])
        return name

    def file(self, plate_id: int) -> bytes:
        """The plate's file, byte for byte as it came."""
        row = self._row(plate_id)
        chunks = Chunk.select(Chunk.data).where(Chunk.blob == row.blob_id).order_by(Chunk.place)
        return b"".join(bytes(chunk.data) for chunk in chunks)

    # Plates

    def _row(self, plate_id: int, *, deleted: bool = False) -> PlateRow:
        row = PlateRow.get_or_none(PlateRow.id == plate_id)
        if row is None or (row.deleted is not None and not deleted):
            raise UnknownPlate(f"there is no plate number {plate_id}; it may have been deleted")
        return row

    def _record(self, row: PlateRow) -> PlateRecord:
        rig = parse_rig(Revision.get_by_id(row.head).rig)
        return PlateRecord(
            row.id, row.name, row.file_name, row.width, row.height, row.depth, row.head, len(rig.stack),
            row.created, row.blob_id,
        )  # fmt: skip

    def add_plate(self, data: bytes, file_name: str, size: tuple[int, int], depth: str, rig: Rig, name: str) -> int:
        """Keeps a picture file with its first rig; the number of the new plate."""
        now = time.time()
        with self._db.atomic("IMMEDIATE"):
            row = PlateRow.create(
                name=name, file_name=file_name, blob=self._put_blob(data), width=size[0], height=size[1],
                depth=depth, created=now,
            )  # fmt: skip
            first = Revision.create(plate=row, parent=None, label="As it came", rig=rig.model_dump_json(), created=now)
            PlateRow.update(head=first.id).where(PlateRow.id == row.id).execute()
        return int(row.id)

    def plates(self) -> list[PlateRecord]:
        rows = PlateRow.select().where(PlateRow.deleted.is_null()).order_by(PlateRow.created.desc(), PlateRow.id.desc())
        return [self._record(row) for row in rows]

    def plate(self, plate_id: int) -> PlateRecord:
        return self._record(self._row(plate_id))

    def rename(self, plate_id: int, name: str) -> PlateRecord:
        row = self._row(plate_id)
        row.name = name
        row.save(only=[PlateRow.name])
        return self._record(row)

    def delete(self, plate_id: int) -> None:
        row = self._row(plate_id)
        row.deleted = time.time()
        row.save(only=[PlateRow.deleted])

    def restore(self, plate_id: int) -> PlateRecord:
        row = self._row(plate_id, deleted=True)
        row.deleted = None
        row.save(only=[PlateRow.deleted])
        return self._record(row)

    def thumbnail(self, plate_id: int) -> bytes | None:
        """The picture of the present revision, when one was kept."""
        row = self._row(plate_id)
        return bytes(row.thumbnail) if row.thumbnail is not None and row.thumbnail_of == row.head else None

    def keep_thumbnail(self, plate_id: int, revision: int, picture: bytes) -> None:
        PlateRow.update(thumbnail=picture, thumbnail_of=revision).where(PlateRow.id == plate_id).execute()

    # Revisions

    def _newest_child(self, revision: int) -> Revision | None:
        found: Revision | None = (
            Revision.select().where(Revision.parent == revision).order_by(Revision.id.desc()).first()
        )
        return found

    def _state(self, row: PlateRow) -> BenchState:
        head = Revision.get_by_id(row.head)
        child = self._newest_child(head.id)
        return BenchState(
            self._record(row),
            head.id,
            parse_rig(head.rig),
            head.label if head.parent_id is not None else None,
            child.label if child is not None else None,
        )

    def bench(self, plate_id: int) -> BenchState:
        return self._state(self._row(plate_id))

    def _on(self, plate_id: int, base: int) -> PlateRow:
        """The plate's row; raises Conflict unless `base` is its present revision."""
        row = self._row(plate_id)
        if row.head != base:
            raise Conflict(self._state(row))
        return row

    def _move(self, row: PlateRow, revision: int) -> BenchState:
        row.head = revision
        row.save(only=[PlateRow.head])
        return self._state(row)

    def save(self, plate_id: int, base: int, rig: Rig, label: str) -> BenchState:
        """A new revision made from `base`. Raises Conflict when that is not the present one."""
        with self._db.atomic("IMMEDIATE"):
            row = self._on(plate_id, base)
            made = Revision.create(plate=row, parent=base, label=label, rig=rig.model_dump_json(), created=time.time())
            return self._move(row, made.id)

    def undo(self, plate_id: int, base: int) -> BenchState:
        """Back to the state that the present one was made from; the same state where there is none."""
        with self._db.atomic("IMMEDIATE"):
            row = self._on(plate_id, base)
            parent = Revision.get_by_id(base).parent_id
            return self._state(row) if parent is None else self._move(row, parent)

    def redo(self, plate_id: int, base: int) -> BenchState:
        """On to the newest state made from the present one; the same state where there is none."""
        with self._db.atomic("IMMEDIATE"):
            row = self._on(plate_id, base)
            child = self._newest_child(base)
            return self._state(row) if child is None else self._move(row, child.id)
