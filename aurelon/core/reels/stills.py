"""Numbered stills as one reel: in a folder, or in a ZIP archive that holds them byte for byte, one beside another.

The numbers are those at the end of the files' names. All frames have the size of the first.
"""

from __future__ import annotations

import itertools
import lzma
import re
import struct
import zipfile
import zlib
from collections.abc import Callable, Iterable, Sequence
from fractions import Fraction
from pathlib import Path, PurePath
from threading import Lock
from typing import BinaryIO

from aurelon.core.codecs import measured, read_raster, suffixes
from aurelon.core.codecs.shared.raster import DEPTHS, Raster, UnreadableError
from aurelon.core.errors import PlateError
from aurelon.core.reels.shared.footage import Codes, check_count, reduced

TITLE = "numbered stills"
SUFFIXES = (".zip",)
RATE = Fraction(24)  # frames a second, which no file says
NUMBERED = re.compile(r"^(.*?)([0-9]+)$")
SAID = 6  # missing numbers that are named
LONGEST_NUMBER = 18  # digits: what is longer numbers no frames, and no time could be reckoned from it
SURELY_SMALL = 32 << 20  # bytes that a file of an archive may always have
PIXEL_BYTES = 32  # that a file may have for each pixel of its picture: eight samples of 32 bits
MOST_UNMEASURED = 1 << 30  # bytes of a file whose size does not stand at its beginning, as of one that comes by itself
# What a damaged archive makes its reader stumble over.
ARCHIVE_FAULTS = (
    zipfile.BadZipFile,
    zlib.error,
    lzma.LZMAError,
    EOFError,
    KeyError,
    NotImplementedError,
    OSError,
    OverflowError,
    RuntimeError,
    struct.error,
    ValueError,
)
FEWEST, MISSING = 3, 0.2  # files, and the share of numbers that may be missing, for files to be taken for frames by themselves


def matches(head: bytes) -> bool:
    return head[:4] == b"PK\x03\x04" and b"mimetypeimage/openraster" not in head


def open_footage(file: BinaryIO) -> Stills:
    """Stills in an archive."""
    file.seek(0)
    lock = Lock()
    try:
        archive = zipfile.ZipFile(file)
    except ARCHIVE_FAULTS as error:
        raise UnreadableError("is damaged, or is not an archive of stills; copy it again from where it came") from error

    def read(name: str) -> bytes:
        with lock:
            try:
                return _member(archive, name)
            except UnreadableError:
                raise
            except ARCHIVE_FAULTS as error:
                raise UnreadableError(f"is damaged: {name} in it cannot be read") from error

    return Stills(_pictures(archive.namelist()), read, archive.close)


def _member(archive: zipfile.ZipFile, name: str) -> bytes:
    """A file of an archive. Raises UnreadableError where it would unpack to far more than its picture can hold."""
    info = archive.getinfo(name)
    with archive.open(info) as file:
        head = file.read(min(info.file_size, SURELY_SMALL))
        if info.file_size > len(head):
            try:
                width, height = measured(head, name)
            except PlateError:
                width, height = 0, 0  # its size does not stand at its beginning, as in a TIFF that ends with it
            if info.file_size > (MOST_UNMEASURED if width == 0 else SURELY_SMALL + width * height * PIXEL_BYTES):
                raise UnreadableError(
                    f"has {name}, which unpacks to {info.file_size / 1e6:,.0f} MB, more than its picture can hold; pack it again"
                )
        return head + file.read(info.file_size - len(head))


def stills_in(folder: Path, pattern: str = "") -> Stills:
    """The numbered stills of a folder, or those of a `pattern` such as `%04d.png`. Raises UnreadableError where no file matches."""
    wanted = re.compile(_of_pattern(pattern)) if pattern else None
    names = [path.name for path in folder.iterdir() if wanted is None or wanted.fullmatch(path.name)]

    def read(name: str) -> bytes:
        try:
            return (folder / name).read_bytes()
        except OSError as error:
            raise UnreadableError(f"has {name}, which cannot be read ({error.strerror})") from error

    return Stills(_pictures(names), read)


def is_pattern(name: str) -> bool:
    """Whether a name stands for numbered files, as `%04d.png` does."""
    return re.search(r"%0?\d*d", name) is not None


def _of_pattern(pattern: str) -> str:
    before, after = re.split(r"%0?\d*d", pattern, maxsplit=1)
    return f"{re.escape(before)}\\d+{re.escape(after)}"


def sequence_in(names: Iterable[str]) -> list[str] | None:
    """The files in order of their numbers, where they are the stills of one reel: one name but for a number, and one ending."""
    names = list(names)
    parts = [(PurePath(name), NUMBERED.match(PurePath(name).stem)) for name in names]
    if len(names) < 2 or any(match is None or len(match.group(2)) > LONGEST_NUMBER for _, match in parts):
        return None
    of_reel = {(match.group(1), path.suffix.lower()) for path, match in parts if match is not None}
    numbers = {name: _number(name) for name in names}
    if len(of_reel) > 1 or len(set(numbers.values())) < len(names):
        return None
    return sorted(names, key=lambda name: numbers[name])


def are_frames(ordered: Sequence[str]) -> bool:
    """Whether numbered files in their order are likely to be frames of one reel, and not pictures that a camera has numbered:
    hardly any number between the first and the last is missing."""
    span = _number(ordered[-1]) - _number(ordered[0]) + 1
    return len(ordered) >= FEWEST and len(ordered) >= span * (1 - MISSING)


def sequence_name(names: Sequence[str]) -> str:
    """What numbered stills are called together."""
    found = NUMBERED.match(PurePath(names[0]).stem)
    return (found.group(1).rstrip(" -_.") if found else "") or "Reel"


def _number(name: str) -> int:
    found = NUMBERED.match(PurePath(name).stem)
    return int(found.group(2)) if found and len(found.group(2)) <= LONGEST_NUMBER else 0


def _pictures(names: Iterable[str]) -> list[str]:
    known = suffixes()
    pictures = [n for n in names if PurePath(n).suffix.lower() in known and not PurePath(n).name.startswith(".")]
    if not pictures:
        raise UnreadableError("holds no pictures that Aurelon reads")
    ordered = sequence_in(pictures) if len(pictures) > 1 else pictures
    if ordered is None:
        raise UnreadableError("holds pictures that are not numbered stills of one name; bring them in one by one")
    return ordered


class Stills:
    """`names` in the order of their numbers; `read` gives the bytes of one."""

    sounds = False
    glimpses_are_codes = False
    chapters = ()
    rate = RATE
    points = None

    def __init__(self, names: Sequence[str], read: Callable[[str], bytes], close: Callable[[], None] = lambda: None) -> None:
        check_count(len(names))
        self.names = names
        self._read = read
        self.close = close
        self.numbers = [_number(name) for name in names]
        self.notices = _missing(self.numbers)
        self.times = [(number - self.numbers[0]) / RATE for number in self.numbers]
        self.end = self.times[-1] + 1 / RATE
        first = _decoded(read(names[0]), names[0]).samples
        self.size = first.shape[1], first.shape[0]
        self.depth = DEPTHS.get(str(first.dtype), "float")

    def raster(self, number: int) -> Raster:
        name = self.names[number]
        raster = _decoded(self._read(name), name)
        size = raster.samples.shape[1], raster.samples.shape[0]
        if size != self.size:
            raise UnreadableError(
                f"has frames of different sizes: {name} is {size[0]} x {size[1]}, the first {self.size[0]} x {self.size[1]}"
            )
        return raster

    def glimpse(self, number: int, edge: int) -> Codes:
        return reduced(self.raster(number).samples, edge)


def _decoded(data: bytes, name: str) -> Raster:
    try:
        return read_raster(data, name)
    except PlateError as error:
        raise UnreadableError(f"cannot be used: {error}") from error


def _missing(numbers: Sequence[int]) -> tuple[str, ...]:
    gaps = [n for a, b in itertools.pairwise(numbers) for n in range(a + 1, min(b, a + SAID + 2))]
    count = numbers[-1] - numbers[0] + 1 - len(numbers)
    if count == 0:
        return ()
    named = ", ".join(map(str, gaps[:SAID])) + (", …" if count > SAID else "")
    return (f"lacks the number{'' if count == 1 else 's'} {named}; the frame before each is held until the next",)
