"""Background jobs: following them, cancelling them, fetching what they made. `web/jobs/` has those that can be started."""

from __future__ import annotations

from collections.abc import Iterator

from fastapi import APIRouter
from fastapi.responses import FileResponse, StreamingResponse
from pydantic import BaseModel

from aurelon.core import OutputError
from aurelon.web.context import Shared
from aurelon.web.jobs import MODULES, AnyResult
from aurelon.web.jobs.shared.state import JobState, state_of

router = APIRouter(tags=["jobs"])
for module in MODULES:
    router.include_router(module.router)


class JobNews(BaseModel):
    """A line of news of a job: how it stands, and what it gave since the last."""

    job: JobState
    items: list[AnyResult]


@router.get("/jobs/{job_id}")
def get_job(context: Shared, job_id: str) -> JobState:
    """How a job stands."""
    return state_of(context.jobs.get(job_id))


@router.get("/jobs/{job_id}/news", response_class=StreamingResponse, responses={200: {"model": JobNews}})
def follow_job(context: Shared, job_id: str) -> StreamingResponse:
    """A line of `JobNews` whenever there is any, until the job is over."""
    job = context.jobs.get(job_id)

    def lines() -> Iterator[str]:
        for known, now in context.jobs.follow(job):
            yield JobNews(job=state_of(now), items=now.items[known:]).model_dump_json() + "\n"

    return StreamingResponse(lines(), media_type="application/x-ndjson")


@router.delete("/jobs/{job_id}")
def cancel_job(context: Shared, job_id: str) -> JobState:
    """Cancels a job."""
    job = context.jobs.get(job_id)
    context.jobs.cancel(job)
    return state_of(job)


@router.get("/jobs/{job_id}/file", response_class=FileResponse)
def fetch_file(context: Shared, job_id: str) -> FileResponse:
    """The file that a job made."""
    job = context.jobs.get(job_id)
    if job.file is None:
        raise OutputError("the file is not ready yet")
    return FileResponse(job.file, media_type=job.media_type, filename=job.file_name)
