"""Keys of a setting at many frames at once, as following a place gives them."""

from __future__ import annotations

from typing import Any, Literal

from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.edits.shared.followed import with_keys
from aurelon.core.rig.keyed import find
from aurelon.core.rig.model import Rig


class SetKeys(Edit):
    """Takes the place of all keys that the setting has, or of those from the first frame of `within` up to, without, the second."""

    do: Literal["set-keys"] = "set-keys"
    owner: str
    path: str
    at: tuple[tuple[int, Any], ...]
    within: tuple[int, int] | None = None

    def apply(self, rig: Rig) -> Edited:
        label = find(rig, self.owner, self.path).setting.label
        return Edited(with_keys(rig, self.owner, self.path, self.at, self.within), f"{label}: followed")


EDIT = SetKeys
