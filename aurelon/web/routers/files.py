"""Files that rigs on a plate refer to: depth maps, mattes from elsewhere, light passes."""

from __future__ import annotations

from pathlib import PurePath
from typing import Annotated

from fastapi import APIRouter, File, Query, UploadFile
from pydantic import BaseModel

from aurelon.core import PlateError
from aurelon.core.plate import read_grey
from aurelon.core.plates.decoding import decoder
from aurelon.web.context import Shared

router = APIRouter(prefix="/plates/{plate_id}/files", tags=["files"])
MOST_BYTES = 256 << 20
SHAPES_APART = 0.05  # by which a picture's shape may differ from the plate's


class KeptFile(BaseModel):
    """A file that rigs can refer to by `name`, its SHA-256; its size in pixels. `layers` are the pictures in what came, where that
    holds several; one of them was taken."""

    name: str
    file_name: str
    width: int
    height: int
    layers: list[str]


class FileNames(BaseModel):
    """The names under which files came, by their SHA-256."""

    names: dict[str, str]


@router.post("", status_code=201)
def add_file(
    context: Shared,
    plate_id: int,
    file: Annotated[UploadFile, File()],
    any_shape: Annotated[bool, Query()] = False,
    layer: Annotated[str, Query()] = "",
) -> KeptFile:
    """Keeps a picture with the plate: one that lies over all of it, or with `any_shape` a light pass; of a file that holds several
    pictures the `layer` of that name."""
    name = PurePath(file.filename or "picture").name
    if file.size is not None and file.size > MOST_BYTES:
        raise PlateError(f"{name} is larger than {MOST_BYTES >> 20} MB; reduce it first")
    record = context.store.plates.get(plate_id)
    data = file.file.read(MOST_BYTES + 1)
    layers = decoder().layers(data, name)
    if layer:
        data, name = decoder().layer(data, name, layer)
    rows, columns = read_grey(data, name).shape
    shape, wanted = columns / rows, record.width / record.height
    if not any_shape and abs(shape / wanted - 1) > SHAPES_APART:
        raise PlateError(
            f"{name} is {columns} x {rows}, which is another shape than the plate's {record.width} x {record.height}; "
            "crop it to the plate's shape first (its size does not matter)"
        )
    kept = context.store.files.add(data, name, plate_id=plate_id)
    context.renderers.forget_stages()
    return KeptFile(name=kept, file_name=name, width=columns, height=rows, layers=layers)


@router.get("")
def list_files(context: Shared, plate_id: int) -> FileNames:
    """The plate's files."""
    return FileNames(names=context.store.files.names(plate_id))
