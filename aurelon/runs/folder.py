"""Keeps what a run makes as files, and a record of them, so that after a kill at any moment nothing finished is made again."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from filelock import FileLock, Timeout

from aurelon.core import OutputError
from aurelon.runs.driver import Item
from aurelon.runs.tasks import Outcome

RECORD, LOCK = ".aurelon-run.jsonl", ".aurelon-run.lock"
BEGINNING, ENDING = ".aurelon-", ".part"  # of the name of a file that is not there whole yet


@dataclass(frozen=True)
class Entry:
    """A finished picture: which file, as its place in the folder, made by which task, and the SHA-256 of its bytes."""

    out: str
    key: str
    digest: str


class Folder:
    """The record of runs into `folder`. A file is first written beside its place, then recorded, then moved there: whatever moment
    a kill comes at, it is either not made, or made and found again.

    Raises OutputError where the folder cannot be used, or another run is at work in it.
    """

    def __init__(self, folder: Path, *, resume: bool) -> None:
        self._folder = folder
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self._lock = FileLock(folder / LOCK)
            self._lock.acquire(timeout=0)
        except Timeout as error:
            raise OutputError(f"another run is writing to {folder}; wait for it, or choose another folder") from error
        except (FileExistsError, NotADirectoryError) as error:
            raise OutputError(f"{folder} is a file, or leads through one; choose a folder") from error
        except OSError as error:
            raise OutputError(f"{folder} cannot be written to: {error.strerror}; choose another folder") from error
        self._entries: dict[str, Entry] = {}
        try:
            # Everything that runs have made here stays known, so that it can be told from files of others.
            self._made = self._recorded()
            finished = self._tidied()
            if resume:
                self._entries = finished
            lines = "".join(_line(entry) for entry in self._made.values())
            _write_down(folder / RECORD, lines.encode(), "wb")
        except OSError as error:
            self.close()
            raise OutputError(f"{folder} cannot be written to: {error.strerror}; choose another folder") from error

    def close(self) -> None:
        self._lock.release()

    def refuse_others(self, outs: Iterable[Path]) -> None:
        """Raises OutputError where a file is there that no earlier run into this folder has made, or that was changed since."""
        for out in outs:
            entry = self._made.get(self._called(out))
            if os.path.lexists(out) and (entry is None or _digest(out) != entry.digest):
                raise OutputError(
                    f"{out} is there already and was not made by a run into {self._folder}; choose another name, or name the "
                    "output again with --over"
                )

    def holds(self, out: Path, key: str) -> bool:
        """Whether the file is there, as that task makes it."""
        entry = self._entries.get(self._called(out))
        return entry is not None and entry.key == key

    def keep(self, out: Path, key: str, data: bytes) -> None:
        """Raises OutputError where the file cannot be written, and leaves no file."""
        entry = Entry(self._called(out), key, hashlib.sha256(data).hexdigest())
        part = _part_of(out)
        if not self._folder.is_dir():
            raise OutputError(f"the folder {self._folder} is gone; bring it back, then --resume")
        try:
            out.parent.mkdir(parents=True, exist_ok=True)
            _write_down(part, data, "wb")
            _write_down(self._folder / RECORD, _line(entry).encode(), "ab")
            part.replace(out)
        except OSError as error:
            part.unlink(missing_ok=True)
            raise OutputError(f"{out} cannot be written: {error.strerror}; make room or mend the folder, then --resume") from error
        self._entries[entry.out] = self._made[entry.out] = entry

    def _called(self, out: Path) -> str:
        return os.path.relpath(out, self._folder)

    def _recorded(self) -> dict[str, Entry]:
        path = self._folder / RECORD
        found: dict[str, Entry] = {}
        for line in path.read_text("utf-8").splitlines() if path.exists() else ():
            try:
                entry = json.loads(line)
                found[entry["out"]] = Entry(entry["out"], entry["key"], entry["sha256"])
            except (ValueError, KeyError, TypeError):
                continue  # cut short by a kill: what it told of was never moved to its place
        return found

    def _tidied(self) -> dict[str, Entry]:
        """Moves to its place what was recorded and not moved yet; what a dead run left beside that is removed. The files that are
        there as they were made."""
        finished = {}
        for entry in self._made.values():
            out = self._folder / entry.out
            part = _part_of(out)
            if _digest(part) == entry.digest:
                part.replace(out)
            if _digest(out) == entry.digest:
                finished[entry.out] = entry
        for folder in {self._folder, *((self._folder / entry.out).parent for entry in self._made.values())}:
            for left in folder.glob(f"{BEGINNING}*{ENDING}"):
                left.unlink(missing_ok=True)
        return finished


def _part_of(out: Path) -> Path:
    return out.with_name(f"{BEGINNING}{out.name}{ENDING}")


def _line(entry: Entry) -> str:
    return json.dumps({"out": entry.out, "key": entry.key, "sha256": entry.digest}) + "\n"


def _digest(path: Path) -> str | None:
    if not path.is_file():
        return None
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _write_down(path: Path, data: bytes, mode: Literal["wb", "ab"]) -> None:
    """Writes, and has it on the disk when it returns."""
    with path.open(mode) as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


class FolderKeeping:
    """What a run on the command line does with its pictures. `report` is called after each: whether it was made,
    and what there is to say, or None."""

    def __init__(self, folder: Folder, report: Callable[[Item, bool, str | None], None]) -> None:
        self._folder = folder
        self._report = report
        self.failed: list[str] = []
        self.result = 0

    def started(self, item: Item) -> None:
        pass

    def keep(self, item: Item, result: Outcome) -> None:
        self._folder.keep(item.mark, item.task.key, result.data)
        self.result += 1
        self._report(item, True, "; ".join(f"{item.task.name}: {note}" for note in result.notes) or None)

    def fail(self, item: Item, why: str) -> None:
        self.failed.append(why)
        self._report(item, False, why)
