"""Several windows on one plate, each doing something at random without knowing of the others: saving, undoing, redoing, and
settling what was refused one way or the other. Nothing is overwritten, and nothing that was acknowledged is lost.
"""

from __future__ import annotations

import json
import sqlite3
import sys
import tempfile
import threading
import time
from collections import Counter
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tests.attack.hand import Fault, Hand
from tests.browser.window import Service


@dataclass
class Report:
    """What came of it: steps that were acknowledged, from which revision to which; saves with what was in them; conflicts."""

    steps: list[tuple[int, int]] = field(default_factory=list)
    saves: dict[int, tuple[int, str, float]] = field(default_factory=dict)
    conflicts: int = 0
    faults: list[str] = field(default_factory=list)


class Window(Hand):
    """A window on a plate: it knows the revision that it saw last."""

    def __init__(self, url: str, seed: int, plate: int, report: Report) -> None:
        super().__init__(url, seed)
        self.at, self.tell = plate, report
        self.seen: Any = self.answer("GET", f"/plates/{plate}/bench")

    def act(self) -> None:
        """One step on what it saw last, whatever is there by now."""
        base = self.seen["revision"]
        what = self.rng.choice(("save", "save", "save", "undo", "redo"))
        if what == "save":
            self._save(base, self.seen["rig"])
        else:
            self._told(base, self.ask("POST", f"/plates/{self.at}/{what}", json={"base": base}))

    def _save(self, base: int, rig: Any) -> None:
        exposure, label = round(self.rng.uniform(-2, 2), 6), f"Step {self.rng.getrandbits(60)}"
        rig = {**rig, "prepare": {**rig["prepare"], "exposure": exposure}}
        answer = self.ask("POST", f"/plates/{self.at}/revisions", json={"base": base, "label": label, "rig": rig})
        result = self._told(base, answer)
        if result is not None:
            self.tell.saves[result] = base, label, exposure
        elif self.rng.random() < 0.5:  # this window's is kept, on top of what is there
            self._save(self.seen["revision"], rig)

    def _told(self, base: int, answer: Any) -> int | None:
        if answer.status_code == 409:
            self.tell.conflicts += 1
            self.seen = answer.json()["present"]
            return None
        self.seen = answer.json()
        result = int(self.seen["revision"])
        if result != base:
            self.tell.steps.append((base, result))
        return result


def off_the_path(steps: list[tuple[int, int]], first: int, last: int) -> list[int]:
    """Revisions that are left more or less often than they are come to. Each step goes on from what is there, so that all of them
    are one walk from the first to the last (Euler)."""
    more = Counter[int]()
    for begin, end in steps:
        more[begin] += 1
        more[end] -= 1
    more[first] -= 1
    more[last] += 1
    return [revision for revision, count in more.items() if count]


def campaign(conflicts: int, windows: int = 3, number: int = 0) -> Report:
    """Opens windows on one plate until the number of conflicts is reached."""
    report = Report()
    with tempfile.TemporaryDirectory() as folder:
        service = Service(Path(folder) / "data")
        service.start()
        begin = Hand(service.url, number)
        begin.bring_in()
        plate = begin.plate(own=True)["id"]
        first = begin.rig(begin.plate(own=True))["revision"]
        begin.close()
        open_windows = [Window(service.url, number + n, plate, report) for n in range(windows)]

        def work(window: Window) -> None:
            while report.conflicts < conflicts and len(report.faults) < 20:
                try:
                    window.act()
                except Fault as error:
                    report.faults.append(str(error))

        threads = [threading.Thread(target=work, args=(window,)) for window in open_windows]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        for window in open_windows:
            window.close()
        service.stop()
        with closing(sqlite3.connect(Path(folder) / "data" / "aurelon.sqlite")) as kept:
            (head,) = kept.execute("SELECT head FROM plate WHERE id = ?", (plate,)).fetchone()
            rows = kept.execute("SELECT id, parent_id, label, rig FROM revision WHERE plate_id = ?", (plate,))
            there = {one: (parent, label, json.loads(rig)["prepare"].get("exposure")) for one, parent, label, rig in rows}
    report.faults += [
        f"revision {one} is {there.get(one)}, not {what}" for one, what in report.saves.items() if there.get(one) != what
    ]
    report.faults += [f"revision {one} is there, and nobody was told" for one in there if one not in report.saves and one != first]
    report.faults += [f"revision {one} was overwritten" for one in off_the_path(report.steps, first, head)]
    return report


def main() -> int:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    began = time.monotonic()
    both = [campaign(count // 2, 2, 1), campaign(count - count // 2, 3, 2)]
    for fault in [fault for report in both for fault in report.faults][:40]:
        print(fault)
    print(
        f"{sum(report.conflicts for report in both)} conflicts of two and of three windows, "
        f"{sum(len(report.saves) for report in both)} saves, {sum(len(report.steps) for report in both)} steps, "
        f"{sum(len(report.faults) for report in both)} faults, "
        f"in {time.monotonic() - began:.0f} s"
    )
    return 1 if any(report.faults for report in both) else 0


if __name__ == "__main__":
    sys.exit(main())
