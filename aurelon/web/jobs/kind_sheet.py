"""A sheet of lights of every kind, to choose from."""

from __future__ import annotations

import time

from fastapi import APIRouter
from pydantic import BaseModel

from aurelon.core import Renderer, Rig
from aurelon.core.graph.new_light import new_light
from aurelon.core.graph.small_pictures import small_picture
from aurelon.core.lights import kinds
from aurelon.core.rig.light import AnyLight
from aurelon.runs.jobs import Control
from aurelon.web.context import FrameNumber, Shared
from aurelon.web.jobs.shared.sheet import SheetRequest
from aurelon.web.jobs.shared.state import JobState, state_of
from aurelon.web.preparing import LOOK_EVERY, Preparing

router = APIRouter()


class KindCell(BaseModel):
    """A light of one kind, placed so that it shows on this plate, and the plate with it (JPEG in base64)."""

    title: str
    summary: str
    light: AnyLight
    picture: str


@router.post("/plates/{plate_id}/sheets/kinds", status_code=202)
def start_kind_sheet(context: Shared, plate_id: int, body: SheetRequest, frame: FrameNumber = 0) -> JobState:
    """A light of every kind, placed on this plate over the rig as it stands; none is added yet."""
    renderer = context.renderers.get(plate_id, frame)
    return state_of(context.jobs.start("bench", lambda control: light_every_kind(renderer, body.rig, context.preparing, control)))


def light_every_kind(renderer: Renderer, rig: Rig, preparing: Preparing, control: Control) -> None:
    """Gives a light of every kind, placed on the plate over the rig as it stands; one whose kernels are still to come once they are
    there, so that showing the plate does not wait for them."""
    waits = preparing.seconds_left()
    for done, (name, kind) in enumerate(sorted(kinds().items(), key=lambda one: waits.get(one[0], 0.0))):
        while not preparing.is_ready(name):
            time.sleep(LOOK_EVERY)
            control.go_on()
        light = new_light(name, renderer.plate, rig, example=True, cache=renderer.cache)
        lit = rig.model_copy(update={"lights": [*rig.stack, light]})
        control.give(KindCell(title=kind.called, summary=kind.summary, light=light, picture=small_picture(renderer, lit)))
        control.progress((done + 1) / len(kinds()))


RESULT = KindCell
