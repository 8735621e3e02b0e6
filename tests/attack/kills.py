"""A service that is killed at any moment while people edit, paint, bring in, export and run: whatever was acknowledged is there
after it, the data file is whole, and nothing is left behind. And a data file of the first version, killed while it is moved on.
"""

from __future__ import annotations

import hashlib
import random
import shutil
import signal
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Mapping
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import psutil

from tests.attack.hand import Fault, Hand, picture
from tests.browser.window import ROOT, Service

EDITORS = 3
START = 3.0  # s of a processor's time until the service answers
WORKING = 0.5  # s after which something is to have been acknowledged before the kill
ENDING = 10.0  # s within which what belongs to a killed service ends too
OLD = ROOT / "tests" / "store" / "data" / "version-1.db"
MIGRATING = 0.25  # s after which a data file has long been moved on
MOVE = """
import sys
from pathlib import Path
from aurelon.store import Store
print("ready", flush=True)
input()
Store(Path(sys.argv[1]))
"""


@dataclass
class Ledger:
    """What was acknowledged: of revisions their plate and label, of plates and files the digest of their bytes, of the rest names.
    `head` is the revision that a plate was last told to have."""

    revisions: dict[int, tuple[int, str]] = field(default_factory=dict)
    head: dict[int, int] = field(default_factory=dict)
    plates: dict[int, str] = field(default_factory=dict)
    files: set[str] = field(default_factory=set)
    takes: dict[int, str] = field(default_factory=dict)
    rigs: dict[int, str] = field(default_factory=dict)
    runs: set[int] = field(default_factory=set)

    def __len__(self) -> int:
        return sum(len(one) for one in (self.revisions, self.plates, self.files, self.takes, self.rigs, self.runs))


class Editor(Hand):
    """Writes to plates of its own, and keeps a ledger of what was acknowledged."""

    def __init__(self, url: str, seed: int, ledger: Ledger, own: list[int]) -> None:
        super().__init__(url, seed)
        self.ledger, self.own = ledger, own
        self.unknown: set[int] = set()  # plates of whose last step no answer came

    def bring_in(self) -> None:
        data = picture(self.rng, (60, 40))
        plate = self.answer("POST", "/plates", files={"file": ("own.png", data)})["id"]
        self.ledger.plates[plate] = hashlib.sha256(data).hexdigest()
        self.ledger.head[plate] = self.answer("GET", f"/plates/{plate}/bench")["revision"]
        self.own.append(plate)

    def _bench(self) -> Any:
        if not self.own:
            self.bring_in()
        return self.answer("GET", f"/plates/{self.rng.choice(self.own)}/bench")

    def _stepped(self, plate: int, path: str, body: Any) -> Any:
        self.unknown.add(plate)
        state = self.answer("POST", f"/plates/{plate}/{path}", json=body)
        self.unknown.discard(plate)
        self.ledger.head[plate] = state["revision"]
        return state

    def _save(self, label: str, change: Callable[[Any], None]) -> None:
        bench = self._bench()
        plate, rig = bench["plate"]["id"], bench["rig"]
        change(rig)
        state = self._stepped(plate, "revisions", {"base": bench["revision"], "label": label, "rig": rig})
        self.ledger.revisions[state["revision"]] = plate, label

    def change(self) -> None:
        def change(rig: Any) -> None:
            rig["prepare"]["exposure"] = self.rng.uniform(-2, 2)

        self._save(f"Exposure {self.rng.random():.6f}", change)

    def paint(self) -> None:
        def change(rig: Any) -> None:
            stroke = {"points": [self.rng.random() for _ in range(300)], "size": 0.05}
            if not rig["lights"]:
                rig["lights"] = [{"id": "own", "kind": "bloom", "mask": {"parts": [{"part": "strokes", "strokes": []}]}}]
            rig["lights"][0]["mask"]["parts"][0]["strokes"].append(stroke)

        self._save(f"Stroke {self.rng.random():.6f}", change)

    def step(self) -> None:
        bench = self._bench()
        self._stepped(bench["plate"]["id"], self.rng.choice(("undo", "redo")), {"base": bench["revision"]})

    def keep(self) -> None:
        bench, name = self._bench(), f"Take {self.rng.random():.6f}"
        report = self.answer("POST", f"/plates/{bench['plate']['id']}/takes", json={"name": name, "rig": bench["rig"]})
        self.ledger.takes[report["id"]] = name

    def save_rig(self) -> None:
        name = f"Rig {self.rng.random():.6f}"
        self.ledger.rigs[self.answer("POST", "/rigs", json={"name": name, "rig": self._bench()["rig"]})["id"]] = name

    def add_file(self) -> None:
        plate = self._bench()["plate"]["id"]
        report = self.answer("POST", f"/plates/{plate}/files", files={"file": ("depth.png", picture(self.rng, (60, 40)))})
        self.ledger.files.add(report["name"])

    def write(self) -> None:
        bench = self._bench()
        body = {"rig": bench["rig"], "export": {"target": "picture", "format": "tiff", "depth": "16"}}
        self.answer("POST", f"/plates/{bench['plate']['id']}/exports", json=body)

    def run(self) -> None:
        plates = self.rng.sample(self.own, min(2, len(self.own)))
        if plates:
            export = {"target": "picture", "format": "png", "depth": "8"}
            self.ledger.runs.add(self.answer("POST", "/runs", json={"plates": plates, "export": export})["run"]["id"])

    @property
    def ways(self) -> Mapping[Callable[[], None], float]:
        return {
            self.change: 8,
            self.paint: 6,
            self.step: 4,
            self.keep: 2,
            self.save_rig: 1,
            self.bring_in: 1,
            self.add_file: 1,
            self.write: 1,
            self.run: 0.1,
        }


@dataclass
class Killed:
    """What came of some kills."""

    kills: int = 0
    acknowledged: int = 0
    starts: list[float] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)


def missing(data: Path, ledger: Ledger, unknown: set[int]) -> list[str]:
    """What the ledger has and the data file has not."""
    with closing(sqlite3.connect(data / "aurelon.sqlite")) as kept:
        if kept.execute("PRAGMA integrity_check").fetchall() != [("ok",)]:
            return ["the data file is damaged"]

        def differing(what: str, wanted: Mapping[Any, Any], query: str) -> list[str]:
            there = {row[0]: row[1] if len(row) == 2 else row[1:] for row in kept.execute(query)}
            return [f"{what} {key}: {there.get(key)}, not {value}" for key, value in wanted.items() if there.get(key) != value]

        steps = {plate: head for plate, head in ledger.head.items() if plate not in unknown}
        return [
            *differing("revision", ledger.revisions, "SELECT id, plate_id, label FROM revision"),
            *differing("the present revision of plate", steps, "SELECT id, head FROM plate"),
            *differing("plate", ledger.plates, "SELECT id, blob_id FROM plate WHERE deleted IS NULL"),
            *differing("take", ledger.takes, "SELECT id, name FROM take WHERE deleted IS NULL"),
            *differing("rig", ledger.rigs, "SELECT id, name FROM namedrig WHERE deleted IS NULL"),
            *differing("file", {name: name for name in ledger.files}, "SELECT blob_id, blob_id FROM fileuse"),
            *differing("run", {run: run for run in ledger.runs}, "SELECT id, id FROM run"),
        ]


def damaged_bytes(data: Path) -> list[str]:
    """Files kept whose bytes are not those of their names."""
    found = []
    with closing(sqlite3.connect(data / "aurelon.sqlite")) as kept:
        for (name,) in kept.execute("SELECT hash FROM blob").fetchall():
            digest = hashlib.sha256()
            for (piece,) in kept.execute("SELECT data FROM chunk WHERE blob_id = ? ORDER BY place", (name,)):
                digest.update(piece)
            if digest.hexdigest() != name:
                found.append(f"the bytes of {name} are others")
    return found


def campaign(kills: int, first: int = 0) -> Killed:
    """So many kills of a service with three who work at it."""
    report, ledger = Killed(), Ledger()
    own: list[list[int]] = [[] for _ in range(EDITORS)]
    with tempfile.TemporaryDirectory() as folder:
        data, scratch = Path(folder) / "data", Path(folder) / "scratch"
        scratch.mkdir()
        service = Service(data, TMPDIR=str(scratch))
        service.log = subprocess.DEVNULL
        service.start()
        for mine in own:
            editor = Editor(service.url, first, ledger, mine)
            editor.bring_in()
            editor.bring_in()
            editor.close()
        service.stop(signal.SIGKILL)
        for kill in range(kills):
            rng = random.Random(first + kill)
            service.start()
            assert service.process is not None
            process = psutil.Process(service.process.pid)
            times = process.cpu_times()
            report.starts.append(times.user + times.system)
            left = [one.name for one in scratch.glob("aurelon-*") if f"-{process.pid}-" not in one.name]
            if left:
                report.faults.append(f"kill {first + kill}: {left} were left behind")
            over = threading.Event()
            editors = [Editor(service.url, rng.randrange(1 << 30), ledger, mine) for mine in own]

            def work(editor: Editor, over: threading.Event = over, kill: int = kill) -> None:
                while not over.is_set():
                    try:
                        editor.do()
                    except httpx.HTTPError:
                        return  # it was killed
                    except Fault as error:
                        report.faults.append(f"kill {first + kill}: {error}")

            threads = [threading.Thread(target=work, args=(editor,)) for editor in editors]
            for thread in threads:
                thread.start()
            moment, before = rng.uniform(0.05, 1.2), len(ledger)
            time.sleep(moment)
            while moment > WORKING and len(ledger) == before and service.process.poll() is None:
                time.sleep(0.02)  # on a slow machine nothing has been acknowledged yet
            family = process.children(recursive=True)
            service.stop(signal.SIGKILL)
            over.set()
            for thread in threads:
                thread.join()
            report.kills += 1
            for editor in editors:
                editor.close()
            _, alive = psutil.wait_procs(family, ENDING)
            if alive:
                report.faults.append(f"kill {first + kill}: {len(alive)} processes went on")
            unknown = {plate for editor in editors for plate in editor.unknown}
            report.faults += [f"kill {first + kill}: {what}" for what in missing(data, ledger, unknown)]
            # Where no answer came the step was taken or was not; from here on the file tells.
            with closing(sqlite3.connect(data / "aurelon.sqlite")) as kept:
                for plate in unknown:
                    ledger.head[plate] = kept.execute("SELECT head FROM plate WHERE id = ?", (plate,)).fetchone()[0]
        service.start()
        with httpx.Client(base_url=f"{service.url}/api", timeout=300) as client:
            began = time.monotonic()
            while any(one["run"]["state"] in ("waiting", "working") for one in client.get("/runs").json()):
                if time.monotonic() - began > 600:
                    report.faults.append("a run did not come to its end")
                    break
                time.sleep(0.5)
            for plate in ledger.plates:
                client.get(f"/plates/{plate}/bench").raise_for_status()
        service.stop()
        report.faults += missing(data, ledger, set()) if not ledger.runs else []
        report.faults += damaged_bytes(data)
        others = {one.name for one in data.iterdir()} - {"aurelon.sqlite", "aurelon.sqlite.lock"}
        if others or any(scratch.glob("aurelon-*")):
            report.faults.append(f"left behind in the end: {others} {[one.name for one in scratch.iterdir()]}")
    slow = [start for start in report.starts if start > START]
    if slow:
        report.faults.append(f"{len(slow)} starts took more than {START} s of a processor, {max(slow):.1f} at most")
    report.acknowledged = len(ledger)
    return report


def rows(path: Path) -> list[tuple[Any, ...]]:
    """All that a data file holds, but for when it was moved on."""
    with closing(sqlite3.connect(path)) as kept:
        tables = [name for (name,) in kept.execute("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")]
        return [(table, *row) for table in tables for row in kept.execute(f"SELECT * FROM {table}")]


def migrating(kills: int, first: int = 0) -> Killed:
    """So many kills of a process that moves a data file of the first version on; the next does it as if nothing had been."""
    report = Killed()
    with tempfile.TemporaryDirectory() as folder:

        def moved(path: Path, after: float | None) -> None:
            with subprocess.Popen(
                [sys.executable, "-c", MOVE, str(path)], cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE
            ) as process:
                assert process.stdin is not None
                assert process.stdout is not None
                process.stdout.readline()
                process.stdin.write(b"\n")
                process.stdin.flush()
                if after is not None:
                    time.sleep(after)
                    process.kill()

        whole = Path(folder) / "whole.sqlite"
        shutil.copy(OLD, whole)
        moved(whole, None)
        wanted = rows(whole)
        for kill in range(kills):
            path = Path(folder) / f"{kill}.sqlite"
            shutil.copy(OLD, path)
            moved(path, random.Random(first + kill).uniform(0, MIGRATING))
            moved(path, None)
            report.kills += 1
            if rows(path) != wanted:
                report.faults.append(f"a file killed while it was moved on ({first + kill}) is another")
            for one in Path(folder).glob(f"{kill}.sqlite*"):
                one.unlink()
    return report


def main() -> int:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    moving = count // 10
    began = time.monotonic()
    report, moves = campaign(count - moving), migrating(moving)
    for fault in [*report.faults, *moves.faults][:40]:
        print(fault)
    print(
        f"{report.kills + moves.kills} kills, {moves.kills} of them while a data file was moved on: {report.acknowledged} writes "
        f"acknowledged, {len(report.faults) + len(moves.faults)} faults; starts took {statistics.median(report.starts):.1f} s of a "
        f"processor, {max(report.starts):.1f} at most; in {time.monotonic() - began:.0f} s"
    )
    return 1 if report.faults or moves.faults else 0


if __name__ == "__main__":
    sys.exit(main())
