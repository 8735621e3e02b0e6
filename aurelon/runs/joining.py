"""Joins the segments of a lit reel to one file, in a confined process: its sound is taken from a file that came from outside."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import closing, contextmanager
from threading import Event, Thread
from typing import BinaryIO

from aurelon.confined.decoder import answered
from aurelon.confined.process import ConfinedProcess, Operation, file_elsewhere
from aurelon.core import OutputError, PlateError, Rig, read_reel
from aurelon.core.export.reels import ReelExport, join_reel

PATIENCE = 600.0  # seconds, and more for what is joined
PATIENCE_A_MEGABYTE = 1.0
LOOK_EVERY = 0.2  # seconds between looks at whether the file is still wanted


def operations() -> Mapping[str, Operation]:
    """What the confined process offers: it is given the segments one by one, then joins them."""
    segments: list[bytes] = []

    def take(segment: bytes) -> None:
        segments.append(segment)

    def join(size: int, name: str, key: str, rig: str, options: str) -> bytes:
        with (
            closing(read_reel(lambda: file_elsewhere(size), name, key)) as reel,
            os.fdopen(os.memfd_create("joined"), "w+b") as out,
        ):
            join_reel(reel, Rig.model_validate_json(rig), ReelExport.model_validate_json(options), segments, out)
            out.seek(0)
            return out.read()

    return {"take": take, "join": join}


def joined_reel(
    file: BinaryIO, name: str, key: str, rig: Rig, options: ReelExport, segments: Iterable[bytes], wanted: Callable[[], bool]
) -> bytes:
    """The file of a lit reel. `file` holds the reel called `name`. Raises PlateError or OutputError in a sentence, also once it is
    no longer `wanted`."""
    process = ConfinedProcess(operations)
    size = file.seek(0, os.SEEK_END)
    total = 0
    with _ended_once(process, wanted):
        try:
            for segment in segments:
                total += len(segment)
                answered(process, name, "take", segment, seconds=None, patience=PATIENCE)
            patience = PATIENCE + PATIENCE_A_MEGABYTE * (total + size) / 1e6
            arguments = (size, name, key, rig.model_dump_json(), options.model_dump_json())
            data: bytes = answered(process, name, "join", *arguments, seconds=None, patience=patience, file=file)
            return data
        except PlateError as error:
            if not wanted():
                raise OutputError(f"{name} was not joined: the run was stopped") from error
            raise


@contextmanager
def _ended_once(process: ConfinedProcess, wanted: Callable[[], bool]) -> Iterator[None]:
    """Ends the process at the end, or as soon as its result is no longer wanted."""
    over = Event()

    def watch() -> None:
        while not over.wait(LOOK_EVERY):
            if not wanted():
                process.close()
                return

    Thread(target=watch, name="joining", daemon=True).start()
    try:
        yield
    finally:
        over.set()
        process.close()
