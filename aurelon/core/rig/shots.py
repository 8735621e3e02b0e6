"""What a rig says of where the shots of its reel begin, beside the cuts that are found."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, field_validator

from aurelon.core.settings import Settings

MOST_SAID = 10_000
FrameOfCut = Annotated[int, Field(ge=1)]  # no shot but the first begins with frame 0


class Shots(Settings):
    """Cuts that are set or taken away by hand; they win over those that are found."""

    begin: tuple[FrameOfCut, ...] = Field((), max_length=MOST_SAID, description="Frames with which a shot begins")
    go_on: tuple[FrameOfCut, ...] = Field((), max_length=MOST_SAID, description="Frames with which none begins, whatever is found")

    @field_validator("begin", "go_on", mode="after")
    @classmethod
    def _in_order(cls, frames: tuple[int, ...]) -> tuple[int, ...]:
        return tuple(sorted(set(frames)))

    def said(self, frame: int, *, begins: bool) -> Shots:
        """A copy in which a cut at a frame is set, or removed."""
        without = {name: tuple(one for one in getattr(self, name) if one != frame) for name in ("begin", "go_on")}
        name = "begin" if begins else "go_on"
        return Shots(**{**without, name: (*without[name], frame)})

    @property
    def by_hand(self) -> dict[int, bool]:
        """By frame, whether a shot begins with it. Where both are said, one begins."""
        return {**dict.fromkeys(self.go_on, False), **dict.fromkeys(self.begin, True)}
