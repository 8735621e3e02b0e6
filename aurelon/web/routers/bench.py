"""The bench: the rig of a plate, its revisions, and the live preview."""

from __future__ import annotations

from fastapi import APIRouter, WebSocket

from aurelon.core import RigError
from aurelon.core.lights import kinds
from aurelon.core.rig import LIGHT_MODELS
from aurelon.store import UnknownPlate
from aurelon.web.context import Context, Shared
from aurelon.web.models import BenchOut, ConflictOut, Edit, NewLight, Step
from aurelon.web.preview import PreviewSession

router = APIRouter(prefix="/plates/{plate_id}", tags=["bench"])
REFUSED = {409: {"model": ConflictOut}}


@router.get("/bench")
def get_bench(context: Shared, plate_id: int) -> BenchOut:
    return BenchOut.of(context.store.bench(plate_id))


@router.post("/revisions", responses=REFUSED)  # type: ignore[arg-type]
def save_revision(context: Shared, plate_id: int, edit: Edit) -> BenchOut:
    return BenchOut.of(context.store.save(plate_id, edit.base, edit.rig, edit.label))


@router.post("/undo", responses=REFUSED)  # type: ignore[arg-type]
def undo(context: Shared, plate_id: int, step: Step) -> BenchOut:
    return BenchOut.of(context.store.undo(plate_id, step.base))


@router.post("/redo", responses=REFUSED)  # type: ignore[arg-type]
def redo(context: Shared, plate_id: int, step: Step) -> BenchOut:
    return BenchOut.of(context.store.redo(plate_id, step.base))


@router.get("/new-light")
def new_light(context: Shared, plate_id: int, kind: str) -> NewLight:
    """A light of that kind, placed so that it shows at once on this plate; it is not added yet."""
    if kind not in kinds():
        raise RigError([("kind", f"'{kind}' is no kind of light; there are: {', '.join(kinds())}")])
    taken = {light.id for light in context.store.bench(plate_id).rig.stack}
    number = next(n for n in range(1, 1000) if f"{kind}-{n}" not in taken)
    placed = kinds()[kind].place(context.open_plates.get(plate_id).plate)
    name = kinds()[kind].title if number == 1 else f"{kinds()[kind].title} {number}"
    fields = {"id": f"{kind}-{number}", "name": name, "kind": kind, **placed}
    return NewLight(light=LIGHT_MODELS[kind].model_validate(fields))


@router.websocket("/preview")
async def preview(socket: WebSocket, plate_id: int) -> None:
    context: Context = socket.app.state.context
    await socket.accept()
    try:
        context.store.plate(plate_id)
    except UnknownPlate as error:
        await socket.close(4404, str(error))
        return
    await PreviewSession(socket, lambda: context.open_plates.get(plate_id)).run()
