"""Takes: named states of a plate's rig, kept to be compared and gone back to."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel

from aurelon.core import Rig
from aurelon.core.graph.small_pictures import small_jpeg
from aurelon.store import Take
from aurelon.web.context import Shared
from aurelon.web.routers.plates import Name
from aurelon.web.small_pictures import etag_of, small_picture_answer

router = APIRouter(tags=["takes"])


class KeepTake(Name):
    """A state to be kept under a name."""

    rig: Rig


class TakeList(BaseModel):
    """A plate's takes, first to last."""

    takes: list[Take]


@router.get("/plates/{plate_id}/takes")
def list_takes(context: Shared, plate_id: int) -> TakeList:
    """A plate's takes."""
    return TakeList(takes=context.store.takes.of(plate_id))


@router.post("/plates/{plate_id}/takes", status_code=201)
def keep_take(context: Shared, plate_id: int, body: KeepTake) -> Take:
    """Keeps a state under a name."""
    return context.store.takes.keep(plate_id, body.name, body.rig)


@router.get("/plates/{plate_id}/takes/{take_id}/picture", response_class=Response)
def get_picture(context: Shared, request: Request, plate_id: int, take_id: int) -> Response:
    """A take on its plate, small."""
    rig = context.store.takes.get(take_id).rig
    etag = etag_of(context.store.plates.get(plate_id).hash, rig.model_dump_json())
    return small_picture_answer(request, etag, lambda: small_jpeg(context.renderers.get(plate_id), rig))


@router.patch("/takes/{take_id}")
def rename_take(context: Shared, take_id: int, body: Name) -> Take:
    """Gives a take another name."""
    return context.store.takes.rename(take_id, body.name)


@router.delete("/takes/{take_id}")
def delete_take(context: Shared, take_id: int) -> Take:
    """Deletes a take; it can be restored for a month."""
    return context.store.takes.delete(take_id)


@router.post("/takes/{take_id}/restore")
def restore_take(context: Shared, take_id: int) -> Take:
    """Brings a deleted take back."""
    return context.store.takes.restore(take_id)
