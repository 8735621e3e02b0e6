"""A light, or a part of a mask, given to a shot: keys of whether it is on."""

from __future__ import annotations

from itertools import pairwise
from typing import Literal

from pydantic import Field

from aurelon.core.masks.shared.part import Part
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.keyed import Keyed, find, track_of, with_track, with_value_at
from aurelon.core.rig.light import Light
from aurelon.core.rig.model import Rig
from aurelon.core.settings.tracks import Track


class GiveToShot(Edit):
    """Has what is on or off be on in a shot `only`, in it `too`, in all but it (`not`), or in `all`. The shot goes from the first
    frame of `within` up to, without, the second, or to the end of the reel."""

    do: Literal["give-to-shot"] = "give-to-shot"
    owner: str
    path: str = "on"
    how: Literal["only", "too", "not", "all"]
    within: tuple[int, int | None] = Field(
        (0, None), description="First frame of the shot, and the one after its last; null at the end"
    )

    def apply(self, rig: Rig) -> Edited:
        found = find(rig, self.owner, self.path)
        first, last = self.within
        now = track_of(rig, self.owner, self.path) or Track(between="hold", at=((0, found.value),))

        def before(frame: int) -> bool:
            """Whether it was on there until now; never, where it is to be on in the shot only."""
            return self.how == "all" if self.how in ("only", "all") else bool(now.value(frame, found.setting))

        frames = {0, *now.frames} if last is None else {0, last, *now.frames}
        others = {frame: before(frame) for frame in frames if frame < first or (last is not None and frame >= last)}
        ways = sorted({**others, first: self.how != "not"}.items())
        # A key that changes nothing is left out.
        kept = (ways[0], *(key for was, key in pairwise(ways) if was[1] != key[1]))
        what = f"{_called(found)}: {WORDS[self.how]}"
        if len(kept) == 1:
            bare = with_track(rig, self.owner, self.path, None)
            return Edited(with_value_at(bare, self.owner, self.path, kept[0][1]), what)
        return Edited(with_track(rig, self.owner, self.path, Track(between="hold", at=kept)), what)


def _called(found: Keyed) -> str:
    """What a person calls it."""
    match found.settings:
        case Light() as light:
            return light.name or light.id
        case Part() as part:
            return part.name or part.title
    return found.setting.label


WORDS = {"only": "in this shot only", "too": "in this shot too", "not": "not in this shot", "all": "in all shots"}
EDIT = GiveToShot
