"""Keys of one thing at a frame, moved to another frame together."""

from __future__ import annotations

from typing import Literal

from aurelon.core.errors import RigError
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.keyed import tracks_of, with_track
from aurelon.core.rig.model import Rig


class MoveKeys(Edit):
    """All keys that a light, the plate or the house light has at `frame` go to `to`; a key that is there already gives way."""

    do: Literal["move-keys"] = "move-keys"
    owner: str
    frame: int
    to: int

    def apply(self, rig: Rig) -> Edited:
        to, moved = max(self.to, 0), 0
        for path, track in tracks_of(rig, self.owner).items():
            at = dict(track.at)
            if self.frame in at:
                value, moved = at.pop(self.frame), moved + 1
                result = track.model_copy(update={"at": tuple(sorted({**at, to: value}.items()))})
                rig = with_track(rig, self.owner, path, result)
        if not moved:
            raise RigError([(f"keys.{self.owner}", f"it has no keys at frame {self.frame}")])
        return Edited(rig, f"Move {'a key' if moved == 1 else 'keys'} to frame {to}")


EDIT = MoveKeys
