"""Hours of five people's work on one service: its memory and its open files stay where they were after ten minutes, and nobody gets
an answer that is a fault.
"""

from __future__ import annotations

import argparse
import statistics
import sys
import tempfile
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path

import psutil

from tests.attack.hand import Hand
from tests.browser.window import Service

CLIENTS = 5
EVERY = 20.0  # s between two looks at the process
SETTLED = 600.0  # s after which memory is to stay as it is
MORE = 1.15  # times the memory of the time just after, that the last may be
FILES = 12  # more open files than there were, that there may be


@dataclass(frozen=True)
class Look:
    """What the service held at a moment: bytes, open files, threads."""

    second: float
    memory: int
    files: int
    threads: int


@dataclass
class Soaked:
    """What came of it."""

    looks: list[Look] = field(default_factory=list)
    done: dict[str, int] = field(default_factory=dict)
    refused: int = 0
    faults: list[str] = field(default_factory=list)

    def between(self, first: float, last: float) -> list[Look]:
        return [look for look in self.looks if first <= look.second < last]


def soak(
    seconds: float, *, things: int = 0, settled: float = SETTLED, every: float = EVERY, rest: float = 0.5, clients: int = CLIENTS
) -> Soaked:
    """So long of work on a service with the demo data, and longer if need be until so many things are done, each client resting
    `rest` seconds between two of them."""
    report = Soaked()
    with tempfile.TemporaryDirectory() as folder:
        service = Service(Path(folder) / "data")
        service.start()
        assert service.process is not None
        process = psutil.Process(service.process.pid)
        over = threading.Event()
        hands = [Hand(service.url, seed) for seed in range(clients)]

        def work(hand: Hand) -> None:
            while not over.is_set():
                try:
                    hand.do()
                except Exception as error:  # that is what is looked for
                    report.faults.append(f"{type(error).__name__}: {error}")
                    over.wait(1)
                over.wait(rest)

        threads = [threading.Thread(target=work, args=(hand,)) for hand in hands]
        began = time.monotonic()
        for thread in threads:
            thread.start()
        while process.is_running():
            second = time.monotonic() - began
            if second >= seconds and sum(sum(hand.done.values()) for hand in hands) >= things:
                break
            report.looks.append(Look(second, process.memory_info().rss, process.num_fds(), process.num_threads()))
            over.wait(every)
        if service.process.poll() is not None:
            report.faults.append(f"the service ended with {service.process.returncode}")
        over.set()
        for thread in threads:
            thread.join()
        service.stop()
        for hand in hands:
            hand.close()
            report.refused += hand.refused
            for name, count in hand.done.items():
                report.done[name] = report.done.get(name, 0) + count
    early, late = (
        report.between(settled, settled + (seconds - settled) / 4),
        report.between(seconds - (seconds - settled) / 4, seconds),
    )
    if early and late:
        before, after = (statistics.median(look.memory for look in part) for part in (early, late))
        if after > MORE * before:
            report.faults.append(f"memory grew from {before / 1e6:.0f} to {after / 1e6:.0f} MB")
        before, after = (statistics.median(look.files for look in part) for part in (early, late))
        if after > before + FILES:
            report.faults.append(f"open files grew from {before:.0f} to {after:.0f}")
    return report


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("minutes", type=float, nargs="?", default=120.0)
    minutes = parser.parse_args().minutes
    report = soak(60 * minutes)
    for fault in report.faults[:40]:
        print(fault)
    step = max(len(report.looks) // 12, 1)
    print("minute, MB, open files, threads")
    for look in report.looks[::step]:
        print(f"{look.second / 60:.0f}, {look.memory / 1e6:.0f}, {look.files}, {look.threads}")
    print(", ".join(f"{name} {count}" for name, count in sorted(report.done.items())))
    print(f"{minutes:.0f} minutes: {sum(report.done.values())} things done, {report.refused} refused, {len(report.faults)} faults")
    return 1 if report.faults else 0


if __name__ == "__main__":
    sys.exit(main())
