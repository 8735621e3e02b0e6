"""Settings with keys, wherever they stand in a rig: those of the plate, the house light and the lights, whose keys the rig has, and
those of the parts of masks, which have their keys with them and so keep them when they are moved or copied.

Owners are `plate`, `house`, the id of a light, and for the mask of a matte `matte:` with its id. The path of a part's setting is
`mask.parts.0.feather`, counted from the first part.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from aurelon.core.errors import RigError
from aurelon.core.masks.shared.mask import Mask
from aurelon.core.masks.shared.part import Part
from aurelon.core.rig.light import Light
from aurelon.core.rig.model import HOUSE, Rig
from aurelon.core.rig.owner import HouseOwner, LightOwner, MatteOwner, Owner, mask_of, with_mask
from aurelon.core.settings import Setting, Settings
from aurelon.core.settings.tracks import Track, setting_at, value_of, values_at, with_value

MATTE = "matte:"
PART = re.compile(r"mask\.parts\.(\d+)\.(\w+)")


class Keyed(NamedTuple):
    """Where a setting stands: in what, and under which path of that. `part` is its number in the mask of `whose`."""

    settings: Settings
    path: str
    whose: Owner | None = None
    part: int = 0

    @property
    def setting(self) -> Setting:
        return setting_at(self.settings, self.path)

    @property
    def value(self) -> Any:
        return value_of(self.settings, self.path)


def find(rig: Rig, owner: str, path: str) -> Keyed:
    """A setting that can have keys. Raises RigError where that setting cannot have keys."""
    in_part = PART.fullmatch(path)
    if in_part is not None:
        whose = _owner(owner)
        stack, number = mask_of(rig, whose).stack, int(in_part[1])
        if number >= len(stack):
            raise RigError([(f"keys.{owner}.{path}", "the mask has no such part")])
        found = Keyed(stack[number], in_part[2], whose, number)
    else:
        settings = rig.owner(owner)
        if settings is None:
            raise RigError([("keys", f"there is no light with the id '{owner}'")])
        found = Keyed(settings, path)
    try:
        setting_at(found.settings, found.path)
    except ValueError as error:
        raise RigError([(f"keys.{owner}", str(error))]) from error
    return found


def track_of(rig: Rig, owner: str, path: str) -> Track | None:
    """The keys of a setting, or None."""
    if PART.fullmatch(path) is None:
        return rig.keys.get(owner, {}).get(path)
    settings, name, *_ = find(rig, owner, path)
    return settings.keys.get(name) if isinstance(settings, Part) else None


def tracks_of(rig: Rig, owner: str) -> dict[str, Track]:
    """The keys of all settings of an owner and of the parts of its mask, by their path."""
    own = rig.keys.get(owner, {})
    parts = ((f"mask.parts.{k}", part) for k, part in enumerate(_masks(rig).get(owner, Mask()).stack))
    return {**own, **{f"{where}.{name}": track for where, part in parts for name, track in part.keys.items()}}


def with_track(rig: Rig, owner: str, path: str, track: Track | None) -> Rig:
    """The rig with the keys of a setting; without any where it is None."""
    found = find(rig, owner, path)
    if found.whose is not None and isinstance(found.settings, Part):
        return _with_part(rig, found, found.settings.model_copy(update={"keys": _but(found.settings.keys, found.path, track)}))
    return rig.model_copy(update={"keys": _but(rig.keys, owner, _but(rig.keys.get(owner, {}), path, track) or None)})


def with_value_at(rig: Rig, owner: str, path: str, value: Any) -> Rig:
    """The rig with another value of a setting."""
    found = find(rig, owner, path)
    changed = with_value(found.settings, found.path, value)
    if found.whose is not None:
        return _with_part(rig, found, changed)
    if isinstance(changed, Light):
        return rig.with_light(changed)
    return rig.model_copy(update={"house" if owner == HOUSE else "prepare": changed})


def keyed_at(rig: Rig, frame: int) -> dict[str, dict[str, Any]]:
    """What each keyed setting is at a frame, by owner and path."""
    result: dict[str, dict[str, Any]] = {}
    for owner, tracks in rig.keys.items():
        settings = rig.owner(owner)
        if settings is not None:
            result[owner] = dict(values_at(settings, tracks, frame))
    for owner, mask in _masks(rig).items():
        for k, part in enumerate(mask.stack):
            for name, value in values_at(part, part.keys, frame):
                result.setdefault(owner, {})[f"mask.parts.{k}.{name}"] = value
    return result


def keyed_anew(rig: Rig, before: Rig, frame: int) -> Rig:
    """The rig with a key at a frame for each keyed setting that has changed since `before`."""
    for owner, path, track in list(_all(rig)):
        try:
            now, then = find(rig, owner, path), find(before, owner, path)
        except RigError:
            continue  # what was not there, or is not there now, has not changed
        if track_of(before, owner, path) == track and now.value != then.value:
            rig = with_track(rig, owner, path, track.with_key(frame, now.value))
    return rig


def _all(rig: Rig) -> Iterator[tuple[str, str, Track]]:
    for owner in {**rig.keys, **_masks(rig)}:
        for path, track in tracks_of(rig, owner).items():
            yield owner, path, track


def _owner(owner: str) -> Owner:
    if owner == HOUSE:
        return HouseOwner()
    return MatteOwner(id=owner.removeprefix(MATTE)) if owner.startswith(MATTE) else LightOwner(id=owner)


def _masks(rig: Rig) -> dict[str, Mask]:
    """Every mask by whose it is."""
    lights = {light.id: light.mask for light in rig.stack}
    return {**lights, HOUSE: rig.house.mask, **{f"{MATTE}{matte.id}": matte.mask for matte in rig.mattes}}


def _with_part(rig: Rig, found: Keyed, part: Settings) -> Rig:
    assert found.whose is not None
    mask = mask_of(rig, found.whose)
    stack = tuple(part if k == found.part else other for k, other in enumerate(mask.stack))
    return with_mask(rig, found.whose, mask.model_copy(update={"parts": stack}))


def _but(kept: Mapping[str, Any], name: str, value: Any) -> dict[str, Any]:
    """What is kept, with something under a name, or without it where that is None."""
    return {**{other: one for other, one in kept.items() if other != name}, **({} if value is None else {name: value})}
