"""OpenEXR of several parts written row by row, read by the format's own library."""

from __future__ import annotations

import io
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR

from aurelon.core.codecs.shared.exr_writing import PartsWriter

PRIMARIES = (0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329)


def written(pictures: list[Any], kind: Any, heights: tuple[int, ...]) -> bytes:
    """The pictures (h, w, 3) as parts, put in bands of these heights, one after another, and over again."""
    rows, columns, _ = pictures[0].shape
    file = io.BytesIO()
    parts: list[tuple[str, dict[str, str | tuple[float, ...]]]] = [
        (f"part {n}", {"chromaticities": PRIMARIES, "aurelon:note": f"über {n}"}) for n in range(len(pictures))
    ]
    writer = PartsWriter(file, (columns, rows), kind, parts)
    y, k = 0, 0
    while y < rows:
        band = slice(y, y + heights[k % len(heights)])
        for number, picture in enumerate(pictures):
            writer.put(number, picture[band])
        y, k = band.stop, k + 1
    writer.close()
    return file.getvalue()


class InParts(unittest.TestCase):
    def test_the_library_reads_each_part_bit_for_bit(self) -> None:
        dice = np.random.default_rng(4)
        for kind in (np.float16, np.float32):
            for rows, columns, heights in ((1, 1, (1,)), (16, 5, (16,)), (40, 33, (7, 16, 1)), (100, 64, (64,)), (37, 20, (37,))):
                with self.subTest(kind=kind, rows=rows, heights=heights):
                    noise = dice.normal(size=(rows, columns, 3)).astype(kind)
                    soft = np.broadcast_to(np.linspace(0, 9, columns, dtype=kind)[None, :, None], noise.shape)
                    with tempfile.TemporaryDirectory() as folder:
                        path = Path(folder) / "parts.exr"
                        path.write_bytes(written([noise, soft, noise * 2], kind, heights))
                        with OpenEXR.File(str(path), separate_channels=True) as file:
                            self.assertEqual([part.name() for part in file.parts], ["part 0", "part 1", "part 2"])
                            for part, wanted in zip(file.parts, (noise, soft, noise * 2), strict=True):
                                for c, name in enumerate("RGB"):
                                    got = part.channels[name].pixels
                                    self.assertEqual(got.dtype, kind)
                                    np.testing.assert_array_equal(got, wanted[:, :, c])
                                np.testing.assert_allclose(np.ravel(part.header["chromaticities"]), PRIMARIES, atol=1e-6)
                            self.assertEqual(file.parts[1].header["aurelon:note"], "über 1")

    def test_rows_that_are_missing_are_noticed(self) -> None:
        writer = PartsWriter(io.BytesIO(), (4, 20), np.float16, [("a", {}), ("b", {})])
        writer.put(0, np.zeros((20, 4, 3), np.float16))
        writer.put(1, np.zeros((18, 4, 3), np.float16))
        with self.assertRaisesRegex(ValueError, "not written to its end"):
            writer.close()


if __name__ == "__main__":
    unittest.main()
