"""Masks and mattes: what a mask's recipe becomes, cutting out a subject, files that masks refer to."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import PurePath
from queue import Queue
from threading import Event, Thread
from typing import Annotated

from fastapi import APIRouter, File, Query, UploadFile
from fastapi.responses import StreamingResponse

from aurelon.core import PlateError
from aurelon.core.errors import Cancelled
from aurelon.core.graph.cutting import cut_subject
from aurelon.core.masks.shared.mask import Mask
from aurelon.core.plate import read_grey
from aurelon.web.context import Shared
from aurelon.web.models import CutNews, CutRequest, FileOut, FilesOut

router = APIRouter(tags=["masks"])
MOST_BYTES = 256 << 20
SHAPES_APART = 0.05  # by which a picture's shape may differ from the plate's


@router.post("/masks/inverted")
def invert_mask(mask: Mask) -> Mask:
    """The mask that covers what this one leaves, its parts still editable."""
    return mask.inverted()


@router.post("/plates/{plate_id}/cut", response_class=StreamingResponse, responses={200: {"model": CutNews}})
def cut_out(context: Shared, plate_id: int, body: CutRequest) -> StreamingResponse:
    """Cuts a subject out and keeps the cut for what is shown next; a line of `CutNews` for each step.

    Whoever leaves cancels.
    """
    opened = context.open_plates.get(plate_id)
    left = Event()

    def news() -> Iterator[str]:
        told: Queue[float | None] = Queue()

        def work() -> None:
            try:
                cut_subject(opened.plate, body.subject, opened.cache, progress=told.put, cancelled=left.is_set)
            except Cancelled:
                pass
            finally:
                told.put(None)

        worker = Thread(target=work, name="cut")
        worker.start()
        try:
            while (share := told.get()) is not None:
                yield CutNews(share=share).model_dump_json() + "\n"
            yield CutNews(share=1).model_dump_json() + "\n"
        finally:
            left.set()
            worker.join()

    return StreamingResponse(news(), media_type="application/x-ndjson")


@router.post("/plates/{plate_id}/files", status_code=201)
def add_file(
    context: Shared, plate_id: int, file: Annotated[UploadFile, File()], any_shape: Annotated[bool, Query()] = False
) -> FileOut:
    """Keeps a picture with the plate: a depth or a matte that lies over all of it, or with `any_shape` a light pass."""
    name = PurePath(file.filename or "picture").name
    if file.size is not None and file.size > MOST_BYTES:
        raise PlateError(f"{name} is larger than {MOST_BYTES >> 20} MB; reduce it first")
    record = context.store.plate(plate_id)
    data = file.file.read(MOST_BYTES + 1)
    rows, columns = read_grey(data, name).shape
    shape, wanted = columns / rows, record.width / record.height
    if not any_shape and abs(shape / wanted - 1) > SHAPES_APART:
        raise PlateError(
            f"{name} is {columns} x {rows}, which is another shape than the plate's {record.width} x {record.height}; "
            "cut it to the plate's shape first (its size does not matter)"
        )
    kept = context.store.add_file(data, name, plate_id=plate_id)
    context.open_plates.forget_stages()
    return FileOut(name=kept, file_name=name, width=columns, height=rows)


@router.get("/plates/{plate_id}/files")
def list_files(context: Shared, plate_id: int) -> FilesOut:
    """The names under which the plate's files came, by their SHA-256."""
    return FilesOut(names=context.store.file_names(plate_id))
