"""Plates: pictures that light is put into."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any, BinaryIO

from aurelon.core import Rig
from aurelon.store.files import Files
from aurelon.store.pieces import put_rig
from aurelon.store.soft_deletion import SoftlyDeletedRows
from aurelon.store.tables import Tables


@dataclass(frozen=True)
class PlateRecord:
    """A plate as it is listed: its size in pixels, the depth of its file, its present revision and how many lights
    that has. `frames` is 0 for a still picture."""

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
    frames: int


class Plates:
    """Bringing in, listing, naming and deleting plates."""

    def __init__(self, tables: Tables, files: Files) -> None:
        self._t = tables
        self._files = files
        self.rows = SoftlyDeletedRows(tables.Plate, "plate")

    def record(self, row: Any) -> PlateRecord:
        revision = self._t.Revision
        lights = revision.select(revision.lights).where(revision.id == row.head).scalar()
        return PlateRecord(
            row.id,
            row.name,
            row.file_name,
            row.width,
            row.height,
            row.depth,
            row.head,
            lights,
            row.created,
            row.blob_id,
            row.frames,
        )

    def add(
        self, data: bytes | str, file_name: str, size: tuple[int, int], depth: str, rig: Rig, name: str, frames: int = 0
    ) -> PlateRecord:
        """Keeps a picture file with its first rig; or a file that is kept already, by its name."""
        now = time.time()
        with self._t.db.atomic("IMMEDIATE"):
            row = self._t.Plate.create(
                name=name,
                file_name=file_name,
                blob=data if isinstance(data, str) else self._files.put(data),
                width=size[0],
                height=size[1],
                depth=depth,
                frames=frames,
                created=now,
            )
            rig = self._files.adopt(row.id, rig)
            first = self._t.Revision.create(
                plate=row, parent=None, label="As it came", rig=put_rig(self._t, rig), lights=len(rig.stack), created=now
            )
            row.head = first.id
            row.save(only=[self._t.Plate.head])
        return self.record(row)

    def all(self) -> list[PlateRecord]:
        """Every plate, newest first."""
        table = self._t.Plate
        return [self.record(row) for row in self.rows.present().order_by(table.created.desc(), table.id.desc())]

    def get(self, plate_id: int) -> PlateRecord:
        return self.record(self.rows.row(plate_id))

    def rename(self, plate_id: int, name: str) -> PlateRecord:
        return self.record(self.rows.rename(plate_id, name))

    def delete(self, plate_id: int) -> None:
        self.rows.delete(plate_id)

    def restore(self, plate_id: int) -> PlateRecord:
        return self.record(self.rows.restore(plate_id))

    def hash(self, plate_id: int) -> str:
        """The name of the plate's file; nothing else is read."""
        return str(self.rows.row(plate_id).blob_id)

    def file(self, plate_id: int) -> bytes:
        """The plate's file, byte for byte as it came."""
        return self._files.get(self.hash(plate_id)) or b""

    def opened(self, plate_id: int) -> BinaryIO:
        """The plate's file, to be read where it lies."""
        return self._files.opened(self.hash(plate_id))

    def thumbnail(self, plate_id: int) -> tuple[bytes | None, bool]:
        """The picture that was kept last, and whether it is of the present revision."""
        row = self.rows.row(plate_id)
        return None if row.thumbnail is None else bytes(row.thumbnail), row.thumbnail_of == row.head

    def keep_thumbnail(self, plate_id: int, revision: int, picture: bytes) -> None:
        table = self._t.Plate
        table.update(thumbnail=picture, thumbnail_of=revision).where(table.id == plate_id).execute()
