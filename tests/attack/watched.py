"""A watched folder in which files come, are copied slowly, swapped, rewritten, linked, looped and taken away, at random: the watch
goes on, every picture that rested is made as `render` makes it, and no file that was there before is changed."""

from __future__ import annotations

import io
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from contextlib import redirect_stderr
from pathlib import Path
from typing import NamedTuple

from aurelon.cli import main as aurelon
from tests.attack.hand import picture

RIG = '{"lights": [{"id": "glow", "kind": "bloom"}]}'
PATIENCE = 300.0  # seconds until a watch is given up
RESTS = 6.0  # seconds in which a file surely has rested


class Report(NamedTuple):
    """How many pictures were made of those that rested, and what should not have come."""

    result: int
    faults: list[str]


def act(rng: random.Random, folder: Path, away: Path, number: int) -> None:
    """One thing that happens in the folder."""
    target = folder / f"p{rng.randrange(8)}.png"
    match rng.choice(("new", "slow", "swap", "link", "loop", "dangle", "gone", "cut", "touch", "nest")):
        case "new":
            target.unlink(missing_ok=True)
            target.write_bytes(picture(rng))
        case "slow":
            data = picture(rng)
            target.unlink(missing_ok=True)
            with target.open("wb") as file:
                for at in range(0, len(data), len(data) // 3):
                    file.write(data[at : at + len(data) // 3])
                    file.flush()
                    time.sleep(0.3)
        case "swap":
            aside = away / f"swap-{number}.png"
            aside.write_bytes(picture(rng))
            aside.replace(target)
        case "link":
            aside = away / f"linked-{number}.png"
            aside.write_bytes(picture(rng))
            target.unlink(missing_ok=True)
            target.symlink_to(aside)
        case "loop":
            target.unlink(missing_ok=True)
            target.symlink_to(target)
        case "dangle":
            target.unlink(missing_ok=True)
            target.symlink_to(away / "nothing.png")
        case "gone":
            target.unlink(missing_ok=True)
        case "cut":
            target.unlink(missing_ok=True)
            target.write_bytes(picture(rng)[:100])
        case "touch" if target.exists():
            os.utime(target)
        case "nest":
            (folder / f"nest{number}.png").mkdir()


def campaign(things: int, seed: int = 0) -> Report:
    """So many things, then what rests."""
    rng, faults = random.Random(seed), list[str]()
    with tempfile.TemporaryDirectory() as name:
        folder, away, out = Path(name) / "in", Path(name) / "away", Path(name) / "out"
        for one in (folder, away, out):
            one.mkdir()
        (Path(name) / "rig.json").write_text(RIG)
        (out / "others.png").write_bytes(b"somebody's")
        command = [sys.executable, "-m", "aurelon", "run", "--watch", str(folder), "--rig", f"{name}/rig.json"]
        watch = subprocess.Popen([*command, "-o", f"{out}/{{name}}.png"], stderr=subprocess.PIPE, text=True)
        try:
            for number in range(things):
                act(rng, folder, away, number)
                time.sleep(rng.random())
            (folder / "last.png").write_bytes(picture(rng))
            (folder / "others.png").write_bytes(picture(rng))
            began = time.monotonic()
            while not (out / "last.png").exists() and watch.poll() is None and time.monotonic() - began < PATIENCE:
                time.sleep(0.2)
            time.sleep(RESTS)
            rested = {path.name: path.read_bytes() for path in folder.iterdir() if path.is_file() and path.name != "others.png"}
        finally:
            watch.send_signal(signal.SIGINT)
            sentence = watch.communicate(timeout=PATIENCE)[1]
        if "Traceback" in sentence or watch.returncode not in (0, 2):
            faults.append(f"the watch ended with {watch.returncode}: {sentence[-400:]}")
        if (out / "others.png").read_bytes() != b"somebody's":
            faults.append("a file of somebody else was written over")
        result = 0
        for path, data in rested.items():
            same = Path(name) / "same.png"
            same.write_bytes(data)
            alone = Path(name) / "alone.png"
            shutil.rmtree(alone, ignore_errors=True)
            with redirect_stderr(io.StringIO()):
                if aurelon(["render", str(same), "--rig", f"{name}/rig.json", "-o", str(alone)]) != 0:
                    continue  # a damaged one
            result += 1
            if not (out / path).exists() or (out / path).read_bytes() != alone.read_bytes():
                faults.append(f"{path} rested and was not made as it is; the watch said: {sentence[-400:]}")
    return Report(result, faults)


def main() -> int:
    things = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    report = campaign(things)
    for fault in report.faults[:40]:
        print(fault)
    print(f"{things} things in a watched folder: {report.result} pictures at rest made as they are, {len(report.faults)} faults")
    return 1 if report.faults else 0


if __name__ == "__main__":
    sys.exit(main())
