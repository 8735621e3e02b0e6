"""A matte less, with what used it named."""

from __future__ import annotations

from typing import Literal

from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.model import Rig


class RemoveMatte(Edit):
    """Removes a matte. What used it goes on without it."""

    do: Literal["remove-matte"] = "remove-matte"
    matte: str

    def apply(self, rig: Rig) -> Edited:
        gone = rig.matte(self.matte)
        name = (gone.name or gone.id) if gone else self.matte
        stands = {matte: near for matte, near in rig.distance.stands.items() if matte != self.matte}
        rig = rig.model_copy(update={"distance": rig.distance.model_copy(update={"stands": stands})})
        users = [user for user, mattes in rig.matte_users() if self.matte in mattes]
        notes = []
        if users:
            go = "goes" if len(users) == 1 else "go"
            notes.append(f"{name} was used by {' and '.join(users)}, which {go} on without it. Undo brings it back.")
        left = tuple(matte for matte in rig.mattes if matte.id != self.matte)
        return Edited(rig.model_copy(update={"mattes": left}), f"Remove the matte {name}", notes=notes)


EDIT = RemoveMatte
