"""Settings that change over frames: what they are at each key, and what lies between.

A smooth track goes through its keys without overshooting them, so that a value between two keys is one that the setting can have.
Reference: Fritsch and Butland, "A method for constructing local monotone piecewise cubic interpolants" (1984).
"""

from __future__ import annotations

import itertools
from bisect import bisect_right
from collections.abc import Iterator, Mapping
from functools import reduce
from typing import Any, Literal, Self, TypeVar

import numpy as np
from pydantic import Field, ValidationError, field_validator, model_validator

from aurelon.core.settings.base import Setting, Settings, settings_of
from aurelon.core.settings.problems import what_is_wrong

Between = Literal["hold", "linear", "smooth"]
BETWEEN: Mapping[Between, str] = {"hold": "Hold", "linear": "Steady", "smooth": "Smooth"}
MOST_KEYS = 100_000
S = TypeVar("S", bound=Settings)


class Track(Settings):
    """One setting over the frames of a reel: pairs of a frame, counted from 0, and the value there. Before the first key and after
    the last it holds."""

    between: Between = Field("linear", description="How the value goes from one key to the next")
    at: tuple[tuple[int, Any], ...] = Field(min_length=1, max_length=MOST_KEYS, description="Frames, and the values there")

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        frames = [frame for frame, _ in self.at]
        if frames[0] < 0 or any(a >= b for a, b in itertools.pairwise(frames)):
            raise ValueError("keys must be in the order of their frames, one a frame, none before frame 0")
        return self

    @field_validator("at", mode="after")
    @classmethod
    def _as_settings_have_them(cls, at: tuple[tuple[int, Any], ...]) -> tuple[tuple[int, Any], ...]:
        return tuple((frame, _tupled(value)) for frame, value in at)

    @property
    def frames(self) -> list[int]:
        return [frame for frame, _ in self.at]

    def value(self, frame: int, setting: Setting) -> Any:
        """The setting's value at a frame."""
        frames = self.frames
        after = bisect_right(frames, frame)
        if after == 0:
            return setting.taken(self.at[0][1])
        last, value = self.at[after - 1]
        if after == len(frames) or last == frame or self.between == "hold":
            return setting.taken(value)
        low, high = setting.numbers(value), setting.numbers(self.at[after][1])
        if not low or len(low) != len(high):
            return setting.taken(value)  # of different numbers of places, or of none: there is nothing between
        # A smooth way looks at the keys beyond the two as well, where they are of the same kind.
        near = [(at, setting.numbers(value)) for at, value in self.at[max(after - 2, 0) : after + 2]]
        at, vectors = zip(*((at, vector) for at, vector in near if len(vector) == len(low)), strict=True)
        return setting.of_numbers(value, (_smooth if self.between == "smooth" else _steady)(list(at), list(vectors), frame))

    def with_key(self, frame: int, value: Any) -> Self:
        """The track with a key set, or set anew."""
        return self.model_copy(update={"at": tuple(sorted([*((f, v) for f, v in self.at if f != frame), (frame, value)]))})


def _tupled(value: Any) -> Any:
    return tuple(_tupled(one) for one in value) if isinstance(value, list | tuple) else value


def _steady(frames: list[int], vectors: list[list[float]], frame: int) -> list[float]:
    values = np.array(vectors, float)
    return [float(np.interp(frame, frames, column)) for column in values.T]


def _smooth(frames: list[int], vectors: list[list[float]], frame: int) -> list[float]:
    from scipy.interpolate import PchipInterpolator  # slow to load, and few rigs have keys

    return [float(number) for number in PchipInterpolator(frames, np.array(vectors, float), axis=0)(frame)]


def setting_at(owner: Settings, path: str) -> Setting:
    """What can be keyed under a dotted path of an owner. Raises ValueError where nothing can."""
    group: Any = owner
    *groups, name = path.split(".")
    for step in groups:
        group = getattr(group, step, None) if isinstance(group, Settings) and step in type(group).model_fields else None
    found = dict(settings_of(type(group))).get(name) if isinstance(group, Settings) else None
    if found is None:
        raise ValueError(f"there is no setting '{path}'")
    if not found.keyed:
        raise ValueError(f"'{path}' is the same at all frames; numbers, places, colours and shapes can change over them")
    return found


def value_of(owner: Settings, path: str) -> Any:
    """The value under a dotted path of an owner."""
    return reduce(getattr, path.split("."), owner)


def with_value(owner: S, path: str, value: Any) -> S:
    """The owner with another value under a dotted path; the value is taken as it is."""
    return _set(owner, path.split("."), value, checked=False)


def check_tracks(owner: Settings, tracks: Mapping[str, Track]) -> None:
    """Raises ValueError for a track that leads to no setting, or has a value that the setting cannot have."""
    for path, track in tracks.items():
        setting_at(owner, path)
        for frame, value in track.at:
            try:
                _set(owner, path.split("."), value, checked=True)
            except ValidationError as error:
                raise ValueError(f"'{path}' at frame {frame} {what_is_wrong(error.errors()[0])}") from error


def at_frame(owner: S, tracks: Mapping[str, Track], frame: int) -> S:
    """The owner with its keyed settings as they are at a frame."""
    for path, track in tracks.items():
        owner = with_value(owner, path, track.value(frame, setting_at(owner, path)))
    return owner


def values_at(owner: Settings, tracks: Mapping[str, Track], frame: int) -> Iterator[tuple[str, Any]]:
    """Path and value of each keyed setting of an owner at a frame."""
    for path, track in tracks.items():
        yield path, track.value(frame, setting_at(owner, path))


def _set(group: S, path: list[str], value: Any, *, checked: bool) -> S:
    name, *rest = path
    result = _set(getattr(group, name), rest, value, checked=checked) if rest else value
    if not checked:
        return group.model_copy(update={name: result})
    values = {field: getattr(group, field) for field in type(group).model_fields}
    return type(group).model_validate({**values, name: result})
