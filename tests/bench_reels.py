"""How reels go on: `make bench-reels`. Two workers beside one, a frame beside a still picture, a matte carried, memory over a
thousand frames; all with the ferry reel, enlarged to 1920 x 1080."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import psutil

from aurelon.core import Reel, open_reel, parse_rig
from aurelon.core.analysis.carried_matte import carried
from aurelon.core.export.picture import PictureExport, export
from aurelon.core.export.reels import ReelExport, segment_of
from aurelon.core.reels.shared.writing import Look, Timed, Timeline
from aurelon.core.reels.writers import reel_format, video
from aurelon.runs.worker import use_threads

DEMO = Path(__file__).resolve().parents[1] / "demo"
FRAMES, MANY = 96, 1000
LIGHTS = ("low-sun", "glow")  # shafts behind a matte, and bloom


def enlarged(reel: Reel, out: Path, count: int, size: tuple[int, int]) -> Path:
    """The reel over and over, at another size, in MP4."""
    form, _ = reel_format("h264")
    look = Look(size=size, depth="8", quality=80, rate=Fraction(24), points=(1, 13))
    timed = (
        Timed(cv2.resize(reel.footage.raster(n % len(reel)).samples, size, interpolation=cv2.INTER_AREA), Fraction(n, 24))
        for n in range(count)
    )
    piece = video.segment(form, look, timed)
    with out.open("w+b") as file:
        video.join(form, look, [piece], Timeline([Fraction(n, 24) for n in range(count + 1)]), file)
    return out


def lit(source: Path, rig: Path, out: Path, workers: int) -> float:
    command = [sys.executable, "-m", "aurelon", "render", source, "--rig", rig, "-o", out, "--workers", workers, "--threads", 1]
    began = time.perf_counter()
    subprocess.run([str(part) for part in command], check=True, stderr=subprocess.DEVNULL)
    return time.perf_counter() - began


def memory_over(source: Path, rig: Path, out: Path) -> list[float]:
    """MB of a run and its workers, after each fifth of its segments."""
    command = [sys.executable, "-m", "aurelon", "render", str(source), "--rig", str(rig), "-o", str(out), "--workers", "2"]
    going = subprocess.Popen(command, stderr=subprocess.DEVNULL)
    work, seen = out.with_name(f".aurelon-{out.name}.segments"), list[float]()
    while going.poll() is None:
        result = len(list(work.glob("00*"))) if work.exists() else 0
        if result >= (len(seen) + 1) * (MANY // 24) // 5:
            family = [psutil.Process(going.pid), *psutil.Process(going.pid).children(recursive=True)]
            seen.append(sum(one.memory_info().rss for one in family) / 1e6)
        time.sleep(0.1)
    return seen


def main() -> int:
    ferry, mattes = open_reel(DEMO / "reels" / "ferry.webm"), open_reel(DEMO / "reels" / "ferry-mattes.mkv")
    whole = json.loads((DEMO / "rigs" / "ferry.json").read_text())
    whole["lights"] = [light for light in whole["lights"] if light["id"] in LIGHTS]
    whole["keys"] = {name: keys for name, keys in whole["keys"].items() if name in LIGHTS}
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        rig = folder / "rig.json"
        rig.write_text(json.dumps(whole))
        big = enlarged(ferry, folder / "big.mp4", FRAMES, (1920, 1080))
        one, two = lit(big, rig, folder / "one.mp4", 1), lit(big, rig, folder / "two.mp4", 2)
        same = (folder / "one.mp4").read_bytes() == (folder / "two.mp4").read_bytes()
        print(f"{FRAMES} frames of 1920 x 1080: one worker {one:.1f} s, two {two:.1f} s, {'the same' if same else 'OTHER'} bytes")
        use_threads(1)
        parsed, reel, wanted = parse_rig(rig.read_bytes()), open_reel(big), ReelExport(format="h264")
        segment_of(reel, parsed, wanted, 20, 22)
        stills, frames = [], []
        for round in range(3):
            # Each still is lit for the first time, as each frame is: what is found in a picture is found once.
            first = 24 + 8 * round
            plates = [reel[n] for n in range(first, first + 8)]
            began = time.perf_counter()
            for plate in plates:
                export(plate, parsed, PictureExport(format="jpeg", depth="8"))
            stills.append((time.perf_counter() - began) / len(plates))
            began = time.perf_counter()
            segment_of(reel, parsed, wanted, first, first + len(plates))
            frames.append((time.perf_counter() - began) / len(plates))
        still, frame = min(stills), min(frames)
        print(f"a frame read, lit and written in {frame:.3f} s, a still picture lit and written in {still:.3f} s")
        known = mattes.footage.raster(0).samples.mean(axis=2, dtype=np.float32) / np.float32(255)
        began = time.perf_counter()
        list(carried(ferry, {0: known}))
        cut = (time.perf_counter() - began) / (len(ferry) - 1)
        memory = memory_over(enlarged(ferry, folder / "many.mp4", MANY, (320, 180)), rig, folder / "many-lit.mp4")
        print("memory, MB: " + ", ".join(f"{held:.0f}" for held in memory))
        rows = [
            ("two workers beside one, times as fast", one / two, 1.8, True),
            ("a frame beside a still picture", frame / still, 1.15, False),
            ("seconds in which a matte is carried to a frame of 960 x 540", cut, 0.25, False),
            (f"memory late in a reel of {MANY} frames beside early", memory[-1] / memory[0], 1.1, False),
        ]
        for work, ratio, bound, least in rows:
            kept = ratio >= bound if least else ratio <= bound
            print(f"{'kept  ' if kept else 'missed'} {ratio:6.2f} ({'at least' if least else 'at most'} {bound}) {work}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
