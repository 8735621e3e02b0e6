"""Finds lights that fall where a sketch has them."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from aurelon.core import Renderer, Rig
from aurelon.core.analysis.asked_for import Sketch, asked_for, sketch_of
from aurelon.core.graph.small_pictures import small_picture
from aurelon.core.lights import kinds
from aurelon.core.rig.light import AnyLight
from aurelon.core.settings import Stroke
from aurelon.runs.jobs import Control
from aurelon.web.context import FrameNumber, Shared
from aurelon.web.jobs.shared.state import JobState, state_of

router = APIRouter()
MOST_STROKES = 500


class SketchRequest(BaseModel):
    """A sketch of where light should fall and, in strokes that erase, where it should not: asked of a light of the rig, or of
    several kinds where `light` is null."""

    rig: Rig
    light: str | None = None
    strokes: tuple[Stroke, ...] = Field(max_length=MOST_STROKES)


class SketchCell(BaseModel):
    """A light that falls about where it was sketched: its `agreement` with the sketch in 0..1, and the plate with it (JPEG in
    base64)."""

    title: str
    light: AnyLight
    agreement: float
    picture: str


@router.post("/plates/{plate_id}/sketch", status_code=202)
def start_sketch(context: Shared, plate_id: int, body: SketchRequest, frame: FrameNumber = 0) -> JobState:
    """Finds lights that fall where a sketch has them; gives up to six, the best first. The rig is not changed."""
    renderer = context.renderers.get(plate_id, frame)
    sketch = sketch_of(body.strokes, renderer.plate.size)
    return state_of(context.jobs.start("bench", lambda control: answer_sketch(renderer, body.rig, sketch, body.light, control)))


def answer_sketch(renderer: Renderer, rig: Rig, sketch: Sketch, light: str | None, control: Control) -> None:
    """Gives the answers to a sketch as they are found, each with its picture."""
    answers = asked_for(
        renderer.plate, rig, sketch, light, cache=renderer.cache, cancelled=control.cancelled, progress=control.progress
    )
    for answer in answers:
        lit = rig.with_light(answer.light) if light else rig.model_copy(update={"lights": [*rig.stack, answer.light]})
        title = kinds()[answer.light.kind].called
        picture = small_picture(renderer, lit)
        control.give(SketchCell(title=title, light=answer.light, agreement=answer.agreement, picture=picture))


RESULT = SketchCell
