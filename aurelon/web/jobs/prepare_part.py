"""Prepares a part of a mask that takes a while: a subject is cut out."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from aurelon.core.analysis.part_preparation import prepare_part
from aurelon.core.masks.shared.mask import AnyPart
from aurelon.runs.jobs import Control
from aurelon.web.context import FrameNumber, Shared
from aurelon.web.jobs.shared.state import JobState, state_of

router = APIRouter()


class PartRequest(BaseModel):
    """A part of a mask to be prepared for the plate's picture."""

    part: AnyPart


@router.post("/plates/{plate_id}/parts/prepare", status_code=202)
def start_preparing_part(context: Shared, plate_id: int, body: PartRequest, frame: FrameNumber = 0) -> JobState:
    """Prepares a part, and keeps what was found for what is shown next."""
    renderer = context.renderers.get(plate_id, frame)

    def work(control: Control) -> None:
        prepare_part(renderer, body.part, progress=control.progress, cancelled=control.cancelled)

    return state_of(context.jobs.start("bench", work))


RESULT = None
