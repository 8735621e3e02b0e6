"""What every part of a mask has, and what it may ask of the plate."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar, Literal, Protocol, Self, get_args

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.resample import enlarge_to, reduce_to
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.settings import Settings, setting

Floats = NDArray[np.float32]
CANONICAL_EDGE = 1536  # long edge of the version on which things are found
Combine = Literal["add", "subtract", "intersect"]


class Keep(Protocol):
    """Gives what was made under a key at a frame, made now if it is not there."""

    def __call__(self, key: Hashable, frame: Frame, make: Callable[[], Floats]) -> Floats: ...


@dataclass(frozen=True)
class Ground:
    """What a mask lies on: the plate's size (width, height), its prepared picture, its mattes.

    `picture(frame)` is (h, w, 3) linear light and `picture_key` names it; `original` is the same as it
    was shot. `reading` is the size at
    which the picture is measured. `matte(id, frame)` is (h, w) or None where there is no such matte.
    `grey(name)` is (h, w) in 0..1, or None where no picture of that name is there. `keep` keeps, and
    `peek` finds what was kept or gives None.
    """

    size: tuple[int, int]
    space: RgbSpace
    picture: Callable[[Frame], Floats]
    picture_key: Hashable
    original: Callable[[Frame], Floats]
    original_key: Hashable
    reading: Frame
    has_matte: Callable[[str], bool]
    matte: Callable[[str, Frame], Floats | None]
    matte_key: Callable[[str], Hashable]
    grey: Callable[[str], Floats | None]
    keep: Keep
    peek: Callable[[Hashable, Frame], Floats | None]
    cancelled: Callable[[], bool]

    @property
    def aspect(self) -> tuple[float, float]:
        """Width and height in diagonals."""
        diagonal = float(np.hypot(*self.size))
        return self.size[0] / diagonal, self.size[1] / diagonal

    def measured(self, key: Hashable, frame: Frame, make: Callable[[Frame], Floats]) -> Floats:
        """A pointwise function of the picture, (h, w): measured at full size, then reduced to the frame."""
        if frame.size == self.reading.size:
            return make(frame)
        whole = self.keep(("measured", key), self.reading, lambda: make(self.reading))
        return sampled(whole, frame)


def sampled(grid: Floats, frame: Frame) -> Floats:
    """A mask (h, w) of the whole plate at a frame: reduced by area, enlarged by a spline."""
    rows, columns = grid.shape
    cells = grid[:, :, None]
    smaller = columns >= frame.width and rows >= frame.height
    made = reduce_to(cells, frame) if smaller else enlarge_to(cells, frame)
    return np.clip(made[:, :, 0], 0.0, 1.0)


def places(frame: Frame, aspect: tuple[float, float]) -> tuple[Floats, Floats]:
    """Of every pixel's middle, across (1, w) and down (h, 1), in diagonals of the plate."""
    across = (np.arange(frame.x0, frame.x1, dtype=np.float32) + np.float32(0.5)) * np.float32(aspect[0] / frame.width)
    down = (np.arange(frame.y0, frame.y1, dtype=np.float32) + np.float32(0.5)) * np.float32(aspect[1] / frame.height)
    return across[None, :], down[:, None]


def smoothstep(low: float, high: float, x: Floats) -> Floats:
    """0 up to `low`, 1 from `high`, a smooth rise between."""
    t = np.clip((x - np.float32(low)) / np.float32(max(high - low, 1e-6)), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)


class Part(Settings):
    """A part of a mask: its kind adds `part` and its own settings, and says what it covers."""

    title: ClassVar[str]
    summary: ClassVar[str]
    place: ClassVar[int]  # in the list from which a person chooses
    of_picture: ClassVar[bool] = False  # whether what it covers depends on the picture
    of_one_picture: ClassVar[bool] = False  # whether it makes sense on no other picture
    brush: ClassVar[dict[str, float] | None] = None  # settings of a new brush, for parts that strokes are drawn for
    usual_combine: ClassVar[Combine | None] = None  # where it is not what the mask's start suggests

    part: str
    name: str = Field("", max_length=80, description="What the part is called")
    on: bool = setting(True, "Whether the part counts", label="On")
    combine: Combine = setting(
        "add", "Adds to what is above it, takes from it, or keeps only what both cover", label="Works by"
    )
    density: float = setting(1.0, "How strongly the part works", unit="share", low=0, high=1, step=0.01)
    invert: bool = setting(False, "Covers what it would leave, and leaves what it would cover")
    feather: float = setting(
        0.0, "Softens the edges", unit="diagonal", low=0, high=0.25, step=0.001, bend=2.5
    )
    fit: float = setting(
        0.0, "Draws the edges to the picture's own, from as far away as this", label="Fit to edges",
        unit="diagonal", low=0, high=0.05, step=0.0005, bend=2.0,
    )  # fmt: skip

    @classmethod
    def kind_name(cls) -> str:
        return str(get_args(cls.model_fields["part"].annotation)[0])

    def counts(self, ground: Ground) -> bool:
        """Whether the part does anything: switched on, with all it refers to in place."""
        return self.on

    def mattes(self) -> list[str]:
        """Ids of the mattes that it refers to."""
        return []

    def with_mattes(self, names: dict[str, str]) -> Self:
        """The part with the mattes that it refers to called as `names` says."""
        return self

    def pictures(self) -> list[str]:
        """Names of the pictures that it refers to."""
        return []

    @cached_property
    def digest(self) -> bytes:
        """Names the part as it is written."""
        return hashlib.sha256(self.model_dump_json().encode()).digest()

    def key(self, ground: Ground) -> Hashable:
        """Names what `cover` gives; two parts of one key cover the same."""
        shape = self.model_dump_json(exclude={"name", "on", "combine", "density", "invert", "feather", "fit"})
        return (shape, (ground.picture_key, ground.reading.size) if self.of_picture else None)

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        """What the part covers, (h, w) in 0..1, before feather, fit, inversion and density."""
        raise NotImplementedError
