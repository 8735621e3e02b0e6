"""Carries a matte over the frames of a reel."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
from fastapi import APIRouter
from pydantic import BaseModel

from aurelon.core import Reel, Renderer, Rig, RigError
from aurelon.core.analysis.carried_matte import carried, corrected, frame_of_mattes
from aurelon.core.imaging.arrays import Floats
from aurelon.core.masks.carried import Carried
from aurelon.core.reel import grey_frame
from aurelon.core.reels.writers.video import grey_reel
from aurelon.runs.jobs import Control
from aurelon.store import Store
from aurelon.web.context import FrameNumber, Shared
from aurelon.web.jobs.shared.span import Span, span_of
from aurelon.web.jobs.shared.state import JobState, state_of

router = APIRouter()
SEEN = 0.5  # share of a pixel that a matte must hold somewhere to be carried


class CarryRequest(BaseModel):
    """A matte of a rig that is to be carried over the frames; `mended`, where it was carried before and was mended at
    this frame."""

    rig: Rig
    matte: str
    mended: bool = False
    span: Span | None = None


class CarriedCell(BaseModel):
    """A matte over the frames of a reel: the file of its frames, the reel's key, and those at which it was made by hand."""

    file: str
    of: str
    hinted: list[int]


@router.post("/plates/{plate_id}/carry", status_code=202)
def start_carrying(context: Shared, plate_id: int, body: CarryRequest, frame: FrameNumber = 0) -> JobState:
    """Carries a matte, as it is at a frame, over the frames of a span of a reel, both ways."""
    reel, renderer = context.renderers.reel(plate_id), context.renderers.get(plate_id, frame)

    span = span_of(reel, body.span, frame)

    def work(control: Control) -> None:
        carry_matte(context.store, plate_id, reel, renderer, body, span, control)

    return state_of(context.jobs.start("bench", work))


def carry_matte(
    store: Store, plate_id: int, reel: Reel, renderer: Renderer, asked: CarryRequest, span: Span, control: Control
) -> None:
    """Gives the matte at all frames, from what it is at the renderer's frame and at those at which it was made by hand before;
    outside the span it stays as it was carried before. Mended: where it was carried before, the renderer's frame counts up to the
    next frames at which it was made by hand, and the others stay."""
    rig, matte_id = asked.rig, asked.matte
    matte = rig.matte(matte_id)
    if matte is None:
        raise RigError([("mattes", f"there is no matte with the id '{matte_id}'")])
    number, frame = renderer.plate.frame, frame_of_mattes(reel)
    with renderer.working(rig, cancelled=control.cancelled) as now:
        node = now.graph.mattes[matte_id]
        here: Floats = np.ones(frame.shape, np.float32) if node is None else now.work.at(node, frame)
    known = {number: here}
    before = next((part for part in matte.mask.stack if isinstance(part, Carried)), None)
    file = "" if before is None else before.file

    def then(at: int) -> Floats | None:
        result = grey_frame(file, lambda: store.files.get(file), at)
        return result if result is not None and result.shape == frame.shape else None

    for hinted in () if before is None else before.hinted:
        result = then(hinted)
        if result is not None and hinted != number:
            known[hinted] = result
    if not any(float(one.max()) > SEEN for one in known.values()):
        named = matte.name or matte.id
        raise RigError([("mattes", f"the matte “{named}” is empty at frame {number}: say what is in it there, then carry it")])
    by_hand = rig.shots.by_hand
    if asked.mended and before is not None:
        mattes = corrected(reel, known, number, then, by_hand=by_hand, progress=control.progress, cancelled=control.cancelled)
    else:
        mattes = carried(reel, known, span, then, by_hand=by_hand, progress=control.progress, cancelled=control.cancelled)
    data = grey_reel(mattes, Fraction(reel.fps).limit_denominator(1001))
    name = store.files.add(data, f"{matte.name or matte.id}.mkv", plate_id=plate_id)
    control.give(CarriedCell(file=name, of=reel.key, hinted=sorted(known)))


RESULT = CarriedCell
