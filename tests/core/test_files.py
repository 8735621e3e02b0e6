"""Formats, profiles, orientation and metadata, checked with other readers; and files that are no good."""

from __future__ import annotations

import io
import struct
import tempfile
import unittest
import zlib
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import tifffile
from PIL import Image

from aurelon.core import OutputError, PlateError, open_plate, read_plate
from aurelon.core.codecs import codecs
from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.export.shared.whole_file import write_whole
from aurelon.core.imaging.rgb_space import DISPLAY_P3
from tests.pictures import exported, light, plate_of, rig_of, scene


def encoded(samples: Any, form: str, **more: Any) -> bytes:
    out = io.BytesIO()
    Image.fromarray(samples).save(out, form, **more)
    return out.getvalue()


def tiff(samples: Any, **more: Any) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, samples, **more)
    return out.getvalue()


def bytes_of(data: Any) -> bytes:
    return bytes(data[1].tobytes())


class Reading(unittest.TestCase):
    def setUp(self) -> None:
        self.samples = np.random.default_rng(2).integers(0, 256, (31, 47, 3)).astype(np.uint8)

    def test_8_bit_formats_decode_to_srgb_linear_light(self) -> None:
        codes = self.samples / 255.0
        linear = np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4)
        for data, name in ((encoded(self.samples, "PNG"), "a.png"), (tiff(self.samples, photometric="rgb"), "a.tif")):
            plate = read_plate(data, name)
            np.testing.assert_allclose(plate.pixels, linear, atol=1e-6)
            self.assertEqual((plate.depth, plate.size), ("8", (47, 31)))

    def test_16_bit_and_float_keep_their_precision(self) -> None:
        deep = np.random.default_rng(1).integers(0, 65536, (20, 30, 3)).astype(np.uint16)
        png = cv2.imencode(".png", deep[:, :, ::-1])
        for data, name in ((bytes_of(png), "a.png"), (tiff(deep, photometric="rgb", compression="lzw"), "a.tiff")):
            plate = read_plate(data, name)
            self.assertEqual(plate.depth, "16")
            np.testing.assert_array_equal(np.round(plate.space.curves[0].encode(plate.pixels) * 65535), deep)
        hdr = np.random.default_rng(1).random((20, 30, 3)).astype(np.float32) * 9
        np.testing.assert_allclose(read_plate(tiff(hdr, photometric="rgb"), "a.tif").pixels, hdr, rtol=1e-6)

    def test_planar_palette_and_bilevel_pictures(self) -> None:
        planar = tiff(np.moveaxis(self.samples, -1, 0), photometric="rgb", planarconfig="separate")
        self.assertEqual(read_plate(planar, "p.tif").pixels.shape, (31, 47, 3))
        for mode in ("P", "1", "LA", "I;16"):
            grey = Image.fromarray(self.samples).convert("L")
            picture = Image.new(mode, (47, 31), 9000) if mode == "I;16" else grey.convert(mode)
            out = io.BytesIO()
            picture.save(out, "PNG")
            self.assertEqual(read_plate(out.getvalue(), "p.png").pixels.shape, (31, 47, 3), mode)

    def test_orientation_is_applied_and_the_rest_of_exif_kept(self) -> None:
        for orientation in range(1, 9):
            exif = Image.Exif()
            exif[0x0112], exif[0x010F] = orientation, "Merrow Point"
            data = encoded(self.samples, "JPEG", exif=exif, quality=100, subsampling=0)
            plate = read_plate(data, "a.jpg")
            from PIL import ImageOps

            upright = np.asarray(ImageOps.exif_transpose(Image.open(io.BytesIO(data))))
            np.testing.assert_array_equal(np.round(plate.space.curves[0].encode(plate.pixels) * 255), upright)
            for form in ("jpeg", "png", "tiff"):
                back = Image.open(io.BytesIO(exported(plate, rig_of(), form, "8"))).getexif()
                self.assertEqual(back[0x010F], "Merrow Point", form)
                self.assertEqual(back.get(0x0112, 1), 1, form)

    def test_words_in_any_language_survive_a_tiff(self) -> None:
        exif = Image.Exif()
        words = {0x8298: "© 2026 Küste", 0x013B: "灯台"}
        for tag, text in words.items():
            exif[tag] = chr(tag % 26 + 65) * len(text.encode())
        block = exif.tobytes()
        for tag, text in words.items():
            block = block.replace(exif[tag].encode(), text.encode())
        plate = read_plate(encoded(self.samples, "JPEG", exif=block), "a.jpg")
        with tifffile.TiffFile(io.BytesIO(exported(plate, rig_of(), "tiff", "8", metadata="all"))) as file:
            tags = file.pages.first.tags
            self.assertEqual({tag: tags[tag].value for tag in words}, words)

    def test_the_exif_directory_survives_a_tiff(self) -> None:
        exif = Image.Exif()
        exif.get_ifd(0x8769)[0x829A] = 0.004
        plate = read_plate(encoded(self.samples, "JPEG", exif=exif), "a.jpg")
        first = exported(plate, rig_of(), "tiff", "16")
        again = exported(read_plate(first, "b.tif"), rig_of(), "tiff", "8")
        for data in (first, again):
            kept = Image.open(io.BytesIO(data)).getexif().get_ifd(0x8769)[0x829A]
            self.assertAlmostEqual(float(kept), 0.004, places=5)

    def test_profiles_are_kept_or_converted_at_every_depth(self) -> None:
        plate = read_plate(encoded(self.samples, "PNG", icc_profile=DISPLAY_P3.icc), "a.png")
        self.assertEqual(plate.space.name, "Display P3")
        for form, depth in (("png", "8"), ("png", "16"), ("tiff", "16"), ("tiff", "float"), ("jpeg", "8")):
            kept = exported(plate, rig_of(), form, depth)
            self.assertEqual(read_plate(kept, f"a{codecs()[form].FORMAT.suffixes[0]}").space.name, "Display P3")
            if form == "jpeg":
                continue
            data = exported(plate, rig_of(), form, depth, profile="srgb")
            turned = read_plate(data, f"a{codecs()[form].FORMAT.suffixes[0]}")
            matrix = plate.space.matrix_to(turned.space)
            assert matrix is not None
            wanted = np.clip(plate.pixels @ matrix.T, 0, np.inf if depth == "float" else 1)
            np.testing.assert_allclose(turned.pixels, wanted, atol=0.012 if depth == "8" else 2e-4)

    def test_alpha_goes_through(self) -> None:
        four = np.dstack([self.samples, self.samples[:, :, 0]])
        plate = read_plate(encoded(four, "PNG"), "a.png")
        for form in ("png", "tiff"):
            back = read_plate(exported(plate, rig_of(), form, "16"), f"b.{form}")
            assert back.alpha is not None
            np.testing.assert_allclose(back.alpha, four[:, :, 3] / 255, atol=2e-5)
        self.assertIsNone(read_plate(exported(plate, rig_of(), "jpeg", "8"), "b.jpg").alpha)


class Writing(unittest.TestCase):
    def test_size_is_the_area_mean(self) -> None:
        plate = plate_of(scene(240, 160))
        data = exported(plate, rig_of(), "tiff", "float", size=(60, 40))
        wanted = cv2.resize(plate.pixels, (60, 40), interpolation=cv2.INTER_AREA)
        got = plate.space.curves[0].decode(tifffile.imread(io.BytesIO(data)).astype(np.float64))
        np.testing.assert_allclose(got, wanted, atol=1e-4)

    def test_8_bits_are_dithered_where_light_fell(self) -> None:
        plate = plate_of(np.full((200, 300, 3), 0.02, np.float32))
        rig = rig_of(light("shafts", source={"threshold": 0, "knee": 0.01}, spread={"variety": 0, "falloff": 0.2}))
        codes = np.asarray(Image.open(io.BytesIO(exported(plate, rig, "png", "8"))))[:, :, 0].astype(float)
        self.assertGreater(np.mean(np.diff(codes, axis=1) != 0), 0.1)

    def test_what_cannot_be_written_is_refused_in_a_sentence(self) -> None:
        plate = plate_of(scene(20, 20))
        cases: list[tuple[str, str, dict[str, Any], str]] = [
            ("jpeg", "16", {}, "JPEG cannot hold 16 bits"),
            ("gif", "8", {}, "no format 'gif'"),
            ("png", "8", {"size": (99, 20)}, "other proportions"),
            ("png", "8", {"size": (100, 100)}, "more than 4 times"),
            ("png", "8", {"long_edge": 81}, "more than 4 times"),
            ("png", "8", {"long_edge": 10, "size": (10, 10)}, "not both"),
        ]
        for form, depth, options, sentence in cases:
            with self.assertRaisesRegex(OutputError, sentence):
                exported(plate, rig_of(), form, depth, **options)

    def test_a_smaller_or_larger_export_of_a_cropped_plate_keeps_its_shape(self) -> None:
        # A disc stays a disc: its width and height in the file are alike, however the plate is cropped.
        y, x = np.mgrid[0:160, 0:240]
        disc = (np.hypot(x - 150, y - 80) < 30).astype(np.float32)
        plate = plate_of(np.repeat(disc[:, :, None], 3, axis=2))
        for crop in ({"x0": 0.4, "y0": 0.0, "x1": 0.9, "y1": 1.0}, {"x0": 0.3, "y0": 0.2, "x1": 1.0, "y1": 0.8}):
            rig = rig_of(prepare={"crop": crop})
            tall, wide = round(160 * (crop["y1"] - crop["y0"])), round(240 * (crop["x1"] - crop["x0"]))
            for edge in (80, 60, 400):
                shown = np.asarray(Image.open(io.BytesIO(exported(plate, rig, "png", "8", long_edge=edge))))
                self.assertEqual(max(shown.shape[:2]), edge)
                self.assertAlmostEqual(shown.shape[1] / shown.shape[0], wide / tall, delta=0.02)
                lit = shown[:, :, 0] > 127
                across, down = lit.any(axis=0).sum(), lit.any(axis=1).sum()
                self.assertAlmostEqual(across / down, 1, delta=0.06, msg=f"{crop} at {edge}")

    def test_an_unwritable_place_leaves_nothing(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            target = Path(folder) / "taken"
            (target / "inside").mkdir(parents=True)
            with self.assertRaisesRegex(OutputError, "taken cannot be written"):
                write_whole(target, lambda file: file.write(b"x"))
            self.assertEqual([p.name for p in Path(folder).iterdir()], ["taken"])

    def test_every_codec_writes_what_it_reads(self) -> None:
        deep = np.random.default_rng(5).integers(0, 256, (9, 8, 3)).astype(np.uint8)
        for name, codec in codecs().items():
            if codec.FORMAT.depths[:1] != ("8",):
                continue  # float and raw have tests of their own
            back = codec.read(codec.write(Raster(deep), codec.FORMAT.depths[0], 100))
            self.assertLess(np.abs(back.samples.astype(int) - deep).mean(), 4, name)


def huge_png() -> bytes:
    header = struct.pack(">IIBBBBB", 60000, 60000, 8, 2, 0, 0, 0)
    chunk = b"IHDR" + header
    return b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + chunk + struct.pack(">I", zlib.crc32(chunk)) + b"\0" * 40


def bad_files() -> dict[str, tuple[bytes, str]]:
    """File names with their content and what must be said of them."""
    picture = np.random.default_rng(1).integers(0, 256, (90, 120, 3)).astype(np.uint8)
    jpeg, png = encoded(picture, "JPEG"), encoded(picture, "PNG")
    nan = np.full((4, 4, 3), np.nan, np.float32)
    return {
        "cut.jpg": (jpeg[: len(jpeg) // 2], "cut short"),
        "cut.png": (png[: len(png) // 2], "cut short"),
        "cut.tif": (tiff(picture, photometric="rgb")[:3000], "cut short"),
        "short.tif": (b"II*\0", "cut short"),
        "empty.png": (b"", "empty"),
        "named.jpg": (png, "holds PNG"),
        "huge.png": (huge_png(), "60000 x 60000"),
        "notes.png": (b"Merrow Point opens in spring", "not a picture"),
        "nan.tif": (tiff(nan, photometric="rgb"), "NaN or infinite"),
    }


class BadFiles(unittest.TestCase):
    def test_each_gets_one_sentence_that_names_the_file(self) -> None:
        for name, (data, reason) in bad_files().items():
            with tempfile.TemporaryDirectory() as folder, self.assertRaises(PlateError) as caught:
                path = Path(folder) / name
                path.write_bytes(data)
                open_plate(path)
            self.assertIn(name, str(caught.exception))
            self.assertIn(reason, str(caught.exception))
            self.assertNotIn("\n", str(caught.exception))

    def test_a_missing_file_and_a_folder(self) -> None:
        for path, reason in (("/nowhere/at/all.jpg", "does not exist"), ("/", "is a folder")):
            with self.assertRaisesRegex(PlateError, reason):
                open_plate(path)
