"""Strokes of a brush."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Unpack

from pydantic import Field, field_validator

from aurelon.core.settings.base import Carry, Common, Setting, Settings
from aurelon.core.settings.types.flag import flag
from aurelon.core.settings.types.number import number

Coordinate = Annotated[float, Field(ge=-10, le=11)]


class Stroke(Settings):
    """One movement of the brush. `points` has x, y (plate fractions) and pressure (0..1) of each in turn."""

    size: float = number(0.03, "Radius of the brush", unit="diagonal", low=0.0005, high=1.0, step=0.001, exponent=2.5)
    hardness: float = number(0.2, "Share of the radius at full strength", unit="share", low=0, high=1, step=0.01)
    flow: float = number(0.3, "How much one stroke lays down", unit="share", low=0.01, high=1, step=0.01)
    erase: bool = flag(False, "Takes paint away instead of laying it down")
    points: tuple[Coordinate, ...] = Field(min_length=3, max_length=60_000, description="x, y and pressure of each point in turn")

    @field_validator("points")
    @classmethod
    def _in_threes(cls, points: tuple[float, ...]) -> tuple[float, ...]:
        if len(points) % 3:
            raise ValueError("a stroke has three numbers for each point: x, y and pressure")
        if any(not 0 <= pressure <= 1 for pressure in points[2::3]):
            raise ValueError("the pressure of a stroke's points lies in 0..1")
        return points


class StrokesSetting(Setting):
    """Strokes, first to last: paint, or `hints` that say what is in and, erasing, what is out. `carries` is the stage and name of
    a place of the same light that is moved, turned and scaled with all of them."""

    type: Literal["strokes"] = "strokes"
    hints: bool = False
    carries: str = ""
    own: bool = True

    def carried(self, value: Any, to: Carry) -> Any:
        return [_carried(stroke, to) for stroke in value]


def _carried(stroke: dict[str, Any], to: Carry) -> dict[str, Any]:
    points = list(stroke["points"])
    places = [to((x, y)) for x, y in zip(points[0::3], points[1::3], strict=True)]
    points[0::3], points[1::3] = [x for x, _ in places], [y for _, y in places]
    return {**stroke, "points": points}


def strokes_setting(help: str, *, max_strokes: int, hints: bool = False, carries: str = "", **common: Unpack[Common]) -> Any:
    """A setting that is a list of strokes, empty to begin with."""
    return StrokesSetting(help=help, hints=hints, carries=carries, **common).field((), max_length=max_strokes)


SETTING = StrokesSetting
