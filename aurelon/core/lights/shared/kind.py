"""What a kind of light is made of, and the settings that every kind shares."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Generic, Literal, Protocol, TypeVar

import numpy as np

from aurelon.core.imaging.arrays import Doubles, Floats
from aurelon.core.imaging.blend.modes import ModeName
from aurelon.core.imaging.colour_matrix import Tint, mixed
from aurelon.core.imaging.frame import CANONICAL_EDGE, Frame, fit_within
from aurelon.core.imaging.merging import LightSample
from aurelon.core.imaging.picture_rows import PictureRows
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.optics.facing import Origin
from aurelon.core.optics.spectra import LAMP_WORDS, LampName
from aurelon.core.plate import Plate
from aurelon.core.settings import Settings, choice, colour_setting, number, temperature_setting, tint_setting
from aurelon.core.settings.slider import Unit

LookAt = Literal["original", "prepared", "below"]
LOOKS = {"original": "The picture as shot", "prepared": "The prepared picture", "below": "Everything below it"}

ORIGINS = {
    "plate": "The picture",
    "temperature": "A temperature",
    "picked": "A picked colour",
    "sun": "The sun's height",
    "lamp": "A lamp by name",
}


def _level(default: float, help: str, *, low: float, high: float, step: float = 0.01, unit: Unit = "") -> Any:
    return number(default, help, unit=unit, low=low, high=high, step=step, handle="levels", exponent=2.0, group="Levels")


class Colour(Settings):
    """The hue of the light: the picture's own, a temperature, a picked colour, the sun's at its height, or a lamp's."""

    origin: Literal["plate", "temperature", "picked", "sun", "lamp"] = choice(
        "temperature", "Where the light's colour comes from", label="Colour from", words=ORIGINS, essential=True
    )
    temperature: float = temperature_setting(5200, "Low is warm, high is cool", when={"origin": ["temperature"]}, essential=True)
    tint: float = tint_setting(when={"origin": ["temperature"]})
    picked: str = colour_setting("#ffd9a0", "The colour itself", when={"origin": ["picked"]}, essential=True)
    strength: float = number(
        0.7,
        "How far the light shifts from the picture's own colour to this one",
        unit="share",
        low=0,
        high=1,
        step=0.01,
        when={"origin": ["temperature"]},
        essential=True,
    )
    sun_height: float = number(
        8.0,
        "How high the sun stands: the lower, the redder and dimmer",
        unit="degrees",
        low=0,
        high=90,
        step=0.5,
        exponent=2.0,
        when={"origin": ["sun"]},
        essential=True,
    )
    haze: float = number(
        3.0,
        "How hazy the air is before the sun: 2 is clear, 10 thick haze",
        low=2,
        high=10,
        step=0.1,
        when={"origin": ["sun"]},
        essential=True,
    )
    dimming: float = number(
        0.3,
        "How much the air dims a low sun: 1 is as much as it does, 0 not at all",
        unit="share",
        low=0,
        high=1,
        step=0.01,
        when={"origin": ["sun"]},
    )
    lamp: LampName = choice("sodium-high", "The lamp", when={"origin": ["lamp"]}, words=LAMP_WORDS, essential=True)
    picked_strength: float = number(
        1.0,
        "How far the light shifts from the picture's own colour to this one",
        label="Strength",
        unit="share",
        low=0,
        high=1,
        step=0.01,
        when={"origin": ["picked", "sun", "lamp"]},
        essential=True,
    )
    hue: float = number(0.0, "Shifts the light's hue", unit="degrees", low=-180, high=180, step=1)
    saturation: float = number(1.0, "Drains or strengthens the light's colour", unit="gain", low=0, high=2, step=0.01)
    black: float = _level(0.0, "Light below this level is removed", unit="share", low=0, high=1, step=0.005)
    white: float = _level(1.0, "Light at this level becomes full strength", unit="share", low=0.02, high=4)
    gamma: float = _level(1.0, "Brightens (above 1) or darkens (below 1) the light's midtones", low=0.2, high=5)


class Merge(Settings):
    """How the light is blended with what is below it."""

    mode: ModeName = choice("expose", "How the light is blended with the picture", label="Blend mode", essential=True)
    intensity: float = number(1.0, "Brightness of the light", unit="gain", low=0, high=8, step=0.01, exponent=2.0, essential=True)
    opacity: float = number(1.0, "How much of the blended result is shown", unit="share", low=0, high=1, step=0.01, essential=True)
    keep_darks: float = number(
        0.0, "Keeps light off dark areas, so that blacks stay deep", unit="share", low=0, high=1, step=0.01, essential=True
    )


def no_file(name: str) -> bytes | None:
    """Where there are no files."""
    return None


S = TypeVar("S", bound=Settings)
P = TypeVar("P", bound=Settings)
D = TypeVar("D")
FileOf = Callable[[str], bytes | None]
AreaOf = Callable[[str, Frame], Floats | None]
NearnessAt = Callable[[Frame], Floats]
SlopesAt = Callable[[Frame], Floats]


def no_area(name: str, frame: Frame) -> Floats | None:
    """Where there are no mattes."""
    return None


def no_sky(frame: Frame) -> Floats:
    """Where no sky is known."""
    return np.zeros(frame.shape, np.float32)


@dataclass(frozen=True)
class Reading(Generic[D]):
    """The picture that Source reads, at its full size, row by row; and what was detected in it.

    `file_of` gives the files that settings refer to by their SHA-256; None where one is not there. `area_of(matte, frame)`
    and `sky_at(frame)` are areas of the plate, (h, w) in 0..1; an area is None where there is no such matte. `seconds` are
    those of a reel, for what drifts. `slopes_at(frame)` is the form of things, (h, w, 2); None where that is not known, or the
    light does not ask for it.
    """

    rows: PictureRows
    space: RgbSpace
    detected: D
    file_of: FileOf = no_file
    area_of: AreaOf = no_area
    sky_at: Callable[[Frame], Floats] = no_sky
    seconds: float = 0.0
    slopes_at: SlopesAt | None = None

    @property
    def picture(self) -> Floats:
        """All of the picture, (H, W, 3); of a large one a gigabyte, so that what can be read row by row should be."""
        return self.rows.whole()

    @property
    def canonical(self) -> Floats:
        """The version on which things are detected, the same whatever size is shown."""
        return self.rows.reduced_to(Frame.canonical(self.rows.size, CANONICAL_EDGE))


@dataclass(frozen=True)
class Scene(Generic[D]):
    """What a light may look at: the Source and the picture that it reads at any frame, what was detected, the plate's full
    size, its space.

    `view` is all that is being shown, of which a field is looked up in bands. `working_edge` bounds the long edge of the
    grid that light travels on; a draft has a smaller one. `nearness_at(frame)` is how near everything is,
    (h, w) in 0..1; None where that is not known, or the light does not ask for it. `seconds` are those of a reel, for what drifts.
    """

    source_at: Callable[[Frame], Floats]
    picture_at: Callable[[Frame], Floats]
    detected: D
    size: tuple[int, int]
    space: RgbSpace
    working_edge: int
    view: Frame
    file_of: FileOf = no_file
    nearness_at: NearnessAt | None = None
    seconds: float = 0.0
    _mixed: dict[tuple[int, bytes], Floats] = field(default_factory=dict, repr=False, compare=False)

    def mixed(self, grid: Floats, matrix: Floats) -> Floats:
        """A field's grid (h, w, n) through a matrix (3, n), made once for all bands of the view: (h, w, 3)."""
        key = (id(grid), matrix.tobytes())
        result = self._mixed.get(key)
        if result is None:
            result = self._mixed[key] = mixed(grid, matrix)
        return result

    @property
    def working_frame(self) -> Frame:
        return self.frame_of(1.0)

    def frame_of(self, finer: float) -> Frame:
        """The whole plate on a grid that is `finer` times the working one, never finer than the plate."""
        return Frame.whole(fit_within(self.size, max(1, round(self.working_edge * finer))))


class LightField(Protocol):
    """Light that has travelled over the whole plate and can be looked up at any size.

    Fields are kept from one rendering to the next, so they hold no scene; `at` is given one.
    """

    @property
    def nbytes(self) -> int: ...

    def at(self, scene: Scene[Any], frame: Frame, tint: Tint) -> LightSample:
        """The light at a frame, its colours through `tint`."""
        ...


def as_it_is(plate: Plate) -> dict[str, dict[str, Any]]:
    """For kinds whose defaults show at once on any plate."""
    return {}


def knows_no_distance(spread: Settings) -> bool:
    """For kinds that shine as they do whatever is near."""
    return False


def has_no_form(source: Settings) -> bool:
    """For kinds that do not shine on the form of things."""
    return False


def from_nowhere(source: Settings, spread: Settings, size: tuple[int, int]) -> Origin | None:
    """For kinds whose light comes from no one side."""
    return None


def nothing_to_say(field: LightField) -> str | None:
    """For kinds whose light needs no word of its own."""
    return None


@dataclass(frozen=True)
class Sought:
    """A way in which light of a kind can be asked for by a sketch of where it should fall.

    `where` is the setting that says where the light is or which way it goes, `free` are those that are fitted with it, `patterns`
    those of which other values are tried, each as `stage.name`; `fixed` has values of its stages. `aimed(spread, places, size)`
    gives settings of Spread by which the light covers places (n, 2), in plate fractions, of a plate of `size`, to begin with.
    Its light runs in `rays` from that place, or in that direction, or not. Small drafts are drawn with the settings `drafted`.
    """

    where: str
    free: tuple[str, ...] = ()
    patterns: tuple[str, ...] = ()
    fixed: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    aimed: Callable[[Any, Doubles, tuple[int, int]], dict[str, Any]] | None = None
    rays: bool = False
    drafted: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)


@dataclass(frozen=True)
class Kind(Generic[S, P, D]):
    """A kind of light with its settings S of Source and P of Spread, and what it detects, D (None for nothing).

    `source(reading, settings, frame)` gives what shines, (h, w, 3) and further channels of the kind's own; it
    measures the picture at its full size and reduces afterwards. One of which `uses_distance(spread)` is true is told how
    near everything is, one of which `uses_form(source)` is true what form it has. `detect(reading, settings)`, where a kind has
    one, comes before it and is made once for all frames. `spread(scene, source, spread)` gives the light field;
    `origin(source, spread, size)` where that falls on things from, on a plate of that size.
    `words` are what a person may look for it by, beside its name and summary. `icon`
    draws it in lines: the path of an SVG 16 units wide and high. `order` is its place in the list from which a
    person chooses.
    `in_depth` are settings of its stages for a new light where it is known how near everything is.
    `initial(plate)` gives settings of the stages that show the light at once on this plate; a kind that begins with
    nothing has an `example` to be seen by. `look_at` is the picture
    that a new light reads; a Source that is the very picture may be read `at_frame`, at the size that is shown.
    `opaque` light is a whole picture, black included, not light on black. Light that has colours of its own and
    `shifts_white` is tinted as by a filter before it. `nothing_shines` tells a person what to do when Source is black,
    `nothing_seen` when the light changes nothing; `notice(field)` says what else there is to know. A kind that does not
    look at the picture at all does not `reads` it; one that `needs_file` shows nothing before a file is chosen. `sought` are the
    ways in which a sketch of where light should fall can ask for it.
    """

    name: str
    summary: str
    source_settings: type[S]
    spread_settings: type[P]
    source: Callable[[Reading[D], S, Frame], Floats]
    spread: Callable[[Scene[D], S, P], LightField]
    detect: Callable[[Reading[None], S], D] | None = None
    initial: Callable[[Plate], dict[str, dict[str, Any]]] = as_it_is
    example: Callable[[Plate], dict[str, dict[str, Any]]] | None = None
    in_depth: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    uses_distance: Callable[[P], bool] = knows_no_distance
    uses_form: Callable[[S], bool] = has_no_form
    origin: Callable[[S, P, tuple[int, int]], Origin | None] = from_nowhere
    colour: Colour = field(default_factory=Colour)
    merge: Merge = field(default_factory=Merge)
    title: str = ""
    words: str = ""
    icon: str = "M8 2.5a5.5 5.5 0 1 0 0 11 5.5 5.5 0 0 0 0-11z"
    order: int = 100
    look_at: LookAt = "prepared"
    reads: bool = True
    at_frame: bool = False
    opaque: bool = False
    shifts_white: bool = False
    needs_file: bool = False
    nothing_shines: str = "Nothing is bright enough; lower Threshold in Source."
    nothing_seen: str = "No visible effect; raise Intensity or Opacity."
    notice: Callable[[Any], str | None] = nothing_to_say
    sought: tuple[Sought, ...] = ()

    def seen_by(self, plate: Plate) -> dict[str, dict[str, Any]]:
        """Settings of the stages by which the kind is shown on a plate."""
        return (self.example or self.initial)(plate)

    @property
    def called(self) -> str:
        """What a person calls it."""
        return self.title or self.name.capitalize()


AnyKind = Kind[Any, Any, Any]
