"""Colour management by a configuration of OpenColorIO (Academy Software Foundation), where one is chosen.

It is chosen by the environment's `OCIO`, as every program of the trade reads it: a file, or `ocio://NAME` for a configuration
that the library has built in. The library is an extra; without it, and without a choice, nothing here is used.
"""

from __future__ import annotations

import importlib
import importlib.util
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache, cached_property
from typing import Any

import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.errors import AurelonError
from aurelon.core.imaging.arrays import Floats, f32, u64
from aurelon.core.imaging.code_points import BT709, P3_D65, PRIMARIES
from aurelon.core.imaging.colour_matrix import mixed
from aurelon.core.imaging.four import load, part, plus, scaled
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.imaging.rgb_space import (
    DISPLAY_P3,
    LINEAR_CURVE,
    SRGB,
    SRGB_CURVE,
    SRGB_TO_PCS,
    RgbSpace,
    make_space,
    primaries_to_pcs,
)

LIBRARY, VARIABLE = "PyOpenColorIO", "OCIO"
INSTALL = "install it with: pip install 'aurelon[ocio]'"
# ACES2065-1 (SMPTE ST 2065-1).
AP0_TO_PCS = primaries_to_pcs((0.7347, 0.2653), (0.0, 1.0), (0.0001, -0.077), (0.32168, 0.33767))
SCENE_LINEAR, SCENE_INTERCHANGE, DISPLAY_INTERCHANGE = "scene_linear", "aces_interchange", "cie_xyz_d65_interchange"


def _from_xyz(primaries: int) -> Floats:
    """CIE XYZ relative to D65 to linear RGB, to more places than a profile has."""
    columns = np.array([[x / y, 1.0, (1 - x - y) / y] for x, y in PRIMARIES[primaries][1]]).T
    white = columns[:, 3]
    return np.asarray(np.linalg.inv(columns[:, :3] * np.linalg.solve(columns[:, :3], white)), np.float32)


XYZ_TO_SRGB, XYZ_TO_P3 = _from_xyz(BT709), _from_xyz(P3_D65)
ROWS = 128  # that a thread takes at once
# The cube that drafts are looked up in: so many places an octave, from so many octaves below 1 to so many above.
AN_OCTAVE, BELOW, ABOVE = 3, 9, 7
SIDE = AN_OCTAVE * (BELOW + ABOVE) + 1
FLOOR, HIGHEST = f32(2.0**-BELOW), f32(2.0**ABOVE * (1 - 2.0**-20))
LOWEST_BITS = np.int32((127 - BELOW) << 23)
A_BIT = f32(AN_OCTAVE * 2.0**-23)


class ConfigError(AurelonError):
    """A colour configuration that cannot be used."""


@cache
def _threads() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(os.cpu_count() or 1, "colour")


class ColourConfig:
    """A configuration: its colour spaces, its rules for files, its displays with their views. Raises ConfigError for one that
    cannot be read."""

    def __init__(self, where: str) -> None:
        try:
            library = importlib.import_module(LIBRARY)
        except ImportError as error:
            raise ConfigError(f"the colour configuration {where} needs OpenColorIO; {INSTALL}") from error
        self._ocio: Any = library
        try:
            self._config: Any = library.Config.CreateFromFile(where)
            self._config.validate()
        except (library.Exception, library.ExceptionMissingFile) as error:
            reason = str(error).splitlines()[0].rstrip(".")
            raise ConfigError(
                f"the colour configuration {where} cannot be used: {reason}; correct it, or unset {VARIABLE}"
            ) from error
        if not self._config.hasRole(SCENE_LINEAR):
            raise ConfigError(f"the colour configuration {where} has no role {SCENE_LINEAR}; name one that has")
        self.key = str(self._config.getCacheID())
        self._displays: dict[tuple[str, str], tuple[Any, RgbSpace | None]] = {}
        self._cubes: dict[tuple[str, str], Floats] = {}

    @property
    def title(self) -> str:
        return str(self._config.getName() or "OpenColorIO")

    @cached_property
    def working(self) -> RgbSpace:
        """The scene-linear space; with the primaries of sRGB where the configuration does not say which it has."""
        to_pcs = SRGB_TO_PCS
        if self._config.hasRole(SCENE_INTERCHANGE):
            units = self._applied(self._config.getProcessor(SCENE_LINEAR, SCENE_INTERCHANGE), np.eye(3, dtype=np.float32)[None])
            to_pcs = AP0_TO_PCS @ units[0].T.astype(np.float64)
        return make_space(str(self._config.getRoleColorSpace(SCENE_LINEAR)), to_pcs, LINEAR_CURVE)

    @cached_property
    def input_spaces(self) -> tuple[str, ...]:
        """Colour spaces that a file can be said to be in, by name."""
        return tuple(str(name) for name in self._config.getColorSpaceNames())

    @cached_property
    def views(self) -> dict[str, tuple[str, ...]]:
        """The views of each display, the default first, without those that show data as it is."""
        config = self._config
        found = {
            str(display): tuple(str(view) for view in config.getViews(display) if not self._is_data(display, view))
            for display in (config.getDefaultDisplay(), *config.getDisplays())
        }
        return {display: views for display, views in found.items() if views}

    def space_by_rule(self, name: str) -> str | None:
        """The colour space that the rules have for a file of this name; None where only the rule for all others does."""
        if self._config.filepathOnlyMatchesDefaultRule(name):
            return None
        return str(self._config.getColorSpaceFromFilepath(name)[0])

    def to_working(self, codes: Floats, space: str) -> Floats:
        """Code values (h, w, 3), 1 for white, of a colour space as linear light in the working space. Raises ConfigError for a
        colour space that the configuration does not have."""
        return np.maximum(self._applied(self._from_input(space), codes), 0.0)

    def on_display(self, pixels: Floats, space: RgbSpace, display: str, view: str) -> tuple[Floats, RgbSpace]:
        """Linear light (h, w, 3) in `space` as a display shows it under a view: linear light again, and its space. Raises
        ConfigError for a display or view that the configuration does not have."""
        processor, target = self._display(display, view)
        shown = self._applied(processor, self._in_working(pixels, space))
        if target is None:
            return np.asarray(SRGB_CURVE.decode(np.clip(shown, 0.0, 1.0).astype(np.float64)), np.float32), SRGB
        return mixed(shown, XYZ_TO_P3 if target is DISPLAY_P3 else XYZ_TO_SRGB), target

    def draft(self, pixels: Floats, space: RgbSpace, display: str, view: str) -> NDArray[np.uint8]:
        """About the same for the screen, (h, w, 3) uint8 sRGB, in a moment: between the places of a cube."""
        cube = self._cube(display, view)
        out = np.empty(pixels.shape, np.uint8)
        interpolate_in_cube(np.ascontiguousarray(self._in_working(pixels, space)), cube, out)
        return out

    def _in_working(self, pixels: Floats, space: RgbSpace) -> Floats:
        matrix = space.matrix_to(self.working)
        return pixels if matrix is None else mixed(np.ascontiguousarray(pixels), matrix)

    def _from_input(self, space: str) -> Any:
        try:
            return self._config.getProcessor(space, SCENE_LINEAR)
        except self._ocio.Exception as error:
            raise ConfigError(f"{self.title} has no colour space “{space}”; choose another") from error

    def _display_space(self, display: str, view: str) -> str:
        named = str(self._config.getDisplayViewColorSpaceName(display, view))
        return display if named == "<USE_DISPLAY_NAME>" else named

    def _is_data(self, display: str, view: str) -> bool:
        space = self._config.getColorSpace(self._display_space(display, view))
        return space is not None and bool(space.isData())

    def _display(self, display: str, view: str) -> tuple[Any, RgbSpace | None]:
        if (display, view) not in self._displays:
            self._displays[display, view] = self._to_display(display, view)
        return self._displays[display, view]

    def _to_display(self, display: str, view: str) -> tuple[Any, RgbSpace | None]:
        """What brings working light to CIE XYZ relative to D65 as the display shows it, and the space that holds it; without such a
        space to the display's code values, which are then taken for those of sRGB."""
        if view not in self.views.get(display, ()):
            raise ConfigError(f"{self.title} has no view “{view}” of a display “{display}”; choose another under Finish")
        ocio, config = self._ocio, self._config
        to_display = ocio.DisplayViewTransform(src=SCENE_LINEAR, display=display, view=view)
        if not config.hasRole(DISPLAY_INTERCHANGE):
            return config.getProcessor(to_display), None
        there = self._display_space(display, view)
        back = ocio.ColorSpaceTransform(src=there, dst=DISPLAY_INTERCHANGE)
        primaries = self._applied(config.getProcessor(there, DISPLAY_INTERCHANGE), np.eye(3, dtype=np.float32)[None])[0]
        within = (primaries @ XYZ_TO_SRGB.T > -1e-3).all()
        return config.getProcessor(ocio.GroupTransform([to_display, back])), SRGB if within else DISPLAY_P3

    def _cube(self, display: str, view: str) -> Floats:
        if (display, view) not in self._cubes:
            self._cubes[display, view] = self._baked(display, view)
        return self._cubes[display, view]

    def _baked(self, display: str, view: str) -> Floats:
        """Code values of sRGB, times 255, at the places of the cube in working light: flat, of (SIDE, SIDE, SIDE, 4)."""
        octave, within = np.divmod(np.arange(SIDE), AN_OCTAVE)
        light = (2.0 ** (octave - BELOW) * (1 + within / AN_OCTAVE) - FLOOR).astype(np.float32)
        places = np.stack(np.meshgrid(light, light, light, indexing="ij"), axis=-1).reshape(SIDE, -1, 3)
        shown, target = self.on_display(np.ascontiguousarray(places), self.working, display, view)
        matrix = target.matrix_to(SRGB)
        seen = shown if matrix is None else mixed(shown, matrix)
        cube = np.zeros((SIDE**3, 4), np.float32)
        cube[:, :3] = 255.0 * SRGB_CURVE.encode(np.minimum(seen, 1.0)).reshape(-1, 3)
        return cube.reshape(-1)

    def _applied(self, processor: Any, pixels: Floats) -> Floats:
        """By the library, rows at a time on all processors: it lets go of the interpreter."""
        out = np.array(pixels, np.float32, order="C")
        by_processor: Callable[[Any], None] = processor.getDefaultCPUProcessor().applyRGB
        list(_threads().map(by_processor, [out[y : y + ROWS] for y in range(0, len(out), ROWS)]))
        return out


@inlined
def _place(light: np.float32) -> np.float32:
    """The place in the cube, from the bits of the number: even between the powers of two, as the cube has it."""
    bits = np.float32(min(max(light, f32(0.0)) + FLOOR, HIGHEST)).view(np.int32)
    return f32(bits - LOWEST_BITS) * A_BIT


@kernel
def interpolate_in_cube(pixels: Floats, cube: Floats, out: NDArray[Any]) -> None:
    """Between four corners of a cell, those of the tetrahedron that a colour lies in (Sakamoto and Itooka, 1981)."""
    side = u64(SIDE)
    one, two, three = u64(4), u64(4) * side, u64(4) * side * side
    for y in prange(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            pr, pg, pb = _place(pixels[y, x, 0]), _place(pixels[y, x, 1]), _place(pixels[y, x, 2])
            r, g, b = u64(pr), u64(pg), u64(pb)
            u, v, w = pr - f32(r), pg - f32(g), pb - f32(b)
            # The corners on the way from the cell's first to its last go along the channels from the largest rest to the least.
            first, second = three, one
            most, middle, least = u, v, w
            if u >= v:
                if v >= w:
                    first, second, most, middle, least = three, three + two, u, v, w
                elif u >= w:
                    first, second, most, middle, least = three, three + one, u, w, v
                else:
                    first, second, most, middle, least = one, three + one, w, u, v
            elif w >= v:
                first, second, most, middle, least = one, two + one, w, v, u
            elif w >= u:
                first, second, most, middle, least = two, two + one, v, w, u
            else:
                first, second, most, middle, least = two, three + two, v, u, w
            base = u64(4) * ((r * side + g) * side + b)
            result = plus(scaled(load(cube, base), f32(1.0) - most), scaled(load(cube, base + first), most - middle))
            result = plus(result, scaled(load(cube, base + second), middle - least))
            result = plus(result, scaled(load(cube, base + one + two + three), least))
            for c in range(3):
                out[y, x, c] = np.uint8(part(result, c) + f32(0.5))


@cache
def _read(where: str) -> ColourConfig:
    return ColourConfig(where)


@cache
def _library_is_there() -> bool:
    return importlib.util.find_spec(LIBRARY) is not None


def chosen() -> ColourConfig | None:
    """The configuration that is chosen; None without one, and where the library is missing. Raises ConfigError for one that cannot
    be used."""
    where = name_of_chosen()
    return _read(where) if where else None


def name_of_chosen() -> str:
    """The configuration as it was chosen; empty for none."""
    return os.environ.get(VARIABLE, "") if _library_is_there() else ""


def choose(where: str) -> None:
    """Has this process, and those that it starts, use a configuration; an empty name changes nothing. Raises ConfigError where it
    cannot be used."""
    if where:
        _read(where)
        os.environ[VARIABLE] = where
