"""Saved rigs: kept under a name, brought in and taken out as files."""

from __future__ import annotations

import base64
import json

from fastapi import APIRouter, Response
from pydantic import BaseModel

from aurelon.core import Rig
from aurelon.core.graph.small_pictures import small_jpeg
from aurelon.store import SavedRig
from aurelon.web.context import Context, Shared
from aurelon.web.routers.bench import refuse_unused_keys
from aurelon.web.routers.plates import Name

router = APIRouter(tags=["rigs"])


class SaveRig(Name):
    """A rig to be saved, with the plate on which it is pictured."""

    rig: Rig
    plate: int | None = None


class SavedRigs(BaseModel):
    """All saved rigs by their names."""

    rigs: list[SavedRig]


@router.get("/rigs")
def list_rigs(context: Shared) -> SavedRigs:
    """All saved rigs."""
    return SavedRigs(rigs=context.store.rigs.all())


@router.post("/rigs", status_code=201)
def save_rig(context: Shared, body: SaveRig) -> SavedRig:
    """Saves a rig with a picture of it; also how a rig file is brought in."""
    refuse_unused_keys(body.rig)
    picture = None if body.plate is None else small_jpeg(context.renderers.get(body.plate), body.rig)
    return context.store.rigs.save(body.name, body.rig, picture)


@router.patch("/rigs/{rig_id}")
def rename_rig(context: Shared, rig_id: int, body: Name) -> SavedRig:
    """Gives a saved rig another name."""
    return context.store.rigs.rename(rig_id, body.name)


@router.delete("/rigs/{rig_id}")
def delete_rig(context: Shared, rig_id: int) -> SavedRig:
    """Deletes a saved rig; it can be restored for a month."""
    return context.store.rigs.delete(rig_id)


@router.post("/rigs/{rig_id}/restore")
def restore_rig(context: Shared, rig_id: int) -> SavedRig:
    """Brings a deleted rig back."""
    return context.store.rigs.restore(rig_id)


@router.get("/rigs/{rig_id}/picture", response_class=Response, responses={204: {"description": "It was never seen"}})
def get_picture(context: Shared, rig_id: int) -> Response:
    """How the rig looked where it was made; nothing where it was never seen."""
    picture = context.store.rigs.picture(rig_id)
    return Response(picture, media_type="image/jpeg") if picture else Response(status_code=204)


@router.get("/rigs/{rig_id}/file", response_class=Response)
def get_rig_file(context: Shared, rig_id: int) -> Response:
    """The rig as a file, with the files that it refers to."""
    saved = context.store.rigs.get(rig_id)
    return _file(context, saved.rig, saved.name)


@router.get("/plates/{plate_id}/rig", response_class=Response)
def get_plates_rig_file(context: Shared, plate_id: int) -> Response:
    """The plate's present rig as a file."""
    state = context.store.revisions.bench(plate_id)
    return _file(context, state.rig, state.plate.name)


def _file(context: Context, rig: Rig, name: str) -> Response:
    kept = {used: context.store.files.get(used) for used in rig.file_names()}
    files = {used: base64.b64encode(data).decode() for used, data in kept.items() if data is not None}
    text = json.dumps(rig.model_copy(update={"files": files}).model_dump(mode="json"), indent=1)
    stem = "".join(c if c.isascii() and (c.isalnum() or c in " -_") else "-" for c in name).strip() or "rig"
    headers = {"content-disposition": f'attachment; filename="{stem}.json"'}
    return Response(text, media_type="application/json", headers=headers)
