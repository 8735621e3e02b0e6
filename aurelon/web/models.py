"""What goes over the wire. The front end's types are generated from these."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from aurelon.core.export import ProfileChoice
from aurelon.core.rig import AnyLight, Rig
from aurelon.store import BenchState, PlateRecord


class Problem(BaseModel):
    """An error as a value: one sentence, and where in the rig it is."""

    error: str
    problems: list[tuple[str, str]] = Field([])


class PlateOut(BaseModel):
    id: int
    name: str
    file_name: str
    width: int
    height: int
    depth: str
    revision: int
    lights: int
    created: float

    @classmethod
    def of(cls, record: PlateRecord) -> PlateOut:
        return cls.model_validate(record, from_attributes=True)


class BenchOut(BaseModel):
    """A plate on the bench: its rig at a revision, and what undo and redo would do."""

    plate: PlateOut
    revision: int
    rig: Rig
    undo: str | None
    redo: str | None

    @classmethod
    def of(cls, state: BenchState) -> BenchOut:
        return cls(
            plate=PlateOut.of(state.plate), revision=state.revision, rig=state.rig, undo=state.undo, redo=state.redo
        )


class ConflictOut(Problem):
    """A refused save, with the state that is there now."""

    present: BenchOut


class Rename(BaseModel):
    name: str = Field(min_length=1, max_length=120)


class Edit(BaseModel):
    """A rig to be saved on top of revision `base`."""

    base: int
    label: str = Field(min_length=1, max_length=120)
    rig: Rig


class Step(BaseModel):
    base: int


class NewLight(BaseModel):
    light: AnyLight


class ExportRequest(BaseModel):
    rig: Rig
    format: str
    depth: str
    quality: int = Field(92, ge=1, le=100)
    width: int | None = Field(None, ge=1)
    height: int | None = Field(None, ge=1)
    profile: ProfileChoice = "keep"


class ExportOut(BaseModel):
    id: str
    file_name: str
    state: Literal["waiting", "working", "done", "failed", "cancelled"]
    share: float
    seconds_left: float | None
    error: str | None
    size: int


class View(BaseModel):
    """The whole plate at `width` x `height` device pixels, and the part x0..x1, y0..y1 on the screen."""

    width: int = Field(ge=1, le=60000)
    height: int = Field(ge=1, le=60000)
    x0: int = Field(ge=0)
    y0: int = Field(ge=0)
    x1: int
    y1: int


class PreviewRequest(BaseModel):
    """What the bench wants to see. `draft` while something is dragged; `light` wants its stage pictures."""

    seq: int
    rig: Rig
    view: View
    show: str = "result"
    draft: bool = False
    light: str | None = None
    stage_width: int = Field(200, ge=16, le=800)


class FrameHeader(BaseModel):
    """Goes before the picture in every binary frame, as JSON after a 4-byte length."""

    seq: int
    part: str
    exact: bool
    view: View


class PreviewFailure(BaseModel):
    seq: int
    error: str
