"""What a kind of light is made of, and the settings that every kind shares."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from aurelon.core.imaging.blend import ModeName
from aurelon.core.imaging.colour_matrix import Tint
from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.imaging.resample import reduce_to
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.plate import Plate
from aurelon.core.settings import Settings, setting

Floats = NDArray[np.float32]
LookAt = Literal["original", "prepared", "below"]

CANONICAL_EDGE = 1536  # long edge of the version of a plate on which things are detected


class Colour(Settings):
    """The hue of the light: the picture's own, a temperature, or a picked colour."""

    origin: Literal["plate", "temperature", "picked"] = setting(
        "temperature", "Where the light's colour comes from", label="Colour from"
    )
    temperature: float = setting(
        5200,
        "Colour of a glowing body; low is warm, high is cool",
        unit="kelvin", low=1000, high=25000, step=50, bend=2.2, when={"origin": ["temperature"]},
    )  # fmt: skip
    tint: float = setting(
        0.0, "Toward green (below 0) or magenta (above 0)", low=-1, high=1, step=0.01, when={"origin": ["temperature"]}
    )
    picked: str = Field(
        "#ffd9a0",
        pattern=r"^#[0-9a-f]{6}$",
        description="The colour itself, as sRGB",
        json_schema_extra={"unit": "colour", "when": {"origin": ["picked"]}},
    )
    strength: float = setting(
        0.7,
        "How far the light leaves the picture's own colour for this one",
        unit="share", low=0, high=1, step=0.01, when={"origin": ["temperature", "picked"]},
    )  # fmt: skip
    hue: float = setting(0.0, "Turns the light's hue", unit="degrees", low=-180, high=180, step=1)
    saturation: float = setting(1.0, "Drains or strengthens the light's colour", unit="gain", low=0, high=2, step=0.01)
    black: float = setting(
        0.0, "Light below this is taken away", unit="share", low=0, high=1, step=0.005, bend=2.0, handle="levels"
    )
    white: float = setting(
        1.0, "Light of this strength becomes full", unit="share", low=0.02, high=4, step=0.01, bend=2.0, handle="levels"
    )
    gamma: float = setting(
        1.0, "Lifts (above 1) or sinks the middle of the light", unit="", low=0.2, high=5, step=0.01, bend=2.0,
        handle="levels",
    )  # fmt: skip


class Merge(Settings):
    """How the light is laid on what is below it."""

    mode: ModeName = setting("expose", "The blend mode", label="Blend mode")
    intensity: float = setting(1.0, "Brightness of the light", unit="gain", low=0, high=8, step=0.01, bend=2.0)
    opacity: float = setting(1.0, "Share of the merged picture that is shown", unit="share", low=0, high=1, step=0.01)
    keep_darks: float = setting(
        0.0, "Holds the light back where the plate is dark", unit="share", low=0, high=1, step=0.01
    )


class Detected(Protocol):
    """What a kind detects in the picture once, before its Source is drawn at any size."""

    @property
    def nbytes(self) -> int: ...


@dataclass(frozen=True)
class Reading:
    """The picture (H, W, 3) that Source reads, at its full size, and what was detected in it.

    `file_of` gives the files that settings refer to by their SHA-256; None where one is not there.
    """

    picture: Floats
    space: RgbSpace
    found: Detected | None = None
    file_of: Callable[[str], bytes | None] = lambda name: None

    @property
    def canonical(self) -> Floats:
        """The version on which things are detected, the same whatever size is shown."""
        height, width, _ = self.picture.shape
        return reduce_to(self.picture, Frame.whole(fit_within((width, height), CANONICAL_EDGE)))


@dataclass(frozen=True)
class Scene:
    """What a light may look at: the Source at any frame, the plate's full size, its space.

    `working_edge` bounds the long edge of the grid that light travels on; a draft has a smaller one.
    """

    source_at: Callable[[Frame], Floats]
    source_settings: Settings
    found: Callable[[], Detected | None]
    size: tuple[int, int]
    space: RgbSpace
    working_edge: int
    file_of: Callable[[str], bytes | None] = lambda name: None

    @property
    def working_frame(self) -> Frame:
        return self.frame_of(1.0)

    def frame_of(self, finer: float) -> Frame:
        """The whole plate on a grid that is `finer` times the working one, never finer than the plate."""
        return Frame.whole(fit_within(self.size, max(1, round(self.working_edge * finer))))


class LightField(Protocol):
    """Light that has travelled over the whole plate and can be looked at at any size.

    Fields are kept from one rendering to the next, so they hold no scene; `sample` is given one.
    """

    @property
    def nbytes(self) -> int: ...

    def sample(self, scene: Scene, frame: Frame, tint: Tint) -> Floats:
        """(h, w, 3) linear light at the frame, its colours through `tint`; never negative."""
        ...


@dataclass(frozen=True)
class Kind:
    """A kind of light.

    `source(reading, settings, frame)` gives what shines, (h, w, 3) and further channels of the kind's
    own; it measures the picture at its full size and reduces afterwards. `detect(reading, settings)`,
    where a kind has one, comes before it and is made once for all frames. `spread(scene, settings)`
    gives the light field. `place(plate)` gives settings of the stages that show the light at once on
    this plate. `look_at` is the picture that a new light reads; a Source that is the very picture may
    be read `at_frame`, at the size that is shown. `opaque` light is a whole picture, black included, not light on black.
    `nothing_shines` tells the person what to do when Source is black, `nothing_seen` when the light
    changes nothing. A kind that does not look at the picture at all does not `reads` it; one
    that `needs_file` shows nothing before a file is chosen.
    """

    name: str
    title: str
    summary: str
    source_settings: type[Settings]
    spread_settings: type[Settings]
    source: Callable[[Reading, Any, Frame], Floats]
    spread: Callable[[Scene, Any], LightField]
    place: Callable[[Plate], dict[str, dict[str, Any]]]
    colour: Colour
    merge: Merge
    detect: Callable[[Reading, Any], Detected] | None = None
    opaque: bool = False
    look_at: LookAt = "prepared"
    at_frame: bool = False
    nothing_shines: str = "Nothing is bright enough: lower Threshold in Source."
    nothing_seen: str = "Changes nothing that can be seen."
    reads: bool = True
    needs_file: bool = False
