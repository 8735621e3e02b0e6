"""Cuts a subject out of a plate."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from aurelon.core.analysis.subject_cut import cut_subject
from aurelon.core.masks.subject import Subject
from aurelon.runs.jobs import Control
from aurelon.web.context import FrameNumber, Shared
from aurelon.web.jobs.shared.state import JobState, state_of

router = APIRouter()


class CutRequest(BaseModel):
    """A subject to be cut out of the picture as it was shot."""

    subject: Subject


@router.post("/plates/{plate_id}/cut", status_code=202)
def start_cut(context: Shared, plate_id: int, body: CutRequest, frame: FrameNumber = 0) -> JobState:
    """Cuts a subject out and keeps the cut for what is shown next."""
    renderer = context.renderers.get(plate_id, frame)

    def work(control: Control) -> None:
        cut_subject(renderer, body.subject, progress=control.progress, cancelled=control.cancelled)

    return state_of(context.jobs.start("bench", work))


RESULT = None
