"""Runs: long work on many plates. What is finished is kept together with the word that it is, so that no kill can part them."""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import PurePath
from typing import Any, Literal

from peewee import JOIN

from aurelon.core import Rig
from aurelon.store.errors import Unknown
from aurelon.store.files import Files
from aurelon.store.pieces import get_rig, put_rig
from aurelon.store.plates import Plates
from aurelon.store.revisions import Revisions
from aurelon.store.tables import Tables

RunStage = Literal["waiting", "working", "paused", "done", "cancelled"]
GOING: tuple[RunStage, ...] = ("working", "waiting")
ItemState = Literal["waiting", "working", "done", "failed", "cancelled"]


@dataclass(frozen=True)
class RunItemRecord:
    """A plate of a run: how it stands, what there is to say of it, the revision that the run made of it (0 where none), and the
    file that was made of it, if any. Of a reel its frames from `first` up to, without, `last`; `part` is "segment" for a piece of
    a file of moving pictures, "joined" for that file."""

    id: int
    plate: int
    plate_name: str
    thumbnail_of: int
    state: ItemState
    says: str
    revision: int
    file_name: str
    file_size: int
    first: int = 0
    last: int = 0
    part: str = ""


@dataclass(frozen=True)
class RunRecord:
    """A run. `rig_name` names the rig that is laid on the plates ("" where each keeps its own), `export` holds the options of the
    export as JSON ("" where no file is made), `error` says why it stands still, `seconds` how long it has worked."""

    id: int
    name: str
    rig_name: str
    placing: str
    export: str
    cluster: str
    state: RunStage
    error: str
    seconds: float
    created: float
    items: tuple[RunItemRecord, ...]


@dataclass(frozen=True)
class Result:
    """What a run made of a plate: a revision of its rig, a file, or both; and what there is to say."""

    rig: Rig | None = None
    base: int = 0
    label: str = ""
    data: bytes | None = None
    file_name: str = ""
    media_type: str = ""
    says: str = ""


class Runs:
    """Starting runs, keeping what they make, and telling how they stand."""

    def __init__(self, tables: Tables, plates: Plates, files: Files, revisions: Revisions) -> None:
        self._t = tables
        self._plates = plates
        self._files = files
        self._revisions = revisions

    def add(
        self, name: str, plates: Sequence[int], *, rig: Rig | None, rig_name: str, placing: str, export: str, cluster: str
    ) -> RunRecord:
        """A new run over these plates, which waits to be worked on."""
        t = self._t
        with t.db.atomic("IMMEDIATE"):
            kept = None if rig is None else put_rig(t, rig)
            row = t.Run.create(
                name=name,
                rig=kept,
                rig_name=rig_name,
                placing=placing,
                export=export,
                cluster=cluster,
                state="waiting",
                error="",
                seconds=0.0,
                created=time.time(),
            )
            for plate in plates:
                self._plates.rows.row(plate)
                t.RunItem.create(run=row, plate=plate, state="waiting", says="", revision=0, file_name="", media_type="")
        return self.get(row.id)

    def add_reel(
        self, name: str, plate: int, spans: Sequence[tuple[int, int]], *, rig: Rig, export: str, joined: bool, cluster: str
    ) -> RunRecord:
        """A new run over the frames of a reel: a file of each span, or pieces that are joined to one. All have this `rig`, whatever
        becomes of the plate's meanwhile."""
        t = self._t
        with t.db.atomic("IMMEDIATE"):
            run = self.add(name, [], rig=rig, rig_name="", placing="rig", export=export, cluster=cluster)
            self._plates.rows.row(plate)
            parts = [(first, last, "segment" if joined else "") for first, last in spans]
            parts += [(spans[0][0], spans[-1][1], "joined")] if joined else []
            for first, last, part in parts:
                empty = {"says": "", "revision": 0, "file_name": "", "media_type": ""}
                t.RunItem.create(run=run.id, plate=plate, state="waiting", first=first, last=last, part=part, **empty)
        return self.get(run.id)

    def segments(self, run_id: int) -> list[str]:
        """The files of the pieces of a run, in the order of their frames."""
        table = self._t.RunItem
        rows = table.select().where(table.run == run_id, table.part == "segment").order_by(table.first)
        return [row.blob_id for row in rows]

    def drop_segments(self, run_id: int) -> None:
        """Forgets the pieces of a file that is there whole."""
        table = self._t.RunItem
        with self._t.db.atomic("IMMEDIATE"):
            table.update(blob=None).where(table.run == run_id, table.part == "segment").execute()
            self._files.purge()

    def all(self) -> list[RunRecord]:
        """Every run, newest first."""
        return [self._record(row) for row in self._t.Run.select().order_by(self._t.Run.id.desc())]

    def get(self, run_id: int) -> RunRecord:
        return self._record(self._row(run_id))

    def state(self, run_id: int) -> RunStage:
        """How a run stands; nothing else is read."""
        state: RunStage = self._row(run_id).state
        return state

    def rig(self, run_id: int) -> Rig | None:
        """The rig that is laid on the plates, or None where each keeps its own."""
        kept = self._row(run_id).rig
        return None if kept is None else get_rig(self._t, kept)

    def advance(self, run_id: int, state: RunStage, error: str = "") -> None:
        """Has a run work, stand still or end, as its work goes; but what a person has said of it meanwhile stands."""
        with self._t.db.atomic("IMMEDIATE"):
            if self._row(run_id).state in GOING:
                self.set_state(run_id, state, error)

    def set_state(self, run_id: int, state: RunStage, error: str = "") -> RunRecord:
        """Pauses a run, goes on with it, cancels it or ends it; with it goes what waits in it."""
        t = self._t
        with t.db.atomic("IMMEDIATE"):
            row = self._row(run_id)
            row.state, row.error = state, error
            row.save(only=[t.Run.state, t.Run.error])
            if state == "cancelled":
                left = t.RunItem.run == run_id, t.RunItem.state.in_(("waiting", "working"))
                t.RunItem.update(state="cancelled").where(*left).execute()
        return self.get(run_id)

    def take_up(self, run_id: int) -> None:
        """Resumes a run; pictures that were started and not finished wait again."""
        table = self._t.RunItem
        table.update(state="waiting").where(table.run == run_id, table.state == "working").execute()
        self.advance(run_id, "working")

    def worked(self, run_id: int, seconds: float) -> None:
        """Adds to the time that a run has worked."""
        t = self._t
        t.Run.update(seconds=t.Run.seconds + seconds).where(t.Run.id == run_id).execute()

    def retry(self, run_id: int) -> RunRecord:
        """Has what failed or was cancelled done again."""
        t = self._t
        again = t.RunItem.run == run_id, t.RunItem.state.in_(("failed", "cancelled"))
        with t.db.atomic("IMMEDIATE"):
            self._row(run_id)
            t.RunItem.update(state="waiting", says="").where(*again).execute()
        return self.set_state(run_id, "waiting")

    def next(self) -> RunRecord | None:
        """The run that is to be worked on: the oldest that waits, or that was being worked on when the service ended."""
        table = self._t.Run
        row = table.select().where(table.state.in_(("waiting", "working"))).order_by(table.id).first()
        return None if row is None else self._record(row)

    def next_item(self, run_id: int) -> RunItemRecord | None:
        """The next plate of a run that waits; None where none does."""
        return next((item for item in self._items(run_id, "waiting")), None)

    def left(self, run_id: int) -> int:
        """How many plates of a run are not done yet, one way or another."""
        table = self._t.RunItem
        return int(table.select().where((table.run == run_id) & table.state.in_(("waiting", "working"))).count())

    def wait(self, item_id: int) -> None:
        """Has a plate wait again for its turn."""
        table = self._t.RunItem
        table.update(state="waiting").where(table.id == item_id, table.state == "working").execute()

    def begin(self, item_id: int) -> None:
        table = self._t.RunItem
        table.update(state="working").where(table.id == item_id, table.state == "waiting").execute()

    def finish(self, item_id: int, result: Result) -> None:
        """Keeps what was made of a plate, and that it was, in one; nothing where the run was cancelled or deleted meanwhile. Raises
        Conflict where the plate's rig is no longer the one that the result was made from, Unknown where the plate was deleted."""
        t = self._t
        with t.db.atomic("IMMEDIATE"):
            row = t.RunItem.get_or_none(t.RunItem.id == item_id)
            if row is None or row.state == "cancelled":
                return
            if result.rig is not None:
                row.revision = self._revisions.save(row.plate_id, result.base, result.rig, result.label).revision
            if result.data is not None:
                row.blob = self._files.put(result.data)
                if row.part != "segment":
                    row.file_name, row.media_type = self._free_name(row.run_id, result.file_name), result.media_type
            row.state, row.says = "done", result.says
            row.save()

    def fail(self, item_id: int, why: str) -> None:
        table = self._t.RunItem
        table.update(state="failed", says=why).where(table.id == item_id, table.state != "cancelled").execute()

    def file(self, run_id: int, item_id: int) -> tuple[str, str, bytes]:
        """Name, media type and bytes of a file that a run made. Raises Unknown where no file has that number."""
        t = self._t
        row = t.RunItem.get_or_none((t.RunItem.id == item_id) & (t.RunItem.run == run_id))
        if row is None or row.blob_id is None:
            raise Unknown("file of this run", item_id)
        return row.file_name, row.media_type, self._files.get(row.blob_id) or b""

    def delete(self, run_id: int) -> None:
        """Forgets a run and the files that it made. The plates keep the rigs that it laid on them."""
        with self._t.db.atomic("IMMEDIATE"):
            self._row(run_id).delete_instance()
            self._files.purge()

    def _row(self, run_id: int) -> Any:
        row = self._t.Run.get_or_none(self._t.Run.id == run_id)
        if row is None:
            raise Unknown("run", run_id)
        return row

    def _free_name(self, run_id: int, wanted: str) -> str:
        """The name of a file, other than those that the run has made."""
        table = self._t.RunItem
        taken = {row.file_name for row in table.select(table.file_name).where(table.run == run_id)}
        path, number = PurePath(wanted), 2
        name = wanted
        while name in taken:
            name, number = f"{path.stem} {number}{path.suffix}", number + 1
        return name

    def _items(self, run_id: int, *states: str) -> Iterator[RunItemRecord]:
        t = self._t
        wanted = [t.RunItem.run == run_id, *([t.RunItem.state.in_(states)] if states else [])]
        rows = t.RunItem.select(t.RunItem, t.Plate.id, t.Plate.name, t.Plate.head, t.Blob.hash, t.Blob.size).join(t.Plate)
        rows = rows.switch(t.RunItem).join(t.Blob, JOIN.LEFT_OUTER).where(*wanted).order_by(t.RunItem.id)
        return (_item(row) for row in rows)

    def _record(self, row: Any) -> RunRecord:
        return RunRecord(
            row.id,
            row.name,
            row.rig_name,
            row.placing,
            row.export,
            row.cluster,
            row.state,
            row.error,
            row.seconds,
            row.created,
            tuple(self._items(row.id)),
        )


def _item(row: Any) -> RunItemRecord:
    size = 0 if row.blob_id is None else row.blob.size
    return RunItemRecord(
        row.id,
        row.plate_id,
        row.plate.name,
        row.plate.head,
        row.state,
        row.says,
        row.revision,
        row.file_name,
        size,
        row.first,
        row.last,
        row.part,
    )
