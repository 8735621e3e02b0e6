"""A part of the picture at a size, as a window shows it."""

from __future__ import annotations

from pydantic import BaseModel, Field

from aurelon.core.errors import RigError
from aurelon.core.imaging.frame import Frame

MOST_PIXELS = 40_000_000  # of a screen


class View(BaseModel):
    """The straightened frame at `width` x `height` device pixels, and the part x0..x1, y0..y1 on the screen."""

    width: int = Field(ge=1, le=60000)
    height: int = Field(ge=1, le=60000)
    x0: int = Field(ge=0)
    y0: int = Field(ge=0)
    x1: int
    y1: int

    @property
    def frame(self) -> Frame:
        """Raises RigError where the part lies outside of what it is a part of."""
        if not (self.x0 < self.x1 <= self.width and self.y0 < self.y1 <= self.height):
            raise RigError([("view", "the part of the picture that was asked for lies outside it; reload the page")])
        return Frame(self.width, self.height, self.x0, self.y0, self.x1, self.y1)

    def check(self, size: tuple[int, int]) -> None:
        """Raises RigError where more is asked for than a plate of this `size` has, or any screen shows."""
        if self.width > size[0] + 1 or self.height > size[1] + 1:
            raise RigError([("view", f"{self.width} x {self.height} is more than the plate's own {size[0]} x {size[1]}")])
        if self.pixels > MOST_PIXELS:
            raise RigError([("view", f"more was asked for than a screen shows ({MOST_PIXELS // 10**6} megapixels)")])

    @property
    def pixels(self) -> int:
        return (self.x1 - self.x0) * (self.y1 - self.y0)
