"""Background jobs: starting them, following them, cancelling them, fetching what they made."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import PurePath
from typing import Any

from fastapi import APIRouter
from fastapi.responses import FileResponse, StreamingResponse
from pydantic import BaseModel, ConfigDict, Field

from aurelon.core import OutputError, Rig
from aurelon.core.analysis.subject_cut import cut_subject
from aurelon.core.export import AnyExport, targets
from aurelon.core.export.reels import ReelExport, check_reel, notes_of
from aurelon.core.masks.subject import Subject
from aurelon.core.settings import Place
from aurelon.runs.batches import stem_of
from aurelon.runs.jobs import Control, FileResult, Job, State
from aurelon.web.context import FrameNumber, Shared
from aurelon.web.over_frames import (
    CarriedCell,
    FlickerCell,
    FollowedCell,
    SizeCell,
    carry_matte,
    follow_places,
    follow_points,
    measure_flicker,
    try_reel,
)
from aurelon.web.sheets import KindCell, RigCell, light_every_kind, show_every_rig

router = APIRouter(tags=["jobs"])


class JobState(BaseModel):
    """How a job stands: its share done (0..1), the time left in seconds, why it failed, and the file that it made."""

    model_config = ConfigDict(from_attributes=True)

    id: str
    state: State
    share: float
    seconds_left: float | None
    error: str | None
    file_name: str | None
    size: int


class JobNews(BaseModel):
    """A line of news of a job: how it stands, and what it gave since the last."""

    job: JobState
    items: list[KindCell | RigCell | FollowedCell | CarriedCell | FlickerCell | SizeCell]


class ExportRequest(BaseModel):
    """A rig to be exported, and what as."""

    rig: Rig
    export: AnyExport


class FileSize(BaseModel):
    """Bytes of a file that is not written yet; None where they cannot be told before."""

    about: int | None


class CutRequest(BaseModel):
    """A subject to be cut out of the picture as it was shot."""

    subject: Subject


class FollowRequest(BaseModel):
    """Places of the picture (plate fractions) that are to be followed."""

    places: list[Place] = Field(min_length=1, max_length=200)


class FollowPointsRequest(BaseModel):
    """A light of a rig whose points are to be followed."""

    rig: Rig
    light: str


class CarryRequest(BaseModel):
    """A matte of a rig that is to be carried over the frames; `onward` from this one on, if it was carried before."""

    rig: Rig
    matte: str
    onward: bool = False


class FlickerRequest(BaseModel):
    """A rig, and frames from the first up to, without, the second."""

    rig: Rig
    span: tuple[int, int]


class ReelSizeRequest(BaseModel):
    """A rig on a reel, and how the lit reel would be written."""

    rig: Rig
    reel: ReelExport


class SheetRequest(BaseModel):
    """The rig that a sheet is seen over."""

    rig: Rig = Field(default_factory=Rig)


@router.post("/plates/{plate_id}/exports", status_code=202)
def start_export(context: Shared, plate_id: int, body: ExportRequest, frame: FrameNumber = 0) -> JobState:
    """Starts an export."""
    record = context.store.plates.get(plate_id)
    plate, target, options = context.renderers.get(plate_id, frame).plate, targets()[body.export.target], body.export
    target.check(plate, body.rig, options)
    stem = stem_of(record.name)

    def work(control: Control) -> FileResult:
        result = target.run(plate, body.rig, options, control.progress, control.cancelled)
        return FileResult(PurePath(f"{stem}-lit").name + result.suffix, result.media_type, result.copy_to)

    return _state(context.jobs.start("export", work))


@router.post("/plates/{plate_id}/exports/size")
def size_of_export(context: Shared, plate_id: int, body: ExportRequest, frame: FrameNumber = 0) -> FileSize:
    """About how large the file of an export will be, by writing the middle of the picture."""
    trial = targets()[body.export.target].trial_size
    return FileSize(about=None if trial is None else trial(context.renderers.get(plate_id, frame), body.rig, body.export))


@router.post("/plates/{plate_id}/cut", status_code=202)
def start_cut(context: Shared, plate_id: int, body: CutRequest, frame: FrameNumber = 0) -> JobState:
    """Cuts a subject out and keeps the cut for what is shown next."""
    renderer = context.renderers.get(plate_id, frame)

    def work(control: Control) -> None:
        cut_subject(renderer, body.subject, progress=control.progress, cancelled=control.cancelled)

    return _state(context.jobs.start("bench", work))


@router.post("/plates/{plate_id}/follow", status_code=202)
def start_following(context: Shared, plate_id: int, body: FollowRequest, frame: FrameNumber = 0) -> JobState:
    """Follows places of a frame over all frames of a reel, both ways."""
    reel = context.renderers.reel(plate_id)
    context.renderers.get(plate_id, frame)  # there is such a frame
    return _state(context.jobs.start("bench", lambda control: follow_places(reel, frame, body.places, control)))


@router.post("/plates/{plate_id}/follow/points", status_code=202)
def start_following_points(context: Shared, plate_id: int, body: FollowPointsRequest, frame: FrameNumber = 0) -> JobState:
    """Follows the points of a light, as they are found at a frame, over all frames of a reel."""
    reel, renderer = context.renderers.reel(plate_id), context.renderers.get(plate_id, frame)
    return _state(context.jobs.start("bench", lambda control: follow_points(reel, renderer, body.rig, body.light, control)))


@router.post("/plates/{plate_id}/carry", status_code=202)
def start_carrying(context: Shared, plate_id: int, body: CarryRequest, frame: FrameNumber = 0) -> JobState:
    """Carries a matte, as it is at a frame, over all frames of a reel, both ways, or from there on."""
    reel, renderer = context.renderers.reel(plate_id), context.renderers.get(plate_id, frame)

    def work(control: Control) -> None:
        carry_matte(context.store, plate_id, reel, renderer, body.rig, body.matte, body.onward, control)

    return _state(context.jobs.start("bench", work))


@router.post("/plates/{plate_id}/reel/size", status_code=202)
def start_trying_reel(context: Shared, plate_id: int, body: ReelSizeRequest) -> JobState:
    """Learns about how large the file of a lit reel will be, by writing a second of its middle."""
    reel = context.renderers.reel(plate_id)
    check_reel(reel, body.rig, body.reel)
    return _state(context.jobs.start("bench", lambda control: try_reel(reel, body.rig, body.reel, control)))


@router.post("/plates/{plate_id}/reel/notes")
def list_reel_notes(context: Shared, plate_id: int, body: ReelSizeRequest) -> list[str]:
    """What becomes of the reel in the file, where that is not what one would expect."""
    return notes_of(context.renderers.reel(plate_id), body.rig, body.reel)


@router.post("/plates/{plate_id}/flicker", status_code=202)
def start_measuring_flicker(context: Shared, plate_id: int, body: FlickerRequest) -> JobState:
    """Measures how much the light flickers over frames of a reel."""
    reel = context.renderers.reel(plate_id)
    first, last = body.span
    if not 0 <= first < last <= len(reel):
        raise OutputError(f"{reel.name} has the frames 0 to {len(reel) - 1}; choose among them")
    return _state(context.jobs.start("bench", lambda control: measure_flicker(reel, body.rig, body.span, control)))


@router.post("/plates/{plate_id}/sheets/kinds", status_code=202)
def start_kind_sheet(context: Shared, plate_id: int, body: SheetRequest, frame: FrameNumber = 0) -> JobState:
    """A light of every kind, placed on this plate over the rig as it stands; none is added yet."""
    renderer = context.renderers.get(plate_id, frame)
    return _state(context.jobs.start("bench", lambda control: light_every_kind(renderer, body.rig, context.preparing, control)))


@router.post("/plates/{plate_id}/sheets/rigs", status_code=202)
def start_rig_sheet(context: Shared, plate_id: int, body: SheetRequest, frame: FrameNumber = 0) -> JobState:
    """Every saved rig, seen on this plate."""
    renderer, saved = context.renderers.get(plate_id, frame), context.store.rigs.all()
    return _state(context.jobs.start("bench", lambda control: show_every_rig(renderer, saved, body.rig, control)))


@router.get("/jobs/{job_id}")
def get_job(context: Shared, job_id: str) -> JobState:
    """How a job stands."""
    return _state(context.jobs.get(job_id))


@router.get("/jobs/{job_id}/news", response_class=StreamingResponse, responses={200: {"model": JobNews}})
def follow_job(context: Shared, job_id: str) -> StreamingResponse:
    """A line of `JobNews` whenever there is any, until the job is over."""
    job = context.jobs.get(job_id)

    def lines() -> Iterator[str]:
        for known, now in context.jobs.follow(job):
            items: list[Any] = now.items[known:]
            yield JobNews(job=_state(now), items=items).model_dump_json() + "\n"

    return StreamingResponse(lines(), media_type="application/x-ndjson")


@router.delete("/jobs/{job_id}")
def cancel_job(context: Shared, job_id: str) -> JobState:
    """Cancels a job."""
    job = context.jobs.get(job_id)
    context.jobs.cancel(job)
    return _state(job)


@router.get("/jobs/{job_id}/file", response_class=FileResponse)
def fetch_file(context: Shared, job_id: str) -> FileResponse:
    """The file that a job made."""
    job = context.jobs.get(job_id)
    if job.file is None:
        raise OutputError("the file is not ready yet")
    return FileResponse(job.file, media_type=job.media_type, filename=job.file_name)


def _state(job: Job) -> JobState:
    return JobState.model_validate(job)
