"""Exports: start, watch, cancel, fetch."""

from __future__ import annotations

from pathlib import PurePath

from fastapi import APIRouter
from fastapi.responses import FileResponse

from aurelon.core import OutputError
from aurelon.core.codecs import codecs
from aurelon.core.export.picture import ExportOptions
from aurelon.runs.exports import ExportJob
from aurelon.web.context import Context, Shared
from aurelon.web.models import ExportOut, ExportRequest

router = APIRouter(tags=["exports"])


def _out(job: ExportJob) -> ExportOut:
    return ExportOut.model_validate(job, from_attributes=True)


def _job(context: Context, job_id: str) -> ExportJob:
    job = context.exports.job(job_id)
    if job is None:
        raise OutputError("this export is no longer kept; start it again")
    return job


@router.post("/plates/{plate_id}/exports", status_code=202)
def start_export(context: Shared, plate_id: int, body: ExportRequest) -> ExportOut:
    record = context.store.plate(plate_id)
    plate = context.open_plates.get(plate_id).plate
    size = (body.width, body.height) if body.width and body.height else None
    options = ExportOptions(body.format, body.depth, body.quality, size, body.profile).checked(plate, body.rig)
    form = codecs()[body.format].FORMAT
    stem = "".join(c if c.isalnum() or c in " -_." else "-" for c in record.name).strip() or "plate"
    name = PurePath(f"{stem}-lit").name + form.suffixes[0]
    job = context.exports.start(plate_id, lambda: plate, body.rig, options, name, form.media_type)
    return _out(job)


@router.get("/exports/{job_id}")
def watch_export(context: Shared, job_id: str) -> ExportOut:
    return _out(_job(context, job_id))


@router.delete("/exports/{job_id}")
def cancel_export(context: Shared, job_id: str) -> ExportOut:
    job = _job(context, job_id)
    context.exports.cancel(job)
    return _out(job)


@router.get("/exports/{job_id}/file", response_class=FileResponse)
def fetch_export(context: Shared, job_id: str) -> FileResponse:
    job = _job(context, job_id)
    if job.path is None:
        raise OutputError(f"{job.file_name} is not ready")
    return FileResponse(job.path, media_type=job.media_type, filename=job.file_name)
