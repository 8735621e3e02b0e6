"""Writes a rig on a plate to a file."""

from __future__ import annotations

from pathlib import PurePath

from fastapi import APIRouter
from pydantic import BaseModel, Field

from aurelon.core import Rig
from aurelon.core.export import AnyExport, targets
from aurelon.core.export.picture import pixel_size
from aurelon.runs.batches import stem_of
from aurelon.runs.jobs import Control, FileResult
from aurelon.web.context import FrameNumber, Shared
from aurelon.web.jobs.shared.state import JobState, state_of

router = APIRouter()


class ExportRequest(BaseModel):
    """A rig to be exported, and what as."""

    rig: Rig
    export: AnyExport


class FileSize(BaseModel):
    """Bytes of a file that is not written yet; None where they cannot be told before."""

    about: int | None


class PixelSizeRequest(BaseModel):
    """A rig to be exported, and the long edge in pixels: all there are where it is None."""

    rig: Rig
    long_edge: int | None = Field(None, ge=1)


class PixelSizeInfo(BaseModel):
    """Pixels of the picture of an export, how many times that is the picture's own size, and pixels of the long edge: of the
    picture's own size, and the largest that may be asked for."""

    width: int
    height: int
    enlarged: float
    full_edge: int
    largest_edge: int


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

    return state_of(context.jobs.start("export", work))


@router.post("/plates/{plate_id}/exports/size")
def size_of_export(context: Shared, plate_id: int, body: ExportRequest, frame: FrameNumber = 0) -> FileSize:
    """About how large the file of an export will be, by writing the middle of the picture."""
    trial = targets()[body.export.target].trial_size
    return FileSize(about=None if trial is None else trial(context.renderers.get(plate_id, frame), body.rig, body.export))


@router.post("/plates/{plate_id}/exports/pixels")
def pixels_of_export(context: Shared, plate_id: int, body: PixelSizeRequest, frame: FrameNumber = 0) -> PixelSizeInfo:
    """How many pixels the picture of an export has."""
    size = pixel_size(context.renderers.get(plate_id, frame).plate, body.rig, body.long_edge)
    return PixelSizeInfo(**size._asdict())


RESULT = None
