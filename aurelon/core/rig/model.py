"""The rig: the whole recipe as data. This is the open format; docs/rig.md describes it.

The models of lights are put together from the kinds in `lights/`, so a kind needs no entry here.
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import json
from functools import reduce
from operator import or_
from typing import Annotated, Any, Literal, Self, cast

from pydantic import Field, ValidationError, create_model, model_validator

from aurelon.core.errors import RigError
from aurelon.core.imaging.crop_and_straighten import WHOLE, Box, largest_box
from aurelon.core.lights import kinds
from aurelon.core.lights.shared.kind import Colour, Kind, LookAt, Merge
from aurelon.core.masks import parts
from aurelon.core.masks.shared.mask import Mask
from aurelon.core.settings import Settings, names_of, setting

Share = Annotated[float, Field(ge=0, le=1)]
SMALLEST_CROP = 0.01
PICTURE = r"^[0-9a-f]{64}$"
ID = r"^[a-z0-9][a-z0-9-]{0,63}$"


class Crop(Settings):
    """A box of the straightened picture, in fractions of the plate: left, top, right, bottom."""

    x0: Share = 0.0
    y0: Share = 0.0
    x1: Share = 1.0
    y1: Share = 1.0

    @model_validator(mode="after")
    def _has_an_inside(self) -> Self:
        if self.x1 - self.x0 < SMALLEST_CROP or self.y1 - self.y0 < SMALLEST_CROP:
            raise ValueError(f"the crop is too small; each side must be at least {SMALLEST_CROP:.0%} of the plate's")
        return self


class Prepare(Settings):
    """What is done to the picture before any light; the file itself is never changed."""

    exposure: float = setting(0.0, "Lifts or drops the whole picture", unit="stops", low=-5, high=5, step=0.05)
    contrast: float = setting(0.0, "Spreads or gathers tones about mid-grey", low=-1, high=1, step=0.01)
    saturation: float = setting(0.0, "Strengthens or drains colour", low=-1, high=1, step=0.01)
    temperature: float = setting(0.0, "Cools (below 0) or warms (above 0) the picture", low=-1, high=1, step=0.01)
    straighten: float = setting(
        0.0, "Turns the picture counter-clockwise, to level a horizon", unit="degrees", low=-45, high=45, step=0.05, bend=1.0
    )
    crop: Crop | None = Field(None, description="What of the picture is seen; null shows all of it")

    def box(self, size: tuple[int, int]) -> Box:
        """What of the frame is seen; `size` is the plate's."""
        if self.crop is not None:
            return Box(self.crop.x0, self.crop.y0, self.crop.x1, self.crop.y1)
        return largest_box(self.straighten, size) if self.straighten else WHOLE


class Matte(Settings):
    """A named area of the plate that any light can stand behind or stay within.

    Its mask is made of the same parts as a light's; it may use the mattes above it.
    """

    id: str = Field(pattern=ID, description="Names the matte within its rig")
    name: str = Field("", max_length=80, description="What the matte is called")
    mask: Mask = Mask(start="nothing")


class HouseLight(Settings):
    """How much of the photograph's own light stays on, and its colour."""

    level: float = setting(1.0, "Share of the picture's own light that stays on", unit="gain", low=0, high=4, step=0.01)
    temperature: float = setting(
        6500, "Colour of the house light; 6500 leaves the picture as it is", unit="kelvin", low=1000, high=25000, step=50
    )
    tint: float = setting(0.0, "Toward green (below 0) or magenta (above 0)", low=-1, high=1, step=0.01)
    mask: Mask = Mask()


class Light(Settings):
    """One live light. Each kind adds its own `kind`, `source` and `spread`."""

    id: str = Field(pattern=ID, description="Names the light within its rig")
    name: str = Field("", max_length=80, description="What the light is called on the desk")
    kind: str
    on: bool = Field(True, description="Whether the light shines")
    group: str = Field("", max_length=64, description="Lights of one group share their settings, but for where they are")
    look_at: LookAt = Field("prepared", description="Which picture the light reads")
    source: Settings
    spread: Settings
    colour: Colour = Colour()
    mask: Mask = Mask()
    merge: Merge = Merge()


def _model_of(kind: Kind) -> type[Light]:
    fields: dict[str, Any] = {
        "kind": (Literal[kind.name], ...),
        "look_at": (LookAt, Field(kind.look_at, description="Which picture the light reads")),
        "source": (kind.source_settings, kind.source_settings()),
        "spread": (kind.spread_settings, kind.spread_settings()),
        "colour": (Colour, kind.colour),
        "merge": (Merge, kind.merge),
    }
    name = f"{kind.name.capitalize()}Light"
    return cast(type[Light], create_model(name, __base__=Light, __doc__=kind.summary, **fields))


LIGHT_MODELS: dict[str, type[Light]] = {name: _model_of(kind) for name, kind in kinds().items()}
# Read by Pydantic, not by the type checker, which cannot follow a union made at run time.
AnyLight: Any = Annotated[reduce(or_, LIGHT_MODELS.values()), Field(discriminator="kind")]


TAGS = {*LIGHT_MODELS, *parts()}  # steps in a path of Pydantic's that say which model was meant


class Rig(Settings):
    """The recipe of all light on a plate."""

    format: Literal["aurelon-rig"] = "aurelon-rig"
    version: Literal[1] = 1
    prepare: Prepare = Prepare()
    house: HouseLight = HouseLight()
    mattes: tuple[Matte, ...] = Field((), max_length=64, description="Saved areas that lights refer to")
    lights: list[AnyLight] = Field([], max_length=64)
    pictures: dict[Annotated[str, Field(pattern=PICTURE)], str] = Field(
        {}, max_length=64, description="Pictures that the rig carries with it: files in base64 by their SHA-256"
    )

    @model_validator(mode="after")
    def _one_id_each(self) -> Self:
        for what, ids in (("lights", [light.id for light in self.stack]), ("mattes", [m.id for m in self.mattes])):
            seen: set[str] = set()
            for one in ids:
                if one in seen:
                    raise ValueError(f"two {what} have the id '{one}'; each needs its own")
                seen.add(one)
        return self

    @model_validator(mode="after")
    def _pictures_are_what_they_are_called(self) -> Self:
        for name, carried in self.pictures.items():
            try:
                data = base64.b64decode(carried, validate=True)
            except binascii.Error as error:
                raise ValueError(f"the picture {name[:12]} is no base64 ({error})") from error
            if hashlib.sha256(data).hexdigest() != name:
                raise ValueError(f"the picture {name[:12]} is not the file whose SHA-256 this is")
        return self

    @model_validator(mode="after")
    def _mattes_look_up(self) -> Self:
        above: set[str] = set()
        ids = {matte.id for matte in self.mattes}
        for matte in self.mattes:
            for used in matte.mask.mattes():
                if used in ids and used not in above:
                    raise ValueError(f"the matte '{matte.id}' uses '{used}', which is not above it; move it up or leave it out")
            above.add(matte.id)
        return self

    def matte(self, matte_id: str) -> Matte | None:
        return next((matte for matte in self.mattes if matte.id == matte_id), None)

    def picture(self, name: str) -> bytes | None:
        """The file of a picture that the rig carries, or None."""
        carried = self.pictures.get(name)
        return None if carried is None else base64.b64decode(carried)

    def picture_names(self) -> list[str]:
        """Names of all pictures that its masks and lights refer to."""
        masks = [self.house.mask, *(m.mask for m in self.mattes), *(light.mask for light in self.stack)]
        names = {name for mask in masks for name in mask.pictures()}
        for light in self.stack:
            for stage in (light.source, light.spread):
                names.update(getattr(stage, name) for name in names_of(type(stage), "unit", "picture", "pass"))
        return sorted(names - {""})

    def missing_mattes(self) -> dict[str, list[str]]:
        """Mattes that masks refer to but that are not there, with the names of what uses each."""
        users = [(light.name or light.id, light.mask) for light in self.stack]
        users += [(f"the matte {matte.name or matte.id}", matte.mask) for matte in self.mattes]
        users.append(("the house light", self.house.mask))
        missing: dict[str, list[str]] = {}
        for user, mask in users:
            for matte in mask.mattes():
                if self.matte(matte) is None and user not in missing.setdefault(matte, []):
                    missing[matte].append(user)
        return missing

    @property
    def stack(self) -> list[Light]:
        """The lights, lowest first."""
        return cast(list[Light], self.lights)


def parse_rig(text: str | bytes) -> Rig:
    """A rig from JSON text. Raises RigError that pairs each path with what is wrong there."""
    try:
        return check_rig(json.loads(text))
    except (json.JSONDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise RigError([("", f"the rig is no JSON ({error})")]) from error


def check_rig(data: Any) -> Rig:
    """A rig from plain data. Raises RigError that pairs each path with what is wrong there."""
    if not isinstance(data, dict):
        raise RigError([("", "a rig is a JSON object with \"format\": \"aurelon-rig\"")])
    try:
        return Rig.model_validate(data)
    except ValidationError as error:
        raise RigError([problem_of(e) for e in error.errors()]) from error


def problem_of(error: Any, skip: tuple[str, ...] = ()) -> tuple[str, str]:
    """A validation error as the path in the rig and what is wrong there.

    `skip` names the parts that lead to the rig in a larger message.
    """
    context = error.get("ctx", {})
    path = ""
    before: Any = None
    for part in error["loc"]:
        if not path and part in skip:
            continue
        if isinstance(part, int):
            path += f"[{part}]"
        elif part not in TAGS or not isinstance(before, int):
            path += f".{part}" if path else str(part)
        before = part
    given = json.dumps(error.get("input"), default=str)
    given = given if len(given) <= 60 else given[:57] + "..."
    match error["type"]:
        case "extra_forbidden":
            what = "is not a setting here; remove it or correct its name"
        case "greater_than_equal" | "less_than_equal":
            bound = context.get("ge", context.get("le"))
            what = f"is {given}, but must be at {'least' if 'ge' in context else 'most'} {bound:g}"
        case "union_tag_invalid" | "union_tag_not_found":
            field = context["discriminator"].strip("'")
            path += f".{field}"
            known = ", ".join(LIGHT_MODELS if field == "kind" else parts())
            one, many = ("kind of light", "kinds") if field == "kind" else ("part of a mask", "parts")
            tag = context.get("tag")
            what = f"'{tag}' is no {one}; there are: {known}" if tag else f"is missing; {many} are: {known}"
        case "literal_error":
            if path.endswith("].kind"):
                what = f"{given} is no kind of light; there are: {', '.join(LIGHT_MODELS)}"
            else:
                what = f"is {given}, but must be {context['expected']}"
        case "missing":
            what = "is missing"
        case "value_error":
            what = str(context["error"])
        case _:
            what = f"is {given}: {error['msg'][0].lower()}{error['msg'][1:]}"
    return path, what
