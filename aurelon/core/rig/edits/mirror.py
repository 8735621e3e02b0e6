"""A second light as a mirror shows the first, on the other side of the picture."""

from __future__ import annotations

from typing import Any, Literal

from aurelon.core.masks.shared.mask import Mask
from aurelon.core.masks.shared.part import Part
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.ids import free_id
from aurelon.core.rig.light import Light
from aurelon.core.rig.model import Rig
from aurelon.core.rig.names import NAME_LENGTH
from aurelon.core.rig.owner import LightOwner
from aurelon.core.settings import Settings, settings_of
from aurelon.core.settings.tracks import Track
from aurelon.core.settings.types.place import mirrored_place


class Mirror(Edit):
    """Duplicates a light on the other side of the plate's upright middle line: its places, directions and rotations, those of its
    keys, and the parts of its mask that are not found in the picture. The second belongs to no group."""

    do: Literal["mirror"] = "mirror"
    light: str

    def apply(self, rig: Rig) -> Edited:
        first = rig.light(self.light)
        name = first.name or first.kind
        update: dict[str, Any] = {stage: mirrored(getattr(first, stage)) for stage in ("source", "spread")}
        update |= {
            "id": free_id(first.id, {light.id for light in rig.stack}),
            "name": f"{name} mirrored"[:NAME_LENGTH],
            "group": "",
        }
        copy = first.model_copy(update={**update, "mask": _mirrored_mask(first.mask)})
        lights = [other for light in rig.stack for other in ((light, copy) if light is first else (light,))]
        keys = {**rig.keys, copy.id: _mirrored_keys(first, rig.keys[first.id])} if first.id in rig.keys else rig.keys
        return Edited(rig.model_copy(update={"lights": lights, "keys": keys}), f"Mirror {name}", LightOwner(id=copy.id))


def mirrored(settings: Settings) -> Settings:
    """The settings as a mirror shows them, in plain values that are checked again."""
    values = settings.model_dump()
    turned = {name: setting.mirrored(values[name], mirrored_place) for name, setting in settings_of(type(settings))}
    return type(settings).model_validate({**values, **turned})


def _mirrored_mask(mask: Mask) -> Mask:
    parts = tuple(part if part.of_picture or part.of_one_picture else _mirrored_part(part) for part in mask.stack)
    return mask.model_copy(update={"parts": parts})


def _mirrored_part(part: Part) -> Part:
    own = dict(part.own_settings())
    tracks = {name: _mirrored_track(own[name], track) if name in own else track for name, track in part.keys.items()}
    values = mirrored(part.model_copy(update={"keys": {}}))
    return type(part).model_validate({**values.model_dump(), "keys": {name: one.model_dump() for name, one in tracks.items()}})


def _mirrored_keys(light: Light, tracks: dict[str, Track]) -> dict[str, Track]:
    result = {}
    for path, track in tracks.items():
        stage, _, name = path.rpartition(".")
        settings = dict(settings_of(type(getattr(light, stage)))) if stage in ("source", "spread") else {}
        result[path] = _mirrored_track(settings[name], track) if name in settings else track
    return result


def _mirrored_track(setting: Any, track: Track) -> Track:
    return track.model_copy(update={"at": tuple((frame, setting.mirrored(value, mirrored_place)) for frame, value in track.at)})


EDIT = Mirror
