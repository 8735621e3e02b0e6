"""What the screen, the command line and the documentation need to know of every kind and setting.

Read off the models themselves, so that a setting is described in one place.
"""

from __future__ import annotations

from collections.abc import Collection
from functools import cache
from typing import Any

from pydantic import BaseModel

from aurelon.core.blank import Blank
from aurelon.core.codecs import codecs
from aurelon.core.errors import RigError
from aurelon.core.graph.pipeline import STAGES
from aurelon.core.imaging.blend import MODES
from aurelon.core.lights import kinds
from aurelon.core.masks import parts
from aurelon.core.masks.shared.part import Part
from aurelon.core.masks.strokes import Stroke
from aurelon.core.rig.copies import OWN_HANDLES
from aurelon.core.rig.model import LIGHT_MODELS, HouseLight, Prepare
from aurelon.core.settings import Settings


class SettingInfo(BaseModel):
    """One setting: `kind` says how it is edited, `bend` how its slider is shaped; in a group of copies each
    has its `own`."""

    name: str
    label: str
    help: str
    kind: str
    unit: str
    default: Any
    low: float | None = None
    high: float | None = None
    step: float | None = None
    bend: float = 1.0
    choices: list[str] | None = None
    handle: str | None = None
    about: str | None = None
    when: dict[str, list[Any]] | None = None
    own: bool = False


class GroupInfo(BaseModel):
    """The settings of a stage, or of the plate or the house light."""

    name: str
    label: str
    help: str
    settings: list[SettingInfo]


class KindInfo(BaseModel):
    """A kind of light and the groups of its five stages, in order."""

    name: str
    title: str
    summary: str
    look_at: list[str]
    groups: list[GroupInfo]


class PartInfo(BaseModel):
    """A part that masks are made of. `group` is its own settings, `defaults` a new one whole.

    `combine` is how it usually works, where that is not what the mask's start suggests; `brush` is a new
    brush for parts that strokes are drawn for.
    """

    name: str
    title: str
    summary: str
    group: GroupInfo
    combine: str | None
    defaults: dict[str, Any]
    brush: dict[str, float] | None


class FormatInfo(BaseModel):
    """A file format that can be written."""

    name: str
    title: str
    suffixes: list[str]
    depths: list[str]
    has_quality: bool
    has_alpha: bool


class Catalogue(BaseModel):
    """Everything the screen is built from."""

    kinds: list[KindInfo]
    plate: GroupInfo
    house: GroupInfo
    parts: list[PartInfo]
    part_common: GroupInfo
    brush: GroupInfo
    blank: GroupInfo
    modes: list[str]
    formats: list[FormatInfo]



STAGE_HELP = {
    "source": "What shines",
    "spread": "How the light travels",
    "colour": "Its hue",
    "mask": "Where it may be",
    "merge": "How it is laid on the picture",
}


def _describe(name: str, schema: dict[str, Any], default: Any) -> SettingInfo:
    unit = schema.get("unit", "")
    choices = schema.get("enum")
    if unit == "pass":
        kind = "picture"
    elif unit in ("colour", "points", "matte", "picture", "strokes", "box", "quads"):
        kind = unit
    elif choices:
        kind = "choice"
    elif unit == "plate":
        kind = "point"
    elif schema.get("type") == "boolean":
        kind = "switch"
    elif schema.get("type") == "integer":
        kind = "whole"
    else:
        kind = "number"
    bounds = schema["prefixItems"][0] if kind == "point" else schema
    return SettingInfo(
        name=name,
        label=name.replace("_", " ").capitalize() if schema["title"] == name.replace("_", " ").title() else schema["title"],
        help=schema.get("description", ""),
        kind=kind,
        unit=unit,
        default=default,
        low=bounds.get("minimum"),
        high=bounds.get("maximum"),
        step=schema.get("step"),
        bend=schema.get("bend", 1.0),
        choices=choices,
        handle=schema.get("handle"),
        about=schema.get("about"),
        when=schema.get("when"),
        own=schema.get("handle") in OWN_HANDLES,
    )


def _group(name: str, label: str, help: str, model: Settings, but: Collection[str] = ()) -> GroupInfo:
    """The settings of a model that a person can change, without those named in `but`."""
    schema = type(model).model_json_schema()["properties"]
    values = model.model_dump()
    shown = [
        _describe(key, part, values[key])
        for key, part in schema.items()
        if key not in but and "const" not in part
        if part.get("minimum") is None or part["minimum"] != part.get("maximum")
        if part.get("type") not in ("array", "null", None) or part.get("unit")
    ]
    return GroupInfo(name=name, label=label, help=help, settings=shown)


def _part(part: type[Part]) -> PartInfo:
    made = part()  # type: ignore[call-arg]
    own = _group(part.kind_name(), part.title, part.summary, made, Part.model_fields.keys())
    return PartInfo(
        name=part.kind_name(), title=part.title, summary=part.summary, group=own,
        combine=part.usual_combine, defaults=made.model_dump(mode="json"), brush=part.brush,
    )  # fmt: skip


@cache
def catalogue() -> list[KindInfo]:
    """Every kind with the settings of its stages and their defaults."""
    found = []
    for name, kind in kinds().items():
        model = LIGHT_MODELS[name](id="x", kind=name)  # type: ignore[call-arg]
        stages = {"source": model.source, "spread": model.spread, "colour": model.colour, "mask": model.mask,
                  "merge": model.merge}  # fmt: skip
        groups = [_group(s, s.capitalize(), STAGE_HELP[s], stages[s]) for s in STAGES]
        found.append(
            KindInfo(
                name=name,
                title=kind.title,
                summary=kind.summary,
                look_at=["original", "prepared", "below"] if kind.reads else [],
                groups=groups,
            )
        )
    return found


def setting_info(kind: str, stage: str, name: str) -> SettingInfo:
    """One setting of a stage of a kind. Raises RigError where there is none."""
    info = next(k for k in catalogue() if k.name == kind)
    for group in info.groups:
        for s in group.settings:
            if group.name == stage and s.name == name:
                return s
    raise RigError([(f"{stage}.{name}", f"is not a setting of {kind}")])


@cache
def whole_catalogue() -> Catalogue:
    """All that the screen is built from."""
    formats = [
        FormatInfo(
            name=f.name, title=f.title, suffixes=list(f.suffixes), depths=list(f.depths),
            has_quality=f.has_quality, has_alpha=f.has_alpha,
        )
        for f in (codec.FORMAT for codec in codecs().values())
    ]  # fmt: skip
    return Catalogue(
        kinds=catalogue(),
        plate=_group("prepare", "Plate", "What is done to the picture before any light", Prepare()),
        house=_group("house", "House light", "How much of the picture's own light stays on", HouseLight()),
        parts=[_part(part) for part in parts().values()],
        part_common=_group("part", "Part", "How the part works on those before it", Part(part="any"), ("name", "part", "on")),
        brush=_group("brush", "Brush", "The brush that paints", Stroke(points=(0, 0, 1)), ("points", "erase")),
        blank=_group("blank", "Blank plate", "A backdrop of two colours, for a scene built of light alone", Blank()),
        modes=list(MODES),
        formats=formats,
    )


