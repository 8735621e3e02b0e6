"""Every demo rig, rendered with one, two and four threads, once more after a start, and by every engine: the same bits."""

from __future__ import annotations

import hashlib
import os
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tests.browser.window import AURELON, ROOT, free_port

DEMO = ROOT / "demo"
THREADS = ("1", "2", "4")
FRAME = 20  # of a reel
MADE = """
import hashlib, sys
import numba
from aurelon.core import open_plate, open_reel, parse_rig, render
from pathlib import Path
threads, path, rig, frame = sys.argv[1:]
numba.set_num_threads(int(threads))
plate = open_reel(path)[int(frame)] if path.endswith(".webm") else open_plate(Path(path))
print(hashlib.sha256(render(plate, parse_rig(Path(rig).read_bytes()).at(plate.frame)).tobytes()).hexdigest())
"""
PATIENCE = 60


def rigs() -> list[tuple[Path, Path]]:
    """Each demo rig and what it is laid on: its own plate, where there is one."""
    headland, ferry = DEMO / "plates" / "headland.jpg", DEMO / "reels" / "ferry.webm"
    found = []
    for rig in sorted([*(DEMO / "rigs").glob("*.json"), *(DEMO / "rigs" / "named").glob("*.json")]):
        own = DEMO / "plates" / f"{rig.stem}.jpg"
        found.append((rig, ferry if rig.stem == "ferry" else own if own.is_file() else headland))
    return found


def bits(rig: Path, plate: Path, threads: str) -> str:
    """The digest of the light's pixels, from a process of its own."""
    command = [sys.executable, "-c", MADE, threads, str(plate), str(rig), str(FRAME)]
    environment = {**os.environ, "NUMBA_NUM_THREADS": THREADS[-1]}
    return subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=True, env=environment).stdout.strip()


@contextmanager
def cluster() -> Iterator[str]:
    """The address of a cluster of one worker."""
    port = free_port()
    address = f"tcp://127.0.0.1:{port}"
    usual = ("--host", "127.0.0.1", "--no-dashboard")
    orders = (("scheduler", "--port", str(port)), ("worker", address, "--nthreads", "1", "--no-nanny"))
    with tempfile.TemporaryDirectory() as folder:
        processes = []
        for order in orders:
            command = [sys.executable, "-m", "dask", *order, *usual]
            environment, quiet = os.environ | {"PYTHONPATH": str(ROOT)}, subprocess.DEVNULL
            processes.append(subprocess.Popen(command, cwd=folder, env=environment, stdout=quiet, stderr=quiet))
            began = time.monotonic()
            while True:
                with socket.socket() as one:
                    if one.connect_ex(("127.0.0.1", port)) == 0:
                        break
                if time.monotonic() - began > PATIENCE:
                    raise AssertionError("the cluster did not begin")
                time.sleep(0.1)
        try:
            yield address
        finally:
            for process in reversed(processes):
                process.terminate()
                process.wait()


def files(rig: Path, plate: Path, address: str) -> dict[str, str]:
    """Digests of the file that the command writes alone, by workers here, and by a cluster."""
    result = {}
    with tempfile.TemporaryDirectory() as folder:
        alone = ["render", str(plate), "--rig", str(rig), "-o", f"{folder}/alone.png", "--depth", "16"]
        many = ["run", str(plate), "--rig", str(rig), "--depth", "16", "-o"]
        ways = {
            "alone": alone,
            "processes": [*many, f"{folder}/processes-{{name}}.png", "--workers", "2"],
            "cluster": [*many, f"{folder}/cluster-{{name}}.png", "--cluster", address],
        }
        for name, words in ways.items():
            subprocess.run([*AURELON, *words], cwd=ROOT, capture_output=True, check=True)
            (file,) = Path(folder).glob(f"{name}*.png")
            result[name] = hashlib.sha256(file.read_bytes()).hexdigest()
    return result


def main() -> int:
    began, differing = time.monotonic(), []
    with cluster() as address:
        for rig, plate in rigs():
            threads = {f"{count} threads": bits(rig, plate, count) for count in THREADS} | {"again": bits(rig, plate, THREADS[1])}
            engines = {} if plate.suffix == ".webm" else files(rig, plate, address)
            for result in (threads, engines):
                if len(set(result.values())) > 1:
                    differing.append(f"{rig.stem}: {result}")
    for fault in differing:
        print(fault)
    print(
        f"{len(rigs())} demo rigs with {', '.join(THREADS)} threads, after a second start, and by every engine: "
        f"{len(differing)} differ, in {time.monotonic() - began:.0f} s"
    )
    return 1 if differing else 0


if __name__ == "__main__":
    sys.exit(main())
