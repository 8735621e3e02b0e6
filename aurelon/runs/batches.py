"""Works through the runs of a data file in the background, one after another, whatever comes between."""

from __future__ import annotations

import logging
import time
from collections.abc import Iterator
from contextlib import closing, suppress
from dataclasses import dataclass
from threading import Event, Thread

from aurelon.core import AurelonError, Rig, check_rig
from aurelon.core.export.reels import ReelExport
from aurelon.core.reels.writers import reel_format
from aurelon.core.rig.transfer import apply_rig
from aurelon.runs.contents import Contents
from aurelon.runs.driver import Item, Wish, drive
from aurelon.runs.engines import Engine
from aurelon.runs.engines.choosing import engine_for
from aurelon.runs.engines.clusters import Clusters
from aurelon.runs.joining import joined_reel
from aurelon.runs.room import Room, room_for
from aurelon.runs.tasks import Outcome, Placing, Task
from aurelon.store import Conflict, DataFileError, Result, RunItemRecord, RunRecord, Store, Unknown, unwritten
from aurelon.store.runs import GOING

log = logging.getLogger(__name__)
LONGEST_STEM = 200  # bytes, of the 255 that a file's name may have
ENDING = 3.0  # seconds in which it lets go
IDLE = 0.1  # seconds until it is asked again whether a plate waits


@dataclass(frozen=True)
class AppliedItem:
    """A plate of a run while it is worked on: its rig as the run lays it, the revision that this was made from, what the step is
    called, and what there is to say. `rig` is None where the plate keeps its own; `seen` is the one that it is seen with."""

    item: RunItemRecord
    rig: Rig | None
    base: int
    label: str
    says: str
    seen: Rig


class Batches:
    """One thread that works through the runs. What was being worked on when the service ended is gone on with."""

    def __init__(self, store: Store, clusters: Clusters) -> None:
        self._store = store
        self._clusters = clusters
        self._closed = Event()
        self._news = Event()

    def start(self) -> None:
        self._thread = Thread(target=self._work, name="runs", daemon=True)
        self._thread.start()

    def poke(self) -> None:
        """There is a run to be worked on."""
        self._news.set()

    def close(self) -> None:
        """Lets go of what is being made; it is made anew when the service starts again."""
        self._closed.set()
        self._news.set()
        self._thread.join(ENDING)

    def _work(self) -> None:
        while not self._closed.is_set():
            self._news.clear()
            run = self._store.runs.next()
            if run is None:
                self._news.wait()
                continue
            try:
                self._store.runs.take_up(run.id)
                self._run(run)
            except AurelonError as error:
                with suppress(Unknown):  # of the run itself, which was deleted meanwhile
                    self._store.runs.advance(run.id, "paused", str(error))
            except DataFileError as error:  # of the data file: no room, or no longer there
                log.error("a run could not be kept: %s", error)
                self._stand_still(run, f"{unwritten(error)}, then go on")
            except Exception as error:  # a fault of ours: the person is told, and the log has the trace
                log.exception("a run failed")
                sentence = f"it stopped on a fault in Aurelon ({error}); please report it"
                self._stand_still(run, sentence)

    def _stand_still(self, run: RunRecord, why: str) -> None:
        try:
            with suppress(Unknown):
                self._store.runs.advance(run.id, "paused", why)
        except DataFileError as error:
            # Not even that can be kept. It is tried again once somebody asks for something.
            log.error("that a run stands still could not be kept: %s", error)
            self._news.wait()

    def _run(self, run: RunRecord) -> None:
        runs = self._store.runs

        def wish() -> Wish:
            if self._closed.is_set():
                return "stop"
            state = runs.state(run.id)
            return "go" if state in GOING else "finish" if state == "paused" else "stop"

        with closing(Contents()) as contents:
            rig = runs.rig(run.id)
            if run.export or run.placing == "found":
                with closing(self._engine(run)) as engine:
                    drive(self._coming(run, rig, contents), engine, contents, _Keeping(self._store, run, contents), wish)
            else:
                for _ in self._coming(run, rig, contents):
                    if wish() != "go":
                        return
        if runs.state(run.id) in GOING and not runs.left(run.id) and not self._closed.is_set():
            runs.advance(run.id, "done")

    def _engine(self, run: RunRecord) -> Engine:
        return engine_for(self._clusters.get(run.cluster), room_of(self._store, [item.plate for item in run.items]))

    def _coming(self, run: RunRecord, rig: Rig | None, contents: Contents) -> Iterator[Item | None]:
        runs, placing = self._store.runs, _placing(run)
        while runs.left(run.id):
            item = runs.next_item(run.id)
            if item is None:
                time.sleep(IDLE)  # some are on their way, and may have to be made again
                yield None
                continue
            if item.part == "joined":
                if runs.left(run.id) > 1:
                    time.sleep(IDLE)  # not all of its pieces are there
                    yield None
                else:
                    self._join(run, item)
                continue
            try:
                applied = self._lay(run, item, rig)
                if run.export or (placing == "found" and applied.rig is not None):
                    yield self._task(run, applied, contents)
                else:
                    runs.finish(item.id, Result(applied.rig, applied.base, applied.label, says=applied.says))
                    yield None
            except Conflict:
                continue  # changed in that moment: laid on what is there now
            except AurelonError as error:
                runs.fail(item.id, str(error))

    def _join(self, run: RunRecord, item: RunItemRecord) -> None:
        """Makes the file of a reel of its pieces."""
        store, options = self._store, ReelExport.model_validate_json(run.export)
        pieces = store.runs.segments(run.id)
        if None in pieces:
            store.runs.fail(item.id, "pieces of it could not be made; try the failed again")
            return
        try:
            record = store.plates.get(item.plate)
            rig = store.runs.rig(run.id) or store.revisions.bench(item.plate).rig
            segments = (store.files.get(piece) or b"" for piece in pieces)
            with closing(store.plates.opened(item.plate)) as file:
                data = joined_reel(file, record.file_name, record.hash, rig, options, segments, lambda: self._still_wanted(run.id))
            form = reel_format(options.format)[0]
            name = f"{stem_of(record.name)}-lit{form.suffix}"
            store.runs.finish(item.id, Result(data=data, file_name=name, media_type=form.media_type))
            store.runs.drop_segments(run.id)
        except AurelonError as error:
            if self._still_wanted(run.id):
                store.runs.fail(item.id, str(error))

    def _still_wanted(self, run_id: int) -> bool:
        """Whether a run goes on. What a run was working on when the service ended is made when it starts again."""
        try:
            return not self._closed.is_set() and self._store.runs.state(run_id) in (*GOING, "paused")
        except Unknown:  # it was deleted meanwhile
            return False

    def _lay(self, run: RunRecord, item: RunItemRecord, rig: Rig | None) -> AppliedItem:
        state = self._store.revisions.bench(item.plate)
        if rig is None or item.last:  # frames of a reel have the rig that the reel had when the run began
            return AppliedItem(item, None, state.revision, "", "", rig or state.rig)
        edited = apply_rig(rig, state.rig, None, run.rig_name)
        return AppliedItem(item, edited.rig, state.revision, edited.label, " ".join(edited.notes), edited.rig)

    def _task(self, run: RunRecord, applied: AppliedItem, contents: Contents) -> Item:
        record = self._store.plates.get(applied.item.plate)
        rig = applied.seen
        files = [name for name in rig.file_names() if rig.file(name) is None]
        kept = [contents.put(data) for name in files if (data := self._store.files.get(name)) is not None]
        plate = contents.put_open(self._store.plates.opened(applied.item.plate), record.hash)
        placing = _placing(run) if applied.rig is not None else "rig"
        frames = (applied.item.first, applied.item.last) if applied.item.last else ((0, 1) if record.frames else None)
        packed = contents.put(rig.model_dump_json().encode())
        task = Task(record.file_name, plate, packed, tuple(kept), placing, run.export, frames=frames)
        return Item(task, record.width * record.height, applied)


class _Keeping:
    """Keeps what a run makes in the data file."""

    def __init__(self, store: Store, run: RunRecord, contents: Contents) -> None:
        self._store = store
        self._run = run
        self._contents = contents
        self._since = time.monotonic()

    def started(self, item: Item) -> None:
        self._store.runs.begin(item.mark.item.id)

    def keep(self, item: Item, result: Outcome) -> None:
        applied: AppliedItem = item.mark
        rig = applied.rig if not result.rig else check_rig_text(result.rig, applied.rig)
        says = " ".join(part for part in (applied.says, *result.notes) if part)
        number = f"-{applied.item.first:04d}" if applied.item.last else ""
        name = f"{stem_of(applied.item.plate_name)}-lit{number}{result.suffix}"
        data = result.data or None
        try:
            self._store.runs.finish(applied.item.id, Result(rig, applied.base, applied.label, data, name, result.media_type, says))
        except Conflict:
            self._store.runs.wait(applied.item.id)
        except Unknown as error:  # the plate was deleted meanwhile
            self._store.runs.fail(applied.item.id, str(error))
        self._over(item)

    def fail(self, item: Item, why: str) -> None:
        self._store.runs.fail(item.mark.item.id, why)
        self._over(item)

    def _over(self, item: Item) -> None:
        for name in item.task.contents:
            self._contents.drop(name)
        now = time.monotonic()
        self._store.runs.worked(self._run.id, now - self._since)
        self._since = now


def check_rig_text(text: str, applied: Rig | None) -> Rig | None:
    """The rig that a worker has placed anew, as the plate is to have it; None where the plate keeps its own."""
    return None if applied is None else check_rig(Rig.model_validate_json(text).model_dump())


def stem_of(name: str) -> str:
    """A plate's name as the beginning of a file's, short enough for any file system."""
    plain = "".join(c if c.isalnum() or c in " -_." else "-" for c in name)
    return plain.encode()[:LONGEST_STEM].decode("utf-8", "ignore").strip() or "plate"


def room_of(store: Store, plates: list[int]) -> Room:
    """The room that this machine has for a run over those of these plates that are there."""
    wanted = set(plates)
    sizes = [record.width * record.height for record in store.plates.all() if record.id in wanted]
    return room_for(max(sizes, default=0), len(sizes))


def _placing(run: RunRecord) -> Placing:
    return "found" if run.placing == "found" else "rig"
