"""Copies of lights on other plates."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from aurelon.core import Rig
from aurelon.core.rig.transfer import apply_rig
from aurelon.store import Conflict
from aurelon.web.context import Shared

router = APIRouter(prefix="/plates/{plate_id}/copies", tags=["edits"])
MOST_PLATES = 500
TRIES = 3  # that a copy is made again where somebody saved on the other plate meanwhile


class CopyRequest(BaseModel):
    """Lights of a rig, by their ids, and the plates on which they are to be laid."""

    rig: Rig
    lights: list[str] = Field(min_length=1)
    plates: list[int] = Field(min_length=1, max_length=MOST_PLATES)


class Copied(BaseModel):
    """A plate with the lights on it, and what was left out there."""

    plate: int
    notes: list[str]


@router.post("")
def copy_lights(context: Shared, plate_id: int, body: CopyRequest) -> list[Copied]:
    """Lays lights on other plates, on top of what is there: on each it is one step that can be undone."""
    name = context.store.plates.get(plate_id).name
    for plate in body.plates:  # all take the lights before any is changed
        apply_rig(body.rig, context.store.revisions.bench(plate).rig, body.lights, name)
    return [Copied(plate=plate, notes=_copy(context, plate, body, name)) for plate in body.plates]


def _copy(context: Shared, plate: int, body: CopyRequest, name: str) -> list[str]:
    for left in reversed(range(TRIES)):
        state = context.store.revisions.bench(plate)
        edited = apply_rig(body.rig, state.rig, body.lights, name)
        try:
            context.store.revisions.save(plate, state.revision, edited.rig, f"Copy light from {name}"[:160])
            break
        except Conflict:
            if left == 0:
                raise
    return list(edited.notes)
