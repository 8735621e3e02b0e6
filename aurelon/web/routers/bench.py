"""The bench: the rig of a plate, its revisions, and the live preview."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from fastapi import APIRouter, WebSocket
from pydantic import BaseModel, Field

from aurelon.core import Rig, RigError
from aurelon.core.rig.copies import following
from aurelon.store import BenchState, Unknown
from aurelon.web.context import Context, Shared
from aurelon.web.preview import PreviewSession
from aurelon.web.problems import ConflictProblem

router = APIRouter(prefix="/plates/{plate_id}", tags=["bench"])
REFUSED: dict[int | str, dict[str, object]] = {409: {"model": ConflictProblem}}


def refuse_unused_keys(rig: Rig, known: Sequence[str] = ()) -> None:
    """Raises RigError where keys name a light that is missing, unless they are `known`: rigs of earlier versions have some."""
    unused = [owner for owner in rig.unused_keys() if owner not in known]
    if unused:
        raise RigError([(f"keys.{owner}", "the rig has no light with this id; leave its keys out") for owner in unused])


class Save(BaseModel):
    """A rig to be saved on top of revision `base`; the group of the light `lead` follows it."""

    base: int
    label: str = Field(min_length=1, max_length=160)
    rig: Rig
    lead: str | None = None


class Step(BaseModel):
    """A step back or forth from revision `base`."""

    base: int


@router.get("/bench")
def get_bench(context: Shared, plate_id: int) -> BenchState:
    """A plate's present rig, and what undo and redo would do."""
    return context.store.revisions.bench(plate_id)


@router.post("/revisions", responses=REFUSED)
def save_revision(context: Shared, plate_id: int, save: Save) -> BenchState:
    """Keeps a rig as one step to undo."""
    before = context.store.revisions.bench(plate_id).rig.unused_keys()
    refuse_unused_keys(save.rig, before)
    return context.store.revisions.save(plate_id, save.base, following(save.rig, save.lead), save.label)


@router.post("/undo", responses=REFUSED)
def undo(context: Shared, plate_id: int, step: Step) -> BenchState:
    """Back to the state that the present one was made from."""
    return context.store.revisions.undo(plate_id, step.base)


@router.post("/redo", responses=REFUSED)
def redo(context: Shared, plate_id: int, step: Step) -> BenchState:
    """On to the newest state made from the present one."""
    return context.store.revisions.redo(plate_id, step.base)


@router.websocket("/preview")
async def preview(socket: WebSocket, plate_id: int) -> None:
    context: Context = socket.app.state.context
    await socket.accept()
    try:
        context.store.plates.hash(plate_id)
    except Unknown as error:
        await socket.close(4404, str(error))
        return
    with context.renderers.shown(plate_id):
        await PreviewSession(socket, partial(context.renderers.for_preview, plate_id), context.workers).run()
