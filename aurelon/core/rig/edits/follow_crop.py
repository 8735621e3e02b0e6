"""A crop that goes with something in the picture, over the frames of a reel."""

from __future__ import annotations

import math
from typing import Literal

from pydantic import Field

from aurelon.core.errors import RigError
from aurelon.core.rig.edits.shared.edit import Edit, Edited
from aurelon.core.rig.keyed import with_track
from aurelon.core.rig.model import PLATE, Rig
from aurelon.core.settings import Place
from aurelon.core.settings.tracks import Track


class FollowCrop(Edit):
    """The crop, as it is at `frame`, moved at each frame as a place of the picture has moved since; `at` says where that is, in
    fractions of the plate, whose `size` is (width, height). It keeps its size, and stays within the picture."""

    do: Literal["follow-crop"] = "follow-crop"
    frame: int
    at: tuple[tuple[int, Place], ...] = Field(min_length=1)
    size: tuple[int, int]

    def apply(self, rig: Rig) -> Edited:
        now, places = rig.at(self.frame).prepare, dict(self.at)
        if now.crop is None or self.frame not in places:
            raise RigError([("prepare.crop", "there is no crop to go with something; crop the picture first")])
        turn = math.radians(now.straighten)
        (width, height), started = self.size, places[self.frame]
        keys = []
        for frame, place in self.at:
            x, y = (place[0] - started[0]) * width, (place[1] - started[1]) * height
            across, down = x * math.cos(turn) + y * math.sin(turn), y * math.cos(turn) - x * math.sin(turn)
            keys.append((frame, now.crop.shifted(across / width, down / height).model_dump()))
        return Edited(with_track(rig, PLATE, "crop", Track(at=tuple(keys))), "Crop: followed")


EDIT = FollowCrop
