"""What an export target is."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import PurePath
from typing import BinaryIO, Generic, TypeVar

from aurelon.core.codecs.shared.raster import Format
from aurelon.core.graph.renderer import Renderer
from aurelon.core.plate import Plate
from aurelon.core.rig import Rig
from aurelon.core.settings import Settings

O = TypeVar("O", bound=Settings)
Progress = Callable[[float], None]
PIECE = 1 << 22  # bytes that are copied at once


@dataclass(frozen=True)
class Exported:
    """A finished file: its bytes, or where they may be more than there is memory a file that holds them; the ending of its name and
    its media type."""

    data: bytes | BinaryIO
    suffix: str
    media_type: str

    def whole(self) -> bytes:
        """All of it in memory. What is in a file is gone after it."""
        if isinstance(self.data, bytes):
            return self.data
        with self.data as held:
            held.seek(0)
            return held.read()

    def copy_to(self, file: BinaryIO) -> None:
        """Writes all of it. What is in a file is gone after it."""
        if isinstance(self.data, bytes):
            file.write(self.data)
            return
        with self.data as held:
            held.seek(0)
            shutil.copyfileobj(held, file, PIECE)


@dataclass(frozen=True)
class ExportTarget(Generic[O]):
    """Something that can be taken away, with the options O that it is made by.

    `check(plate, rig, options)` raises OutputError when the options cannot be met. `run` makes the file, telling its
    progress (0..1); it raises Cancelled once `cancelled()` is true. `trial_size(renderer, rig, options)` tells about how many
    bytes the file will have; None where that is not known before.

    `title` and `note` say on the screen what it is; `formats()` are those that it is written in, and `for_path(form, plate,
    **chosen)` gives the options that suit a plate. The command line asks for it by `switch`, the usual one by none; `switch_help`
    is the help of that. A target with `strips` can be made in strips, by several workers at once.
    """

    name: str
    order: int
    title: str
    options: type[O]
    formats: Callable[[], Sequence[Format]]
    for_path: Callable[..., O]
    check: Callable[[Plate, Rig, O], None]
    run: Callable[[Plate, Rig, O, Progress, Callable[[], bool]], Exported]
    trial_size: Callable[[Renderer, Rig, O], int] | None = None
    note: str = ""
    switch: str = ""
    switch_help: str = ""
    strips: bool = False

    def format_of(self, path: PurePath) -> Format | None:
        """The format that the path's ending names; None where no format of the target has that ending."""
        return next((form for form in self.formats() if path.suffix.lower() in form.suffixes), None)
