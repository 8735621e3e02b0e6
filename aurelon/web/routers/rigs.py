"""Saved rigs: kept under a name, seen on a plate, applied to it, brought in and taken out as files."""

from __future__ import annotations

import base64
import json

from fastapi import APIRouter, Response

from aurelon.core import Rig
from aurelon.core.rig.transfer import apply_rig
from aurelon.web.context import Context, Shared
from aurelon.web.models import (
    AppliedOut,
    ApplyRequest,
    Named,
    RigCell,
    RigIn,
    RigSheet,
    SavedRigOut,
    SavedRigsOut,
    SaveRig,
)
from aurelon.web.preview import small_picture

router = APIRouter(tags=["rigs"])


@router.get("/rigs")
def list_rigs(context: Shared) -> SavedRigsOut:
    return SavedRigsOut(rigs=[SavedRigOut.of(saved) for saved in context.store.saved_rigs()])


@router.post("/rigs", status_code=201)
def save_rig(context: Shared, body: SaveRig) -> SavedRigOut:
    """Saves a rig with a picture of it; also how a rig file is brought in."""
    picture = None
    if body.plate is not None:
        picture = base64.b64decode(small_picture(context.open_plates.get(body.plate), body.rig))
    return SavedRigOut.of(context.store.save_rig(body.name, body.rig, picture))


@router.patch("/rigs/{rig_id}")
def rename_rig(context: Shared, rig_id: int, body: Named) -> SavedRigOut:
    return SavedRigOut.of(context.store.rename_rig(rig_id, body.name))


@router.delete("/rigs/{rig_id}")
def delete_rig(context: Shared, rig_id: int) -> SavedRigOut:
    return SavedRigOut.of(context.store.delete_rig(rig_id))


@router.post("/rigs/{rig_id}/restore")
def restore_rig(context: Shared, rig_id: int) -> SavedRigOut:
    return SavedRigOut.of(context.store.delete_rig(rig_id, back=True))


@router.get("/rigs/{rig_id}/picture", response_class=Response)
def get_picture(context: Shared, rig_id: int) -> Response:
    """How the rig looked where it was made; nothing where it was never seen."""
    picture = context.store.saved_rig(rig_id).picture
    return Response(picture, media_type="image/jpeg") if picture else Response(status_code=204)


@router.get("/rigs/{rig_id}/file", response_class=Response)
def get_rig_file(context: Shared, rig_id: int) -> Response:
    """The rig as a file, with the pictures that it refers to."""
    saved = context.store.saved_rig(rig_id)
    return _file(context, saved.rig, saved.name)


@router.get("/plates/{plate_id}/rig", response_class=Response)
def get_plates_rig_file(context: Shared, plate_id: int) -> Response:
    """The plate's present rig as a file."""
    state = context.store.bench(plate_id)
    return _file(context, state.rig, state.plate.name)


def _file(context: Context, rig: Rig, name: str) -> Response:
    files = {used: context.store.named_file(used) for used in rig.picture_names()}
    pictures = {used: base64.b64encode(data).decode() for used, data in files.items() if data is not None}
    text = json.dumps(rig.model_copy(update={"pictures": pictures}).model_dump(mode="json"), indent=1)
    stem = "".join(c if c.isascii() and (c.isalnum() or c in " -_") else "-" for c in name).strip() or "rig"
    headers = {"content-disposition": f'attachment; filename="{stem}.json"'}
    return Response(text, media_type="application/json", headers=headers)


@router.post("/plates/{plate_id}/rigs")
def rig_sheet(context: Shared, plate_id: int, body: RigIn) -> RigSheet:
    """Every saved rig, seen on this plate."""
    opened = context.open_plates.get(plate_id)
    cells = []
    for saved in context.store.saved_rigs():
        applied = apply_rig(saved.rig, body.rig)
        cells.append(RigCell(saved=SavedRigOut.of(saved), picture=small_picture(opened, applied.rig)))
    return RigSheet(cells=cells)


@router.post("/plates/{plate_id}/apply")
def apply_saved(context: Shared, plate_id: int, body: ApplyRequest) -> AppliedOut:
    """What the plate's rig becomes with a saved rig, or some of its lights. Nothing is kept yet."""
    context.store.plate(plate_id)
    applied = apply_rig(context.store.saved_rig(body.saved).rig, body.onto, body.lights)
    return AppliedOut(rig=applied.rig, notes=applied.notes)
