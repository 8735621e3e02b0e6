"""A reel: a plate made of frames, decoded one at a time."""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterator
from contextlib import suppress
from fractions import Fraction
from io import BytesIO
from pathlib import Path
from threading import Lock
from typing import Any, BinaryIO, TypeVar, cast

import numpy as np

from aurelon.core.codecs import MAX_PIXELS, MAX_SIDE
from aurelon.core.codecs.shared.raster import Raster, UnreadableError, by_code_points
from aurelon.core.errors import PlateError
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import fit_within
from aurelon.core.plate import Plate, plate_of
from aurelon.core.plates.decoding import decoder, head_of
from aurelon.core.reels import kinds_of_reel
from aurelon.core.reels.shared.footage import Codes, Footage, frame_of, glimpse_of
from aurelon.core.reels.shared.rough_frames import RoughFrames
from aurelon.core.reels.stills import is_pattern, stills_in

SAME_RATE = 0.005  # by which times that a file has rounded may differ from its rate
KEPT_FRAMES = 3
KEPT_BYTES = 256 << 20  # of those frames, beyond the one that was used last
KEPT_GREYS = 3  # files of mattes that stay open
PROXY_EDGE = 1920  # long edge, in pixels, of what drafts of larger frames are made from
ROUGH_EDGE = 640  # and while the hand goes over frames, so that ten of them come in a second
CHUNK = 1 << 20
Opener = Callable[[], BinaryIO]
T = TypeVar("T")
_open_greys: OrderedDict[str, Reel] = OrderedDict()
_open_lock = Lock()


class Reel:
    """`len(reel)` frames; `reel[i]` is one as a plate, counted from 0. `times` are seconds from the first frame. Safe between
    threads."""

    def __init__(self, footage: Footage, name: str, key: str, opened: Opener | None = None, file: BinaryIO | None = None) -> None:
        self.footage = footage
        self.name = name
        self.key = key
        self.opened = opened  # opens its file anew, for what reads it at another place; None where it is no one file
        self._file = file
        # Files that rigs on its frames refer to, by the SHA-256 of each.
        self.file_of: Callable[[str], bytes | None] = lambda name: None
        self._kept: OrderedDict[int, Plate] = OrderedDict()
        self._found: dict[Hashable, Any] = {}
        self._rough = RoughFrames()
        self._lock = Lock()

    def __len__(self) -> int:
        return len(self.footage.times)

    def __getitem__(self, number: int) -> Plate:
        """Raises IndexError beyond the end, and PlateError in one sentence for a frame that cannot be read."""
        self._check(number)
        with self._lock:
            kept = self._kept.get(number)
            if kept is not None:
                self._kept.move_to_end(number)
                return kept
        plate = self._decoded(number)
        with self._lock:
            self._kept[number] = plate
            while len(self._kept) > KEPT_FRAMES or (len(self._kept) > 1 and self._kept_bytes() > KEPT_BYTES):
                self._kept.popitem(last=False)
        return plate

    def __iter__(self) -> Iterator[Plate]:
        return (self[number] for number in range(len(self)))

    @property
    def times(self) -> list[float]:
        """Seconds of each frame from the first."""
        return [float(time) for time in self.footage.times]

    @property
    def fps(self) -> float:
        """Frames a second: what the file states, where it keeps to that, else the mean."""
        mean, stated = len(self) / self.footage.end, self.footage.rate
        return float(stated if stated is not None and abs(stated / mean - 1) < SAME_RATE else mean)

    @property
    def size(self) -> tuple[int, int]:
        """(width, height) in pixels."""
        return self.footage.size

    def proxy_edge(self, width: int, *, rough: bool = False) -> int | None:
        """The long edge of the proxy that is enough for a draft of `width` pixels; a smaller one for a `rough` draft. None where
        the frames are as small as that, and for stills, which may each have a profile."""
        if not self.footage.glimpses_are_codes:
            return None
        edges = (ROUGH_EDGE, PROXY_EDGE) if rough else (PROXY_EDGE,)
        return next((edge for edge in edges if edge < max(self.size) and width <= fit_within(self.size, edge)[0]), None)

    def proxy(self, number: int, edge: int = PROXY_EDGE) -> Plate:
        """A frame with a long edge of `edge`, from 8 bits: enough for a draft, and there several times as fast. Raises IndexError
        beyond the end, and PlateError in one sentence for a frame that cannot be read."""
        self._check(number)
        codes = self._codes(number, edge)
        points = self.footage.points
        raster = Raster(codes) if points is None else by_code_points(codes, None, None, *points)
        plate = self._plate_of(raster, number, f"/proxy {edge}")
        plate.proxy_of = self.size
        return plate

    def ready_rough(self, number: int) -> bool:
        """Has a rough proxy of a frame at hand for when it is wanted; one that cannot be read is left out. Gives whether there is
        room for more."""
        if self.proxy_edge(1, rough=True) != ROUGH_EDGE:
            return False
        if number not in self._rough:
            with suppress(PlateError):
                self._codes(number, ROUGH_EDGE)
        return not self._rough.full

    def _codes(self, number: int, edge: int) -> Codes:
        kept = self._rough.get(number) if edge == ROUGH_EDGE else None
        if kept is not None:
            return kept
        try:
            codes = glimpse_of(self.footage, number, edge)
        except UnreadableError as error:
            raise PlateError(f"{self.name} {error}") from error
        if edge == ROUGH_EDGE:
            self._rough.put(number, codes)
        return codes

    @property
    def rough_nbytes(self) -> int:
        """Bytes of the rough proxies that are kept."""
        return self._rough.nbytes

    def sound(self) -> bytes | None:
        """The sound as pages play it, Opus in WebM; None where there is none. Raises PlateError where it cannot be decoded."""
        if not self.footage.sounds or self.opened is None:
            return None
        with self.opened() as file:
            return decoder().sound(file, self.name, self.footage.end)

    @property
    def notices(self) -> tuple[str, ...]:
        """What a person should know of how it was read, in sentences."""
        return tuple(f"{self.name} {notices}." for notices in self.footage.notices)

    def shown(self, number: int) -> Fraction:
        """Seconds for which a frame is seen."""
        times = self.footage.times
        return (times[number + 1] if number + 1 < len(times) else self.footage.end) - times[number]

    @property
    def kept(self) -> list[Plate]:
        """The frames that are kept for the next time."""
        with self._lock:
            return list(self._kept.values())

    def forget(self, number: int | None = None) -> None:
        """Keeps a frame no longer; every frame where none is named."""
        with self._lock:
            if number is None:
                self._kept.clear()
                self._rough.clear()
            else:
                self._kept.pop(number, None)

    def _kept_bytes(self) -> int:
        return sum(plate.nbytes for plate in self._kept.values())

    def found(self, key: Hashable, find: Callable[[], T]) -> T:
        """What is found of the reel under a key, once."""
        if key not in self._found:
            self._found[key] = find()
        return cast(T, self._found[key])

    def close(self) -> None:
        self.footage.close()
        if self._file is not None:
            self._file.close()

    def _decoded(self, number: int) -> Plate:
        try:
            raster = frame_of(self.footage, number)
        except UnreadableError as error:
            raise PlateError(f"{self.name} {error}") from error
        return self._plate_of(raster, number)

    def _check(self, number: int) -> None:
        if not 0 <= number < len(self):
            raise IndexError(f"{self.name} has the frames 0 to {len(self) - 1}, not {number}")

    def _plate_of(self, raster: Raster, number: int, sort: str = "") -> Plate:
        seconds = float(self.footage.times[number])
        plate = plate_of(raster, self.name, f"{self.key}/{number}{sort}", frame=number, seconds=seconds)
        plate.file_of = self.file_of
        plate.of_reel = True
        return plate


def open_reel(path: str | Path) -> Reel:
    """Reads a video file, an animated picture, an archive or a folder of numbered stills, or a pattern such as `in/%04d.png`.

    Raises PlateError in one sentence that names what cannot be read.
    """
    path = Path(path)
    if path.is_dir() or is_pattern(path.name):
        return _stills_reel(path)
    return read_reel(lambda: path.open("rb"), path.name)


def read_reel(opened: Opener, name: str, key: str = "") -> Reel:
    """A reel from a file that `opened` opens, as often as it is called; its `key` is the SHA-256 of the file where it is not given.
    Raises PlateError that names the file."""
    try:
        file = opened()
    except OSError as error:
        raise PlateError(f"{name} cannot be read ({error.strerror})") from error
    try:
        key = key or _digest(file)
        footage = _footage(file, name)
    except BaseException:
        file.close()
        raise
    return Reel(footage, name, key, opened, file)


def _footage(file: BinaryIO, name: str) -> Footage:
    try:
        footage = decoder().footage(file, name)
    except UnreadableError as error:
        raise PlateError(f"{name} {error}") from error
    try:
        _check_size(footage, name)
    except PlateError:
        footage.close()
        raise
    return footage


def grey_frame(name: str, data: Callable[[], bytes | None], number: int) -> Floats | None:
    """A frame of a file of grey frames as its stored values in 0..1, (h, w); the file is named by its SHA-256 and stays open. None
    where there is no such file, or no such frame. Raises PlateError where it cannot be read."""
    with _open_lock:
        reel = _open_greys.get(name)
    if reel is None:
        found = data()
        if found is None:
            return None
        reel = read_reel(lambda: BytesIO(found), "the matte's file", name)
    with _open_lock:
        reel = _open_greys.setdefault(name, reel)
        _open_greys.move_to_end(name)
        while len(_open_greys) > KEPT_GREYS:
            _open_greys.popitem(last=False)
    if number >= len(reel):
        return None
    try:
        samples = frame_of(reel.footage, number).samples
    except UnreadableError as error:
        raise PlateError(f"the matte's file {error}") from error
    return np.asarray(samples.mean(axis=2, dtype=np.float32) / np.iinfo(samples.dtype).max, np.float32)


def is_reel(file: BinaryIO) -> bool:
    """Whether a file holds frames, by its beginning."""
    head = head_of(file)
    return any(kind.matches(head) for kind in kinds_of_reel().values())


def is_reel_path(path: Path) -> bool:
    """Whether a path is that of a reel: a file that holds frames, a folder of stills, a pattern of numbered names."""
    if path.is_dir() or is_pattern(path.name):
        return True
    try:
        with path.open("rb") as file:
            return is_reel(file)
    except OSError:
        return False


def _stills_reel(path: Path) -> Reel:
    folder, pattern = (path, "") if path.is_dir() else (path.parent, path.name)
    try:
        footage = stills_in(folder, pattern)
    except UnreadableError as error:
        raise PlateError(f"{path} {error}") from error
    except OSError as error:
        raise PlateError(f"{folder} cannot be read ({error.strerror})") from error
    _check_size(footage, str(path))
    return Reel(footage, path.name, hashlib.sha256(str(path.resolve()).encode()).hexdigest())


def _check_size(footage: Footage, name: str) -> None:
    width, height = footage.size
    if width * height > MAX_PIXELS or max(width, height) > MAX_SIDE:
        raise PlateError(f"{name} has frames of {width} x {height} pixels; Aurelon takes up to {MAX_PIXELS // 10**6} megapixels")


def _digest(file: BinaryIO) -> str:
    file.seek(0)
    digest = hashlib.sha256()
    while piece := file.read(CHUNK):
        digest.update(piece)
    return digest.hexdigest()
