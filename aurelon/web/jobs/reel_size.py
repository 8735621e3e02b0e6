"""Learns how large the file of a lit reel will be, and what becomes of the reel in it."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from aurelon.core import Reel, Rig
from aurelon.core.export.reels import ReelExport, check_reel, notes_of, trial_size
from aurelon.runs.jobs import Control
from aurelon.web.context import Shared
from aurelon.web.jobs.shared.state import JobState, state_of

router = APIRouter()


class ReelSizeRequest(BaseModel):
    """A rig on a reel, and how the lit reel would be written."""

    rig: Rig
    reel: ReelExport


class SizeCell(BaseModel):
    """About how many bytes the file of a lit reel will have."""

    about: int


@router.post("/plates/{plate_id}/reel/size", status_code=202)
def start_trying_reel(context: Shared, plate_id: int, body: ReelSizeRequest) -> JobState:
    """Learns about how large the file of a lit reel will be, by writing a second of its middle."""
    reel = context.renderers.reel(plate_id)
    check_reel(reel, body.rig, body.reel)
    return state_of(context.jobs.start("bench", lambda control: try_reel(reel, body.rig, body.reel, control)))


@router.post("/plates/{plate_id}/reel/notes")
def list_reel_notes(context: Shared, plate_id: int, body: ReelSizeRequest) -> list[str]:
    """What becomes of the reel in the file, where that is not what one would expect."""
    return notes_of(context.renderers.reel(plate_id), body.rig, body.reel)


def try_reel(reel: Reel, rig: Rig, options: ReelExport, control: Control) -> None:
    """Gives the size of the file, by writing a second of the middle."""
    control.give(SizeCell(about=trial_size(reel, rig, options, control.cancelled)))


RESULT = SizeCell
