"""Keys of a setting at many frames at once, as following a place gives them."""

from __future__ import annotations

from typing import Any, Literal

from aurelon.core.errors import RigError
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.keyed import find, track_of, with_track
from aurelon.core.rig.model import Rig
from aurelon.core.settings.tracks import Track, check_tracks


class SetKeys(Edit):
    """Takes the place of all keys that the setting has, or of those from the first frame of `within` up to, without, the second."""

    do: Literal["set-keys"] = "set-keys"
    owner: str
    path: str
    at: tuple[tuple[int, Any], ...]
    within: tuple[int, int] | None = None

    def apply(self, rig: Rig) -> Edited:
        found = find(rig, self.owner, self.path)
        try:
            track = self._track(track_of(rig, self.owner, self.path))
            check_tracks(found.settings, {found.path: track})
        except ValueError as error:
            raise RigError([(f"keys.{self.owner}", str(error))]) from error
        return Edited(with_track(rig, self.owner, self.path, track), f"{found.setting.label}: followed")

    def _track(self, before: Track | None) -> Track:
        if before is None or self.within is None:
            return Track(at=self.at)
        first, last = self.within
        others = [key for key in before.at if not first <= key[0] < last]
        return Track(between=before.between, at=tuple(sorted((*others, *self.at), key=lambda key: key[0])))


EDIT = SetKeys
