"""What a kind of light is made of, and the settings that every kind shares."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from aurelon.core.blend import ModeName
from aurelon.core.frame import Frame, fit_within
from aurelon.core.mix import Tint
from aurelon.core.plate import Plate
from aurelon.core.settings import Settings, setting
from aurelon.core.space import RgbSpace

Floats = NDArray[np.float32]


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


class Merge(Settings):
    """How the light is laid on what is below it."""

    mode: ModeName = setting("expose", "The blend mode", label="Blend mode")
    intensity: float = setting(1.0, "Brightness of the light", unit="gain", low=0, high=8, step=0.01, bend=2.0)
    opacity: float = setting(1.0, "Share of the merged picture that is shown", unit="share", low=0, high=1, step=0.01)
    keep_darks: float = setting(
        0.0, "Holds the light back where the plate is dark", unit="share", low=0, high=1, step=0.01
    )


@dataclass(frozen=True)
class Scene:
    """What a light may look at: the Source at any frame, the plate's full size, its space.

    `working_edge` bounds the long edge of the grid that light travels on; a draft has a smaller one.
    """

    source_at: Callable[[Frame], Floats]
    size: tuple[int, int]
    space: RgbSpace
    working_edge: int

    @property
    def working_frame(self) -> Frame:
        return Frame.whole(fit_within(self.size, self.working_edge))


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

    `source(picture, space, settings, frame)` gives what shines, (h, w, 3) and further channels of
    the kind's own; it measures the picture (H, W, 3) at its full size and reduces afterwards.
    `spread(scene, settings)` gives the light field. `place(plate)` gives spread settings that show
    the light at once on this plate.
    """

    name: str
    title: str
    summary: str
    source_settings: type[Settings]
    spread_settings: type[Settings]
    source: Callable[[Floats, RgbSpace, Any, Frame], Floats]
    spread: Callable[[Scene, Any], LightField]
    place: Callable[[Plate], dict[str, dict[str, Any]]]
    colour: Colour
    merge: Merge
