"""How runs go on: `make bench-runs`. Two workers beside one, a run beside the same pictures one by one in one process, memory over
a thousand pictures; and by simulation with the times measured here, up to 64 workers on a network."""

from __future__ import annotations

import heapq
import json
import statistics
import subprocess
import sys
import tempfile
import time
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
import psutil

from aurelon.runs.folder import Folder
from tests.pictures import scene

ROOT = Path(__file__).resolve().parents[1]
RIG = ROOT / "demo" / "rigs" / "headland.json"
MANY, SIZE = 40, (3000, 2000)
SMALL, SMALL_SIZE = 1000, (360, 240)
SEED, LINK = 5, 110e6  # bytes a second of a network of 1 Gbit/s
FLEET = (1, 2, 4, 8, 16, 32, 64)

ONE_BY_ONE = """
import sys, json, time
from pathlib import Path
from aurelon.core import open_plate, parse_rig
from aurelon.core.export import format_for
from aurelon.core.export.picture import export, options_in
from aurelon.core.export.shared.whole_file import write_whole
from aurelon.runs.worker import use_threads
use_threads(1)
plates, rig, out = Path(sys.argv[1]), parse_rig(Path(sys.argv[2]).read_bytes()), Path(sys.argv[3])
took = []
for path in sorted(plates.iterdir()):
    began = time.perf_counter()
    plate = open_plate(path)
    write_whole(out / path.name, export(plate, rig, options_in(format_for("picture", path), plate)))
    took.append(time.perf_counter() - began)
print(json.dumps(took))
"""


def plates_in(folder: Path, count: int, size: tuple[int, int]) -> Path:
    folder.mkdir()
    pictures = [np.round(scene(*size, seed=seed) ** (1 / 2.2) * 255).clip(0, 255).astype(np.uint8) for seed in range(1, 5)]
    for number in range(count):
        picture = np.roll(pictures[number % 4], 5 * number, axis=1)
        cv2.imwrite(str(folder / f"shore {number:04}.jpg"), picture)
    return folder


def run(plates: Path, out: Path, workers: int) -> float:
    command = [sys.executable, "-m", "aurelon", "run", plates, "--rig", RIG, "-o", out / "{name}.jpg"]
    began = time.perf_counter()
    subprocess.run([*map(str, command), "--workers", str(workers), "--threads", "1"], check=True, stderr=subprocess.DEVNULL)
    return time.perf_counter() - began


def memory_over(plates: Path, out: Path) -> list[tuple[int, float]]:
    """(pictures made, MB of the run and its workers) as a run goes on, at each fifth of it."""
    command = [sys.executable, "-m", "aurelon", "run", plates, "--rig", RIG, "-o", out / "{name}.jpg", "--long-edge", "120"]
    going = subprocess.Popen([*map(str, command)], stderr=subprocess.DEVNULL)
    seen: list[tuple[int, float]] = []
    while going.poll() is None:
        result = len(list(out.glob("shore*"))) if out.exists() else 0
        if result >= (len(seen) + 1) * SMALL // 5 - 1 and result < SMALL - 5:
            family = [psutil.Process(going.pid), *psutil.Process(going.pid).children(recursive=True)]
            seen.append((result, sum(one.memory_info().rss for one in family) / 1e6))
        time.sleep(0.2)
    return seen


@dataclass(frozen=True)
class Measured:
    """Seconds of a picture: made by one thread, and written by the machine that runs the run; and bytes of plate and result."""

    result: list[float]
    written: float
    sent: int
    back: int


def simulated(times: Measured, workers: int, pictures: int) -> float:
    """Seconds of a run on so many workers of one thread. One link carries every plate and every result, one after another, and one
    machine writes; a worker has its next plate at hand before it is done."""
    dice = np.random.default_rng(SEED)
    link = writer = end = 0.0
    free: list[tuple[float, int]] = [(0.0, worker) for worker in range(workers)]
    for _ in range(pictures):
        at, worker = heapq.heappop(free)
        # The plate is sent ahead, while the worker is still at the one before.
        link = max(link, at - times.sent / LINK) + times.sent / LINK
        done = max(at, link) + float(dice.choice(times.result))
        link_back = times.back / LINK
        link += link_back
        writer = max(writer, done + link_back) + times.written
        end = max(end, writer)
        heapq.heappush(free, (done, worker))
    return end


def main() -> int:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        plates = plates_in(folder / "plates", MANY, SIZE)
        (folder / "alone").mkdir()
        began = time.perf_counter()
        answer = subprocess.run(
            [sys.executable, "-c", ONE_BY_ONE, plates, RIG, folder / "alone"], check=True, capture_output=True, text=True
        )
        alone = time.perf_counter() - began
        one, two = run(plates, folder / "one", 1), run(plates, folder / "two", 2)
        result = next((folder / "two").glob("shore*")).read_bytes()
        with closing(Folder(folder / "written", resume=False)) as record:
            began = time.perf_counter()
            for number in range(20):
                record.keep(folder / "written" / f"{number}.jpg", str(number), result)
            written = (time.perf_counter() - began) / 20
        plate = statistics.median(path.stat().st_size for path in plates.iterdir())
        times = Measured(json.loads(answer.stdout), written, int(plate), len(result))
        print(f"{MANY} pictures of 6 MP: one by one {alone:.1f} s, one worker {one:.1f} s, two workers {two:.1f} s")
        rows = [
            ("two workers beside one, times as fast", one / two, 1.85, True),
            ("one worker beside one by one", one / alone, 1.1, False),
        ]
        memory = memory_over(plates_in(folder / "small", SMALL, SMALL_SIZE), folder / "out")
        print("memory: " + ", ".join(f"{count} pictures {held:.0f} MB" for count, held in memory))
        rows.append(
            (
                f"memory after {memory[-1][0]} small pictures beside that after {memory[0][0]}",
                memory[-1][1] / memory[0][1],
                1.1,
                False,
            )
        )
        for work, ratio, bound, least in rows:
            kept = ratio >= bound if least else ratio <= bound
            print(f"{'kept  ' if kept else 'missed'} {ratio:6.2f} ({'at least' if least else 'at most'} {bound}) {work}")
        print(f"\nmade in {statistics.median(times.result):.2f} s, written in {written * 1000:.0f} ms, ", end="")
        print(f"{plate / 1e6:.1f} MB there, {len(result) / 1e6:.1f} MB back\n")
        print("| workers | 640 pictures in | times as fast | of what is ideal |\n| --- | --- | --- | --- |")
        single = simulated(times, 1, 640)
        for workers in FLEET:
            took = simulated(times, workers, 640)
            print(f"| {workers} | {took:.0f} s | {single / took:.1f} | {single / took / workers:.0%} |")
    return 0


if __name__ == "__main__":
    sys.exit(main())
