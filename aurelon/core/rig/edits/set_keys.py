"""Keys of a setting at many frames at once, as following a place gives them."""

from __future__ import annotations

from typing import Any, Literal

from aurelon.core.errors import RigError
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.keys import Track, check_tracks, setting_at
from aurelon.core.rig.model import Rig


class SetKeys(Edit):
    """Takes the place of all keys that the setting has."""

    do: Literal["set-keys"] = "set-keys"
    owner: str
    path: str
    at: tuple[tuple[int, Any], ...]

    def apply(self, rig: Rig) -> Edited:
        owner = rig.owner(self.owner)
        if owner is None:
            raise RigError([("keys", f"there is no light with the id '{self.owner}'")])
        try:
            track = Track(at=self.at)
            check_tracks(owner, {self.path: track})
        except ValueError as error:
            raise RigError([(f"keys.{self.owner}", str(error))]) from error
        return Edited(rig.with_track(self.owner, self.path, track), f"{setting_at(owner, self.path).label}: followed")


EDIT = SetKeys
