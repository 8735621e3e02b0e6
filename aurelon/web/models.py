"""What goes over the wire. The front end's types are generated from these."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from aurelon.core.blank import Blank
from aurelon.core.export.picture import ProfileChoice
from aurelon.core.imaging.perspective import Quad
from aurelon.core.masks.subject import Subject
from aurelon.core.rig.model import AnyLight, Rig
from aurelon.core.rig.painting import Painting
from aurelon.core.rig.test_strip import Sweep
from aurelon.store import BenchState, PlateRecord, SavedRig, Take


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


class RigIn(BaseModel):
    """A rig as it stands on the bench, kept or not."""

    rig: Rig


class SheetCell(BaseModel):
    """A light of one kind, placed so that it shows on this plate, and the plate with it (JPEG in base64)."""

    title: str
    summary: str
    light: AnyLight
    picture: str


class SweptPlace(BaseModel):
    """A setting of a light: `stage` is one of the five."""

    stage: Literal["source", "spread", "colour", "merge"]
    setting: str


class StripRequest(BaseModel):
    """What is stepped through: one setting, two, the seed or the blend mode; `span` 1 is the whole range."""

    rig: Rig
    light: str
    sweep: Sweep
    places: list[SweptPlace] = Field([], max_length=2)
    span: float = Field(1.0, gt=0, le=1)


class SweptValue(BaseModel):
    stage: str
    setting: str
    value: float | str


class StripCell(BaseModel):
    """One picture of a strip (JPEG in base64), the values that make it, and whether they are the present ones."""

    values: list[SweptValue]
    present: bool
    picture: str


class Strip(BaseModel):
    cells: list[StripCell]
    columns: int


class FactsRequest(BaseModel):
    rig: Rig
    light: str | None = None


class HistogramOut(BaseModel):
    red: list[float]
    green: list[float]
    blue: list[float]
    clipped: float


class PointOut(BaseModel):
    x: float
    y: float
    found: bool
    on: bool


class LightFactsOut(BaseModel):
    """Facts of one light: its histogram, its points, how much of it lies on each matte, temperatures, angle."""

    shares: list[float]
    points: list[PointOut] | None
    on_mattes: dict[str, float]
    temperature: float | None
    plate_temperature: float | None
    off_best: float | None


class FactsOut(BaseModel):
    """Facts of the picture and of one light; `says` has what a person should know of a light by its id."""

    before: HistogramOut
    after: HistogramOut
    newly_clipped: float
    light_reach: float
    says: dict[str, str]
    of_light: LightFactsOut | None


class ProposalOut(BaseModel):
    """A place that light may come from, why, how surely, and its colour (sRGB)."""

    place: tuple[float, float]
    clue: str
    confidence: float
    temperature: float
    tint: float
    colour: str


class CopiesRequest(BaseModel):
    """So many copies of a light, each moved by `offset` (plate fractions) from the one before."""

    rig: Rig
    light: str
    count: int = Field(1, ge=1, le=32)
    offset: tuple[float, float] = (0.06, 0.0)


class CopiesOut(BaseModel):
    rig: Rig
    ids: list[str]


class RowIn(BaseModel):
    """Quads that stand in a row, and what a first one is like."""

    quads: list[Quad] = Field(max_length=32)
    usual: Quad


class RowOut(BaseModel):
    quad: Quad


class EdgesOut(BaseModel):
    """Directions of strong straight edges in the picture, in degrees."""

    degrees: list[float]


class BlankRequest(Blank):
    """A new blank plate and its name."""

    name: str = Field("Blank", min_length=1, max_length=120)


class ProposalsOut(BaseModel):
    ranked: list[ProposalOut]


class CutRequest(BaseModel):
    """A subject to be cut out of the picture as it was shot."""

    subject: Subject


class CutNews(BaseModel):
    """A line of the answer: how far the cut is, 1 when it is there."""

    share: float


class FileOut(BaseModel):
    """A file that rigs can refer to by `name`, its SHA-256."""

    name: str
    file_name: str
    width: int
    height: int


class FilesOut(BaseModel):
    names: dict[str, str]


class Named(BaseModel):
    name: str = Field(min_length=1, max_length=120)


class KeepTake(Named):
    rig: Rig


class TakeOut(BaseModel):
    id: int
    name: str
    created: float
    rig: Rig

    @classmethod
    def of(cls, take: Take) -> TakeOut:
        return cls.model_validate(take, from_attributes=True)


class TakesOut(BaseModel):
    takes: list[TakeOut]


class SaveRig(Named):
    """A rig to be saved, with the plate on which it is pictured."""

    rig: Rig
    plate: int | None = None


class SavedRigOut(BaseModel):
    id: int
    name: str
    created: float
    rig: Rig

    @classmethod
    def of(cls, saved: SavedRig) -> SavedRigOut:
        return cls.model_validate(saved, from_attributes=True)


class SavedRigsOut(BaseModel):
    rigs: list[SavedRigOut]


class RigCell(BaseModel):
    """A saved rig on this plate (JPEG in base64)."""

    saved: SavedRigOut
    picture: str


class RigSheet(BaseModel):
    cells: list[RigCell]


class ApplyRequest(BaseModel):
    """A saved rig for the plate whose rig stands as `onto`; with `lights` only those of these ids."""

    onto: Rig
    saved: int
    lights: list[str] | None = None


class AppliedOut(BaseModel):
    """The rig to be kept, and what a person should know of it."""

    rig: Rig
    notes: list[str]


class MatchRequest(BaseModel):
    rig: Rig
    spot: tuple[float, float]


class Matched(BaseModel):
    temperature: float
    tint: float


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
    """The straightened frame at `width` x `height` device pixels, and the part x0..x1, y0..y1 on the screen."""

    width: int = Field(ge=1, le=60000)
    height: int = Field(ge=1, le=60000)
    x0: int = Field(ge=0)
    y0: int = Field(ge=0)
    x1: int
    y1: int


class PreviewRequest(BaseModel):
    """What the bench wants to see. `draft` while something is dragged; `light` wants its stage pictures.

    Without a `rig` the one that this session sent last is meant; `painting` lays a stroke on it that is
    being drawn.
    """

    seq: int
    rig: Rig | None
    painting: Painting | None = None
    view: View
    show: str = "result"
    clipping: bool = False
    draft: bool = False
    light: str | None = None
    stage_width: int = Field(200, ge=16, le=800)


class BoxOut(BaseModel):
    """What is seen of the straightened frame, in its fractions."""

    x0: float
    y0: float
    x1: float
    y1: float


class FrameHeader(BaseModel):
    """Goes before the picture in every binary frame, as JSON after a 4-byte length."""

    seq: int
    part: str
    exact: bool
    view: View
    box: BoxOut
    angle: float


class PreviewFailure(BaseModel):
    seq: int
    error: str
