"""Plates: bring in, list, rename, delete and restore."""

from __future__ import annotations

import os
from contextlib import closing
from dataclasses import asdict, dataclass
from functools import partial
from pathlib import PurePath
from typing import Annotated, BinaryIO

from fastapi import APIRouter, File, Query, Request, Response, UploadFile
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field

from aurelon.core import PlateError, Rig, RigError, parse_rig, read_reel
from aurelon.core.graph.small_pictures import thumbnail
from aurelon.core.plates.blank import MOST_PIXELS, Blank, blank_picture
from aurelon.core.plates.decoding import decoder
from aurelon.core.reel import is_reel
from aurelon.core.reels.shared import heard
from aurelon.core.reels.shared.footage import MOST_FRAMES
from aurelon.core.reels.stills import are_frames, sequence_in, sequence_name
from aurelon.runs.jobs import Control
from aurelon.store import PlateRecord
from aurelon.web.context import Context, FrameNumber, Shared
from aurelon.web.small_pictures import etag_of, small_picture_answer
from aurelon.web.uploads import opened

router = APIRouter(prefix="/plates", tags=["plates"])

MOST_BYTES = 1 << 30
PIECE = 1 << 20
NAME_LENGTH = 120
TRAVELLED = "Rig in the file"


class Name(BaseModel):
    """What something is called."""

    name: str = Field(min_length=1, max_length=NAME_LENGTH)


@dataclass(frozen=True)
class BroughtIn(PlateRecord):
    """A new plate, and what there is to say of how its file was read."""

    notices: list[str]


class Layers(BaseModel):
    """Names of the pictures in a file that holds several."""

    layers: list[str]


class Names(BaseModel):
    """Names of files that are about to be brought in."""

    names: list[str] = Field(max_length=MOST_FRAMES)


class Sequence(BaseModel):
    """The names in the order of their numbers, and their common name; empty where they are not a sequence."""

    names: list[str]
    name: str


class StillsUpload(BaseModel):
    """Stills that are coming, and how many are still to come."""

    id: str
    left: int


class ReelInfo(BaseModel):
    """A reel's frames: when each is seen, and when the last one ends, in seconds from the first."""

    times: list[float]
    end: float
    fps: float
    sound: bool


class LayerRequest(BaseModel):
    """The name of one of the pictures in a plate's file."""

    layer: str


class BlankRequest(Blank):
    """A new blank plate and its name."""

    name: str = Field("Blank", min_length=1, max_length=NAME_LENGTH)


@router.get("")
def list_plates(context: Shared) -> list[PlateRecord]:
    """Every plate, newest first."""
    return context.store.plates.all()


@router.post("", status_code=201)
def add_plate(context: Shared, file: Annotated[UploadFile, File()]) -> BroughtIn:
    """Keeps a picture file, byte for byte, with an empty rig. A rig that travelled in the file becomes a take."""
    file_name = PurePath((file.filename or "picture").replace("\\", "/")).name or "picture"
    if file.size is not None and file.size > MOST_BYTES:
        raise PlateError(f"{file_name} is larger than {MOST_BYTES >> 30} GB; reduce it first")
    if is_reel(file.file):
        return _reel_in(context, file.file, file_name)
    file.file.seek(0)
    data = file.file.read(MOST_BYTES + 1)
    return _brought_in(context, data, file_name)


@router.post("/sequence")
def find_sequence(body: Names) -> Sequence:
    """Whether files are the numbered stills of one reel, by their names."""
    ordered = sequence_in(body.names)
    if ordered is not None and not are_frames(ordered):
        ordered = None
    return Sequence(names=ordered or [], name=sequence_name(ordered) if ordered else "")


@router.post("/stills", status_code=201)
def begin_stills(context: Shared, body: Names) -> StillsUpload:
    """Begins a reel of numbered stills, which then come in parts of any size."""
    return StillsUpload(id=context.uploads.begin(body.names), left=len(body.names))


@router.post("/stills/{upload}")
def add_stills(context: Shared, upload: str, files: Annotated[list[UploadFile], File()]) -> StillsUpload:
    """Adds stills, byte for byte, to a reel that was begun."""
    return StillsUpload(id=upload, left=context.uploads.add(upload, ((file.filename or "", file.file) for file in files)))


@router.post("/stills/{upload}/reel", status_code=201)
def finish_stills(context: Shared, upload: str) -> BroughtIn:
    """Keeps the stills that came as one reel with an empty rig."""
    came = context.uploads.take(upload)
    with came.file:
        return _reel_in(context, opened(came), came.name, f"{len(came.names)} numbered stills became one reel.")


@router.delete("/stills/{upload}", status_code=204)
def drop_stills(context: Shared, upload: str) -> None:
    """Gives up a reel that was begun."""
    context.uploads.drop(upload)


def _reel_in(context: Context, file: BinaryIO, file_name: str, *notices: str) -> BroughtIn:
    """A new plate of a file that holds frames."""
    with closing(read_reel(lambda: os.fdopen(os.dup(file.fileno()), "rb"), file_name)) as reel:
        reel[0]
        size, depth, count, of_reel = reel.size, reel.footage.depth, len(reel), reel.notices
    kept = context.store.files.put_whole(file)
    name = PurePath(file_name).stem[:NAME_LENGTH] or file_name[:NAME_LENGTH]
    record = context.store.plates.add(kept, file_name, size, depth, Rig(), name, count)
    return BroughtIn(**asdict(record), notices=[*notices, *of_reel])


@router.get("/{plate_id}/reel")
def get_reel(context: Shared, plate_id: int) -> ReelInfo:
    """The frames of a reel."""
    reel = context.renderers.reel(plate_id)
    return ReelInfo(times=reel.times, end=float(reel.footage.end), fps=reel.fps, sound=reel.footage.sounds)


@router.get("/{plate_id}/sound", response_class=Response)
def get_sound(context: Shared, plate_id: int) -> Response:
    """The sound of a reel, to be played beside its frames: Opus in WebM. Nothing where there is none."""
    sound = context.renderers.reel(plate_id).sound()
    if sound is None:
        return Response(status_code=204)
    # A plate's file never changes.
    return Response(sound, media_type=heard.TYPE, headers={"cache-control": "private, max-age=86400, immutable"})


def _brought_in(context: Context, data: bytes, file_name: str) -> BroughtIn:
    plate = context.look(data, file_name)
    name = PurePath(file_name).stem[:NAME_LENGTH] or file_name[:NAME_LENGTH]
    record = context.store.plates.add(data, file_name, plate.size, plate.depth, Rig(), name)
    context.store.plates.keep_thumbnail(record.id, record.revision, plate.thumbnail)
    notices = list(plate.notices)
    if plate.rig:
        try:
            context.store.takes.keep(record.id, TRAVELLED, parse_rig(plate.rig.encode()))
            notices.append(f"{file_name} carries the rig that it was made with; it is among the takes, as “{TRAVELLED}”.")
        except RigError as error:
            notices.append(f"{file_name} carries a rig that cannot be used ({error}).")
    return BroughtIn(**asdict(record), notices=notices)


@router.get("/{plate_id}/layers")
def list_layers(context: Shared, plate_id: int) -> Layers:
    """The pictures in the plate's file, where it holds several."""
    record = context.store.plates.get(plate_id)
    return Layers(layers=decoder().layers(context.store.plates.file(plate_id), record.file_name))


@router.post("/{plate_id}/layers", status_code=201)
def add_layer(context: Shared, plate_id: int, body: LayerRequest) -> BroughtIn:
    """A new plate of another picture in the plate's file."""
    record = context.store.plates.get(plate_id)
    return _brought_in(context, *decoder().layer(context.store.plates.file(plate_id), record.file_name, body.layer))


@router.post("/blank", status_code=201)
def add_blank(context: Shared, body: BlankRequest) -> PlateRecord:
    """A new blank plate: a backdrop of two colours."""
    if body.width * body.height > MOST_PIXELS:
        raise PlateError(f"{body.width} x {body.height} is too large; a blank plate has at most {MOST_PIXELS // 10**6} MP")
    return context.store.plates.add(blank_picture(body), "blank.png", (body.width, body.height), "16", Rig(), body.name)


@router.patch("/{plate_id}")
def rename_plate(context: Shared, plate_id: int, body: Name) -> PlateRecord:
    """Gives a plate another name."""
    return context.store.plates.rename(plate_id, body.name)


@router.delete("/{plate_id}", status_code=204)
def delete_plate(context: Shared, plate_id: int) -> None:
    """Deletes a plate; it can be restored for a month."""
    context.store.plates.delete(plate_id)


@router.post("/{plate_id}/restore")
def restore_plate(context: Shared, plate_id: int) -> PlateRecord:
    """Brings a deleted plate back."""
    return context.store.plates.restore(plate_id)


@router.get("/{plate_id}/thumbnail", response_class=Response, responses={204: {"description": "There is none yet"}})
def get_thumbnail(
    context: Shared,
    request: Request,
    plate_id: int,
    revision: Annotated[int, Query()] = 0,
    at_once: Annotated[bool, Query()] = False,
    frame: FrameNumber = 0,
) -> Response:
    """The lit picture, small; `revision` only makes the address change with the picture. What was kept last is given `at_once`,
    though it may be of an earlier revision. A later `frame` of a reel is rendered when it is asked for."""
    if frame > 0:
        rig = context.store.revisions.bench(plate_id).rig
        etag = etag_of(context.store.plates.get(plate_id).hash, rig.model_dump_json(), str(frame))
        return small_picture_answer(request, etag, lambda: _small_frame(context, plate_id, frame, rig))
    picture, present = context.store.plates.thumbnail(plate_id)
    if not present and not at_once:
        context.jobs.wait(context.jobs.start("thumbnail", lambda control: _render_thumbnail(context, plate_id, control)))
        picture, present = context.store.plates.thumbnail(plate_id)
    if picture is None:  # nothing is kept yet, or the rig was changed meanwhile
        return Response(status_code=204)
    shown = picture
    return small_picture_answer(request, etag_of(shown), lambda: shown)


def _small_frame(context: Context, plate_id: int, frame: int, rig: Rig) -> bytes:
    """A frame of a reel under a rig, small (JPEG)."""
    job = context.jobs.start("thumbnail", lambda control: control.give(thumbnail(context.renderers.get(plate_id, frame), rig)))
    picture: bytes = context.jobs.wait(job).items[0]
    return picture


def _render_thumbnail(context: Context, plate_id: int, control: Control) -> None:
    if not context.store.plates.thumbnail(plate_id)[1] and not control.cancelled():
        state = context.store.revisions.bench(plate_id)
        picture = thumbnail(context.renderers.get(plate_id), state.rig)
        context.store.plates.keep_thumbnail(plate_id, state.revision, picture)


@router.get("/{plate_id}/file", response_class=StreamingResponse)
def get_file(context: Shared, plate_id: int) -> StreamingResponse:
    """The file as it came, byte for byte."""
    file = context.store.plates.opened(plate_id)
    pieces = iter(partial(file.read, PIECE), b"")
    return StreamingResponse(pieces, media_type="application/octet-stream", headers={"content-disposition": "attachment"})
