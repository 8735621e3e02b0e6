"""A matte that was carried over the frames of a reel: grey frames in a file, one for each of the reel's."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.part import Ground, Part, resampled
from aurelon.core.masks.shared.rim import along_the_rim, cut_along
from aurelon.core.settings import file_setting


class Carried(Part):
    """Made by carrying a matte from the `hinted` frames, at which it was made by hand. At sizes beyond that of the file its rim is
    drawn again along the picture's edges."""

    title = "Carried over the frames"
    summary = "A matte that goes with what it covers, frame by frame"
    order = 10
    of_one_picture = True
    offered: ClassVar[bool] = False

    part: Literal["carried"] = "carried"
    file: str = file_setting("The matte's frames")
    of: str = Field("", max_length=64, description="The reel that it was carried on, by its SHA-256")
    hinted: tuple[int, ...] = Field((), max_length=1000, description="Frames at which it was made by hand")

    def counts(self, ground: Ground) -> bool:
        return self.on and ground.grey(self.file) is not None

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        matte = ground.grey(self.file)
        if matte is None:
            raise LookupError(f"there is no file '{self.file}'")
        if frame.width <= matte.shape[1] or ground.size[0] <= matte.shape[1]:
            return resampled(matte, frame)
        canonical, key = ground.canonical, self.key(ground)
        cut = ground.keep(("carried", key), canonical, lambda: cut_along(resampled(matte, canonical), ground))
        if frame.width > canonical.width:
            return along_the_rim(enlarge_to(cut, frame), ground, frame)
        drawn = ground.keep(("carried, drawn", key), canonical, lambda: along_the_rim(cut, ground, canonical))
        return resampled(drawn, frame)


PART = Carried
