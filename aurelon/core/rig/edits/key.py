"""Keys of a setting over the frames of a reel."""

from __future__ import annotations

from typing import Any, Literal

from aurelon.core.errors import RigError
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.keys import Between, Track, setting_at, value_of
from aurelon.core.rig.model import Rig


class Key(Edit):
    """Sets a key of a setting at a frame, to the value that it has there; removes one, or all of them; or says how the setting
    goes from one to the next. Without its last key a setting stays as it was there; reset, it is as it comes."""

    do: Literal["key"] = "key"
    act: Literal["set", "remove", "clear", "reset", "between"]
    owner: str
    path: str
    frame: int = 0
    between: Between = "linear"

    def apply(self, rig: Rig) -> Edited:
        owner = rig.owner(self.owner)
        if owner is None:
            raise RigError([("keys", f"there is no light with the id '{self.owner}'")])
        try:
            setting = setting_at(owner, self.path)
        except ValueError as error:
            raise RigError([(f"keys.{self.owner}", str(error))]) from error
        label = setting.label or self.path.split(".")[-1].replace("_", " ").capitalize()
        track = rig.keys.get(self.owner, {}).get(self.path)
        now = value_of(owner, self.path) if track is None else track.value(self.frame, setting)
        what = f"{label}: {WORDS[self.act]}"
        if self.act == "set":
            made = Track(at=((self.frame, now),)) if track is None else track.with_key(self.frame, now)
            return Edited(rig.with_track(self.owner, self.path, made), what)
        if self.act == "reset":
            bare = rig.with_track(self.owner, self.path, None)
            return Edited(bare.with_value(self.owner, self.path, setting.default), f"Reset {label}")
        if track is None:
            raise RigError([(f"keys.{self.owner}.{self.path}", "it has no keys")])
        return Edited(self._changed(rig, track, now), what)

    def _changed(self, rig: Rig, track: Track, now: Any) -> Rig:
        if self.act == "between":
            return rig.with_track(self.owner, self.path, track.model_copy(update={"between": self.between}))
        left = [] if self.act == "clear" else [(frame, value) for frame, value in track.at if frame != self.frame]
        if left:
            return rig.with_track(self.owner, self.path, track.model_copy(update={"at": tuple(left)}))
        return rig.with_value(self.owner, self.path, now).with_track(self.owner, self.path, None)


WORDS = {
    "set": "set a key",
    "remove": "remove a key",
    "clear": "remove all keys",
    "reset": "as it comes",
    "between": "between keys",
}
EDIT = Key
