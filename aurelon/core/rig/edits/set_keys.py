"""Keys of a setting at many frames at once, as following a place gives them."""

from __future__ import annotations

from typing import Any, Literal

from aurelon.core.errors import RigError
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.keyed import find, with_track
from aurelon.core.rig.model import Rig
from aurelon.core.settings.tracks import Track, check_tracks


class SetKeys(Edit):
    """Takes the place of all keys that the setting has."""

    do: Literal["set-keys"] = "set-keys"
    owner: str
    path: str
    at: tuple[tuple[int, Any], ...]

    def apply(self, rig: Rig) -> Edited:
        found = find(rig, self.owner, self.path)
        try:
            track = Track(at=self.at)
            check_tracks(found.settings, {found.path: track})
        except ValueError as error:
            raise RigError([(f"keys.{self.owner}", str(error))]) from error
        return Edited(with_track(rig, self.owner, self.path, track), f"{found.setting.label}: followed")


EDIT = SetKeys
