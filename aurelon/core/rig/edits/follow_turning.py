"""A place that goes with something in the picture, and what goes round it, turned and grown with that thing."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from functools import partial
from typing import Any, Literal, NamedTuple

from pydantic import Field

from aurelon.core.errors import RigError
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.edits.shared.followed import with_keys
from aurelon.core.rig.keyed import find
from aurelon.core.rig.model import Rig
from aurelon.core.settings import Place, Setting, settings_of
from aurelon.core.settings.slider import Slider
from aurelon.core.settings.types.place import PlaceSetting, toward_middle, within_reach


class Lies(NamedTuple):
    """How a thing lies at a frame, against where it was followed from: where its place is (plate fractions), by how many degrees it
    has turned (counter-clockwise as it is seen), and how many times its size it has."""

    frame: int
    place: Place
    turn: float = Field(ge=-360, le=360)
    size: float = Field(gt=0, le=1000)


Told = Callable[[Lies], Any]


class FollowTurning(Edit):
    """Keys of a place, and of the directions, lengths and places of its stage that go round it, from how the thing at `frame` lies
    at each. `size` is (width, height) of the plate; keys of frames within `within` are replaced, the second of it left out."""

    do: Literal["follow-turning"] = "follow-turning"
    owner: str
    path: str
    frame: int
    at: tuple[Lies, ...] = Field(min_length=1)
    size: tuple[int, int]
    within: tuple[int, int] | None = None

    def apply(self, rig: Rig) -> Edited:
        found = find(rig, self.owner, self.path)
        if not isinstance(found.setting, PlaceSetting):
            raise RigError([(self.path, "is not a place, so nothing goes round it")])
        followed: list[tuple[str, Told]] = [(self.path, lambda lies: lies.place), *self._round(rig.at(self.frame))]
        made = rig
        for path, told in followed:
            made = with_keys(made, self.owner, path, tuple((lies.frame, told(lies)) for lies in self.at), self.within)
        return Edited(made, f"{found.setting.label}: followed and turned")

    def _round(self, now: Rig) -> Iterator[tuple[str, Told]]:
        """Paths of the settings that go round the place, and what each is where the thing lies otherwise."""
        found = find(now, self.owner, self.path)
        stem, _, name = self.path.rpartition(".")
        group: Any = found.settings
        for step in found.path.split(".")[:-1]:
            group = getattr(group, step)
        values = group.model_dump()
        for other, setting in settings_of(type(group)):
            if setting.keyed and setting.shown_in(values):
                told = self._told(name, setting, values[name], values[other])
                if told is not None:
                    yield f"{stem}.{other}", told

    def _told(self, name: str, setting: Setting, middle: Place, value: Any) -> Told | None:
        if isinstance(setting, PlaceSetting) and setting.joined == name:
            return partial(_carried, middle, value, self.size)
        if isinstance(setting, Slider) and setting.about == name:
            if setting.handle == "direction":
                zero = partial(_of_middle, self.size) if setting.toward_middle else _level
                return partial(_turned, value, zero, middle)
            if setting.unit == "diagonal":
                return partial(_grown, value, setting.low, setting.high)
        return None


def _level(place: Place) -> float:
    return 0.0


def _of_middle(size: tuple[int, int], place: Place) -> float:
    return toward_middle(place, *size)


def _turned(value: float, zero: Callable[[Place], float], middle: Place, lies: Lies) -> float:
    """A direction from its `zero`, which may change as the place moves."""
    return (value + zero(middle) - zero(lies.place) + lies.turn + 180) % 360 - 180


def _grown(value: float, low: float, high: float, lies: Lies) -> float:
    return min(max(value * lies.size, low), high)


def _carried(middle: Place, place: Place, size: tuple[int, int], lies: Lies) -> Place:
    """A place, turned and taken farther from the middle in pixels of the plate."""
    across, down = (place[0] - middle[0]) * size[0], (place[1] - middle[1]) * size[1]
    cosine, sine = lies.size * math.cos(math.radians(lies.turn)), lies.size * math.sin(math.radians(lies.turn))
    x, y = across * cosine + down * sine, down * cosine - across * sine
    return within_reach((lies.place[0] + x / size[0], lies.place[1] + y / size[1]))


EDIT = FollowTurning
