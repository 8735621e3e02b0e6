"""Lenses as lists of surfaces, and the ghosts that light makes between them.

Paraxial rays are pairs (height h, angle u); refraction at a surface and the way to the next are 2 x 2
matrices. A ghost is light that is turned back at surface j and again at surface i < j. Where it falls,
how large it is and how bright follow from the products of the matrices along its way (Hullin et al.,
"Physically-Based Real-Time Lens Flare Rendering", 2011; Lee and Eisemann, "Practical Real-Time
Lens-Flare Rendering", 2013). Reflectance is Fresnel's at normal incidence, through a quarter-wave
layer of magnesium fluoride where a surface is coated (Born and Wolf, "Principles of Optics", 1.6.4).
Lengths are millimetres, wavelengths nanometres.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, lru_cache
from importlib.resources import files
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from aurelon.core.errors import AurelonError
from aurelon.core.imaging.arrays import Doubles

COATING_INDEX = 1.38  # magnesium fluoride
D_LINE, F_LINE, C_LINE = 587.6, 486.1, 656.3  # nm
FARTHEST_FOCUS = 2000.0  # mm; a table beyond it is a mistake


class LensError(AurelonError):
    """A lens table that cannot be used; names the lens and the surface."""


class LensSurface(BaseModel):
    """A refracting surface, or the stop. `index` and `abbe` are of what comes behind it; `coating` is
    the wavelength that its layer is made for, 0 for none."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    stop: bool = False
    radius: float = 0.0
    gap: float = Field(ge=0, le=500)
    index: float = Field(1.0, ge=1.0, le=2.6)
    abbe: float = Field(60.0, ge=10, le=120)
    semi: float = Field(gt=0, le=200)
    coating: float = Field(0.0, ge=0, le=1200)

    @model_validator(mode="after")
    def _has_a_radius(self) -> LensSurface:
        if not self.stop and abs(self.radius) < 1:
            raise ValueError(f"radius is {self.radius:g}, but must be at least 1 mm, to the left or to the right")
        return self


class Lens(BaseModel):
    """A lens table."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    format: Literal["aurelon-lens"]
    version: Literal[1]
    name: str
    title: str
    about: str
    blades: int = Field(ge=3, le=18)
    image_diagonal: float = Field(gt=0, le=400)
    surfaces: tuple[LensSurface, ...] = Field(min_length=3, max_length=40)


def read_lens(text: str | bytes, name: str) -> Lens:
    """A lens from JSON. Raises LensError that names the lens, the surface and what is wrong with it."""
    try:
        lens = Lens.model_validate_json(text)
    except ValidationError as error:
        first = error.errors()[0]
        place = list(first["loc"])
        at = f"surface {int(place[1]) + 1}" if len(place) > 1 and place[0] == "surfaces" else "the table"
        what = first["msg"].removeprefix("Value error, ")
        setting = f" ({place[-1]})" if place and isinstance(place[-1], str) else ""
        raise LensError(f"the lens {name} cannot be used: {at}{setting}: {what}") from error
    stops = sum(s.stop for s in lens.surfaces)
    if stops != 1:
        raise LensError(f"the lens {name} cannot be used: it has {stops} stops, but must have one")
    focal = focal_length(lens)
    if not 0 < focal < FARTHEST_FOCUS:
        raise LensError(f"the lens {name} cannot be used: its surfaces bring light to no focus behind it")
    return lens


@cache
def lenses() -> dict[str, Lens]:
    """Every lens that is shipped, by name."""
    folder = files("aurelon.core").joinpath("data/lenses")
    tables = sorted((f for f in folder.iterdir() if f.name.endswith(".json")), key=lambda f: f.name)
    return {(lens := read_lens(f.read_bytes(), f.name)).name: lens for f in tables}


def index_at(surface: LensSurface, wavelength: float, dispersion: float) -> float:
    """Index behind a surface by Cauchy's formula through its d-line index and Abbe number."""
    if surface.index == 1.0:
        return 1.0
    slope = (surface.index - 1) / surface.abbe / (F_LINE**-2 - C_LINE**-2)
    return surface.index + dispersion * slope * (wavelength**-2 - D_LINE**-2)


def reflectance(before: float, behind: float, coating: float, wavelength: float) -> float:
    """Share of light that a surface turns back at normal incidence."""
    if coating == 0 or before == behind:
        return ((before - behind) / (before + behind)) ** 2
    r1 = (before - COATING_INDEX) / (before + COATING_INDEX)
    r2 = (COATING_INDEX - behind) / (COATING_INDEX + behind)
    wave = 2 * r1 * r2 * np.cos(np.pi * coating / wavelength)
    return float((r1**2 + r2**2 + wave) / (1 + r1**2 * r2**2 + wave))


def _travel(gap: float) -> Doubles:
    return np.array([[1.0, gap], [0.0, 1.0]])


def _refract(before: float, behind: float, radius: float) -> Doubles:
    return np.array([[1.0, 0.0], [(before - behind) / (behind * radius), before / behind]])


def _reflect(radius: float) -> Doubles:
    # Heights and angles are told along the light's own way, so turning back flips the angle's sense.
    return np.array([[1.0, 0.0], [2 / radius, 1.0]])


class _Optics:
    """A lens at one wavelength: matrices of parts of the way through it."""

    def __init__(self, surfaces: Sequence[LensSurface], wavelength: float, dispersion: float) -> None:
        self.surfaces = surfaces
        self.behind = [index_at(s, wavelength, dispersion) for s in surfaces]
        for k, s in enumerate(surfaces):
            if s.stop:  # the medium goes on through the stop
                self.behind[k] = self.behind[k - 1] if k else 1.0
        self.before = [1.0, *self.behind[:-1]]
        self.stop = next(k for k, s in enumerate(surfaces) if s.stop)

    def cross(self, k: int, back: bool = False) -> Doubles:
        """Refraction at surface k, the light going on or coming back."""
        if self.surfaces[k].stop:
            return np.eye(2)
        before, behind, radius = self.before[k], self.behind[k], self.surfaces[k].radius
        return _refract(behind, before, -radius) if back else _refract(before, behind, radius)

    def onward(self, first: int, last: int) -> Doubles:
        """From before surface `first` to before surface `last`, crossing those between."""
        way = np.eye(2)
        for k in range(first, last):
            way = _travel(self.surfaces[k].gap) @ self.cross(k) @ way
        return way

    def backward(self, first: int, last: int) -> Doubles:
        """From before surface `first`, turned back, to behind surface `last`."""
        way = np.eye(2)
        for k in range(first - 1, last, -1):
            way = self.cross(k, back=True) @ _travel(self.surfaces[k].gap) @ way
        return _travel(self.surfaces[last].gap) @ way


def _whole(optics: _Optics) -> Doubles:
    last = len(optics.surfaces) - 1
    return np.asarray(optics.cross(last) @ optics.onward(0, last))


def focal_length(lens: Lens) -> float:
    """Effective focal length, mm, at the d line; negative or infinite where light does not meet."""
    power = -_whole(_Optics(lens.surfaces, D_LINE, 0.0))[1, 0]
    return 1 / power if abs(power) > 1e-9 else float("inf")


@dataclass(frozen=True)
class Ghost:
    """One reflection between surfaces `first` and `second` (counted from 0), at one wavelength.

    `place` is where it falls, as a factor on the image point's distance from the middle; `radius` is
    that of the stop's image in it, mm on the film, negative where it is upside down; `strength` is
    the light in it, of the light in the image point.
    """

    first: int
    second: int
    place: float
    radius: float
    strength: float


@lru_cache(maxsize=64)
def ghosts(lens: Lens, wavelength: float, dispersion: float = 1.0) -> tuple[Ghost, ...]:
    """Every two-reflection ghost of a lens focused at infinity; traced once, whatever shines into it."""
    optics = _Optics(lens.surfaces, wavelength, dispersion)
    whole = _whole(optics)
    to_film = _travel(-whole[0, 0] / whole[1, 0])  # from the last surface to where parallel light meets
    direct = to_film @ whole
    to_stop = optics.onward(0, optics.stop)
    image = direct[0, 1] - direct[0, 0] * to_stop[0, 1] / to_stop[0, 0]
    stop_radius = lens.surfaces[optics.stop].semi
    last = len(lens.surfaces) - 1
    found = []
    for j in range(1, last + 1):
        for i in range(j):
            if lens.surfaces[i].stop or lens.surfaces[j].stop:
                continue
            turned = _reflect(lens.surfaces[j].radius) @ optics.onward(0, j)
            back = _reflect(-lens.surfaces[i].radius) @ optics.backward(j, i) @ turned
            onward = optics.onward(i + 1, last) @ _travel(lens.surfaces[i].gap) @ back if i < last else back
            way = to_film @ optics.cross(last) @ onward
            # The stop cuts the light where it passes first: on the way in, or after both reflections.
            at_stop = to_stop
            if j < optics.stop:
                at_stop = optics.onward(i + 1, optics.stop) @ _travel(lens.surfaces[i].gap) @ back
            if abs(at_stop[0, 0]) < 1e-6:
                continue
            middle = way[0, 1] - way[0, 0] * at_stop[0, 1] / at_stop[0, 0]
            radius = way[0, 0] * stop_radius / at_stop[0, 0]
            pupil = (to_stop[0, 0] / at_stop[0, 0]) ** 2
            # What the glasses' own rims let through of it.
            room = min(1.0, (lens.surfaces[0].semi * abs(at_stop[0, 0]) / stop_radius) ** 2)
            both = reflectance(optics.before[i], optics.behind[i], lens.surfaces[i].coating, wavelength) * reflectance(
                optics.before[j], optics.behind[j], lens.surfaces[j].coating, wavelength
            )
            found.append(Ghost(i, j, float(middle / image), float(radius * np.sqrt(room)), float(both * pupil * room)))
    return tuple(found)
