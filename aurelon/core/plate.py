"""A plate: a picture in linear light in its own primaries, and what came with it in its file."""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field, replace
from pathlib import Path
from threading import RLock
from typing import Any, TypeVar, cast

import numpy as np
from numpy.typing import NDArray

from aurelon.core.codecs import glance_at
from aurelon.core.codecs.shared.in_space import in_space
from aurelon.core.codecs.shared.raster import DEPTHS, Raster
from aurelon.core.errors import PlateError
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.colour_config import ColourConfig, ConfigError, chosen
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.reduce import reduce_to
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.imaging.samples import look_up
from aurelon.core.imaging.screen import png_of
from aurelon.core.plates.decoding import decoder

KEPT_REDUCTIONS = 4
BRIGHTEST = 1e8  # times white: ten times the disc of the sun
ROWS = 256  # of float samples that are decoded at once
SHOWN_EDGE = 1024  # long edge of what a notebook shows
T = TypeVar("T")


@dataclass
class Plate:
    """`pixels` is (H, W, 3) float32, linear light in `space`; 1.0 is display white, more is kept.

    `alpha` is (H, W) float32 in 0..1 or None. `depth` is what the file held: "8", "16" or "float". `nearness` is (h, w) float32 in
    0..1 where the file states how far everything is: 1 the nearest thing seen, 0 infinitely far.
    """

    pixels: Floats
    space: RgbSpace
    name: str = "plate"
    alpha: Floats | None = None
    depth: str = "8"
    exif: bytes | None = None
    xmp: bytes | None = None
    rig: str = ""  # the rig that travelled in the file, as JSON
    notices: tuple[str, ...] = ()  # what a person should know of how the file was read, in sentences
    key: str = ""
    frame: int = 0  # of a reel, counted from 0, and when it is seen, in seconds from the first
    seconds: float = 0.0
    nearness: Floats | None = None
    of_reel: bool = False  # what is found in one frame would pop on the next
    proxy_of: tuple[int, int] | None = None  # the size of the frame that it stands for, for drafts
    # Files that rigs on this plate refer to, by the SHA-256 of each; None without files.
    file_of: Callable[[str], bytes | None] = field(default=lambda name: None, repr=False)
    _as_input: tuple[str, Plate] | None = field(default=None, repr=False)  # in the colour space that was asked for last
    _reduced: OrderedDict[tuple[int, int], Floats] = field(default_factory=OrderedDict, repr=False)
    _found: dict[Hashable, Any] = field(default_factory=dict, repr=False)
    _lock: RLock = field(default_factory=RLock, repr=False)

    def __repr__(self) -> str:
        height, width, _ = self.pixels.shape
        return f"Plate({self.name!r}, {width} x {height}, {self.depth} bits, {self.space.name})"

    def __post_init__(self) -> None:
        if self.pixels.ndim != 3 or self.pixels.shape[2] != 3 or self.pixels.dtype != np.float32:
            raise ValueError(f"pixels must be float32 (H, W, 3), not {self.pixels.dtype} {self.pixels.shape}")
        if not self.key:
            self.key = hashlib.sha256(np.ascontiguousarray(self.pixels).tobytes()).hexdigest()

    @property
    def size(self) -> tuple[int, int]:
        """(width, height) in pixels."""
        return self.pixels.shape[1], self.pixels.shape[0]

    @property
    def nbytes(self) -> int:
        beside = [self.nearness] if self.nearness is not None else []
        converted = self._as_input[1].nbytes if self._as_input else 0
        return self.pixels.nbytes + sum(r.nbytes for r in (*self._reduced.values(), *beside)) + converted

    def at(self, frame: Frame) -> Floats:
        """The frame's part of the picture, (h, w, 3); whole views are kept for the next time."""
        if frame != Frame.whole(frame.size) or frame.size == self.size:
            return reduce_to(self.pixels, frame)
        with self._lock:
            if frame.size not in self._reduced:
                self._reduced[frame.size] = reduce_to(self.pixels, frame)
                while len(self._reduced) > KEPT_REDUCTIONS:
                    self._reduced.popitem(last=False)
            return self._reduced[frame.size]

    def found(self, key: Hashable, find: Callable[[], T]) -> T:
        """What is found in the picture under a key, once; another thread that asks for it meanwhile waits."""
        with self._lock:
            lock = self._found.setdefault(("lock", key), RLock())
        with lock:
            if key not in self._found:
                self._found[key] = find()
            return cast(T, self._found[key])

    def in_input_space(self, config: ColourConfig, space: str) -> Plate:
        """The plate whose stored samples are taken for those of a colour space of a configuration: in its scene-linear space.
        Raises ConfigError for one that it does not have."""
        with self._lock:
            if self._as_input is None or self._as_input[0] != space:
                own = self.space.curves
                codes = np.stack([own[c].encode(self.pixels[:, :, c]) for c in range(3)], axis=2)
                self._as_input = (
                    space,
                    replace(
                        self,
                        pixels=np.minimum(config.to_working(codes, space), np.float32(BRIGHTEST)),
                        space=config.working,
                        key=hashlib.sha256(f"{self.key} {config.key} {space}".encode()).hexdigest(),
                        _as_input=None,
                        _reduced=OrderedDict(),
                        _found={},
                        _lock=RLock(),
                    ),
                )
            return self._as_input[1]

    def _repr_png_(self) -> bytes:
        """The picture as a notebook shows it."""
        return png_of(self.pixels, self.space, SHOWN_EDGE, self.alpha)

    def alpha_at(self, frame: Frame) -> Floats | None:
        return None if self.alpha is None else reduce_to(self.alpha[:, :, None], frame)[:, :, 0]


def open_plate(path: str | Path, layer: str = "") -> Plate:
    """Reads a picture file, or one of those in a file that holds several. Raises PlateError in one sentence that names the file."""
    path = Path(path)
    try:
        data = path.read_bytes()
    except OSError as error:
        reason = {FileNotFoundError: "does not exist", IsADirectoryError: "is a folder, not a picture"}.get(
            type(error), f"cannot be read ({error.strerror})"
        )
        raise PlateError(f"{path} {reason}") from error
    return read_plate(*decoder().layer(data, path.name, layer)) if layer else read_plate(data, path.name)


def read_plate(data: bytes, name: str) -> Plate:
    """A plate from the bytes of the file called `name`. Raises PlateError that names the file."""
    return plate_of(decoder().raster(data, name, spaced=True), name, hashlib.sha256(data).hexdigest())


def glance(data: bytes, name: str) -> tuple[Plate, tuple[int, int]]:
    """A plate to be looked at only, smaller where the file is one that takes long to read, and width and height of the whole.
    Raises PlateError as `read_plate` does."""
    raster, size = glance_at(data, name)
    return plate_of(raster, name, hashlib.sha256(data).hexdigest()), size


def plate_of(raster: Raster, name: str, key: str, *, frame: int = 0, seconds: float = 0.0) -> Plate:
    """A plate from the samples of the file called `name`. Raises PlateError where they cannot be brought to linear light."""
    raster = in_space(raster)
    assert raster.space is not None
    space = raster.space
    depth = DEPTHS.get(str(raster.samples.dtype), "float")
    plate = Plate(
        _to_linear(raster.samples, space),
        space,
        name,
        _unit_alpha(raster),
        depth,
        raster.exif,
        raster.xmp,
        raster.rig,
        tuple(f"{name} {notices}." for notices in raster.notices),
        key,
        frame,
        seconds,
        raster.nearness,
    )
    return _by_rule(plate)


def _by_rule(plate: Plate) -> Plate:
    """In the colour space that the chosen configuration has a rule for, under the name of the same file."""
    config = chosen()
    space = None if config is None else config.space_by_rule(plate.name)
    if config is None or space is None:
        return plate
    try:
        result = replace(plate.in_input_space(config, space), key=plate.key)
    except ConfigError as error:
        raise PlateError(f"{plate.name} is in no colour space that can be used: {error}") from error
    result.notices = (*result.notices, f"{plate.name} is in “{space}”, by a rule of {config.title}.")
    return result


def read_grey(data: bytes, name: str) -> Floats:
    """A picture file as its stored values in 0..1, (H, W); colour becomes its mean. For depths and mattes.

    Depths that leave 0..1 are brought there by their least and greatest values. Raises PlateError that
    names the file.
    """
    samples = decoder().raster(data, name, spaced=False).samples
    if samples.dtype == np.float32:
        low, high = float(samples.min()), float(samples.max())
        if low < 0 or high > 1:
            samples = (samples - low) / max(high - low, 1e-9)
        return np.asarray(samples.mean(axis=2), np.float32)
    return np.asarray(samples.mean(axis=2, dtype=np.float32) / np.iinfo(samples.dtype).max, np.float32)


def read_colour(data: bytes, name: str) -> Floats:
    """A picture file as its stored values in 0..1, (H, W, 3), no curve undone. For normal pictures."""
    samples = decoder().raster(data, name, spaced=False).samples
    whole = samples if samples.dtype == np.float32 else samples / np.float32(np.iinfo(samples.dtype).max)
    return np.ascontiguousarray(np.broadcast_to(whole, (*whole.shape[:2], 3)), np.float32)


def _unit_alpha(raster: Raster) -> Floats | None:
    if raster.alpha is None:
        return None
    if raster.alpha.dtype == np.float32:
        return np.asarray(np.clip(raster.alpha, 0.0, 1.0), np.float32)
    return (raster.alpha / np.float32(np.iinfo(raster.alpha.dtype).max)).astype(np.float32)


def _to_linear(samples: NDArray[Any], space: RgbSpace) -> Floats:
    """Stored samples (H, W, 1 or 3) as linear light (H, W, 3); what lies below zero is lifted to it, what is brighter than
    anything under the sky is taken down to that."""
    height, width, channels = samples.shape
    linear = np.empty((height, width, 3), np.float32)
    if samples.dtype == np.float32 and all(curve.is_linear for curve in space.curves):
        np.clip(samples, 0.0, BRIGHTEST, out=linear)
        return linear
    if samples.dtype == np.float32:
        for rows in (slice(y, y + ROWS) for y in range(0, height, ROWS)):  # what a curve needs beside is twice as wide
            for c in range(3):
                plane = samples[rows, :, min(c, channels - 1)].astype(np.float64)
                linear[rows, :, c] = np.clip(space.curves[c].decode(plane), 0.0, BRIGHTEST)
        return linear
    top = 255 if samples.dtype == np.uint8 else 65535
    codes = np.arange(top + 1) / top
    tables = np.stack([np.maximum(curve.decode(codes), 0.0) for curve in space.curves]).astype(np.float32)
    look_up(samples, tables, linear)
    return linear
