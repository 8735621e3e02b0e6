"""The bench: the rig of a plate, its revisions, and the live preview."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict

import numpy as np
from fastapi import APIRouter, WebSocket
from fastapi.responses import StreamingResponse

from aurelon.core.analysis.edge_directions import edge_directions
from aurelon.core.analysis.measure import LIGHT_REACH, judge, match_colour, propose
from aurelon.core.imaging.colour import temperature_hex
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.imaging.perspective import next_in_row
from aurelon.core.lights import kinds
from aurelon.core.rig.copies import with_copies
from aurelon.core.rig.model import LIGHT_MODELS
from aurelon.core.rig.test_strip import GRID_STEPS, Place, variants
from aurelon.store import UnknownPlate
from aurelon.web.context import Context, Shared
from aurelon.web.models import (
    BenchOut,
    ConflictOut,
    CopiesOut,
    CopiesRequest,
    EdgesOut,
    Edit,
    FactsOut,
    FactsRequest,
    Matched,
    MatchRequest,
    ProposalOut,
    ProposalsOut,
    RigIn,
    RowIn,
    RowOut,
    SheetCell,
    Step,
    Strip,
    StripCell,
    StripRequest,
    SweptValue,
)  # fmt: skip
from aurelon.web.preview import PreviewSession, small_picture

router = APIRouter(prefix="/plates/{plate_id}", tags=["bench"])
EDGES_EDGE = 800
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


@router.post("/sheet", response_class=StreamingResponse, responses={200: {"model": SheetCell}})
def kind_sheet(context: Shared, plate_id: int, body: RigIn) -> StreamingResponse:
    """A light of every kind, placed on this plate over the rig as it stands; none is added yet.

    A line of `SheetCell` for each, as soon as it is rendered.
    """
    opened = context.open_plates.get(plate_id)
    taken = {light.id for light in body.rig.stack}

    def cells() -> Iterator[str]:
        for name, kind in kinds().items():
            number = next(n for n in range(1, 1000) if f"{name}-{n}" not in taken)
            title = kind.title if number == 1 else f"{kind.title} {number}"
            fields = {"id": f"{name}-{number}", "name": title, "kind": name, **kind.place(opened.plate)}
            light = LIGHT_MODELS[name].model_validate(fields)
            rig = body.rig.model_copy(update={"lights": [*body.rig.stack, light]})
            cell = SheetCell(title=kind.title, summary=kind.summary, light=light, picture=small_picture(opened, rig))
            yield cell.model_dump_json() + "\n"

    return StreamingResponse(cells(), media_type="application/x-ndjson")


@router.post("/strip")
def test_strip(context: Shared, plate_id: int, body: StripRequest) -> Strip:
    """The picture with one setting, two, the seed or the blend mode of a light stepped through."""
    opened = context.open_plates.get(plate_id)
    places = [Place(p.stage, p.setting) for p in body.places]
    cells = [
        StripCell(
            values=[SweptValue(stage=p.stage, setting=p.setting, value=value) for p, value in variant.values],
            present=variant.present,
            picture=small_picture(opened, variant.rig),
        )
        for variant in variants(body.rig, body.light, body.sweep, places, body.span)
    ]
    return Strip(cells=cells, columns=GRID_STEPS if body.sweep == "grid" else len(cells))


@router.post("/facts")
def get_facts(context: Shared, plate_id: int, body: FactsRequest) -> FactsOut:
    """Histograms, clipping, and what the lights have to say of themselves."""
    opened = context.open_plates.get(plate_id)
    facts = judge(opened.plate, body.rig, body.light, opened.cache)
    return FactsOut.model_validate({**asdict(facts), "light_reach": LIGHT_REACH})


@router.post("/finder")
def find_light(context: Shared, plate_id: int, body: RigIn) -> ProposalsOut:
    """Where the light may come from in the prepared picture, the likeliest first."""
    opened = context.open_plates.get(plate_id)
    ranked = propose(opened.plate, body.rig, opened.cache).ranked
    return ProposalsOut(
        ranked=[ProposalOut(**asdict(p), colour=temperature_hex(p.temperature, p.tint)) for p in ranked]
    )


@router.get("/edges")
def list_edges(context: Shared, plate_id: int) -> EdgesOut:
    """The directions of strong straight edges, for lines that are to run along them."""
    plate = context.open_plates.get(plate_id).plate
    small = plate.at(Frame.whole(fit_within(plate.size, EDGES_EDGE)))
    return EdgesOut(degrees=edge_directions(encode_array(np.ascontiguousarray(small @ plate.space.luminance))))


@router.post("/copies")
def copy_light(context: Shared, plate_id: int, body: CopiesRequest) -> CopiesOut:
    """The rig with copies of a light that belong together. Nothing is kept yet."""
    context.store.plate(plate_id)
    rig, ids = with_copies(body.rig, body.light, body.count, body.offset)
    return CopiesOut(rig=rig, ids=ids)


@router.post("/row")
def lengthen_row(context: Shared, plate_id: int, body: RowIn) -> RowOut:
    """One more quad in a row of them, in their perspective. Nothing is kept yet."""
    context.store.plate(plate_id)
    return RowOut(quad=next_in_row(body.quads, body.usual))


@router.post("/match")
def match(context: Shared, plate_id: int, body: MatchRequest) -> Matched:
    """Temperature and tint of the prepared picture at a spot."""
    opened = context.open_plates.get(plate_id)
    kelvin, tint = match_colour(opened.plate, body.rig, body.spot, opened.cache)
    return Matched(temperature=round(kelvin, -1), tint=round(tint, 2))


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
