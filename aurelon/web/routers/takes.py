"""Takes: named states of a plate's rig, kept to be compared and gone back to."""

from __future__ import annotations

from fastapi import APIRouter

from aurelon.web.context import Shared
from aurelon.web.models import KeepTake, Named, TakeOut, TakesOut

router = APIRouter(tags=["takes"])


@router.get("/plates/{plate_id}/takes")
def list_takes(context: Shared, plate_id: int) -> TakesOut:
    return TakesOut(takes=[TakeOut.of(take) for take in context.store.takes(plate_id)])


@router.post("/plates/{plate_id}/takes", status_code=201)
def keep_take(context: Shared, plate_id: int, body: KeepTake) -> TakeOut:
    return TakeOut.of(context.store.keep_take(plate_id, body.name, body.rig))


@router.patch("/takes/{take_id}")
def rename_take(context: Shared, take_id: int, body: Named) -> TakeOut:
    return TakeOut.of(context.store.rename_take(take_id, body.name))


@router.delete("/takes/{take_id}")
def delete_take(context: Shared, take_id: int) -> TakeOut:
    return TakeOut.of(context.store.delete_take(take_id))


@router.post("/takes/{take_id}/restore")
def restore_take(context: Shared, take_id: int) -> TakeOut:
    return TakeOut.of(context.store.delete_take(take_id, back=True))
