"""The live preview: a socket for each open bench. The newest request wins.

The client sends `PreviewRequest`; the answer is a binary frame: four bytes of length, a
`FrameHeader` in JSON, and a picture. `part` is `picture` or the name of a stage. A draft is JPEG,
an exact frame PNG; for a screen of high dynamic range in PQ (ITU-R BT.2100), where it holds
light above white. A page on the same machine asks for `plain` samples: to pack and unpack a picture
takes ten times as long as to hand it over. Stages come after the picture and give way to the next request.
"""

from __future__ import annotations

import asyncio
import logging
import struct
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from typing import Any, Literal, NamedTuple

import cv2
import numpy as np
from fastapi import WebSocket, WebSocketDisconnect
from pydantic import BaseModel, Field, ValidationError
from starlette.websockets import WebSocketState

from aurelon.core import AurelonError, Renderer, Rig
from aurelon.core.codecs import png
from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.errors import Cancelled, RigError
from aurelon.core.graph.show import RESULT, STAGES, Show, ShowBefore, ShowResult, ShowStage
from aurelon.core.graph.viewing import Viewing
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.code_points import LINEAR_REC2020
from aurelon.core.imaging.colour_matrix import mixed
from aurelon.core.imaging.crop_and_straighten import Box
from aurelon.core.imaging.frame import fit_within
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.imaging.screen import PAPER, encode_jpeg, encode_png, to_screen
from aurelon.core.rig import problem_of
from aurelon.core.rig.copies import following
from aurelon.core.rig.keyed import keyed_at
from aurelon.core.rig.painting import Painting, painted_rig
from aurelon.core.rig.patch import Change, patched
from aurelon.web.clients import client_of
from aurelon.web.pace import Pace
from aurelon.web.turns import Turns
from aurelon.web.view import View

DRAFT_QUALITY = 88
BARELY_ABOVE = 1.002  # white; no one sees less
MOST_BYTES = 64 << 20  # of one message; a rig of many thousand strokes is a few

log = logging.getLogger(__name__)
PICTURES, READERS, OPENING = 3, 2, 8  # threads that make pictures, read requests, and wait for plates to be decoded
_opening = ThreadPoolExecutor(OPENING, "opening")


class PreviewRequest(BaseModel):
    """What the bench wants to see. `draft` while something is dragged, a rough one while the hand goes over frames (`scrubbing`);
    `hdr` where the screen shows more than white; `plain` where its samples may come as they are; `light` wants its stage pictures.

    The rig comes whole as `rig`, or as the `changes` of the one that was sent with request `base`; with neither that
    one is meant. `lead` is a light whose group follows it; `painting` lays a stroke on the rig that is being drawn.
    """

    seq: int
    rig: Rig | None = None
    base: int | None = None
    changes: list[Change] = []
    lead: str | None = None
    painting: Painting | None = None
    view: View
    frame: int = Field(0, ge=0)
    show: Show = RESULT
    viewing: Viewing = Viewing()
    clipping: bool = False
    draft: bool = False
    scrubbing: bool = False
    hdr: bool = False
    plain: bool = False
    light: str | None = None
    stage_width: int = Field(200, ge=16, le=800)


Packing = Literal["png", "jpeg", "rgba"]


class Packed(NamedTuple):
    """A picture as it is sent: its bytes, how they are packed, its size, and whether it is in PQ."""

    data: bytes
    packing: Packing
    width: int
    height: int
    hdr: bool = False


class FrameHeader(BaseModel):
    """Goes before the picture in every binary frame, as JSON after a 4-byte length. `box` is what is seen of the
    straightened frame, in its fractions; `packed` how the picture is packed, `rgba` being its samples of 8 bits; `hdr` where it
    is in PQ; `seconds` how long it took; `keyed` what each keyed setting is at this frame of the reel, by owner and path; `proxy`
    the size of the smaller frame that it was made from."""

    seq: int
    part: str
    exact: bool
    view: View
    box: Box
    angle: float
    frame: int = 0
    packed: Packing
    width: int
    height: int
    hdr: bool = False
    seconds: float = 0.0
    keyed: dict[str, dict[str, Any]] = {}
    proxy: tuple[int, int] | None = None


class PreviewFailure(BaseModel):
    """What went wrong with a request. `again`: nothing, but the rig that it builds on is not known here; it is to be
    sent whole."""

    seq: int
    error: str
    again: bool = False


def frames(
    renderer: Renderer, request: PreviewRequest, rig: Rig, cancelled: Callable[[], bool], pace: Pace | None = None
) -> Iterator[bytes]:
    """The binary frames that answer a request for `rig`: the picture, then the stages of the chosen light."""
    pace = pace or Pace()
    began = time.monotonic()
    renderer = renderer.for_input(rig)
    plate = renderer.plate
    size = plate.proxy_of or plate.size
    request.view.check(size)
    rig = following(rig, request.lead)
    if request.painting is not None:
        rig = painted_rig(rig, request.painting)
    keyed = keyed_at(rig, plate.frame)
    rig = rig.at(plate.frame)
    view = pace.view(request.view, rough=request.scrubbing) if request.draft else request.view

    def drawn(show: Show, v: View, plain: bool = False) -> Packed:
        frame = v.frame
        height, width = frame.shape
        pixels = renderer.part(rig, frame, show=show, draft=request.draft, cancelled=cancelled)
        whole = isinstance(show, ShowResult | ShowBefore)
        alpha = renderer.alpha(rig, frame) if whole else None
        seen = request.viewing.seen(pixels, plate.space) if whole else pixels
        if (
            request.hdr
            and whole
            and rig.finish.view is None
            and not (request.draft or request.clipping)
            and float(seen.max()) > BARELY_ABOVE
        ):
            return Packed(_in_pq(seen, plate.space, alpha), "png", width, height, hdr=True)
        # Another exposure is there to look into what lies above white, unless a view tells how all of it is shown.
        finished = whole and (request.viewing.exposure == 0 or rig.finish.view is not None)
        drafted = rig.finish.draft(seen, plate.space) if finished and request.draft and alpha is None else None
        if drafted is not None:
            picture = drafted
        else:
            light = rig.finish.finished(seen, plate.space) if finished else (seen, plate.space)
            picture = to_screen(*light, v.x0, v.y0, alpha, dithered=not request.draft)
        if request.clipping and whole:
            request.viewing.mark(picture, pixels, plate.space, cuts=rig.finish.cuts)
        if plain:
            return Packed(cv2.cvtColor(picture, cv2.COLOR_RGB2RGBA).tobytes(), "rgba", width, height)
        if request.draft:
            return Packed(encode_jpeg(picture, DRAFT_QUALITY), "jpeg", width, height)
        return Packed(encode_png(picture), "png", width, height)

    picture = drawn(request.show, view, request.plain)
    seconds = time.monotonic() - began
    pace.note_frame(request.draft, request.frame, seconds)
    proxy = None if plate.proxy_of is None else plate.size
    yield _frame(request, rig, size, "picture", view, picture, seconds, keyed, proxy)
    if request.light is None:
        return
    width, height = fit_within(size, request.stage_width)
    small = View(width=width, height=height, x0=0, y0=0, x1=width, y1=height)
    for stage in STAGES:
        yield _frame(request, rig, size, stage, small, drawn(ShowStage(light=request.light, stage=stage), small))


def _frame(
    request: PreviewRequest,
    rig: Rig,
    size: tuple[int, int],
    part: str,
    view: View,
    picture: Packed,
    seconds: float = 0.0,
    keyed: dict[str, dict[str, Any]] | None = None,
    proxy: tuple[int, int] | None = None,
) -> bytes:
    header = FrameHeader(
        seq=request.seq,
        part=part,
        exact=not request.draft,
        view=view,
        box=rig.prepare.box(size),
        angle=rig.prepare.straighten,
        frame=request.frame,
        packed=picture.packing,
        width=picture.width,
        height=picture.height,
        hdr=picture.hdr,
        seconds=seconds,
        keyed=keyed or {},
        proxy=proxy,
    )
    head = header.model_dump_json().encode()
    return b"".join((struct.pack("<I", len(head)), head, picture.data))


def _in_pq(pixels: Floats, space: RgbSpace, alpha: Floats | None) -> bytes:
    """Linear light (h, w, 3) in `space` as a PNG in Rec. 2020 and PQ; transparent parts lie on paper, as they do else."""
    if alpha is not None:
        cover = alpha[:, :, None]
        pixels = pixels * cover + PAPER * (1 - cover)
    matrix = space.matrix_to(LINEAR_REC2020)
    light = pixels if matrix is None else np.maximum(mixed(pixels, matrix), 0)
    return png.encoded(Raster(light, space=LINEAR_REC2020), high=True, level=1)


class _Unknown(AurelonError):
    """Changes of a rig that is not known here."""


@dataclass(frozen=True)
class Workers:
    """Threads that all previews share in turn: those that make pictures, and those that read requests."""

    pictures: Turns = field(default_factory=lambda: Turns(PICTURES))
    readers: Turns = field(default_factory=lambda: Turns(READERS))


class PreviewSession:
    """One bench: takes requests as they come, answers the newest, drops the rest."""

    def __init__(self, socket: WebSocket, renderer: Callable[[int, int | None, bool], Renderer], workers: Workers) -> None:
        self._socket = socket
        self._renderer = renderer
        self._workers = workers
        self._client = client_of(socket.scope)
        self._newest: tuple[PreviewRequest, Rig] | None = None
        # The rig that was sent last, and with which request.
        self._known: tuple[int, Rig] | None = None
        self._arrived = asyncio.Event()
        self._count = 0
        self._pace = Pace()

    async def run(self) -> None:
        answering = asyncio.create_task(self._answer())
        try:
            while True:
                message = await self._socket.receive()
                if message["type"] == "websocket.disconnect":
                    break
                text = message.get("text")
                if text is None:
                    await self._fail(-1, "a request is text in JSON, and this was neither; reload the page")
                    continue
                # A rig of many strokes takes a while to read, and others are waiting for the loop.
                failure = await self._workers.readers.run(self._client, self, partial(self._read, text))
                if failure is not None:
                    await self._socket.send_text(failure.model_dump_json())
                    continue
                self._count += 1
                self._arrived.set()
        except WebSocketDisconnect:
            pass
        finally:
            self._count += 1
            answering.cancel()

    def _read(self, text: str) -> PreviewFailure | None:
        """Takes a request over as the newest, or says why not."""
        seq = -1
        try:
            request = PreviewRequest.model_validate_json(text)
            seq = request.seq
            rig = self._rig_of(request)
        except ValidationError as error:
            self._known = None
            return PreviewFailure(seq=seq, error=str(RigError([problem_of(e, skip=("rig",)) for e in error.errors()])))
        except AurelonError as error:
            self._known = None
            return PreviewFailure(seq=seq, error=str(error), again=isinstance(error, _Unknown))
        self._known = seq, rig
        self._newest = request, rig
        return None

    def _rig_of(self, request: PreviewRequest) -> Rig:
        if request.rig is not None:
            return request.rig
        if self._known is None or request.base not in (None, self._known[0]):
            raise _Unknown("there is no rig to show yet; reload the page")
        return patched(self._known[1], request.changes)

    async def _answer(self) -> None:
        loop = asyncio.get_running_loop()
        while True:
            await self._arrived.wait()
            self._arrived.clear()
            number = self._count
            if self._newest is None:
                continue
            request, rig = self._newest

            def overtaken(number: int = number) -> bool:
                return self._count != number

            def stale(request: PreviewRequest = request, overtaken: Callable[[], bool] = overtaken) -> bool:
                # A draft is always finished, or a steady drag would never show anything.
                return not request.draft and overtaken()

            try:
                # While one plate is decoded, pictures of others do not wait.
                renderer = await loop.run_in_executor(_opening, self._opened, request)
                answers = frames(renderer, request, rig, stale, self._pace)
                while (data := await self._workers.pictures.run(self._client, self, partial(next, answers, None))) is not None:
                    if self._socket.client_state is not WebSocketState.CONNECTED:
                        return
                    await self._socket.send_bytes(data)
                    if overtaken():
                        break
            except Cancelled:
                continue
            except WebSocketDisconnect:
                return
            except (AurelonError, ValueError) as error:
                await self._fail(request.seq, str(error))
            except Exception as error:  # a fault of ours ends no session: it is told, and the log has the trace
                log.exception("a preview failed")
                await self._fail(
                    request.seq, f"the picture could not be made ({error}); this is a fault in Aurelon, please report it"
                )

    def _opened(self, request: PreviewRequest) -> Renderer:
        if not request.draft:
            return self._renderer(request.frame, None, False)
        rough = request.scrubbing
        return self._renderer(request.frame, self._pace.view(request.view, rough=rough).width, rough)

    async def _fail(self, seq: int, what: str) -> None:
        await self._socket.send_text(PreviewFailure(seq=seq, error=what).model_dump_json())
