"""Edits of a rig by the core's rules. Nothing is kept by them: the bench keeps what comes back as one step."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter
from pydantic import BaseModel

from aurelon.core import Rig
from aurelon.core.analysis.colour_match import match_colour
from aurelon.core.graph.new_light import new_light
from aurelon.core.graph.other_kind import in_another_kind
from aurelon.core.graph.standing_light import standing_at
from aurelon.core.rig.copies import following
from aurelon.core.rig.edits import AnyEdit, Edited
from aurelon.core.rig.keyed import keyed_anew
from aurelon.core.rig.owner import LightOwner
from aurelon.core.rig.transfer import apply_rig
from aurelon.core.settings import Place
from aurelon.web.context import FrameNumber, Shared

router = APIRouter(prefix="/plates/{plate_id}/edits", tags=["edits"])


class EditRequest(BaseModel):
    """A rig and what is to be done to it."""

    rig: Rig
    edit: AnyEdit


class AddRequest(BaseModel):
    """The kind of the light to add."""

    rig: Rig
    kind: str


class ChangeKindRequest(BaseModel):
    """A light, and the kind that it is to become."""

    rig: Rig
    light: str
    kind: str


class MatchRequest(BaseModel):
    """A light whose colour is to be the picture's at a spot (plate fractions), or at the light's own source."""

    rig: Rig
    light: str
    spot: Place | None = None


class StandRequest(BaseModel):
    """A light that is to be as near as what is seen at a spot (plate fractions)."""

    rig: Rig
    light: str
    spot: Place


class ApplyRequest(BaseModel):
    """A saved rig, or only its lights of these ids, for the plate whose rig stands as `rig`."""

    rig: Rig
    saved: int
    lights: list[str] | None = None


@router.post("")
def edit_rig(context: Shared, plate_id: int, body: EditRequest, frame: FrameNumber = 0) -> Edited:
    """The rig with something done to it. What is keyed changes at the frame that is seen."""
    context.store.plates.hash(plate_id)
    result: Edited = body.edit.apply(body.rig)
    return replace(result, rig=keyed_anew(result.rig, body.rig, frame))


@router.post("/add")
def add_light(context: Shared, plate_id: int, body: AddRequest, frame: FrameNumber = 0) -> Edited:
    """Adds a light of a kind on top of the others, placed so that it shows on this plate."""
    renderer = context.renderers.get(plate_id, frame)
    light = new_light(body.kind, renderer.plate, body.rig, cache=renderer.cache)
    changed = body.rig.model_copy(update={"lights": [*body.rig.stack, light]})
    return Edited(changed, f"Add {light.name}", LightOwner(id=light.id))


@router.post("/change-kind")
def change_kind(context: Shared, plate_id: int, body: ChangeKindRequest, frame: FrameNumber = 0) -> Edited:
    """Changes a light into another kind; it keeps its place, mask, colour and what both kinds have."""
    return in_another_kind(body.rig, body.light, body.kind, context.renderers.get(plate_id, frame))


@router.post("/stand")
def stand(context: Shared, plate_id: int, body: StandRequest, frame: FrameNumber = 0) -> Edited:
    """Sets how near a light stands to the nearness of what is seen at a spot."""
    light = standing_at(context.renderers.get(plate_id, frame), body.rig, body.light, body.spot)
    rig = keyed_anew(following(body.rig.with_light(light), light.id), body.rig, frame)
    return Edited(rig, f"{light.name or light.id}: stands where that is")


@router.post("/match")
def match(context: Shared, plate_id: int, body: MatchRequest, frame: FrameNumber = 0) -> Edited:
    """Sets a light's temperature and tint to those of the prepared picture at a spot, or at its source."""
    light = body.rig.light(body.light)
    kelvin, tint = match_colour(context.renderers.get(plate_id, frame), body.rig, body.spot, light.id)
    colour = light.colour.model_copy(update={"origin": "temperature", "temperature": kelvin, "tint": tint})
    changed = body.rig.with_light(light.model_copy(update={"colour": colour}))
    rig = keyed_anew(following(changed, light.id), body.rig, frame)
    return Edited(rig, f"{light.name or light.id}: match the picture")


@router.post("/apply")
def apply_saved(context: Shared, plate_id: int, body: ApplyRequest) -> Edited:
    """What the plate's rig becomes with a saved rig, or some of its lights."""
    context.store.plates.hash(plate_id)
    saved = context.store.rigs.get(body.saved)
    return apply_rig(saved.rig, body.rig, body.lights, saved.name)
