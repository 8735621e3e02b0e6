"""Measures how much light flickers over frames of a reel."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from aurelon.core import Reel, Rig
from aurelon.core.analysis.flicker import flicker
from aurelon.runs.jobs import Control
from aurelon.web.context import Shared
from aurelon.web.jobs.shared.span import Span, span_of
from aurelon.web.jobs.shared.state import JobState, state_of

router = APIRouter()


class FlickerRequest(BaseModel):
    """A rig, and frames from the first up to, without, the second."""

    rig: Rig
    span: Span


class FlickerCell(BaseModel):
    """How much of the light jumps from frame to frame, as a share of it, in the mean and at the worst frame."""

    share: float
    worst: int
    worst_share: float


@router.post("/plates/{plate_id}/flicker", status_code=202)
def start_measuring_flicker(context: Shared, plate_id: int, body: FlickerRequest) -> JobState:
    """Measures how much the light flickers over frames of a reel."""
    reel = context.renderers.reel(plate_id)
    span = span_of(reel, body.span)
    return state_of(context.jobs.start("bench", lambda control: measure_flicker(reel, body.rig, span, control)))


def measure_flicker(reel: Reel, rig: Rig, span: Span, control: Control) -> None:
    """Gives how much the light flickers."""
    found = flicker(reel, rig, span, progress=control.progress, cancelled=control.cancelled)
    control.give(FlickerCell(share=found.share, worst=found.worst, worst_share=found.worst_share))


RESULT = FlickerCell
