"""Keys of a setting over the frames of a reel."""

from __future__ import annotations

from typing import Any, Literal

from aurelon.core.errors import RigError
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.keyed import find, track_of, with_track, with_value_at
from aurelon.core.rig.model import Rig
from aurelon.core.settings.tracks import Between, Track


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
        found = find(rig, self.owner, self.path)
        setting = found.setting
        label = setting.label or self.path.split(".")[-1].replace("_", " ").capitalize()
        track = track_of(rig, self.owner, self.path)
        now = found.value if track is None else track.value(self.frame, setting)
        what = f"{label}: {WORDS[self.act]}"
        if self.act == "set":
            result = Track(at=((self.frame, now),)) if track is None else track.with_key(self.frame, now)
            return Edited(with_track(rig, self.owner, self.path, result), what)
        if self.act == "reset":
            bare = with_track(rig, self.owner, self.path, None)
            return Edited(with_value_at(bare, self.owner, self.path, setting.default), f"Reset {label}")
        if track is None:
            raise RigError([(f"keys.{self.owner}.{self.path}", "it has no keys")])
        return Edited(self._changed(rig, track, now), what)

    def _changed(self, rig: Rig, track: Track, now: Any) -> Rig:
        if self.act == "between":
            return with_track(rig, self.owner, self.path, track.model_copy(update={"between": self.between}))
        left = [] if self.act == "clear" else [(frame, value) for frame, value in track.at if frame != self.frame]
        if left:
            return with_track(rig, self.owner, self.path, track.model_copy(update={"at": tuple(left)}))
        return with_track(with_value_at(rig, self.owner, self.path, now), self.owner, self.path, None)


WORDS = {
    "set": "set a key",
    "remove": "remove a key",
    "clear": "remove all keys",
    "reset": "as it comes",
    "between": "between keys",
}
EDIT = Key
