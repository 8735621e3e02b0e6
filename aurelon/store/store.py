"""What can be done with plates and revisions. Every method is one transaction."""

from __future__ import annotations

import hashlib
import time
from dataclasses import dataclass
from pathlib import Path

from peewee import SqliteDatabase

from aurelon.core import AurelonError, Rig
from aurelon.store.pieces import get_rig, put_rig
from aurelon.store.tables import Blob, Chunk, FileUse, NamedRig, PlateRow, Revision, TakeRow, database, migrate

CHUNK = 1 << 20
KEPT_AFTER_DELETE = 30 * 24 * 3600.0


class UnknownPlate(AurelonError):
    """There is no plate of that number."""


class Unknown(AurelonError):
    """There is no take or named rig of that number."""


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


@dataclass(frozen=True)
class Take:
    """A named, kept state of a plate's rig."""

    id: int
    name: str
    created: float
    rig: Rig


@dataclass(frozen=True)
class SavedRig:
    """A rig that was saved for other plates."""

    id: int
    name: str
    created: float
    rig: Rig
    picture: bytes | None


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
            old = time.time() - KEPT_AFTER_DELETE
            for table in (PlateRow, TakeRow, NamedRig):
                table.delete().where(table.deleted < old).execute()
            Blob.delete().where(
                Blob.hash.not_in(PlateRow.select(PlateRow.blob)), Blob.hash.not_in(FileUse.select(FileUse.blob))
            ).execute()

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
        return self._blob(self._row(plate_id).blob_id)

    def _blob(self, name: str) -> bytes:
        chunks = Chunk.select(Chunk.data).where(Chunk.blob == name).order_by(Chunk.place)
        return b"".join(bytes(chunk.data) for chunk in chunks)

    def add_file(self, data: bytes, file_name: str, *, plate_id: int | None = None, named_id: int | None = None) -> str:
        """Keeps a file that a rig refers to, with a plate or with a named rig; its SHA-256."""
        with self._db.atomic("IMMEDIATE"):
            name = self._put_blob(data)
            FileUse.create(blob=name, plate=plate_id, named=named_id, file_name=file_name)
        return name

    def named_file(self, name: str) -> bytes | None:
        """A file by its SHA-256, or None."""
        return self._blob(name) if Blob.get_or_none(Blob.hash == name) is not None else None

    def file_names(self, plate_id: int) -> dict[str, str]:
        """The files kept with a plate: the name that each came with, by its SHA-256."""
        uses = FileUse.select().where(FileUse.plate == plate_id).order_by(FileUse.id)
        return {use.blob_id: use.file_name for use in uses}

    def _adopt(self, plate: PlateRow, rig: Rig) -> Rig:
        """The rig with the pictures that it carries kept as files of the plate."""
        for name in rig.pictures:
            FileUse.create(blob=self._put_blob(rig.picture(name) or b""), plate=plate, file_name=name[:12])
        return rig.model_copy(update={"pictures": {}}) if rig.pictures else rig

    # Plates

    def _row(self, plate_id: int, *, deleted: bool = False) -> PlateRow:
        row = PlateRow.get_or_none(PlateRow.id == plate_id)
        if row is None or (row.deleted is not None and not deleted):
            raise UnknownPlate(f"there is no plate number {plate_id}; it may have been deleted")
        return row

    def _record(self, row: PlateRow) -> PlateRecord:
        rig = get_rig(Revision.get_by_id(row.head).rig)
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
            rig = self._adopt(row, rig)
            first = Revision.create(plate=row, parent=None, label="As it came", rig=put_rig(rig), created=now)
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
            get_rig(head.rig),
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
            rig = self._adopt(row, rig)
            made = Revision.create(plate=row, parent=base, label=label, rig=put_rig(rig), created=time.time())
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

    # Takes

    def _take(self, take_id: int, *, deleted: bool = False) -> TakeRow:
        row = TakeRow.get_or_none(TakeRow.id == take_id)
        if row is None or (row.deleted is not None and not deleted):
            raise Unknown(f"there is no take number {take_id}; it may have been deleted")
        return row

    def takes(self, plate_id: int) -> list[Take]:
        """A plate's takes, first to last."""
        self._row(plate_id)
        rows = TakeRow.select().where(TakeRow.plate == plate_id, TakeRow.deleted.is_null()).order_by(TakeRow.id)
        return [self._as_take(row) for row in rows]

    def _as_take(self, row: TakeRow) -> Take:
        return Take(row.id, row.name, row.created, get_rig(row.rig))

    def take(self, take_id: int) -> Take:
        return self._as_take(self._take(take_id))

    def keep_take(self, plate_id: int, name: str, rig: Rig) -> Take:
        """Keeps a state under a name."""
        self._row(plate_id)
        with self._db.atomic("IMMEDIATE"):
            rig = self._adopt(self._row(plate_id), rig)
            return self._as_take(TakeRow.create(plate=plate_id, name=name, rig=put_rig(rig), created=time.time()))

    def rename_take(self, take_id: int, name: str) -> Take:
        row = self._take(take_id)
        row.name = name
        row.save(only=[TakeRow.name])
        return self._as_take(row)

    def delete_take(self, take_id: int, *, back: bool = False) -> Take:
        """Deletes a take, or brings it back."""
        row = self._take(take_id, deleted=True)
        row.deleted = None if back else time.time()
        row.save(only=[TakeRow.deleted])
        return self._as_take(row)

    # Named rigs

    def _named(self, rig_id: int, *, deleted: bool = False) -> NamedRig:
        row = NamedRig.get_or_none(NamedRig.id == rig_id)
        if row is None or (row.deleted is not None and not deleted):
            raise Unknown(f"there is no saved rig number {rig_id}; it may have been deleted")
        return row

    def _as_saved(self, row: NamedRig) -> SavedRig:
        return SavedRig(row.id, row.name, row.created, get_rig(row.rig), row.picture and bytes(row.picture))

    def saved_rigs(self) -> list[SavedRig]:
        """All saved rigs by their names."""
        rows = NamedRig.select().where(NamedRig.deleted.is_null()).order_by(NamedRig.name, NamedRig.id)
        return [self._as_saved(row) for row in rows]

    def saved_rig(self, rig_id: int) -> SavedRig:
        return self._as_saved(self._named(rig_id))

    def save_rig(self, name: str, rig: Rig, picture: bytes | None) -> SavedRig:
        """Saves a rig under a name; pictures that it carries are kept as files."""
        with self._db.atomic("IMMEDIATE"):
            bare = rig.model_copy(update={"pictures": {}})
            row = NamedRig.create(name=name, rig=put_rig(bare), picture=picture, created=time.time())
            for used in rig.picture_names():
                carried = rig.picture(used)
                if carried is not None:
                    self._put_blob(carried)
                if Blob.get_or_none(Blob.hash == used) is not None:
                    FileUse.create(blob=used, named=row.id, file_name=used[:12])
            return self._as_saved(row)

    def rename_rig(self, rig_id: int, name: str) -> SavedRig:
        row = self._named(rig_id)
        row.name = name
        row.save(only=[NamedRig.name])
        return self._as_saved(row)

    def delete_rig(self, rig_id: int, *, back: bool = False) -> SavedRig:
        """Deletes a saved rig, or brings it back."""
        row = self._named(rig_id, deleted=True)
        row.deleted = None if back else time.time()
        row.save(only=[NamedRig.deleted])
        return self._as_saved(row)
