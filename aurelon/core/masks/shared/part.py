"""What every part of a mask has, and what it may ask of the plate."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Literal, Protocol, Self, get_args

import numpy as np
from pydantic import Field, model_validator

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.fastmath import smoothstep
from aurelon.core.imaging.frame import CANONICAL_EDGE, Frame, in_diagonals
from aurelon.core.imaging.picture_rows import BAND_PIXELS
from aurelon.core.imaging.reduce import reduce_to
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.settings import Settings, choice, flag, number, settings_of
from aurelon.core.settings.tracks import Track, at_frame, check_tracks

Combine = Literal["add", "subtract", "intersect"]
COMBINES = {"add": "Add", "subtract": "Subtract", "intersect": "Intersect"}
COMBINE_HELP = "Adds to the parts above, subtracts from them, or keeps only what both cover"


class Keep(Protocol):
    """Gives the mask kept under a key at a frame, and makes it where it is missing."""

    def __call__(self, key: Hashable, frame: Frame, make: Callable[[], Floats]) -> Floats: ...


@dataclass(frozen=True)
class Keyed:
    """A picture at any frame, (h, w, 3) linear light or a mask (h, w), and a key that names it."""

    key: Hashable
    at: Callable[[Frame], Floats]


@dataclass(frozen=True)
class Ground:
    """What a mask lies on: the plate's size (width, height), its picture as prepared and as it was shot, its mattes.

    `reading` is the size at which the picture is measured, `sky()` the share of sky on a small version of it (h, w).
    `grey(name)` is a file as (h, w) in 0..1, or None where
    no file of that name is there. `keep` keeps, and `peek` finds what was kept or gives None;
    `passing(frame)` is the same where pictures at a frame are not kept.
    """

    size: tuple[int, int]
    space: RgbSpace
    picture: Keyed
    original: Keyed
    reading: Frame
    mattes: Mapping[str, Keyed]
    sky: Callable[[], Floats]
    grey: Callable[[str], Floats | None]
    keep: Keep
    peek: Callable[[Hashable, Frame], Floats | None]
    passing: Callable[[Frame], Ground]
    cancelled: Callable[[], bool]

    @property
    def aspect(self) -> tuple[float, float]:
        """Width and height in diagonals."""
        return in_diagonals(self.size)

    @property
    def canonical(self) -> Frame:
        """All of the plate at the size at which things are found."""
        return Frame.canonical(self.size, CANONICAL_EDGE)

    def measured(self, key: Hashable, frame: Frame, make: Callable[[Floats], Floats]) -> Floats:
        """A pointwise function of the picture, from (h, w, 3) to (h, w): measured at full size, then reduced to the frame."""
        if frame.size == self.reading.size:
            return make(self.picture.at(frame))

        def everywhere() -> Floats:
            out = np.empty(self.reading.shape, np.float32)
            for band in self.reading.bands(BAND_PIXELS):
                out[band.y0 : band.y1] = make(self.passing(band).picture.at(band))
            return out

        return resampled(self.keep(("measured", key), self.reading, everywhere), frame)


def resampled(grid: Floats, frame: Frame) -> Floats:
    """A mask (h, w) of the whole plate at a frame: reduced by area, enlarged by a spline."""
    rows, columns = grid.shape
    cells = grid[:, :, None]
    smaller = columns >= frame.width and rows >= frame.height
    result = reduce_to(cells, frame) if smaller else enlarge_to(cells, frame)
    return np.clip(result[:, :, 0], 0.0, 1.0)


def pixel_middles(frame: Frame, aspect: tuple[float, float]) -> tuple[Floats, Floats]:
    """Of every pixel, across (1, w) and down (h, 1), in diagonals of the plate."""
    across = (np.arange(frame.x0, frame.x1, dtype=np.float32) + f32(0.5)) * f32(aspect[0] / frame.width)
    down = (np.arange(frame.y0, frame.y1, dtype=np.float32) + f32(0.5)) * f32(aspect[1] / frame.height)
    return across[None, :], down[:, None]


def rising(low: float, high: float, x: Floats) -> Floats:
    """0 up to `low`, 1 from `high`, a smooth rise between."""
    t = np.clip((x - f32(low)) / f32(max(high - low, 1e-6)), 0, 1)
    return np.asarray(smoothstep(t), np.float32)


class Part(Settings):
    """A part of a mask: its kind adds `part` and its own settings, and says what it covers."""

    title: ClassVar[str]
    summary: ClassVar[str]
    order: ClassVar[int] = 100  # in the list from which a person chooses
    of_picture: ClassVar[bool] = False  # whether what it covers depends on the picture
    of_one_picture: ClassVar[bool] = False  # whether it makes sense on no other picture
    brush: ClassVar[dict[str, float] | None] = None  # settings of a new brush, for parts that strokes are drawn for
    usual_combine: ClassVar[Combine | None] = None  # where it is not what the mask's start suggests
    instruction: ClassVar[str] = ""  # what to do on the picture with a new one
    shown_at_once: ClassVar[bool] = False  # whether a new one is tinted over the picture from the start
    picked: ClassVar[str | None] = None  # the setting that a click on the picture sets
    offered: ClassVar[bool] = True  # whether a person can add one by hand
    takes_a_while: ClassVar[bool] = False  # whether it is prepared with progress before it is shown

    part: str
    name: str = Field("", max_length=80, description="What the part is called")
    on: bool = flag(True, "Whether this part counts", label="On", keyed=True)
    combine: Combine = choice("add", COMBINE_HELP, label="Combine", words=COMBINES, essential=True)
    density: float = number(1.0, "Strength of this part", unit="share", low=0, high=1, step=0.01, essential=True)
    invert: bool = flag(False, "Swaps what this part covers and what it leaves", label="Invert this part")
    feather: float = number(0.0, "Softens the edges", unit="diagonal", low=0, high=0.25, step=0.001, exponent=2.5, essential=True)
    fit: float = number(
        0.0,
        "Snaps edges to those of the picture, within this distance",
        label="Fit to edges",
        unit="diagonal",
        low=0,
        high=0.05,
        step=0.0005,
        exponent=2.0,
    )

    keys: dict[str, Track] = Field({}, max_length=32, description="Settings of this part that change over the frames of a reel")

    @model_validator(mode="after")
    def _keys_lead_to_settings(self) -> Self:
        if self.keys:
            check_tracks(self.model_copy(update={"keys": {}}), self.keys)
        return self

    def still(self, frame: int) -> Self:
        """The part as it is at a frame of a reel, counted from 0."""
        return at_frame(self, self.keys, frame).model_copy(update={"keys": {}}) if self.keys else self

    @classmethod
    def kind_name(cls) -> str:
        return str(get_args(cls.model_fields["part"].annotation)[0])

    @classmethod
    def own_settings(cls) -> dict[str, Any]:
        """Its settings but for those that every part has."""
        return {name: setting for name, setting in settings_of(cls) if name not in Part.model_fields}

    @classmethod
    def combines_on(cls, start: str) -> Combine:
        """How a new one works in a mask: painting in where there is nothing, away where there is everything."""
        return cls.usual_combine or ("add" if start == "nothing" else "subtract")

    def counts(self, ground: Ground) -> bool:
        """Whether the part does anything: switched on, with all it refers to in place."""
        return self.on

    def prepare(self, ground: Ground, progress: Callable[[float], None]) -> None:
        """Finds ahead what takes a while, keeps it in the ground, and reports the share that is done (0..1). Raises Cancelled."""

    def referred(self, type_of: str) -> list[str]:
        """What its settings of a type refer to: ids of mattes, names of files."""
        names = [name for name, setting in self.own_settings().items() if setting.type == type_of]
        return [value for name in names if (value := getattr(self, name))]

    def mattes(self) -> list[str]:
        """Ids of the mattes that it refers to."""
        return self.referred("matte")

    def files(self) -> list[str]:
        """Names of the files that it refers to."""
        return self.referred("file")

    def key(self, ground: Ground) -> Hashable:
        """Names what `cover` gives; two parts of one key cover the same."""
        shape = self.model_dump_json(exclude={"name", "on", "combine", "density", "invert", "feather", "fit", "keys"})
        return (shape, (ground.picture.key, ground.reading.size) if self.of_picture else None)

    @property
    def undone(self) -> Part | None:
        """A part that covers where the hand has undone what this one, or one before it, did; None for nowhere."""
        return None

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        """What the part covers, (h, w) in 0..1, before feather, fit, inversion and density."""
        raise TypeError(f"{type(self).__name__} does not say what it covers")
