"""The request of every sheet."""

from __future__ import annotations

from pydantic import BaseModel, Field

from aurelon.core import Rig


class SheetRequest(BaseModel):
    """The rig that a sheet is seen over."""

    rig: Rig = Field(default_factory=Rig)
