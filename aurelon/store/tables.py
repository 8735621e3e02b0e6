"""The tables, and the migrations that lead to them. `PRAGMA user_version` says how many have run."""

from __future__ import annotations

from typing import Any

from peewee import (
    AutoField,
    BlobField,
    CharField,
    CompositeKey,
    DatabaseProxy,
    FloatField,
    ForeignKeyField,
    IntegerField,
    Model,
    SqliteDatabase,
    TextField,
)

database = DatabaseProxy()


class Table(Model):
    class Meta:
        database = database


class Blob(Table):
    """A file byte for byte, named by the SHA-256 of its content and kept in chunks."""

    hash = CharField(primary_key=True)
    size = IntegerField()


class Chunk(Table):
    blob: Any = ForeignKeyField(Blob, on_delete="CASCADE", backref="chunks")
    place = IntegerField()
    data = BlobField()

    class Meta:
        primary_key = CompositeKey("blob", "place")


class PlateRow(Table):
    id: Any = AutoField()
    blob_id: Any
    name: Any = CharField()
    file_name = CharField()
    blob = ForeignKeyField(Blob, on_delete="RESTRICT")
    width = IntegerField()
    height = IntegerField()
    depth = CharField()
    head = IntegerField(default=0)
    thumbnail = BlobField(null=True)
    thumbnail_of = IntegerField(default=0)
    created = FloatField()
    deleted = FloatField(null=True)

    class Meta:
        table_name = "plate"


class Revision(Table):
    """A state of a plate's rig. `parent` is the state it was made from; a plate's `head` is the present one."""

    id: Any = AutoField()
    parent_id: Any
    plate: Any = ForeignKeyField(PlateRow, on_delete="CASCADE", backref="revisions")
    parent = ForeignKeyField("self", null=True, on_delete="CASCADE", backref="children")
    label = CharField()
    rig = TextField()
    created = FloatField()


class Piece(Table):
    """A part of rigs that many states have in common, by the SHA-256 of its JSON."""

    hash = CharField(primary_key=True)
    text = TextField()


class TakeRow(Table):
    """A named state of a plate's rig. It stays whatever becomes of the revisions."""

    id: Any = AutoField()
    plate_id: Any
    plate = ForeignKeyField(PlateRow, on_delete="CASCADE", backref="takes")
    name: Any = CharField()
    rig = TextField()
    created = FloatField()
    deleted: Any = FloatField(null=True)

    class Meta:
        table_name = "take"


class NamedRig(Table):
    """A rig that was saved for other plates, with a picture (JPEG) of how it looked where it was made."""

    id: Any = AutoField()
    name: Any = CharField()
    rig = TextField()
    picture = BlobField(null=True)
    created = FloatField()
    deleted: Any = FloatField(null=True)


class FileUse(Table):
    """Keeps a file that rigs refer to: a depth picture, a matte from elsewhere. Of a plate, or of a named rig."""

    id: Any = AutoField()
    blob_id: Any
    blob = ForeignKeyField(Blob, on_delete="RESTRICT")
    plate = ForeignKeyField(PlateRow, null=True, on_delete="CASCADE")
    named = ForeignKeyField(NamedRig, null=True, on_delete="CASCADE")
    file_name: Any = CharField()


def _create(db: SqliteDatabase) -> None:
    db.create_tables([Blob, Chunk, PlateRow, Revision])


def _add_takes_and_rigs(db: SqliteDatabase) -> None:
    db.create_tables([Piece, TakeRow, NamedRig, FileUse])


MIGRATIONS = [_create, _add_takes_and_rigs]


def migrate(db: SqliteDatabase) -> None:
    """Brings the file to the newest schema, each step in a transaction of its own."""
    done = db.pragma("user_version")
    if done > len(MIGRATIONS):
        raise RuntimeError(f"the data file is of version {done}, newer than this Aurelon knows ({len(MIGRATIONS)})")
    for number, step in enumerate(MIGRATIONS[done:], start=done + 1):
        with db.atomic():
            step(db)
            db.pragma("user_version", number)
