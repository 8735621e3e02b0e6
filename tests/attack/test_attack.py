"""A small part of each campaign, with every change."""

from __future__ import annotations

import io
import struct
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
import tifffile

from aurelon.core import PlateError, read_plate
from aurelon.core.imaging.rgb_space import DISPLAY_P3
from aurelon.core.lights import kinds
from aurelon.core.masks import parts
from tests.attack.damaged import campaign, damaged, wholes
from tests.attack.extreme import campaign as extreme_rigs
from tests.attack.extreme import extreme

ROOT = Path(__file__).resolve().parents[2]
# What reading a file takes at most beside the program itself, once it has read a small one, and what was read; in bytes.
PEAK = """
import sys
from pathlib import Path
import numpy as np
from aurelon.core import read_plate
from tests.attack.test_attack import tiff
def memory(what):
    return next(int(line.split()[1]) * 1024 for line in open("/proc/self/status") if line.startswith(what))
read_plate(tiff(np.zeros((8, 8, 3), np.uint16)), "small.tif")
before = memory("VmRSS")
plate = read_plate(Path(sys.argv[1]).read_bytes(), "large.tif")
print(memory("VmHWM") - before, plate.pixels.nbytes)
"""
NEVER = float("inf")  # how long it takes is for `make attack`, where nothing else runs


def tiff(samples: np.ndarray[Any, Any], **more: Any) -> bytes:
    """A TIFF by its library alone."""
    out = io.BytesIO()
    tifffile.imwrite(out, samples, photometric="rgb", byteorder="<", **more)
    return out.getvalue()


class Damaged(unittest.TestCase):
    def test_damaged_files_of_every_format_are_read_or_refused_by_a_sentence(self) -> None:
        report = campaign(900, slow=NEVER)
        self.assertEqual(report.faults, ())
        self.assertEqual(report.read + report.refused, 900)
        # Neither is all of it noticed at once, nor does the damage go unseen.
        self.assertGreater(report.read, 90)
        self.assertGreater(report.refused, 90)

    def test_rigs_of_extremes_give_light_that_is_a_number(self) -> None:
        report = extreme_rigs(36, slow=NEVER)
        self.assertEqual(report.faults, ())
        self.assertGreater(report.read, 33)

    def test_rigs_of_extremes_have_every_kind_and_every_part(self) -> None:
        result = [extreme(seed) for seed in range(400)]
        self.assertEqual({light["kind"] for rig in result for light in rig["lights"]}, set(kinds()))
        self.assertEqual(
            {part["part"] for rig in result for light in rig["lights"] for part in light["mask"]["parts"]}, set(parts())
        )
        self.assertEqual(extreme(3), extreme(3))

    def test_a_seed_makes_the_same_file_again(self) -> None:
        self.assertEqual(damaged(11), damaged(11))
        self.assertEqual(len({damaged(seed).data for seed in range(40)}), 40)
        self.assertGreater(len(wholes()), 12)

    def test_float_samples_of_any_size_stay_numbers(self) -> None:
        samples = np.array([[[-3e38, 3e38, 1e20], [0.0, 1.0, 2.0]]], np.float32)
        plate = read_plate(tiff(samples, iccprofile=DISPLAY_P3.icc), "wide.tif")
        self.assertTrue(np.isfinite(plate.pixels).all())
        self.assertEqual(plate.pixels.min(), 0)
        np.testing.assert_allclose(plate.pixels[0, 1, :2], [0, 1], atol=1e-6)

    def test_reading_takes_less_than_four_times_what_is_read(self) -> None:
        samples = np.linspace(-3e38, 3e38, 1500 * 2000 * 3, dtype=np.float64).reshape(1500, 2000, 3)
        codes = np.linspace(0, 65535, 1500 * 2000 * 3).reshape(1500, 2000, 3).astype(np.uint16)
        for kind, data in (("float", tiff(samples.astype(np.float32), iccprofile=DISPLAY_P3.icc)), ("16 bits", tiff(codes))):
            with self.subTest(kind), tempfile.NamedTemporaryFile(suffix=".tif") as file:
                file.write(data)
                file.flush()
                report = subprocess.run(
                    [sys.executable, "-c", PEAK, file.name], cwd=ROOT, capture_output=True, text=True, check=True
                )
                more, decoded = map(int, report.stdout.split())
                self.assertEqual(decoded, 1500 * 2000 * 3 * 4)
                self.assertLess(more, 4 * decoded)

    def test_a_tiff_of_64_bit_offsets_is_read_like_any_other(self) -> None:
        samples = np.arange(6 * 8 * 3, dtype=np.uint16).reshape(6, 8, 3) * 400
        large, usual = (read_plate(tiff(samples, bigtiff=big), "b.tif") for big in (True, False))
        np.testing.assert_array_equal(large.pixels, usual.pixels)

    def test_damaged_exif_is_left_out_and_said(self) -> None:
        # The tag for the camera's maker, which is text, as two rational numbers.
        data = tiff(np.zeros((4, 4, 3), np.uint8), extratags=[(271, 5, 1, (1, 3), True)])
        plate = read_plate(data, "maker.tif")
        self.assertEqual(plate.notices, ("maker.tif has damaged EXIF data, which was left out.",))
        self.assertIsNone(plate.exif)

    def test_a_header_without_a_size_is_refused(self) -> None:
        data = bytearray(tiff(np.zeros((4, 4, 3), np.uint8)))
        at = data.index(struct.pack("<HHI", 256, 4, 1))
        data[at + 2 : at + 4] = struct.pack("<H", 2)  # the width as text
        with self.assertRaisesRegex(PlateError, "^size.tif is damaged"):
            read_plate(bytes(data), "size.tif")


if __name__ == "__main__":
    unittest.main()
