"""Kinds of light whose kernels are still being compiled, in the first minutes after an installation."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from aurelon.core.lights import kinds
from aurelon.web.context import Shared

router = APIRouter(tags=["preparing"])


class WantedKinds(BaseModel):
    """Kinds that are wanted first."""

    kinds: list[str] = Field([], max_length=64)


class Preparations(BaseModel):
    """By kind, about how many seconds until its kernels are there. A kind that is not listed is ready."""

    seconds: dict[str, float]


@router.post("/preparing")
def prepare_kinds(context: Shared, body: WantedKinds) -> Preparations:
    """Which kinds are not ready yet. Those that are wanted are prepared before the others."""
    for kind in body.kinds:
        context.preparing.want(kind)
    left = context.preparing.seconds_left()
    return Preparations(seconds={name: left[name] for name in kinds() if name in left})
