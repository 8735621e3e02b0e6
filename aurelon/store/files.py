"""Files byte for byte, by the SHA-256 of their content: pictures of plates, and what rigs refer to."""

from __future__ import annotations

import hashlib
import io
from typing import BinaryIO

from aurelon.core import Rig
from aurelon.core.reels.shared.read_in_place import ReadInPlace
from aurelon.store.tables import Tables

CHUNK = 1 << 20


class _StoredFile(ReadInPlace):
    """A kept file, read chunk by chunk from the data file."""

    def __init__(self, tables: Tables, name: str) -> None:
        super().__init__(int(tables.Blob.select(tables.Blob.size).where(tables.Blob.hash == name).scalar() or 0))
        self._t = tables
        self._name = name

    def piece(self, offset: int, size: int) -> bytes:
        chunk = self._t.Chunk
        held = chunk.select(chunk.data).where(chunk.blob == self._name, chunk.place == offset // CHUNK).scalar()
        return bytes(held or b"")[offset % CHUNK :][:size]


class Files:
    """Files are kept once, however many plates and rigs use them."""

    def __init__(self, tables: Tables) -> None:
        self._t = tables

    def put(self, data: bytes) -> str:
        """Keeps a file; its name. Within a transaction."""
        name = hashlib.sha256(data).hexdigest()
        if not self.has(name):
            self._t.Blob.create(hash=name, size=len(data))
            for at in range(0, max(len(data), 1), CHUNK):
                self._t.Chunk.create(blob=name, place=at // CHUNK, data=data[at : at + CHUNK])
        return name

    def has(self, name: str) -> bool:
        return self._t.Blob.get_or_none(self._t.Blob.hash == name) is not None

    def get(self, name: str) -> bytes | None:
        """A file by its name, or None."""
        if not self.has(name):
            return None
        chunk = self._t.Chunk
        rows = chunk.select(chunk.data).where(chunk.blob == name).order_by(chunk.place)
        return b"".join(bytes(row.data) for row in rows)

    def put_whole(self, file: BinaryIO) -> str:
        """Keeps a file that is read piece by piece, in a transaction of its own; its name."""
        digest = hashlib.sha256()
        file.seek(0)
        while piece := file.read(CHUNK):
            digest.update(piece)
        name, size = digest.hexdigest(), file.tell()
        file.seek(0)
        with self._t.db.atomic("IMMEDIATE"):
            if not self.has(name):
                self._t.Blob.create(hash=name, size=size)
                for place in range(max(-(-size // CHUNK), 1)):
                    self._t.Chunk.create(blob=name, place=place, data=file.read(CHUNK))
        return name

    def opened(self, name: str) -> BinaryIO:
        """A file that is there, to be read where it lies."""
        return io.BufferedReader(_StoredFile(self._t, name), CHUNK)

    def add(self, data: bytes, file_name: str, *, plate_id: int) -> str:
        """Keeps a file that rigs on a plate refer to; its name."""
        with self._t.db.atomic("IMMEDIATE"):
            name = self.put(data)
            self._t.FileUse.create(blob=name, plate=plate_id, file_name=file_name)
        return name

    def use(self, name: str, *, rig_id: int) -> None:
        """Keeps a file for as long as a saved rig refers to it. Within a transaction."""
        self._t.FileUse.create(blob=name, named=rig_id, file_name=name[:12])

    def names(self, plate_id: int) -> dict[str, str]:
        """The files kept with a plate: the name that each came with, by its SHA-256."""
        use = self._t.FileUse
        return {row.blob_id: row.file_name for row in use.select().where(use.plate == plate_id).order_by(use.id)}

    def adopt(self, plate_id: int, rig: Rig) -> Rig:
        """The rig with the files that it carries kept with the plate. Within a transaction."""
        for name in rig.files:
            self._t.FileUse.create(blob=self.put(rig.file(name) or b""), plate=plate_id, file_name=name[:12])
        return rig.model_copy(update={"files": {}}) if rig.files else rig

    def purge(self) -> None:
        """Forgets files that nothing uses any more."""
        t = self._t
        t.Blob.delete().where(
            t.Blob.hash.not_in(t.Plate.select(t.Plate.blob)),
            t.Blob.hash.not_in(t.FileUse.select(t.FileUse.blob)),
            t.Blob.hash.not_in(t.RunItem.select(t.RunItem.blob).where(t.RunItem.blob.is_null(False))),
        ).execute()
