"""The judge of public test suites, on files made here: pictures of every format are right, and faults are seen."""

from __future__ import annotations

import io
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import OpenEXR
import tifffile
from PIL import Image

from aurelon.core import read_plate
from aurelon.core.codecs import read_raster
from aurelon.core.codecs.shared.in_space import LEFT_ASIDE
from tests import suites
from tests.core.test_samples_right import by_pillow, png
from tests.suites import Member, judge

RNG = np.random.default_rng(12)
COLOURS = RNG.integers(0, 256, (24, 36, 3), np.uint8)
DEEP = RNG.integers(0, 65536, (24, 36, 3), np.uint16)
ALPHA = RNG.integers(1, 256, (24, 36), np.uint8)


def tiff(samples: Any, **how: Any) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, samples, metadata=None, **how)
    return out.getvalue()


def exr(**channels: Any) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.exr"
        OpenEXR.File({"type": OpenEXR.scanlineimage}, channels).write(str(path))
        return path.read_bytes()


def made() -> dict[str, bytes]:
    picture = Image.fromarray(COLOURS)
    alpha = np.dstack([COLOURS, ALPHA])
    premultiplied = np.dstack([(alpha[:, :, :3] * (alpha[:, :, 3:] / 255)).astype(np.uint8), alpha[:, :, 3]])
    light = DEEP.astype(np.float32)
    lab = picture.convert("LAB")
    palette = (np.arange(256, dtype=np.uint16)[None] * np.array([[257], [128], [64]], np.uint16)).astype(np.uint16)
    indices = np.dstack([COLOURS[:, :, 0], alpha[:, :, 3]])
    return {
        "plain.png": by_pillow(picture, "png"),
        "palette.png": by_pillow(picture.quantize(37), "png"),
        "bits.png": by_pillow(picture.convert("1"), "png"),
        "alpha.png": by_pillow(Image.fromarray(alpha), "png"),
        "plain.jpg": by_pillow(picture, "jpeg", quality=80),
        "turned.jpg": by_pillow(picture, "jpeg", exif=b"Exif\0\0MM\0*\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0"),
        "deep.tif": tiff(DEEP, photometric="rgb", compression="deflate", predictor=True),
        "planar.tif": tiff(np.moveaxis(DEEP, -1, 0).copy(), photometric="rgb", planarconfig="separate"),
        "white.tif": tiff(COLOURS[:, :, 0].copy(), photometric="miniswhite"),
        "associated.tif": tiff(premultiplied, photometric="rgb", extrasamples=["assocalpha"]),
        "palette.tif": tiff(COLOURS[:, :, 0].copy(), photometric="palette", colormap=palette),
        "lab.tif": by_pillow(lab, "tiff"),
        "plain.webp": by_pillow(picture, "webp", lossless=True),
        "plain.exr": exr(R=light[:, :, 0], G=light[:, :, 1], B=light[:, :, 2]),
        "grey.exr": exr(Y=light[:, :, 0]),
        "index.tif": _with_tag(
            tiff(indices, photometric="minisblack", extrasamples=["unassalpha"], extratags=[(320, 3, 768, palette.ravel(), True)]),
            "PhotometricInterpretation",
            3,
        ),
    }


class Judging(unittest.TestCase):
    def setUp(self) -> None:
        cache = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.object(suites, "CACHE", cache))

    def test_files_of_every_kind_are_right(self) -> None:
        for name, data in made().items():
            self.assertEqual(judge(Member("made", name, data)), ("right", ""), name)

    def test_a_fault_in_reading_is_seen_and_so_are_refusals(self) -> None:
        true = read_raster

        def three_codes_off(data: bytes, name: str) -> Any:
            raster = true(data, name)
            return replace(raster, samples=raster.samples ^ 3)

        files = made()
        with mock.patch.object(suites, "read_raster", three_codes_off):
            self.assertEqual(judge(Member("made", "plain.png", files["plain.png"]))[0], "wrong")
        self.assertEqual(judge(Member("made", "a.png", files["plain.png"][:60]))[0], "refused by both")
        self.assertEqual(judge(Member("made", "a.tif", tiff(COLOURS.astype(np.int16), photometric="rgb")))[0], "refused")


class Mended(unittest.TestCase):
    """What the suites found."""

    def test_png_with_damaged_words_about_itself_shows_its_picture(self) -> None:
        hollow = png(90, *[(kind, b"") for kind in (b"cHRM", b"gAMA", b"eXIf", b"iTXt", b"sPLT", b"pHYs")])
        plate = read_plate(hollow, "a.png")
        self.assertEqual(plate.notices, ())
        self.assertAlmostEqual(float(plate.pixels[1, 1, 0]), ((90 / 255 + 0.055) / 1.055) ** 2.4, places=5)
        broken = read_plate(png(90, (b"iCCP", b"p\0\0not packed")), "a.png")
        self.assertEqual(broken.notices, (f"a.png {LEFT_ASIDE}.",))
        np.testing.assert_array_equal(broken.pixels, plate.pixels)

    def test_an_animation_without_its_frames_heads_shows_its_picture(self) -> None:
        torn = read_plate(png(90, (b"acTL", b"\0\0\0\x02\0\0\0\0"), (b"fdAT", b"\0\0\0\x01xx")), "a.png")
        self.assertEqual(torn.size, (4, 3))

    def test_bytes_behind_a_packed_strip_do_not_matter(self) -> None:
        # A strip that unpacks to more rows than the picture has left.
        data = tiff(COLOURS[:, :, 0].copy(), photometric="minisblack", compression="zlib", rowsperstrip=24)
        short = _with_tag(data, "ImageLength", 20)
        np.testing.assert_array_equal(read_raster(short, "a.tif").samples[:, :, 0], COLOURS[:20, :, 0])

    def test_a_palette_with_alpha(self) -> None:
        raster = read_raster(made()["index.tif"], "a.tif")
        np.testing.assert_array_equal(raster.samples[:, :, 0], COLOURS[:, :, 0].astype(np.uint16) * 257)
        assert raster.alpha is not None
        np.testing.assert_array_equal(raster.alpha, ALPHA.astype(np.uint16) * 257)


def _with_tag(data: bytes, tag: str, value: int) -> bytes:
    """The same file, whose header says something else in one place."""
    with tifffile.TiffFile(io.BytesIO(data)) as file:
        page = file.pages.first
        assert isinstance(page, tifffile.TiffPage)
        place = page.tags[tag].valueoffset
    return data[:place] + value.to_bytes(2, "little") + data[place + 2 :]
