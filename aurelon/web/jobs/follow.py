"""Follows places, or the points of a light, over the frames of a reel."""

from __future__ import annotations

from collections.abc import Sequence

from fastapi import APIRouter
from pydantic import BaseModel, Field

from aurelon.core import Reel, Renderer, Rig, RigError
from aurelon.core.analysis.follow import follow_all
from aurelon.core.analysis.joined_places import joined
from aurelon.core.lights.shared.points import Points
from aurelon.core.rig.shots import Shots
from aurelon.core.settings import Place
from aurelon.runs.jobs import Control
from aurelon.web.context import FrameNumber, Shared
from aurelon.web.jobs.shared.span import Span, span_of
from aurelon.web.jobs.shared.state import JobState, state_of

router = APIRouter()


class FollowRequest(BaseModel):
    """Places of the picture (plate fractions) that are to be followed."""

    places: list[Place] = Field(min_length=1, max_length=200)
    span: Span | None = None
    shots: Shots = Field(Shots(), description="What the rig says of cuts by hand")


class FollowPointsRequest(BaseModel):
    """A light of a rig whose points are to be followed."""

    rig: Rig
    light: str
    span: Span | None = None


class SeenAt(BaseModel):
    """Where places are at a frame, and how sure that is of the least sure of them; 0 where one was lost. What is at the first of
    them has turned by `turn` degrees since it was set, counter-clockwise, and has `size` times its size."""

    frame: int
    places: list[Place]
    sure: float
    turn: float
    size: float


class FollowedCell(BaseModel):
    """Places over the frames of a shot, from the first of `within` up to, without, the second; `cut` where a cut of the reel ends
    it sooner than was asked for."""

    seen: list[SeenAt]
    within: Span
    cut: bool


@router.post("/plates/{plate_id}/follow", status_code=202)
def start_following(context: Shared, plate_id: int, body: FollowRequest, frame: FrameNumber = 0) -> JobState:
    """Follows places of a frame over the frames of a span of a reel, both ways, as far as its shot goes."""
    reel = context.renderers.reel(plate_id)
    context.renderers.get(plate_id, frame)  # there is such a frame
    span = span_of(reel, body.span, frame)
    return state_of(context.jobs.start("bench", lambda control: follow_places(reel, frame, body.places, span, body.shots, control)))


@router.post("/plates/{plate_id}/follow/points", status_code=202)
def start_following_points(context: Shared, plate_id: int, body: FollowPointsRequest, frame: FrameNumber = 0) -> JobState:
    """Follows the points of a light, as they are found at a frame, over all frames of a reel."""
    reel, renderer = context.renderers.reel(plate_id), context.renderers.get(plate_id, frame)
    span = span_of(reel, body.span, frame)
    return state_of(context.jobs.start("bench", lambda control: follow_points(reel, renderer, body.rig, body.light, span, control)))


def follow_places(reel: Reel, frame: int, places: Sequence[Place], span: Span, shots: Shots, control: Control) -> None:
    """Gives where places are at the frames of their shot, each followed by itself; one that is lost is where the others say."""
    ways = follow_all(reel, frame, places, span, by_hand=shots.by_hand, progress=control.progress, cancelled=control.cancelled)
    ways = joined(ways, frame, reel.size)
    seen = [
        SeenAt(
            frame=at[0].frame, places=[one.place for one in at], sure=min(one.sure for one in at), turn=at[0].turn, size=at[0].size
        )
        for at in zip(*ways, strict=True)
    ]
    within = seen[0].frame, seen[-1].frame + 1
    control.give(FollowedCell(seen=seen, within=within, cut=within != span))


def follow_points(reel: Reel, renderer: Renderer, rig: Rig, light_id: str, span: Span, control: Control) -> None:
    """Gives where a light's points are at the frames of their shot, from those that are found at the renderer's frame."""
    with renderer.working(rig, cancelled=control.cancelled) as now:
        detected = now.graph.of(light_id).detected
        found = None if detected is None else now.work.evaluate(detected)
    if not isinstance(found, Points) or not found.found.any():
        raise RigError([("source", "no points of light are found at this frame; go to one where they shine")])
    places = [(float(x), float(y)) for x, y in found.places[found.found]]
    follow_places(reel, renderer.plate.frame, places, span, rig.shots, control)


RESULT = FollowedCell
