"""A cut set or taken away by hand."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.model import Rig


class TurnCut(Edit):
    """Says of a frame that a shot begins with it, or that none does."""

    do: Literal["turn-cut"] = "turn-cut"
    frame: int = Field(ge=1)
    begins: bool

    def apply(self, rig: Rig) -> Edited:
        what = "A shot begins" if self.begins else "No shot begins"
        return Edited(
            rig.model_copy(update={"shots": rig.shots.said(self.frame, begins=self.begins)}), f"{what} at frame {self.frame}"
        )


EDIT = TurnCut
