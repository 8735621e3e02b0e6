"""The rig: the whole recipe as data. This is the open format; docs/rig.md describes it."""

from __future__ import annotations

import base64
import binascii
import hashlib
from collections.abc import Iterator
from typing import Annotated, Any, Literal, Self, TypeVar, cast

from pydantic import Field, ValidationError, model_validator

from aurelon.core.errors import RigError
from aurelon.core.imaging.crop_and_straighten import WHOLE, Box, largest_box
from aurelon.core.masks.shared.mask import Mask
from aurelon.core.rig.distance import Distance
from aurelon.core.rig.finish import Finish
from aurelon.core.rig.light import AnyLight, Light
from aurelon.core.rig.migrate import VERSION, up_to_date
from aurelon.core.rig.names import FILE, ID, NAME_LENGTH
from aurelon.core.rig.problems import problem_of
from aurelon.core.rig.shots import Shots
from aurelon.core.settings import Settings, number, settings_of, temperature_setting, tint_setting
from aurelon.core.settings.tracks import Track, at_frame, check_tracks
from aurelon.core.settings.types.crop import Crop, crop_setting

PLATE, HOUSE = "plate", "house"  # as owners of settings with keys; all others are ids of lights
Keys = dict[str, dict[str, Track]]
S = TypeVar("S", bound=Settings)


class Prepare(Settings):
    """What is done to the picture before any light; the file itself is never changed."""

    exposure: float = number(0.0, "Brightens or darkens the whole picture", unit="stops", low=-5, high=5, step=0.05, essential=True)
    contrast: float = number(0.0, "Spreads or compresses tones around mid-grey", low=-1, high=1, step=0.01, essential=True)
    saturation: float = number(0.0, "Strengthens or drains colour", low=-1, high=1, step=0.01, essential=True)
    temperature: float = number(0.0, "Cools (below 0) or warms (above 0) the picture", low=-1, high=1, step=0.01, essential=True)
    headroom: float = number(
        0.0,
        "How much brighter lamps are that the picture cuts off at white; white walls stay as they are",
        unit="stops",
        low=0,
        high=6,
        step=0.1,
        essential=True,
    )
    straighten: float = number(
        0.0,
        "Rotates the picture counter-clockwise, to level a horizon",
        unit="degrees",
        low=-45,
        high=45,
        step=0.05,
        essential=True,
    )
    input_space: str = Field(
        "",
        max_length=200,
        description="Colour space of the file, as the chosen OpenColorIO configuration calls it; empty leaves it to the file",
    )
    crop: Crop | None = crop_setting("What of the picture is seen; null shows all of it")

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
    name: str = Field("", max_length=NAME_LENGTH, description="What the matte is called")
    mask: Mask = Mask(start="nothing")


class HouseLight(Settings):
    """How much of the photograph's own light stays on, and its colour."""

    level: float = number(
        1.0, "How much of the picture's own light stays on", unit="gain", low=0, high=4, step=0.01, essential=True
    )
    temperature: float = temperature_setting(
        6500, "Colour of the house light; 6500 leaves the picture as it is", exponent=1.0, essential=True
    )
    tint: float = tint_setting()
    mask: Mask = Mask()


class Rig(Settings):
    """The recipe of all light on a plate."""

    format: Literal["aurelon-rig"] = "aurelon-rig"
    version: Literal[2] = VERSION
    prepare: Prepare = Prepare()
    house: HouseLight = HouseLight()
    distance: Distance = Distance()
    finish: Finish = Finish()
    shots: Shots = Shots()
    mattes: tuple[Matte, ...] = Field((), max_length=64, description="Saved areas that lights refer to")
    lights: list[AnyLight] = Field([], max_length=64)
    keys: Keys = Field(
        {},
        max_length=66,
        description="Settings that change over the frames of a reel: by the id of a light, `plate` or `house`, and by their path",
    )
    files: dict[Annotated[str, Field(pattern=FILE)], str] = Field(
        {}, max_length=64, description="Files that the rig carries with it, in base64 by their SHA-256"
    )

    @classmethod
    def model_validate(cls, obj: Any, **options: Any) -> Self:
        """A rig from plain data. Raises RigError that pairs each path with what is wrong there."""
        if not isinstance(obj, dict | Rig):
            raise RigError([("", 'a rig is a JSON object with "format": "aurelon-rig"')])
        try:
            return super().model_validate(obj, **options)
        except ValidationError as error:
            raise RigError([problem_of(e) for e in error.errors()]) from error

    @model_validator(mode="before")
    @classmethod
    def _of_this_version(cls, data: Any) -> Any:
        return up_to_date(data)

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
    def _files_are_what_they_are_called(self) -> Self:
        for name, carried in self.files.items():
            try:
                data = base64.b64decode(carried, validate=True)
            except binascii.Error as error:
                raise ValueError(f"the file {name[:12]} is not valid base64 ({error})") from error
            if hashlib.sha256(data).hexdigest() != name:
                raise ValueError(f"the file {name[:12]} is not the one whose SHA-256 this is")
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

    @model_validator(mode="after")
    def _keys_lead_to_settings(self) -> Self:
        for owner, tracks in self.keys.items():
            settings = self.owner(owner)
            if settings is not None:
                try:
                    check_tracks(settings, tracks)
                except ValueError as error:
                    raise ValueError(f"keys of {owner}: {error}") from error
        return self

    def owner(self, owner: str) -> Settings | None:
        """Whose settings keys belong to; None where a light of that id is not there."""
        if owner in (PLATE, HOUSE):
            return self.prepare if owner == PLATE else self.house
        return next((light for light in self.stack if light.id == owner), None)

    def at(self, frame: int) -> Self:
        """The rig as it is at a frame of a reel, counted from 0: what is keyed has the value that it has there."""
        if not self.keys and not any(mask.has_keys for _, mask in self.masks()):
            return self

        def of(owner: S, name: str) -> S:
            there = at_frame(owner, self.keys.get(name, {}), frame)
            mask = getattr(there, "mask", None)
            return there.model_copy(update={"mask": mask.at(frame)}) if isinstance(mask, Mask) and mask.has_keys else there

        return self.model_copy(
            update={
                "keys": {},
                "prepare": of(self.prepare, PLATE),
                "house": of(self.house, HOUSE),
                "mattes": tuple(of(matte, "") for matte in self.mattes),
                # A light of such a name has no keys: they are the plate's, or the house light's.
                "lights": [of(light, "" if light.id in (PLATE, HOUSE) else light.id) for light in self.stack],
            }
        )

    def unused_keys(self) -> list[str]:
        """Ids of lights that keys name and that are not there."""
        return [owner for owner in self.keys if self.owner(owner) is None]

    def __repr__(self) -> str:
        return f"Rig({', '.join(f'{light.id}: {light.kind}' for light in self.stack) or 'no lights'})"

    @property
    def notices(self) -> list[str]:
        """What a person should know of a rig that is valid: what it names and does not have, in sentences."""
        keys = [f"the light '{owner}' is missing; its keys change nothing" for owner in self.unused_keys()]
        mattes = [
            f"the matte '{matte}' is missing; {' and '.join(users)} used it and {'goes' if len(users) == 1 else 'go'} on without it"
            for matte, users in self.missing_mattes().items()
        ]
        return keys + mattes

    def matte(self, matte_id: str) -> Matte | None:
        return next((matte for matte in self.mattes if matte.id == matte_id), None)

    def light(self, light_id: str) -> Light:
        """The light of that id. Raises RigError when no light has it."""
        for light in self.stack:
            if light.id == light_id:
                return light
        known = ", ".join(light.id for light in self.stack)
        there = f"there are {known}" if known else "the rig has no lights"
        raise RigError([("lights", f"there is no light with the id '{light_id}'; {there}")])

    def with_light(self, changed: Light) -> Self:
        """The rig with the light of the same id changed."""
        return self.model_copy(update={"lights": [changed if light.id == changed.id else light for light in self.stack]})

    def file(self, name: str) -> bytes | None:
        """A file that the rig carries, or None."""
        carried = self.files.get(name)
        return None if carried is None else base64.b64decode(carried)

    def masks(self) -> Iterator[tuple[str, Mask]]:
        """Every mask with what a person calls its owner."""
        for light in self.stack:
            yield light.name or light.id, light.mask
        for matte in self.mattes:
            yield f"the matte {matte.name or matte.id}", matte.mask
        yield "the house light", self.house.mask

    def file_names(self) -> list[str]:
        """Names of all files that its masks and lights refer to."""
        names = {name for _, mask in self.masks() for name in mask.files()}
        names |= {self.distance.file} - {""}
        for light in self.stack:
            for stage in (light.source, light.spread):
                for name, setting in settings_of(type(stage)):
                    names.update(setting.files(getattr(stage, name)))
        return sorted(names)

    def matte_users(self) -> Iterator[tuple[str, list[str]]]:
        """What a person calls each light, matte and the house light, with the mattes that it refers to."""
        for light in self.stack:
            yield light.name or light.id, light.mattes()
        for matte in self.mattes:
            yield f"the matte {matte.name or matte.id}", matte.mask.mattes()
        yield "the house light", self.house.mask.mattes()
        yield "the distance", list(self.distance.stands)

    def missing_mattes(self) -> dict[str, list[str]]:
        """Mattes that are referred to but are not there, with the names of what uses each."""
        missing: dict[str, list[str]] = {}
        for user, mattes in self.matte_users():
            for matte in mattes:
                if self.matte(matte) is None and user not in missing.setdefault(matte, []):
                    missing[matte].append(user)
        return missing

    @property
    def stack(self) -> list[Light]:
        """The lights, lowest first."""
        return cast(list[Light], self.lights)
