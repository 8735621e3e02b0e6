"""A matte that was carried over the frames of a reel, taken in place of what it was made from."""

from __future__ import annotations

from typing import Literal

from aurelon.core.errors import RigError
from aurelon.core.masks.carried import Carried
from aurelon.core.masks.shared.mask import Mask
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.model import Rig


class TakeCarried(Edit):
    """`file` holds the matte at every frame of the reel `of`, `hinted` are the frames at which it was made by hand."""

    do: Literal["take-carried"] = "take-carried"
    matte: str
    file: str
    of: str = ""
    hinted: tuple[int, ...]

    def apply(self, rig: Rig) -> Edited:
        matte = rig.matte(self.matte)
        if matte is None:
            raise RigError([("mattes", f"there is no matte with the id '{self.matte}'")])
        mask = Mask(start="nothing", parts=(Carried(combine="add", file=self.file, of=self.of, hinted=self.hinted),))
        mattes = tuple(one.model_copy(update={"mask": mask}) if one is matte else one for one in rig.mattes)
        return Edited(rig.model_copy(update={"mattes": mattes}), f"Carry {matte.name or matte.id} over the frames")


EDIT = TakeCarried
