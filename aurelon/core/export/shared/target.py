"""What an export target is."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from typing import BinaryIO, Generic, TypeVar

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
    """

    name: str
    options: type[O]
    check: Callable[[Plate, Rig, O], None]
    run: Callable[[Plate, Rig, O, Progress, Callable[[], bool]], Exported]
    trial_size: Callable[[Renderer, Rig, O], int] | None = None
