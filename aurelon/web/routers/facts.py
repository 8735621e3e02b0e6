"""Facts about a rig on a plate: numbers to judge by, where light may come from, straight edges."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from aurelon.core import Rig
from aurelon.core.analysis.finder import Proposals, propose
from aurelon.core.analysis.measure import Facts, measure
from aurelon.core.finding.areas import Area, areas_of
from aurelon.core.finding.edge_directions import edges_of
from aurelon.core.space.found import found_distance
from aurelon.web.context import FrameNumber, Shared

router = APIRouter(prefix="/plates/{plate_id}", tags=["facts"])


class FactsRequest(BaseModel):
    """A rig, and the light of which more is wanted."""

    rig: Rig
    light: str | None = None


class FinderRequest(BaseModel):
    """The rig as whose picture is prepared."""

    rig: Rig


class Edges(BaseModel):
    """Directions of strong straight edges in the picture, in degrees."""

    degrees: list[float]


class DistanceFound(BaseModel):
    """What tells how far things are in the picture, in words, and how surely, 0..1."""

    origin: str
    sure: float


@router.post("/facts")
def get_facts(context: Shared, plate_id: int, body: FactsRequest, frame: FrameNumber = 0) -> Facts:
    """Histograms, clipping, and what the lights have to say for themselves."""
    return measure(context.renderers.get(plate_id, frame), body.rig, body.light)


@router.post("/finder")
def find_light(context: Shared, plate_id: int, body: FinderRequest, frame: FrameNumber = 0) -> Proposals:
    """Where the light may come from in the prepared picture, the likeliest first."""
    return propose(context.renderers.get(plate_id, frame), body.rig)


@router.get("/areas")
def list_areas(context: Shared, plate_id: int, frame: FrameNumber = 0) -> list[Area]:
    """The sky, what stands before it and the subject, each with how sure it is. Found beside the preview, once."""
    return areas_of(context.renderers.get(plate_id, frame).plate)


@router.get("/edges")
def list_edges(context: Shared, plate_id: int, frame: FrameNumber = 0) -> Edges:
    """The directions of strong straight edges, for lines that are to run along them."""
    return Edges(degrees=edges_of(context.renderers.get(plate_id, frame).plate))


@router.get("/distance")
def get_distance(context: Shared, plate_id: int, frame: FrameNumber = 0) -> DistanceFound:
    """What the distance of the plate is found by. Found beside the preview, once."""
    found = found_distance(context.renderers.get(plate_id, frame).plate)
    return DistanceFound(origin=found.origin, sure=round(found.sure, 2))
