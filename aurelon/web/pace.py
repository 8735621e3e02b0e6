"""How large the drafts of the preview are, so that a drag goes on smoothly."""

from __future__ import annotations

from aurelon.core.reel import ROUGH_EDGE
from aurelon.web.view import View

PIXELS = 900_000  # a draft of more pixels than this is made smaller and enlarged on the screen
ROUGH_PIXELS = ROUGH_EDGE * 360  # and of a rough one
SLOW = 0.025  # s; where two drafts in a row take longer, those that follow have half the pixels
HALVINGS = 2  # at most: a quarter of the pixels is half as sharp, while the hand moves


class Pace:
    """Half as many pixels each time that two drafts in a row were slow, until the hand rests: twice in a drag at most, as every
    size has its own cache. Frames of a reel that follow one another are kept to be played, and stay as they are."""

    def __init__(self) -> None:
        self._slow = 0
        self._halvings = 0
        self._frame = 0

    def note_frame(self, draft: bool, frame: int, seconds: float) -> None:
        """Records how many seconds a picture of a frame took."""
        before, self._frame = self._frame, frame
        if not draft or frame != before:
            self._slow = self._halvings = 0
        elif self._halvings < HALVINGS:
            self._slow = self._slow + 1 if seconds > SLOW else 0
            if self._slow == 2:
                self._slow, self._halvings = 0, self._halvings + 1

    def view(self, view: View, *, rough: bool = False) -> View:
        """The view that a draft of `view` is made for, a `rough` one while the hand goes over frames: the same part, with as many
        pixels or fewer."""
        if rough:
            # As large as its proxy where the whole frame is seen, so that nothing has to be brought from one size to another.
            scale = min(1.0, max(ROUGH_EDGE / max(view.width, view.height), (ROUGH_PIXELS / max(view.pixels, 1)) ** 0.5))
        else:
            most = min(PIXELS, view.pixels >> self._halvings) if self._halvings else PIXELS
            scale = min(1.0, (most / max(view.pixels, 1)) ** 0.5)
        if scale == 1.0:
            return view
        width, height = max(1, round(view.width * scale)), max(1, round(view.height * scale))
        across, down = width / view.width, height / view.height
        x0, y0 = int(view.x0 * across), int(view.y0 * down)
        return View(
            width=width,
            height=height,
            x0=x0,
            y0=y0,
            x1=min(width, max(x0 + 1, -int(-view.x1 * across // 1))),
            y1=min(height, max(y0 + 1, -int(-view.y1 * down // 1))),
        )
