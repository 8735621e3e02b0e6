"""Plates: bring in, list, rename, delete and restore."""

from __future__ import annotations

from pathlib import PurePath
from typing import Annotated

from fastapi import APIRouter, File, Query, Response, UploadFile

from aurelon.core import PlateError, Rig, read_plate, render
from aurelon.core.blank import MOST_PIXELS, blank_picture
from aurelon.core.graph.pipeline import seen_frame
from aurelon.core.imaging.frame import fit_within
from aurelon.core.imaging.screen import encode_jpeg, to_screen
from aurelon.web.context import Shared
from aurelon.web.models import BlankRequest, PlateOut, Rename

router = APIRouter(prefix="/plates", tags=["plates"])

MOST_BYTES = 1 << 30
THUMBNAIL_EDGE = 640


@router.get("")
def list_plates(context: Shared) -> list[PlateOut]:
    return [PlateOut.of(record) for record in context.store.plates()]


@router.post("", status_code=201)
def add_plate(context: Shared, file: Annotated[UploadFile, File()]) -> PlateOut:
    """Keeps a picture file, byte for byte, with an empty rig."""
    file_name = PurePath((file.filename or "picture").replace("\\", "/")).name or "picture"
    if file.size is not None and file.size > MOST_BYTES:
        raise PlateError(f"{file_name} is larger than {MOST_BYTES >> 30} GB; reduce it first")
    data = file.file.read(MOST_BYTES + 1)
    plate = read_plate(data, file_name)
    name = PurePath(file_name).stem[:120] or file_name[:120]
    return PlateOut.of(
        context.store.plate(context.store.add_plate(data, file_name, plate.size, plate.depth, Rig(), name))
    )


@router.post("/blank", status_code=201)
def add_blank(context: Shared, body: BlankRequest) -> PlateOut:
    """A new blank plate: a backdrop of two colours."""
    if body.width * body.height > MOST_PIXELS:
        raise PlateError(f"{body.width} x {body.height} is too large; a blank plate has at most {MOST_PIXELS // 10**6} MP")
    data = blank_picture(body)
    number = context.store.add_plate(data, "blank.png", (body.width, body.height), "16", Rig(), body.name)
    return PlateOut.of(context.store.plate(number))


@router.patch("/{plate_id}")
def rename_plate(context: Shared, plate_id: int, body: Rename) -> PlateOut:
    return PlateOut.of(context.store.rename(plate_id, body.name))


@router.delete("/{plate_id}", status_code=204)
def delete_plate(context: Shared, plate_id: int) -> None:
    context.store.delete(plate_id)


@router.post("/{plate_id}/restore")
def restore_plate(context: Shared, plate_id: int) -> PlateOut:
    return PlateOut.of(context.store.restore(plate_id))


@router.get("/{plate_id}/thumbnail", response_class=Response)
def get_thumbnail(context: Shared, plate_id: int, revision: Annotated[int, Query()] = 0) -> Response:
    """The lit picture, small; `revision` only makes the address change with the picture."""
    picture = context.store.thumbnail(plate_id)
    if picture is None:
        state = context.store.bench(plate_id)
        opened = context.open_plates.get(plate_id)
        rows, columns = seen_frame(opened.plate, state.rig).shape
        size = fit_within((columns, rows), THUMBNAIL_EDGE)
        pixels = render(opened.plate, state.rig, size=size, cache=opened.cache)
        picture = encode_jpeg(to_screen(pixels, opened.plate.space), 88)
        context.store.keep_thumbnail(plate_id, state.revision, picture)
    return Response(picture, media_type="image/jpeg", headers={"cache-control": "private, max-age=3600"})


@router.get("/{plate_id}/file", response_class=Response)
def get_file(context: Shared, plate_id: int) -> Response:
    """The file as it came, byte for byte."""
    data = context.store.file(plate_id)
    return Response(data, media_type="application/octet-stream", headers={"content-disposition": "attachment"})
