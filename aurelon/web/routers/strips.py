"""Test strips: a setting, or two, stepped through in small pictures."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from aurelon.core import Rig
from aurelon.core.errors import RigError
from aurelon.core.graph.small_pictures import small_picture
from aurelon.core.rig.test_strip import SettingPath, stepped
from aurelon.web.context import FrameNumber, Shared
from aurelon.web.view import View

router = APIRouter(prefix="/plates/{plate_id}", tags=["strips"])


MOST_PIXELS = 1 << 20  # of one picture


class SweptSetting(BaseModel):
    """A setting of a light: `stage` is one of the five."""

    stage: Literal["source", "spread", "colour", "merge"]
    setting: str


class StripRequest(BaseModel):
    """What is stepped through: one setting or two; `span` 1 is the whole range. `view` is the part of the picture that
    is looked at; without one it is all of it."""

    rig: Rig
    light: str
    settings: list[SweptSetting] = Field(min_length=1, max_length=2)
    span: float = Field(1.0, gt=0, le=1)
    view: View | None = None


class SweptValue(SweptSetting):
    """A value of a setting."""

    value: float | str


class StripCell(BaseModel):
    """One picture of a strip (JPEG in base64), the values that make it, and whether they are the present ones."""

    values: list[SweptValue]
    present: bool
    picture: str


class Strip(BaseModel):
    """Pictures row by row, and the number of columns."""

    cells: list[StripCell]
    columns: int


@router.post("/strip")
def make_strip(context: Shared, plate_id: int, body: StripRequest, frame: FrameNumber = 0) -> Strip:
    """The picture with one or two settings of a light stepped through."""
    renderer = context.renderers.get(plate_id, frame)
    part = None if body.view is None else body.view.frame
    if body.view is not None and body.view.pixels > MOST_PIXELS:
        raise RigError([("view", f"a picture of a test strip has at most {MOST_PIXELS} pixels")])
    strip = stepped(body.rig, body.light, [SettingPath(s.stage, s.setting) for s in body.settings], body.span)

    def value(path: SettingPath, result: Any) -> SweptValue:
        return SweptValue.model_validate({"stage": path.stage, "setting": path.setting, "value": result})

    cells = [
        StripCell(
            values=[value(path, result) for path, result in variant.values],
            present=variant.present,
            picture=small_picture(renderer, variant.rig, part),
        )
        for variant in strip.variants
    ]
    return Strip(cells=cells, columns=strip.columns)
