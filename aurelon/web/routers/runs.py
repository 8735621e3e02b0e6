"""Runs: a rig laid on many plates, their pictures made as files, or both."""

from __future__ import annotations

import base64
import io
import zipfile
from collections.abc import Iterator
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Response
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field

from aurelon.core import OutputError, Rig
from aurelon.core.export import AnyExport
from aurelon.core.export.reels import ReelExport, check_reel, spans_of
from aurelon.core.reels.writers import reel_format
from aurelon.runs.batches import room_of
from aurelon.runs.tasks import PLACINGS, Placing
from aurelon.store import RunRecord, RunStage, Store
from aurelon.web.context import Context, Shared

router = APIRouter(prefix="/runs", tags=["runs"])
MOST_PLATES = 10_000
BECOMES: dict[str, RunStage] = {"pause": "paused", "resume": "waiting", "cancel": "cancelled"}
PlateIds = Annotated[list[int], Field(min_length=1, max_length=MOST_PLATES)]


class RigOf(BaseModel):
    """Which rig is laid on the plates: a saved one, or that of a plate as it stands."""

    saved: int | None = None
    plate: int | None = None


class RunRequest(BaseModel):
    """Plates, the rig to be laid on them, and what is to be made of them. `cluster` names one of those that the service was started
    with; this machine works where none is named. Of a reel a file of moving pictures can be made (`reel`), or numbered stills by an
    `export` of its `frames`: from the first up to, without, the second."""

    plates: PlateIds
    rig: RigOf | None = None
    placing: Placing = "rig"
    export: AnyExport | None = None
    reel: ReelExport | None = None
    frames: tuple[int, int] | None = None
    cluster: str = Field("", max_length=200)


class RoomRequest(BaseModel):
    """Plates that a run would be over."""

    plates: PlateIds


class PlacingChoice(BaseModel):
    """A way in which lights are placed in each picture."""

    value: Placing
    label: str


class RunRoom(BaseModel):
    """How a run would be worked on here, the ways there are to place lights, and the names of the clusters that it can go to."""

    says: str
    placings: list[PlacingChoice]
    clusters: list[str]


class RunState(BaseModel):
    """How a run stands. `seconds_left` is None where it cannot be told."""

    run: RunRecord
    done: int
    failed: int
    left: int
    files: int
    seconds_left: float | None


@router.get("")
def list_runs(context: Shared) -> list[RunState]:
    """Every run, newest first."""
    return [_state(run) for run in context.store.runs.all()]


@router.post("", status_code=202)
def start_run(context: Shared, body: RunRequest) -> RunState:
    """Starts a run; it goes on whether or not anybody looks, and after a restart."""
    plates = list(dict.fromkeys(body.plates))
    context.clusters.get(body.cluster)
    if body.reel is not None or body.frames is not None:
        return _start_reel(context, plates, body)
    if body.rig is None and body.export is None:
        raise OutputError("this run would do nothing; choose a rig, or have files made")
    rig, rig_name = (None, "") if body.rig is None else _rig_of(context.store, body.rig)
    if body.export is not None and body.export.size is not None:
        raise OutputError("one size does not fit many pictures; give the long edge instead")
    name = _name(rig_name, len(plates), body.export is not None)
    export = "" if body.export is None else body.export.model_dump_json()
    run = context.store.runs.add(
        name, plates, rig=rig, rig_name=rig_name, placing=body.placing, export=export, cluster=body.cluster
    )
    context.batches.poke()
    return _state(run)


def _start_reel(context: Context, plates: list[int], body: RunRequest) -> RunState:
    if len(plates) != 1 or body.rig is not None:
        raise OutputError("a reel is written by itself, with its own rig; choose one plate")
    (plate,) = plates
    reel, rig = context.renderers.reel(plate), context.store.revisions.bench(plate).rig
    if body.reel is not None:
        check_reel(reel, rig, body.reel)
        spans, export, joined = spans_of(reel, body.reel), body.reel.model_dump_json(), True
        what = reel_format(body.reel.format)[0].title
    else:
        first, last = body.frames or (0, len(reel))
        if body.export is None or not 0 <= first < last <= len(reel):
            raise OutputError(f"{reel.name} has the frames 0 to {len(reel) - 1}; choose among them, and how they are written")
        spans, export, joined = [(n, n + 1) for n in range(first, last)], body.export.model_dump_json(), False
        what = f"{last - first} frames"
    name = f"{context.store.plates.get(plate).name}: {what}"
    run = context.store.runs.add_reel(name, plate, spans, rig=rig, export=export, joined=joined, cluster=body.cluster)
    context.batches.poke()
    return _state(run)


@router.post("/room")
def room_for_run(context: Shared, body: RoomRequest) -> RunRoom:
    """How many workers there is room for here, and what they need."""
    placings = [PlacingChoice(value=value, label=label) for value, label in PLACINGS.items()]
    return RunRoom(says=room_of(context.store, body.plates).says, placings=placings, clusters=sorted(context.clusters.named))


@router.get("/{run_id}")
def get_run(context: Shared, run_id: int) -> RunState:
    """How a run stands."""
    return _state(context.store.runs.get(run_id))


@router.post("/{run_id}/{act}")
def change_run(context: Shared, run_id: int, act: Literal["pause", "resume", "cancel", "retry"]) -> RunState:
    """Pauses a run once what is on its way is done, goes on with it, cancels it, or has what failed done again."""
    runs = context.store.runs
    if act == "retry":
        run = runs.retry(run_id)
    else:
        now = runs.state(run_id)
        if now in ("done", "cancelled"):
            raise OutputError("this run is over; start a new one, or try again what failed")
        run = runs.set_state(run_id, BECOMES[act])
    context.batches.poke()
    return _state(run)


@router.delete("/{run_id}", status_code=204)
def delete_run(context: Shared, run_id: int) -> None:
    """Forgets a run and the files that it made; the plates keep their rigs."""
    if context.store.runs.state(run_id) in ("waiting", "working"):
        raise OutputError("this run is still going; cancel it first")
    context.store.runs.delete(run_id)


@router.get("/{run_id}/items/{item_id}/file", response_class=Response)
def get_made_file(context: Shared, run_id: int, item_id: int) -> Response:
    """A file that a run made."""
    name, media_type, data = context.store.runs.file(run_id, item_id)
    return Response(data, media_type=media_type, headers={"content-disposition": _attachment(name)})


@router.get("/{run_id}/archive", response_class=StreamingResponse)
def get_archive(context: Shared, run_id: int) -> StreamingResponse:
    """All files that a run has made so far, in one archive (ZIP)."""
    run = context.store.runs.get(run_id)
    if not any(item.file_name for item in run.items):
        raise OutputError("this run has made no file yet")
    headers = {"content-disposition": _attachment(f"{run.name}.zip")}
    return StreamingResponse(_archive(context.store, run), media_type="application/zip", headers=headers)


class _Pipe(io.RawIOBase):
    """What is written, for whoever takes it next."""

    def __init__(self) -> None:
        self._parts: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: Any, /) -> int:
        self._parts.append(bytes(data))
        return len(data)

    def taken(self) -> bytes:
        parts, self._parts = self._parts, []
        return b"".join(parts)


def _archive(store: Store, run: RunRecord) -> Iterator[bytes]:
    """The archive, a file at a time, so that it is never whole in memory."""
    pipe = _Pipe()
    with zipfile.ZipFile(pipe, "w", zipfile.ZIP_STORED) as archive:
        for item in run.items:
            if item.file_name:
                archive.writestr(item.file_name, store.runs.file(run.id, item.id)[2])
                yield pipe.taken()
    yield pipe.taken()


def _rig_of(store: Store, wanted: RigOf) -> tuple[Rig, str]:
    """The rig with the files that it refers to, and its name."""
    if (wanted.saved is None) == (wanted.plate is None):
        raise OutputError("say which rig: a saved one, or that of a plate")
    if wanted.saved is not None:
        saved = store.rigs.get(wanted.saved)
        rig, name = saved.rig, saved.name
    else:
        state = store.revisions.bench(wanted.plate or 0)
        rig, name = state.rig, state.plate.name
    kept = {used: store.files.get(used) for used in rig.file_names()}
    files = {used: base64.b64encode(data).decode() for used, data in kept.items() if data is not None}
    return rig.model_copy(update={"files": files}), name


def _name(rig_name: str, plates: int, exported: bool) -> str:
    on = "1 plate" if plates == 1 else f"{plates} plates"
    if not rig_name:
        return f"Export of {on}"
    return f"“{rig_name}” on {on}" + (", with export" if exported else "")


def _attachment(name: str) -> str:
    plain = "".join(c if c.isascii() and (c.isalnum() or c in " -_.") else "-" for c in name)
    return f'attachment; filename="{plain}"'


def _state(run: RunRecord) -> RunState:
    count = {state: sum(item.state == state for item in run.items) for state in ("done", "failed", "waiting", "working")}
    left = count["waiting"] + count["working"]
    over = count["done"] + count["failed"]
    seconds_left = run.seconds / over * left if run.state == "working" and over and run.seconds > 0 else None
    files = sum(bool(item.file_name) for item in run.items)
    return RunState(run=run, done=count["done"], failed=count["failed"], left=left, files=files, seconds_left=seconds_left)
