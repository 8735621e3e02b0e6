"""Finds the cuts of a reel."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial

from fastapi import APIRouter
from pydantic import BaseModel

from aurelon.core import Reel
from aurelon.core.analysis.cuts import cuts_of
from aurelon.runs.jobs import Control
from aurelon.web.context import Shared
from aurelon.web.jobs.shared.state import JobState, state_of

router = APIRouter()
GIVES_WAY = 0.1  # s


class CutsCell(BaseModel):
    """The first frame of every shot of a reel but the first, and the frames that cannot be read."""

    cuts: list[int]
    damaged: list[int]


@router.post("/plates/{plate_id}/cuts", status_code=202)
def start_finding_cuts(context: Shared, plate_id: int) -> JobState:
    """Finds where one shot of a reel ends and another begins, beside all that somebody waits for."""
    reel = context.renderers.reel(plate_id)
    scrubbed = partial(context.renderers.scrubbed_lately, plate_id)
    return state_of(context.jobs.start("beside", lambda control: look_over(reel, control, scrubbed)))


def look_over(reel: Reel, control: Control, scrubbed: Callable[[], bool]) -> None:
    """Gives the cuts, and then makes rough frames ready for when a hand goes over them. It waits while one does, since both would
    take turns in moving the reel's decoder to and fro."""

    def go_on(share: float) -> None:
        control.progress(share)
        while scrubbed() and not control.cancelled():
            time.sleep(GIVES_WAY)

    cuts = cuts_of(reel)
    control.give(CutsCell(cuts=cuts.all(go_on, control.cancelled), damaged=cuts.damaged))
    for number in range(len(reel)):
        if control.cancelled() or not reel.ready_rough(number):
            return
        go_on(1.0)


RESULT = CutsCell
