"""Finds the cuts of a reel."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from aurelon.core import Reel
from aurelon.core.analysis.cuts import cuts_of
from aurelon.runs.jobs import Control
from aurelon.web.context import Shared
from aurelon.web.jobs.shared.state import JobState, state_of

router = APIRouter()


class CutsCell(BaseModel):
    """The first frame of every shot of a reel but the first, and the frames that cannot be read."""

    cuts: list[int]
    damaged: list[int]


@router.post("/plates/{plate_id}/cuts", status_code=202)
def start_finding_cuts(context: Shared, plate_id: int) -> JobState:
    """Finds where one shot of a reel ends and another begins, beside all that somebody waits for."""
    reel = context.renderers.reel(plate_id)
    return state_of(context.jobs.start("beside", lambda control: find_cuts(reel, control)))


def find_cuts(reel: Reel, control: Control) -> None:
    """Gives the cuts."""
    cuts = cuts_of(reel)
    control.give(CutsCell(cuts=cuts.all(control.progress, control.cancelled), damaged=cuts.damaged))


RESULT = CutsCell
