"""A data file in trouble: a disk with no room at each write in turn, a lock that another holds, a process that stands still, a
clock that goes backwards. What was acknowledged stays; what was not is refused in a sentence, and is done as soon as it can be.
"""

from __future__ import annotations

import os
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import closing, contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from unittest import mock

import httpx

from aurelon.core import Rig
from aurelon.store import Store
from tests.attack.kills import Editor, Ledger, damaged_bytes, missing
from tests.browser.window import Service
from tests.pictures import light, rig_of

PAGE = 4096  # bytes of the data file that are written at once
SMALL_DISK = 24 << 20
WRITES = 400  # that one thing done takes at most
HELD = 12.0  # s for which a lock is held: longer than the service waits
STILL = 2.0


@dataclass
class Report:
    """What came of it: writes that failed, by what was being done, and what should not have come."""

    failed: dict[str, int] = field(default_factory=dict)
    faults: list[str] = field(default_factory=list)


@contextmanager
def small_disk() -> Iterator[Path | None]:
    """A disk of a few megabytes; None where none may be mounted."""
    with tempfile.TemporaryDirectory() as folder:
        result = subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={SMALL_DISK}", "tmpfs", folder], capture_output=True)
        if result.returncode:
            yield None
            return
        try:
            yield Path(folder)
        finally:
            subprocess.run(["umount", folder], check=True)


def fill(disk: Path, pages: int) -> None:
    """Leaves room for so many pages."""
    filler = disk / "filler"
    filler.unlink(missing_ok=True)
    room = os.statvfs(disk)
    with filler.open("wb") as file:
        os.posix_fallocate(file.fileno(), 0, max(room.f_bavail * room.f_frsize - pages * PAGE, 1))


class Steady(Editor):
    """Does what it is told to; it is told whether that was acknowledged."""

    def tried(self, way: Callable[[], None]) -> httpx.Response | None:
        """The answer by which it was refused; None where it was acknowledged."""
        self.refusal: httpx.Response | None = None
        try:
            way()
        except TypeError:  # nothing was told
            return self.refusal
        return None

    def ask(self, method: str, path: str, **more: Any) -> httpx.Response:
        answer = self.client.request(method, path, **more)
        if answer.status_code >= 400:
            self.refusal = answer
        return answer

    def rename(self) -> None:
        plate = self.rng.choice(self.own)
        self.answer("PATCH", f"/plates/{plate}", json={"name": "Another " * 12})["id"]

    @property
    def ways(self) -> Mapping[Callable[[], None], float]:
        ways = (self.change, self.paint, self.step, self.keep, self.save_rig, self.rename, self.bring_in, self.add_file, self.run)
        return dict.fromkeys(ways, 1.0)


def full_disk(times: int = 1) -> Report | None:
    """Each thing that is kept is done with room for none of its pages, for one, for two, until there is enough. None where no small
    disk can be had."""
    report = Report()
    with small_disk() as disk:
        if disk is None:
            return None
        data = disk / "data"
        service = Service(data)
        service.log = subprocess.DEVNULL
        service.start()
        editor = Steady(service.url, 5, Ledger(), [])
        editor.bring_in()
        for way in [*editor.ways] * times:
            # What was put aside is moved into the file, so that there is no room that was had before.
            with closing(sqlite3.connect(data / "aurelon.sqlite")) as kept:
                kept.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            for pages in range(WRITES):
                fill(disk, pages)
                refused = editor.tried(way)
                (disk / "filler").unlink()
                if refused is None:
                    break
                report.failed[way.__name__] = report.failed.get(way.__name__, 0) + 1
                sentence = refused.json()["error"]
                if refused.status_code != 503 or "room" not in sentence:
                    report.faults.append(f"{way.__name__} with room for {pages} pages: {refused.status_code} {sentence}")
                # A step that was refused was not taken.
                report.faults += missing(data, editor.ledger, set())
            else:
                report.faults.append(f"{way.__name__} was never done")
        editor.close()
        service.stop()
        report.faults += missing(data, editor.ledger, set()) + damaged_bytes(data)
    return report


def held(seconds: float = HELD) -> Report:
    """Another program holds the data file for longer than is waited, and for less."""
    report = Report()
    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder) / "data"
        service = Service(data)
        service.log = subprocess.DEVNULL
        service.start()
        editor = Steady(service.url, 6, Ledger(), [])
        editor.bring_in()
        for patience in (seconds / 6, seconds):
            with closing(sqlite3.connect(data / "aurelon.sqlite", check_same_thread=False)) as other:
                other.execute("BEGIN IMMEDIATE")
                threading.Timer(patience, other.rollback).start()
                refused = editor.tried(editor.change)
                if refused is not None:
                    report.failed["held"] = report.failed.get("held", 0) + 1
                    if refused.status_code != 503 or "held by another program" not in refused.json()["error"]:
                        report.faults.append(f"a lock of {patience} s: {refused.status_code} {refused.text}")
                    time.sleep(seconds / 6)
            if editor.tried(editor.change) is not None:
                report.faults.append(f"it was not kept after a lock of {patience} s")
        # A process that stands still, as on a disk that does not answer.
        assert service.process is not None
        for _ in range(3):
            service.process.send_signal(signal.SIGSTOP)
            threading.Timer(STILL, service.process.send_signal, (signal.SIGCONT,)).start()
            if editor.tried(editor.paint) is not None:
                report.faults.append("it was not kept when the process went on")
        editor.close()
        service.stop()
        report.faults += missing(data, editor.ledger, set()) + damaged_bytes(data)
    return report


def clock_turned_back(writes: int = 60) -> Report:
    """Every write is a day earlier than the one before: steps go back and forth in the order in which they were made."""
    report = Report()
    now = time.time()
    ticks = iter(range(100_000))
    with tempfile.TemporaryDirectory() as folder, mock.patch("time.time", side_effect=lambda: now - 86_400 * next(ticks)):
        store = Store(Path(folder) / "data.sqlite")
        plate = store.plates.add(b"a plate", "a.png", (4, 3), "8", Rig(), "Headland").id
        base = store.revisions.bench(plate).revision
        for number in range(writes):
            rig = rig_of(light("bloom", merge={"opacity": number / writes}))
            base = store.revisions.save(plate, base, rig, f"{number}").revision
        take, saved = store.takes.keep(plate, "Kept", Rig()), store.rigs.save("Saved", Rig(), None)
        store.takes.delete(take.id)
        store.close()
        store = Store(Path(folder) / "data.sqlite")  # what was deleted long ago is forgotten here, and this was not
        store.takes.restore(take.id)
        if [one.id for one in store.rigs.all()] != [saved.id]:
            report.faults.append("a saved rig is gone")
        for number in reversed(range(writes)):
            state = store.revisions.bench(plate)
            if state.undo != f"{number}":
                report.faults.append(f"undo takes back {state.undo}, not {number}")
            store.revisions.undo(plate, state.revision)
        for number in range(writes):
            state = store.revisions.bench(plate)
            if state.redo != f"{number}":
                report.faults.append(f"redo brings {state.redo}, not {number}")
            store.revisions.redo(plate, state.revision)
        store.close()
    return report


def main() -> int:
    began = time.monotonic()
    report = {"no room": full_disk(3), "held and standing still": held(), "the clock turned back": clock_turned_back()}
    for name, one in report.items():
        if one is None:
            print(f"{name}: not tried, no small disk can be mounted here")
            continue
        for fault in one.faults[:20]:
            print(f"{name}: {fault}")
        print(f"{name}: {sum(one.failed.values())} writes failed ({one.failed}), {len(one.faults)} faults")
    print(f"in {time.monotonic() - began:.0f} s")
    return 1 if any(one is not None and one.faults for one in report.values()) else 0


if __name__ == "__main__":
    sys.exit(main())
