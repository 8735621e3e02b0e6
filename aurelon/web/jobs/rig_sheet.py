"""A sheet of every saved rig on a plate, to choose from."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from aurelon.core import Renderer, Rig
from aurelon.core.graph.small_pictures import small_picture
from aurelon.core.rig.transfer import apply_rig
from aurelon.runs.jobs import Control
from aurelon.store import SavedRig
from aurelon.web.context import FrameNumber, Shared
from aurelon.web.jobs.shared.sheet import SheetRequest
from aurelon.web.jobs.shared.state import JobState, state_of

router = APIRouter()


class RigCell(BaseModel):
    """A saved rig on this plate (JPEG in base64)."""

    saved: SavedRig
    picture: str


@router.post("/plates/{plate_id}/sheets/rigs", status_code=202)
def start_rig_sheet(context: Shared, plate_id: int, body: SheetRequest, frame: FrameNumber = 0) -> JobState:
    """Every saved rig, seen on this plate."""
    renderer, saved = context.renderers.get(plate_id, frame), context.store.rigs.all()
    return state_of(context.jobs.start("bench", lambda control: show_every_rig(renderer, saved, body.rig, control)))


def show_every_rig(renderer: Renderer, saved: list[SavedRig], onto: Rig, control: Control) -> None:
    """Gives every saved rig as it looks on the plate."""
    for done, one in enumerate(saved):
        applied = apply_rig(one.rig, onto)
        control.give(RigCell(saved=one, picture=small_picture(renderer, applied.rig)))
        control.progress((done + 1) / len(saved))


RESULT = RigCell
