"""Copies of a light that share its settings."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from aurelon.core.rig.copies import with_copies
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.model import Rig
from aurelon.core.rig.owner import LightOwner


class CopyInGroup(Edit):
    """Makes copies of a light, each moved on from the one before, all in one group."""

    do: Literal["copy"] = "copy"
    light: str
    count: int = Field(1, ge=1, le=32)

    def apply(self, rig: Rig) -> Edited:
        result, ids = with_copies(rig, self.light, self.count)
        name = rig.light(self.light).name or self.light
        label = f"{name}: {'a copy' if self.count == 1 else f'{self.count} copies'} with offset"
        return Edited(result, label, LightOwner(id=ids[-1]))


EDIT = CopyInGroup
