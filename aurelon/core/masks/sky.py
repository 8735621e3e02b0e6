"""The sky of the picture as shot, also what of it shines through leaves. Turned round it is what stands before the sky."""

from __future__ import annotations

from collections.abc import Hashable
from typing import Literal

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.part import Ground, Part, resampled
from aurelon.core.masks.shared.rim import along_the_rim, cut_along


class Sky(Part):
    """Found once for a picture, see `analysis/sky.py`; its rim follows the picture's own edges at every size."""

    title = "Sky"
    summary = "The sky, found in the picture"
    order = 5
    shown_at_once = True

    part: Literal["sky"] = "sky"

    def key(self, ground: Ground) -> Hashable:
        return "sky", ground.original.key

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        canonical = ground.canonical
        cut = ground.keep(self.key(ground), canonical, lambda: cut_along(ground.sky(), ground))
        if frame.width > canonical.width:
            return along_the_rim(enlarge_to(cut, frame), ground, frame)
        result = ground.keep(("drawn", self.key(ground)), canonical, lambda: along_the_rim(cut, ground, canonical))
        return resampled(result, frame)


PART = Sky
