"""A mask turned into its opposite."""

from __future__ import annotations

from typing import Literal

from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.model import Rig
from aurelon.core.rig.owner import Owner, called, mask_of, with_mask


class InvertMask(Edit):
    """Inverts a mask; its parts stay as editable as before."""

    do: Literal["invert-mask"] = "invert-mask"
    owner: Owner

    def apply(self, rig: Rig) -> Edited:
        turned = with_mask(rig, self.owner, mask_of(rig, self.owner).inverted())
        return Edited(turned, f"Invert the mask of {called(rig, self.owner)}")


EDIT = InvertMask
