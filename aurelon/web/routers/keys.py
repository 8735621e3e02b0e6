"""What lies between the keys of a setting."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel

from aurelon.core import Rig, RigError
from aurelon.core.rig.keyed import find, track_of

router = APIRouter(tags=["keys"])


class BetweenRequest(BaseModel):
    """A setting of a rig, by its owner and its path as keys name them."""

    rig: Rig
    owner: str
    path: str


class BetweenKeys(BaseModel):
    """The setting's values at all frames from its first key to its last."""

    values: list[Any]


@router.post("/keys/between")
def between_keys(body: BetweenRequest) -> BetweenKeys:
    """What a keyed setting is from its first key to its last, frame by frame."""
    setting, track = find(body.rig, body.owner, body.path).setting, track_of(body.rig, body.owner, body.path)
    if track is None:
        raise RigError([(f"keys.{body.owner}.{body.path}", "it has no keys")])
    return BetweenKeys(values=[track.value(frame, setting) for frame in range(track.frames[0], track.frames[-1] + 1)])
