"""The tables of a data file. They are made anew for each file that is opened, and bound to that file alone."""

from __future__ import annotations

from typing import Any

from peewee import (
    AutoField,
    BlobField,
    CharField,
    CompositeKey,
    FloatField,
    ForeignKeyField,
    IntegerField,
    Model,
    SqliteDatabase,
    TextField,
)


class Tables:
    """The tables, bound to `db`. Rows of plates, takes and named rigs that were deleted stay for a while, marked by
    the time of their deletion."""

    # peewee's models have no types of their own; what the nouns give away is typed.
    Blob: Any
    Chunk: Any
    Plate: Any
    Revision: Any
    Piece: Any
    Take: Any
    NamedRig: Any
    FileUse: Any
    Run: Any
    RunItem: Any

    def __init__(self, db: SqliteDatabase) -> None:
        self.db = db

        class Table(Model):
            class Meta:
                database = db

        class Blob(Table):
            """A file byte for byte, named by the SHA-256 of its content and kept in chunks."""

            hash = CharField(primary_key=True)
            size = IntegerField()

        class Chunk(Table):
            blob = ForeignKeyField(Blob, on_delete="CASCADE", backref="chunks")
            place = IntegerField()
            data = BlobField()

            class Meta:
                primary_key = CompositeKey("blob", "place")

        class Plate(Table):
            id = AutoField()
            name = CharField()
            file_name = CharField()
            blob = ForeignKeyField(Blob, on_delete="RESTRICT")
            width = IntegerField()
            height = IntegerField()
            depth = CharField()
            frames = IntegerField(default=0)
            head = IntegerField(default=0)
            thumbnail = BlobField(null=True)
            thumbnail_of = IntegerField(default=0)
            created = FloatField()
            deleted = FloatField(null=True)

        class Revision(Table):
            """A state of a plate's rig. `parent` is the state it was made from; a plate's `head` is the present one."""

            id = AutoField()
            plate = ForeignKeyField(Plate, on_delete="CASCADE", backref="revisions")
            parent = ForeignKeyField("self", null=True, on_delete="CASCADE", backref="children")
            label = CharField()
            rig = TextField()
            lights = IntegerField(default=0)
            created = FloatField()

        class Piece(Table):
            """A part of rigs that many states have in common, by the SHA-256 of its JSON."""

            hash = CharField(primary_key=True)
            text = TextField()

        class Take(Table):
            """A named state of a plate's rig. It stays whatever becomes of the revisions."""

            id = AutoField()
            plate = ForeignKeyField(Plate, on_delete="CASCADE", backref="takes")
            name = CharField()
            rig = TextField()
            created = FloatField()
            deleted = FloatField(null=True)

        class NamedRig(Table):
            """A rig that was saved for other plates, with a picture (JPEG) of how it looked where it was made."""

            id = AutoField()
            name = CharField()
            rig = TextField()
            picture = BlobField(null=True)
            created = FloatField()
            deleted = FloatField(null=True)

        class FileUse(Table):
            """Keeps a file that rigs refer to: a depth map, a matte from elsewhere. Of a plate, or of a named rig."""

            id = AutoField()
            blob = ForeignKeyField(Blob, on_delete="RESTRICT")
            plate = ForeignKeyField(Plate, null=True, on_delete="CASCADE")
            named = ForeignKeyField(NamedRig, null=True, on_delete="CASCADE")
            file_name = CharField()

        class Run(Table):
            """A rig laid on many plates, or their pictures exported, or both. Where `rig` is NULL each plate has its own."""

            id = AutoField()
            name = CharField()
            rig = TextField(null=True)
            rig_name = CharField()
            placing = CharField()
            export = TextField()
            cluster = CharField()
            state = CharField()
            error = TextField()
            seconds = FloatField()
            created = FloatField()

        class RunItem(Table):
            """A plate of a run: `revision` is the one that the run made of it, `blob` the file. Of a reel the frames from `first`
            up to, without, `last`; `part` says what it is: "" for a whole, "segment" for a piece of a file of moving pictures,
            "joined" for that file."""

            id = AutoField()
            run = ForeignKeyField(Run, on_delete="CASCADE", backref="items")
            plate = ForeignKeyField(Plate, on_delete="CASCADE")
            state = CharField()
            says = TextField()
            revision = IntegerField()
            first = IntegerField(default=0)
            last = IntegerField(default=0)
            part = CharField(default="")
            blob = ForeignKeyField(Blob, null=True, on_delete="RESTRICT")
            file_name = CharField()
            media_type = CharField()

        self.Blob, self.Chunk, self.Plate, self.Revision = Blob, Chunk, Plate, Revision
        self.Piece, self.Take, self.NamedRig, self.FileUse = Piece, Take, NamedRig, FileUse
        self.Run, self.RunItem = Run, RunItem
