"""Reels lit on the command line: the same whatever makes them, gone on with after a kill, one sentence for what is wrong."""

from __future__ import annotations

import io
import json
import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from contextlib import redirect_stderr
from pathlib import Path

import numpy as np

from aurelon.cli import main
from aurelon.core import open_plate, open_reel, parse_rig, render
from tests.copied import run_command
from tests.reels import frames, write_stills, write_video

RIG = {
    "format": "aurelon-rig",
    "version": 2,
    "lights": [{"id": "glow", "kind": "bloom"}],
    "keys": {"glow": {"merge.intensity": {"at": [[0, 0.0], [29, 3.0]]}}},
}
AURELON = [sys.executable, "-m", "aurelon"]


class ReelRuns(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.rig = self.folder / "rig.json"
        self.rig.write_text(json.dumps(RIG))
        self.source = write_video(self.folder / "in.mkv", frames(30))

    def render(self, out: str, *rest: str, source: Path | None = None) -> subprocess.CompletedProcess[str]:
        return run_command("render", source or self.source, "--rig", self.rig, "-o", out, *rest, folder=self.folder)

    def test_the_same_file_from_one_worker_and_from_two(self) -> None:
        for workers in ("1", "2"):
            done = self.render(f"out{workers}.mkv", "--workers", workers)
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn("30 frames made, in", done.stderr)
        one, two = (open_reel(self.folder / f"out{n}.mkv") for n in (1, 2))
        rig, reel = parse_rig(self.rig.read_bytes()), open_reel(self.source)
        for number in (0, 13, 29):
            np.testing.assert_array_equal(one.footage.raster(number).samples, two.footage.raster(number).samples)
        # The light swells with its keys.
        levels = [one[number].pixels.mean() - reel[number].pixels.mean() for number in (0, 13, 29)]
        self.assertEqual(levels, sorted(levels))
        self.assertAlmostEqual(one[29].pixels.mean(), np.clip(render(reel, rig, frame=29), 0, 1).mean(), delta=0.004)
        for opened in (one, two, reel):
            opened.close()
        self.assertEqual([path.name for path in self.folder.iterdir() if "segments" in path.name], [])

    def test_numbered_stills_keep_their_numbers(self) -> None:
        folder = write_stills(self.folder / "shots", frames(5), first=31)
        done = self.render("lit/%05d.png", "--frames", "1:4", source=folder)
        self.assertEqual(done.returncode, 0, done.stderr)
        result = sorted(path.name for path in (self.folder / "lit").glob("*.png"))
        self.assertEqual(result, ["00032.png", "00033.png", "00034.png"])
        rig = parse_rig(self.rig.read_bytes())
        plate = open_plate(self.folder / "lit" / "00033.png")
        reel = open_reel(folder)
        self.assertLess(np.abs(plate.pixels - np.clip(render(reel, rig, frame=2), 0, 1)).mean(), 0.004)
        # The same again makes nothing anew; a folder takes them too, with passes in each.
        self.assertIn(
            "0 frames made, 3 there already", self.render("lit/%05d.png", "--frames", "1:4", "--resume", source=folder).stderr
        )
        self.assertEqual(self.render("passes/%04d.exr", "--frames", "0:1", "--passes", source=folder).returncode, 0)
        self.assertTrue((self.folder / "passes" / "0031.exr").is_file())

    def test_one_frame_as_a_picture(self) -> None:
        done = self.render("one.png", "--frames", "7:")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("frame 7 of 30", done.stderr)
        self.assertEqual(open_plate(self.folder / "one.png").size, (96, 64))

    def test_it_goes_on_after_a_kill(self) -> None:
        source = write_video(self.folder / "long.mkv", frames(120, 240, 160))
        command = [*AURELON, "render", str(source), "--rig", str(self.rig), "-o", "out.mkv", "--workers", "1"]
        work = self.folder / ".aurelon-out.mkv.segments"
        process = subprocess.Popen(command, cwd=self.folder, stderr=subprocess.DEVNULL, start_new_session=True)
        for _ in range(600):
            if len(list(work.glob("00*"))) >= 2:
                break
            time.sleep(0.05)
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        self.assertFalse((self.folder / "out.mkv").exists())
        kept = {path.name: path.stat().st_mtime_ns for path in work.glob("00*")}
        self.assertGreaterEqual(len(kept), 2)
        done = self.render("out.mkv", "--resume", source=source)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertRegex(done.stderr, rf"{len(kept)} of 5 are there already")
        self.assertEqual(len(open_reel(self.folder / "out.mkv")), 120)
        self.assertFalse(work.exists())

    def test_what_is_wrong_is_one_sentence_and_exit_2(self) -> None:
        wrong = {
            ("out.mkv", "--frames", "20:40"): "in.mkv has the frames 0 to 29; choose --frames among them, such as 0:30",
            ("out.avi",): "out.avi has no ending that Aurelon can write",
            ("nowhere/out.mkv",): "nowhere/out.mkv cannot be written: the folder nowhere does not exist",
            ("out.webm", "--depth", "16"): "WebM, VP9 cannot hold 16 bits; it holds 8",
            ("out.mkv", "--passes"): "out.mkv cannot hold passes; have frames written, such as 'out/%04d.exr'",
        }
        before = os.getcwd()
        os.chdir(self.folder)
        self.addCleanup(os.chdir, before)
        for (out, *rest), sentence in wrong.items():
            answer = io.StringIO()
            with redirect_stderr(answer):
                code = main(["render", "in.mkv", "--rig", "rig.json", "-o", out, *rest])
            self.assertEqual(code, 2, out)
            self.assertIn(sentence, answer.getvalue())
            self.assertEqual(len(answer.getvalue().strip().splitlines()), 1, answer.getvalue())
        self.assertEqual(sorted(path.name for path in self.folder.iterdir()), ["in.mkv", "rig.json"])


if __name__ == "__main__":
    unittest.main()
