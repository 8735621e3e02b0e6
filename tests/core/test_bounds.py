"""The edges of what files may say: one byte less, one more, or the other way round."""

from __future__ import annotations

import io
import struct
import unittest

import numpy as np
import tifffile

from aurelon.core import Renderer
from aurelon.core.codecs import exr, hdr, png
from aurelon.core.codecs.shared.exif import DAMAGED, notes_of
from aurelon.core.codecs.shared.raster import Raster, UnreadableError
from aurelon.core.export.passes import PassesExport, coded_space
from aurelon.core.imaging.code_points import LINEAR_REC2020
from aurelon.core.imaging.rgb_space import DISPLAY_P3, LINEAR_SRGB, SRGB
from aurelon.core.optics.aperture import opening
from aurelon.core.plate import Plate, read_plate
from aurelon.core.reels.stills import sequence_in
from tests.pictures import RAMP, masked_rig, plate_of, scene


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


class Sizes(unittest.TestCase):
    def test_a_side_of_nothing_is_damage_whichever_it_is(self) -> None:
        for sides in ((0, 5), (5, 0), (0, 0)):
            header = b"\x89PNG\r\n\x1a\n" + struct.pack(">I4sII", 13, b"IHDR", *sides) + bytes(9)
            with self.subTest(sides), self.assertRaisesRegex(UnreadableError, "its header gives no size"):
                png.measure(header)

    def test_two_stills_can_be_a_reel_and_one_cannot(self) -> None:
        self.assertEqual(sequence_in(["shore-2.png", "shore-1.png"]), ["shore-1.png", "shore-2.png"])
        self.assertIsNone(sequence_in(["shore-1.png"]))
        self.assertIsNone(sequence_in(["shore-1.png", "cliff-2.png"]))


class Samples(unittest.TestCase):
    def test_open_exr_holds_colour_times_alpha(self) -> None:
        colour, alpha = np.full((2, 3, 3), 0.8, np.float32), np.full((2, 3), 0.25, np.float32)
        for depth in ("half", "float"):
            channels = exr.channels_of(colour, alpha, depth)
            np.testing.assert_allclose(channels["R"], 0.2, atol=1e-3)
            np.testing.assert_allclose(channels["A"], 0.25, atol=1e-3)

    def test_tall_pictures_of_floats_are_decoded_to_their_last_row(self) -> None:
        ramp = np.linspace(0.1, 0.9, 700, dtype=np.float32)[:, None, None] * np.ones((1, 4, 3), np.float32)
        file = io.BytesIO()
        tifffile.imwrite(file, ramp, photometric="rgb", iccprofile=SRGB.icc)
        decoded = np.where(ramp <= 0.04045, ramp / 12.92, ((ramp + 0.055) / 1.055) ** 2.4)
        np.testing.assert_allclose(read_plate(file.getvalue(), "tall.tif").pixels, decoded, atol=2e-5)

    def test_a_grey_file_covers_the_same_each_time_it_is_asked_for(self) -> None:
        renderer = Renderer(plate_of(scene(300, 200)))
        for low in (0.0, 0.1):
            rig = masked_rig({"part": "grey", "file": RAMP[0], "low": low}, start="nothing")
            cover = renderer.render(rig, show="mask:under-test")[:, :, 0]
            wanted = np.clip((np.linspace(0, 1, 300) - low) / (1 - low), 0, 1)
            self.assertGreater(float(np.corrcoef(cover[100], wanted)[0, 1]), 0.98)

    def test_passes_in_whole_numbers_have_a_curve_and_the_primaries_of_the_plate_or_wider_ones(self) -> None:
        options = PassesExport(format="ora", depth="8")
        for space, expected in ((LINEAR_SRGB, SRGB), (LINEAR_REC2020, DISPLAY_P3), (SRGB, SRGB), (DISPLAY_P3, DISPLAY_P3)):
            self.assertIs(coded_space(Plate(scene(6, 4), space), options), expected)


class Dust(unittest.TestCase):
    def test_dust_and_scratches_take_light_away_the_more_of_them_there_are(self) -> None:
        clean, some, much = (opening(6, 0.2, dust, 1) for dust in (0.0, 0.5, 1.0))
        dark = [float((clean - one).clip(0).sum()) for one in (clean, some, much)]
        self.assertEqual(dark[0], 0.0)
        self.assertGreater(dark[1], 10)
        self.assertGreater(dark[2], 1.3 * dark[1])
        self.assertGreater(float(much.sum()), 0.5 * float(clean.sum()))
