"""Files are looked at apart: what ends or holds up their decoder is one sentence, and the next file is read as ever."""

from __future__ import annotations

import os
import signal
import tempfile
import time
import unittest
from pathlib import Path
from typing import BinaryIO, cast

from aurelon.core import PlateError
from aurelon.runs.first_look import Apart, Here
from tests.pictures import scene
from tests.reels import frames, write_video
from tests.web.service import png


def breaks_off(data: bytes, name: str) -> None:
    """As a decoder does that writes where it may not."""
    os.kill(os.getpid(), signal.SIGSEGV)


def never_ends(data: bytes, name: str) -> None:
    time.sleep(3600)


def where(data: bytes, name: str) -> int:
    return os.getpid()


class LookedAtApart(unittest.TestCase):
    apart: Apart

    @classmethod
    def setUpClass(cls) -> None:
        cls.apart = Apart(60)
        cls.addClassCleanup(cls.apart.close)

    def tearDown(self) -> None:
        looked = self.apart.look(png(scene(30, 20)), "next.png")
        self.assertEqual((looked.size, looked.depth, looked.said, looked.rig), ((30, 20), "8", (), ""))

    def test_it_tells_and_refuses_as_it_does_here(self) -> None:
        data = png(scene(60, 40))
        self.assertEqual(self.apart.look(data, "shore.png"), Here().look(data, "shore.png"))
        self.assertEqual(self.apart.size_of_grey(data, "shore.png"), (40, 60))
        said = []
        for first_look in (self.apart, Here()):
            with self.assertRaises(PlateError) as refused:
                first_look.look(data[:200], "cut.png")
            said.append(str(refused.exception))
        self.assertEqual(said[0], said[1])
        self.assertTrue(said[0].startswith("cut.png "))

    def test_a_reel_is_looked_at_where_it_lies(self) -> None:
        with tempfile.TemporaryDirectory() as folder, tempfile.SpooledTemporaryFile(1 << 30) as spooled:
            path = write_video(Path(folder) / "pier.mkv", frames(6))
            spooled.write(path.read_bytes())
            with path.open("rb") as opened:
                for file in (opened, cast(BinaryIO, spooled)):
                    self.apart.look_at_frames(file, "pier.mkv")
                    self.assertFalse(file.closed)
                    file.seek(0)
                    self.assertEqual(file.read(), path.read_bytes())
            with path.open("r+b") as cut:
                cut.truncate(700)
                with self.assertRaisesRegex(PlateError, r"^pier\.mkv "):
                    self.apart.look_at_frames(cut, "pier.mkv")

    def test_a_decoder_that_ends_its_process_is_one_sentence(self) -> None:
        before = self.apart.had(where, b"", "")
        self.assertNotEqual(before, os.getpid())
        with self.assertRaisesRegex(PlateError, r"^bad\.avif is so damaged that"):
            self.apart.had(breaks_off, b"", "bad.avif")
        self.assertNotEqual(self.apart.had(where, b"", ""), before)

    def test_a_decoder_that_comes_to_no_end_is_ended(self) -> None:
        hurried = Apart(1)
        self.addCleanup(hurried.close)
        with self.assertRaisesRegex(PlateError, r"^slow\.jxl could not be read in 1 s"):
            hurried.had(never_ends, b"", "slow.jxl")


if __name__ == "__main__":
    unittest.main()
