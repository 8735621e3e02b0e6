"""How a setting is declared: once, in the core, with everything the screen needs to show it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field
from pydantic.fields import FieldInfo

Unit = Literal[
    "diagonal", "degrees", "kelvin", "gain", "stops", "count", "seed", "share", "plate", "points", "mm",
    "matte", "picture", "pass", "strokes", "box", "quads", ""
]  # fmt: skip
Handle = Literal[
    "position", "direction", "radius", "points", "levels", "polygon", "box", "hints", "cone", "quads", "path", "strokes"
]

# Fractions of the uncropped plate, x to the right and y down; what lies outside the frame is allowed.
Coordinate = Annotated[float, Field(ge=-10, le=11)]
Place = tuple[Coordinate, Coordinate]


class Settings(BaseModel):
    """A group of settings. Unknown keys are refused; numbers must be finite."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, frozen=True)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        made = super().model_copy(update=update, deep=deep)
        # What was worked out of the old settings does not hold for the new ones.
        for name in made.__dict__.keys() - type(self).model_fields.keys():
            del made.__dict__[name]
        return made


def names_of(model: type[BaseModel], what: Literal["handle", "unit"], *wanted: str) -> list[str]:
    """The settings of a group whose handle, or unit, is one of those wanted."""

    def declared(info: FieldInfo) -> Any:
        return info.json_schema_extra.get(what) if isinstance(info.json_schema_extra, dict) else None

    return [name for name, info in model.model_fields.items() if declared(info) in wanted]


def setting(
    default: Any,
    help: str,
    *,
    label: str | None = None,
    unit: Unit = "",
    low: float | None = None,
    high: float | None = None,
    step: float | None = None,
    handle: Handle | None = None,
    about: str | None = None,
    when: dict[str, list[Any]] | None = None,
    bend: float = 1.0,
) -> Any:
    """A Pydantic field with its range, unit, step, one-line help and handle on the picture.

    `about` names the position setting that a radius handle goes round. `when` shows the setting
    only while other settings of the group have one of the listed values. `bend` shapes the slider:
    the setting lies at `low + (high - low) * travel**bend`, so that small values get more travel.
    """
    extra: dict[str, Any] = {
        key: value
        for key, value in {
            "unit": unit,
            "step": step,
            "handle": handle,
            "about": about,
            "when": when,
            "bend": bend if bend != 1.0 else None,
        }.items()
        if value is not None
    }
    return Field(default, description=help, title=label, ge=low, le=high, json_schema_extra=extra)
