"""The edges of what files may say: one byte less, one more, or the other way round."""

from __future__ import annotations

import struct
import unittest

import numpy as np

from aurelon.core.codecs import hdr
from aurelon.core.codecs.shared.exif import DAMAGED, notes_of
from aurelon.core.codecs.shared.raster import Raster, UnreadableError
from aurelon.core.imaging.rgb_space import LINEAR_SRGB


class Mirrored(unittest.TestCase):
    def test_radiance_files_are_read_upright_only(self) -> None:
        data = hdr.write(Raster(np.ones((2, 3, 3), np.float32), space=LINEAR_SRGB), "float", 100)
        self.assertEqual(hdr.measure(data), (3, 2))
        for turned in (b"-Y 2 -X 3", b"+Y 2 +X 3", b"+X 3 -Y 2", b"-X 3 -Y 2"):
            with self.subTest(turned), self.assertRaisesRegex(UnreadableError, "turned or mirrored"):
                hdr.measure(data.replace(b"-Y 2 +X 3", turned))


class ExifEnds(unittest.TestCase):
    """A block whose one directory lies at its end: whatever is cut off, the block is damaged, and nothing breaks."""

    def block(self, entries: int = 1, at: int = 8) -> bytes:
        entry = struct.pack("<HHI4s", 0x0110, 2, 4, b"Sea\0")
        return b"II*\0" + struct.pack("<I", at) + struct.pack("<H", entries) + entry + struct.pack("<I", 0)

    def test_a_whole_block_is_whole(self) -> None:
        self.assertEqual(notes_of(self.block()), ())

    def test_a_block_is_damaged_however_much_of_it_is_cut_off(self) -> None:
        whole = self.block()
        for length in range(1, 10 + 12):
            with self.subTest(length):
                self.assertEqual(notes_of(whole[:length]), (DAMAGED,))

    def test_a_directory_that_lies_at_or_past_the_end_is_damaged(self) -> None:
        length = len(self.block())
        for at in (length - 1, length, length + 1, 1 << 31):
            with self.subTest(at):
                self.assertEqual(notes_of(self.block(at=at)), (DAMAGED,))

    def test_more_entries_than_there_are_is_damaged(self) -> None:
        for entries in (2, 3, 60000):
            with self.subTest(entries):
                self.assertEqual(notes_of(self.block(entries)), (DAMAGED,))
