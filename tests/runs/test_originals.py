"""An output never lies on an input, nor on a file that no run has made, unless it is named twice; and it is said before anything is
made."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import time
import unittest
from pathlib import Path

from tests.copied import run_command
from tests.reels import frames, write_video
from tests.runs.run_test import RunTest


class Originals(RunTest):
    count = 2

    def setUp(self) -> None:
        super().setUp()
        self.before = self.state()

    def state(self) -> dict[str, bytes]:
        """Every file in the folder, byte for byte."""
        return {str(path.relative_to(self.folder)): path.read_bytes() for path in self.folder.rglob("*") if path.is_file()}

    def refused(self, done: subprocess.CompletedProcess[str], sentence: str) -> None:
        self.assertEqual((done.returncode, len(done.stderr.splitlines())), (2, 1), done.stderr)
        self.assertIn(sentence, done.stderr)
        result = {name: data for name, data in self.state().items() if "/.aurelon-" not in f"/{name}"}
        self.assertEqual(result, self.before)

    def made(self, done: subprocess.CompletedProcess[str]) -> None:
        self.assertEqual(done.returncode, 0, done.stderr)

    def render(self, plate: Path, out: Path, *more: str | Path) -> subprocess.CompletedProcess[str]:
        return run_command("render", plate, "--rig", self.rig, "-o", out, *more, folder=self.folder)

    def test_a_picture_is_not_rendered_over_its_plate_or_its_rig(self) -> None:
        own = self.plates / "shore 0.png"
        (self.folder / "link.png").symlink_to(own)
        os.link(own, self.folder / "hard.png")
        self.before = self.state()
        for out in (own, self.folder / "link.png", self.folder / "hard.png", self.plates / ".." / "plates" / own.name):
            with self.subTest(out):
                self.refused(self.render(own, out), "is the plate")
        rig = self.folder / "rig.png"
        shutil.copy(self.rig, rig)
        self.before = self.state()
        self.refused(self.render(own, own, "--over", self.folder / "other.png"), "name the same again")
        done = self.render(own, own, "--over", own)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertNotEqual(own.read_bytes(), self.before["plates/shore 0.png"])

    def test_a_run_writes_over_no_plate_and_no_file_of_others(self) -> None:
        self.refused(self.run_it(self.plates, out="plates/{name}.png"), "is one of the plates")
        (self.folder / "out").mkdir()
        (self.folder / "out" / "shore 1.png").write_bytes(b"somebody's")
        self.before = self.state()
        self.refused(self.run_it(self.plates), "was not made by a run into")
        again = str(self.folder / "out/{name}.png")
        self.made(self.run_it(self.plates, "--over", again))
        # What a run has made it may make anew, until somebody changes it.
        self.made(self.run_it(self.plates / "shore 0.png"))
        self.made(self.run_it(self.plates))
        (self.folder / "out" / "shore 0.png").write_bytes(b"retouched")
        self.before = {name: data for name, data in self.state().items() if "/.aurelon-" not in f"/{name}"}
        self.refused(self.run_it(self.plates), "was not made by a run into")

    def test_two_plates_for_one_output_are_named(self) -> None:
        shutil.copy(self.plates / "shore 0.png", self.plates / "b.png")
        (self.folder / "more").mkdir()
        shutil.copy(self.plates / "shore 0.png", self.folder / "more" / "b.png")
        self.before = self.state()
        both = self.run_it(self.plates / "b.png", self.folder / "more" / "b.png")
        self.refused(both, f"{self.plates / 'b.png'} and {self.folder / 'more' / 'b.png'} would both become")

    def test_a_reel_is_not_written_over_itself_nor_stills_over_theirs(self) -> None:
        reel = write_video(self.folder / "pier.mkv", frames(4))
        stills = self.folder / "stills"
        stills.mkdir()
        for number in range(3):
            (stills / f"{number:04d}.png").write_bytes(self.plate(number))
        self.before = self.state()
        self.refused(self.render(reel, reel), "is one of the plates")
        self.refused(self.render(stills / "%04d.png", stills / "%04d.png"), "is one of the plates")


class Watched(RunTest):
    count = 1

    def watch(self, out: str = "out/{name}.jpg") -> subprocess.Popen[str]:
        process = subprocess.Popen(self.command("--watch", self.plates, out=out), stderr=subprocess.PIPE, text=True)
        self.addCleanup(process.wait, 60)
        self.addCleanup(process.kill)
        return process

    def until(self, names: list[str]) -> None:
        began = time.monotonic()
        while not (self.folder / "out").exists() or list(self.outs()) != names:
            self.assertLess(time.monotonic() - began, 300)
            time.sleep(0.1)

    def test_a_pattern_that_leads_back_into_the_folder_is_refused(self) -> None:
        for out in ("{folder}/{name}.jpg", "other/../plates/{name}.jpg"):
            with self.subTest(out):
                done = self.run_it("--watch", self.plates, out=out)
                self.assertEqual(done.returncode, 2)
                self.assertIn("cannot be watched and written to at once", done.stderr)
        self.assertEqual([path.name for path in self.plates.iterdir()], ["shore 0.png"])

    def test_links_damage_and_two_of_one_name_are_sentences_and_the_watch_goes_on(self) -> None:
        (self.plates / "away.png").symlink_to(self.folder / "nothing.png")
        (self.plates / "loop.png").symlink_to(self.plates / "loop.png")
        (self.plates / "bad.png").write_bytes(self.plate(1)[:300])
        watch = self.watch()
        self.until(["shore 0.jpg"])
        shutil.copy(self.plates / "shore 0.png", self.plates / "shore 0.tif.png")
        (self.plates / "shore 0.jpeg").write_bytes((self.folder / "out" / "shore 0.jpg").read_bytes())
        self.until(["shore 0.jpg", "shore 0.tif.jpg"])
        # The last to come shows that all before it were looked at.
        (self.plates / "zz.png").write_bytes(self.plate(4))
        self.until(["shore 0.jpg", "shore 0.tif.jpg", "zz.jpg"])
        watch.send_signal(signal.SIGINT)
        said = watch.communicate(timeout=60)[1]
        for sentence in ("away.png is a link that leads to no file", "loop.png is a link that leads to no file"):
            self.assertEqual(said.count(sentence), 1, said)
        self.assertIn("bad.png", said)
        self.assertNotIn("bad.png ->", said)
        self.assertIn("would both become", said)
        self.assertIn("3 pictures made, 2 failed", said)
        self.assertEqual(watch.returncode, 2)


if __name__ == "__main__":
    unittest.main()
