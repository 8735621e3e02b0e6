"""A light given to a shot: keys of whether it shines."""

from __future__ import annotations

from itertools import pairwise
from typing import Literal

from pydantic import Field

from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.keyed import find, track_of, with_track, with_value_at
from aurelon.core.rig.model import Rig
from aurelon.core.settings.tracks import Track

PATH = "on"


class ShineIn(Edit):
    """Has a light shine in a shot `only`, in it `too`, in all but it (`not`), or in `all`. The shot goes from the first frame of
    `within` up to, without, the second, or to the end of the reel."""

    do: Literal["shine-in"] = "shine-in"
    light: str
    how: Literal["only", "too", "not", "all"]
    within: tuple[int, int | None] = Field(
        (0, None), description="The shot's first frame, and the one after its last; null at the end"
    )

    def apply(self, rig: Rig) -> Edited:
        light = rig.light(self.light)
        first, last = self.within
        now = track_of(rig, self.light, PATH) or Track(between="hold", at=((0, light.on),))
        setting = find(rig, self.light, PATH).setting

        def before(frame: int) -> bool:
            """Whether it shone there until now; never, where it is to shine in the shot only."""
            return self.how == "all" if self.how in ("only", "all") else bool(now.value(frame, setting))

        frames = {0, *now.frames} if last is None else {0, last, *now.frames}
        others = {frame: before(frame) for frame in frames if frame < first or (last is not None and frame >= last)}
        ways = sorted({**others, first: self.how != "not"}.items())
        # A key that changes nothing is left out.
        kept = (ways[0], *(key for was, key in pairwise(ways) if was[1] != key[1]))
        name = light.name or light.id
        what = f"{name}: {WORDS[self.how]}"
        if len(kept) == 1:
            bare = with_track(rig, self.light, PATH, None)
            return Edited(with_value_at(bare, self.light, PATH, kept[0][1]), what)
        return Edited(with_track(rig, self.light, PATH, Track(between="hold", at=kept)), what)


WORDS = {
    "only": "shines in this shot only",
    "too": "shines in this shot too",
    "not": "dark in this shot",
    "all": "shines in all shots",
}
EDIT = ShineIn
