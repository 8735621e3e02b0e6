"""The open formats and camera raw against other readers and writers, and files of them that are no good."""

from __future__ import annotations

import io
import struct
import tempfile
import unittest
from pathlib import Path
from typing import Any

import colour
import cv2
import imagecodecs
import numpy as np
import OpenEXR
from PIL import Image, ImageCms, ImageOps
from pillow_jxl import JpegXLImagePlugin

from aurelon.core import OutputError, Plate, PlateError, read_plate
from aurelon.core.codecs import codecs, jpeg
from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.export import format_for
from aurelon.core.export.picture import PictureExport, options_in, trial_size
from aurelon.core.imaging.code_points import (
    BT2020,
    HLG,
    LINEAR,
    LINEAR_REC2020,
    PQ,
    hlg_to_light,
    light_to_pq,
    pq_to_light,
    space_of,
)
from aurelon.core.imaging.rgb_space import DISPLAY_P3, LINEAR_SRGB, OPRGB, ROMM, SRGB, chromaticities_of
from aurelon.core.plate import glance
from tests.dng import BALANCE, dng_of
from tests.pictures import Floats, exported, plate_of, psnr, renderer_of, rig_of, scene

EMPTY = rig_of()


def smooth(width: int = 96, height: int = 64) -> Floats:
    """Soft colours, which lossy formats keep well."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    return np.stack([0.1 + 0.8 * x / width, 0.1 + 0.8 * y / height, 0.5 + 0.3 * np.sin(x / 20)], axis=2).astype(np.float32)


def by_opencv(data: bytes) -> Any:
    pixels = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    assert pixels is not None
    return pixels[:, :, ::-1]


def exr(channels: dict[str, Any], name: str = "", **header: Any) -> Any:
    return OpenEXR.Part({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **header}, channels, name)


def exr_file(*parts: Any) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "made.exr"
        OpenEXR.File(list(parts)).write(str(path))
        return path.read_bytes()


def planes(pixels: Any, kind: Any = np.float32, prefix: str = "") -> dict[str, Any]:
    return {f"{prefix}{name}": np.ascontiguousarray(pixels[:, :, c], kind) for c, name in enumerate("RGB")}


def avif(pixels: Any, bits: int, primaries: int, transfer: int) -> bytes:
    codes = np.round(pixels * ((1 << bits) - 1)).astype(np.uint16 if bits > 8 else np.uint8)
    result = imagecodecs.avif_encode(
        codes, 100, speed=8, bitspersample=bits, pixelformat="444", primaries=primaries, transfer=transfer
    )
    return bytes(result)


def adapted_to_d50(x: float, y: float) -> tuple[float, float]:
    """Chromaticity of a colour seen in D65 as it stands in a profile, by another library."""
    lit = colour.adaptation.chromatic_adaptation_VonKries(
        colour.xy_to_XYZ((x, y)), colour.xy_to_XYZ((0.3127, 0.3290)), (0.9642, 1, 0.8249), transform="Bradford"
    )
    place = colour.XYZ_to_xy(lit)
    return float(place[0]), float(place[1])


class Writing(unittest.TestCase):
    def setUp(self) -> None:
        self.plate = plate_of(smooth())
        self.codes = SRGB.curves[0].encode(self.plate.pixels)

    def test_other_readers_see_the_picture(self) -> None:
        readers = {
            "webp": by_opencv,
            "avif": lambda data: np.asarray(Image.open(io.BytesIO(data))),
            "jxl": lambda data: imagecodecs.jpegxl_decode(data),
        }
        for form, reader in readers.items():
            got = reader(exported(self.plate, EMPTY, form, "8", quality=95)) / 255
            self.assertGreater(psnr(got, self.codes), 34, form)

    def test_lossless_at_quality_100(self) -> None:
        exact = by_opencv(exported(self.plate, EMPTY, "png", "8"))
        np.testing.assert_array_equal(by_opencv(exported(self.plate, EMPTY, "webp", "8", quality=100)), exact)
        np.testing.assert_array_equal(imagecodecs.jpegxl_decode(exported(self.plate, EMPTY, "jxl", "8", quality=100)), exact)

    def test_jpeg_xl_of_whole_numbers_is_exact_at_quality_100_and_says_its_colours(self) -> None:
        spaces = {"srgb": SRGB, "display-p3": DISPLAY_P3}
        for depth, profile in (("10", "srgb"), ("12", "display-p3"), ("16", "display-p3"), ("8", "display-p3")):
            with self.subTest(depth, profile=profile):
                space = spaces[profile]
                data = exported(self.plate, EMPTY, "jxl", depth, profile=profile, quality=100)
                there = SRGB.matrix_to(space)
                light = self.plate.pixels if there is None else self.plate.pixels @ there.T
                codes, most = imagecodecs.jpegxl_decode(data), (1 << int(depth)) - 1
                np.testing.assert_allclose(
                    codes, SRGB.curves[0].encode(np.maximum(light, 0)) * most, atol=0.51 + most / 65535 if most > 255 else 1
                )  # 8 bits are dithered
                # The library's own profile for what the header says.
                icc = JpegXLImagePlugin.JXLImageFile(io.BytesIO(data)).info["icc_profile"]
                answer = ImageCms.ImageCmsProfile(io.BytesIO(icc)).profile
                colorants = [one[0] for one in (answer.red_colorant, answer.green_colorant, answer.blue_colorant) if one]
                places = [(x / (x + y + z), y / (x + y + z)) for x, y, z in colorants]
                wanted = np.reshape(chromaticities_of(space)[:6], (3, 2))
                np.testing.assert_allclose([adapted_to_d50(*place) for place in wanted], places, atol=2e-3)

    def test_jpeg_xl_of_other_programs_is_as_bright_at_every_depth(self) -> None:
        for bits in (10, 12, 16):
            codes = np.round(self.codes * ((1 << bits) - 1)).astype(np.uint16)
            plain = bytes(imagecodecs.jpegxl_encode(codes, lossless=True, bitspersample=bits))
            plate = read_plate(plain, "a.jxl")
            np.testing.assert_allclose(plate.pixels, codes / ((1 << bits) - 1), atol=2e-4)  # which it says are linear

    def test_jpeg_xl_in_pq_holds_light_above_white_and_beyond_srgb(self) -> None:
        light = smooth() * 12
        light[:30, :, 1:] = 0  # a pure red of Rec. 2020
        plate = Plate(light.astype(np.float32), LINEAR_REC2020)
        for depth in ("pq10", "pq12"):
            exact = exported(plate, EMPTY, "jxl", depth, quality=100)
            wanted = colour.models.eotf_inverse_ST2084(light.astype(np.float64) * 203) * ((1 << int(depth[2:])) - 1)
            np.testing.assert_allclose(imagecodecs.jpegxl_decode(exact), wanted, atol=0.6)
            for quality in (100, 95):
                back = read_plate(exported(plate, EMPTY, "jxl", depth, quality=quality), "a.jxl")
                self.assertIsNone(back.space.matrix_to(LINEAR_REC2020))
                off = np.abs(back.pixels - light) / np.maximum(light.max(axis=2, keepdims=True), 0.1)
                self.assertLess(float(off.mean()), 0.004 if quality == 100 else 0.012)

    def test_a_jpeg_xl_of_several_pictures_says_so(self) -> None:
        pictures = np.stack([np.round(self.codes * 255).astype(np.uint8)] * 3)
        pictures[1:] //= 2
        plate = read_plate(bytes(imagecodecs.jpegxl_encode(pictures, lossless=True)), "beam.jxl")
        self.assertEqual(plate.notices, ("beam.jxl is animated; its first picture was taken.",))
        np.testing.assert_allclose(SRGB.curves[0].encode(plate.pixels), pictures[0] / 255, atol=1e-3)
        self.assertEqual(read_plate(bytes(imagecodecs.jpegxl_encode(pictures[0])), "still.jxl").notices, ())
        for bits in (12, 16):
            deep = (pictures.astype(np.uint16) << (bits - 8)) + 3
            moving = read_plate(bytes(imagecodecs.jpegxl_encode(deep, lossless=True, bitspersample=bits)), "beam.jxl")
            self.assertEqual(len(moving.notices), 1)
            np.testing.assert_allclose(moving.pixels, deep[0] / ((1 << bits) - 1), atol=2e-4)  # which it says are linear

    def test_colours_are_the_same_in_every_file_whatever_profile_is_asked_for(self) -> None:
        # A saturated scene within sRGB, on a plate of wide primaries.
        there = SRGB.matrix_to(ROMM)
        assert there is not None
        plate = Plate(np.ascontiguousarray(self.plate.pixels @ there.T), ROMM)
        for name, codec in codecs().items():
            for depth in codec.FORMAT.depths if codec.FORMAT.written else ():
                for profile in ("keep", "display-p3"):
                    with self.subTest(name, depth=depth, profile=profile):
                        data = exported(plate, EMPTY, name, depth, quality=95, profile=profile)
                        back = read_plate(data, f"a{codec.FORMAT.suffixes[0]}")
                        home = back.space.matrix_to(SRGB)
                        pixels = back.pixels if home is None else back.pixels @ home.T
                        self.assertGreater(psnr(SRGB.curves[0].encode(np.clip(pixels, 0, 1)), self.codes), 30)

    def test_avif_of_10_and_12_bits_states_its_colours_and_is_finer_than_8(self) -> None:
        errors = {}
        for depth, profile, primaries in (("8", "srgb", 1), ("10", "srgb", 1), ("12", "display-p3", 12)):
            data = exported(self.plate, EMPTY, "avif", depth, profile=profile, quality=100)
            place = data.find(b"colrnclx")
            self.assertEqual(struct.unpack_from(">HH", data, place + 8), (primaries, 13))
            back = read_plate(data, "a.avif")
            matrix = back.space.matrix_to(SRGB)
            pixels = back.pixels if matrix is None else back.pixels @ matrix.T
            errors[depth] = float(np.abs(SRGB.curves[0].encode(np.maximum(pixels, 0)) - self.codes).mean())
        self.assertLess(errors["10"], 0.6 * errors["8"])
        self.assertLess(errors["12"], errors["8"])

    def test_openexr_and_radiance_are_read_elsewhere_as_the_light_they_are(self) -> None:
        bright = plate_of(smooth() * 6)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.exr"
            for depth, kind in (("half", np.float16), ("float", np.float32)):
                path.write_bytes(exported(bright, EMPTY, "exr", depth))
                with OpenEXR.File(str(path), separate_channels=True) as file:
                    part = file.parts[0]
                    got = np.stack([part.channels[c].pixels for c in "RGB"], axis=2)
                    stated = np.ravel(part.header["chromaticities"])
                self.assertEqual(got.dtype, kind)
                np.testing.assert_allclose(got, bright.pixels, rtol=2e-3 if depth == "half" else 1e-6)
                np.testing.assert_allclose(stated, (0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329), atol=1e-3)
        got = by_opencv(exported(bright, EMPTY, "hdr", "float"))
        np.testing.assert_allclose(got, bright.pixels, rtol=0.01, atol=0.02)

    def test_alpha_goes_through_where_a_format_has_it(self) -> None:
        alpha = np.linspace(0, 1, 96, dtype=np.float32)[None].repeat(64, axis=0)
        plate = Plate(self.plate.pixels, SRGB, alpha=alpha)
        for form, depth in (("webp", "8"), ("avif", "10"), ("jxl", "8"), ("jxl", "float"), ("exr", "half"), ("exr", "float")):
            back = read_plate(exported(plate, EMPTY, form, depth, quality=100), f"a.{form}")
            assert back.alpha is not None, form
            np.testing.assert_allclose(back.alpha, alpha, atol=0.006, err_msg=form)

    def test_profiles_of_every_name_are_the_standards_own(self) -> None:
        white = np.ones((2, 2, 3))
        # IEC 61966-2-5; the others by another library.
        np.testing.assert_allclose(chromaticities_of(OPRGB)[:6], (0.64, 0.33, 0.21, 0.71, 0.15, 0.06), atol=2e-3)
        for space, name in ((ROMM, "ROMM RGB"), (DISPLAY_P3, "Display P3"), (LINEAR_REC2020, "ITU-R BT.2020")):
            known = colour.RGB_COLOURSPACES[name]
            places = np.array(chromaticities_of(space)[:6]).reshape(3, 2)
            if space is not ROMM:  # whose white is D50
                np.testing.assert_allclose(places, known.primaries, atol=2e-3, err_msg=name)
            np.testing.assert_allclose(space.to_pcs @ white[0, 0], (0.9642, 1, 0.8249), atol=2e-3)
        for space, code, light in ((OPRGB, 0.5, 0.5**2.19921875), (ROMM, 0.5, 0.5**1.8), (ROMM, 0.02, 0.02 / 16)):
            self.assertAlmostEqual(float(space.curves[0].decode(np.array([code]))[0]), light, places=6)

    def test_a_side_too_long_for_a_format_is_refused_in_a_sentence(self) -> None:
        plate = plate_of(np.zeros((2, 20000, 3), np.float32))
        with self.assertRaisesRegex(OutputError, "WebP holds up to 16383"):
            exported(plate, EMPTY, "webp", "8")

    def test_files_that_say_how_they_are_to_be_turned_come_upright(self) -> None:
        samples = np.zeros((40, 60, 3), np.uint8)
        samples[:20, :30], samples[20:, 30:] = (250, 40, 40), (40, 40, 250)
        for form in ("AVIF", "WEBP"):
            for orientation in range(1, 9):
                exif, out = Image.Exif(), io.BytesIO()
                exif[0x0112] = orientation
                Image.fromarray(samples).save(out, form, quality=95, exif=exif)
                wanted = ImageOps.exif_transpose(Image.open(io.BytesIO(out.getvalue()))).convert("RGB")
                plate = read_plate(out.getvalue(), f"a.{form.lower()}")
                got = plate.space.curves[0].encode(plate.pixels) * 255
                np.testing.assert_allclose(got, np.asarray(wanted), atol=1, err_msg=f"{form} {orientation}")

    def test_exif_is_carried_or_known_to_be_left_out(self) -> None:
        exif = Image.Exif()
        exif[0x010F] = "Merrow Point"
        plate = Plate(self.plate.pixels, SRGB, exif=exif.tobytes())
        for name, codec in codecs().items():
            for depth in codec.FORMAT.depths:
                back = read_plate(exported(plate, EMPTY, name, depth), f"a{codec.FORMAT.suffixes[0]}")
                carried = back.exif is not None and b"Merrow Point" in back.exif
                self.assertEqual(carried, depth not in codec.FORMAT.without_exif, f"{name} {depth}")

    def test_camera_raw_is_read_only(self) -> None:
        with self.assertRaisesRegex(OutputError, "no ending that Aurelon can write"):
            format_for("picture", Path("a.dng"))
        with self.assertRaisesRegex(OutputError, "no format 'raw' to write"):
            exported(self.plate, EMPTY, "raw", "16")


class FileSizes(unittest.TestCase):
    def test_a_trial_of_the_middle_tells_about_how_large_the_file_will_be(self) -> None:
        rng = np.random.default_rng(3)
        grain = cv2.GaussianBlur(rng.random((900, 1400, 3)).astype(np.float32), (0, 0), 1.2)
        renderer = renderer_of(grain)
        for form, depth, quality in (
            ("jpeg", "8", 92),
            ("jpeg", "8", 40),
            ("webp", "8", 80),
            ("png", "16", 92),
            ("exr", "half", 92),
        ):
            answer = trial_size(renderer, EMPTY, PictureExport(format=form, depth=depth, quality=quality))
            result = len(exported(renderer.plate, EMPTY, form, depth, quality=quality))
            self.assertAlmostEqual(answer / result, 1.0, delta=0.1, msg=f"{form} {quality}")

    def test_a_picture_smaller_than_the_trial_is_told_to_the_byte(self) -> None:
        renderer = renderer_of(smooth())
        for form in ("png", "jpeg", "webp"):
            answer = trial_size(renderer, EMPTY, PictureExport(format=form, depth="8"))
            self.assertEqual(answer, len(exported(renderer.plate, EMPTY, form, "8")), form)


class HighDynamicRange(unittest.TestCase):
    def test_pq_and_hlg_are_the_standards_curves(self) -> None:
        codes = np.linspace(0, 1, 65)
        np.testing.assert_allclose(
            pq_to_light(codes.astype(np.float32)), colour.models.eotf_ST2084(codes) / 203, rtol=2e-3, atol=1e-5
        )
        np.testing.assert_allclose(light_to_pq(pq_to_light(codes.astype(np.float32))), codes, atol=2e-4)
        grey = np.repeat(codes[:, None, None], 3, axis=2).astype(np.float32)
        wanted = colour.models.eotf_BT2100_HLG(grey.astype(float)) / 203
        np.testing.assert_allclose(hlg_to_light(grey), wanted, rtol=2e-3, atol=1e-4)

    def test_an_avif_in_pq_or_hlg_comes_in_as_light_above_white(self) -> None:
        codes = np.repeat(np.linspace(0.2, 0.9, 64)[None, :, None], 64, axis=0).repeat(3, axis=2)
        for bits, transfer in ((10, PQ), (12, PQ), (10, HLG)):
            plate = read_plate(avif(codes, bits, BT2020, transfer), "a.avif")
            wanted = colour.models.eotf_ST2084(codes) if transfer == PQ else colour.models.eotf_BT2100_HLG(codes)
            np.testing.assert_allclose(plate.pixels, wanted / 203, rtol=0.04, atol=0.005)
            self.assertEqual((plate.depth, plate.space.name), ("float", "Linear light, Rec. 2020 primaries"))

    def test_png_and_avif_are_written_in_pq_by_the_standards_curve(self) -> None:
        plate = Plate(smooth() * 5, LINEAR_REC2020)
        wanted = colour.models.eotf_inverse_ST2084(plate.pixels.astype(float) * 203)
        png = exported(plate, EMPTY, "png", "pq16")
        place = png.find(b"cICP")
        self.assertEqual(png[place + 4 : place + 8], bytes((9, 16, 0, 1)))
        self.assertNotIn(b"iCCP", png)
        np.testing.assert_allclose(by_opencv(png) / 65535, wanted, atol=2e-4)
        for bits in (10, 12):
            data = exported(plate, EMPTY, "avif", f"pq{bits}", quality=100)
            place = data.find(b"colrnclx")
            self.assertEqual(struct.unpack_from(">HH", data, place + 8), (9, 16))
            codes = imagecodecs.avif_decode(data) / ((1 << bits) - 1)
            self.assertGreater(psnr(codes, wanted), 45, bits)
        back = read_plate(png, "a.png")
        np.testing.assert_allclose(back.pixels, plate.pixels, rtol=2e-3, atol=1e-3)

    def test_a_jpeg_with_a_gain_map_is_bright_where_it_can_be_and_whole_where_it_cannot(self) -> None:
        plate = plate_of(smooth(240, 160) * 4)
        data = exported(plate, EMPTY, "jpeg", "gain-map", quality=95)
        light = imagecodecs.ultrahdr_decode(data, dtype=np.float16, transfer=0)[:, :, :3].astype(np.float32)
        matrix = SRGB.matrix_to(DISPLAY_P3)
        assert matrix is not None
        wanted = plate.pixels @ matrix.T
        top = float(wanted.max())
        self.assertGreater(psnr(light / top, wanted / top), 40)
        plain = Image.open(io.BytesIO(data))
        self.assertEqual((plain.size, plain.mode), ((240, 160), "RGB"))
        # The picture in it is toned by whoever made the map: darker places are darker.
        shown, level = np.asarray(plain, float).mean(axis=2), wanted.mean(axis=2)
        self.assertGreater(float(np.corrcoef(shown.ravel(), np.log(level + 0.1).ravel())[0, 1]), 0.7)
        back = read_plate(data, "a.jpg")
        self.assertGreater(float(back.pixels.max()), 2.5)
        self.assertEqual(back.depth, "float")
        np.testing.assert_allclose(back.pixels, light, atol=2e-3)

    def test_what_a_gain_map_jpeg_tells_beside_costs_no_reader_its_pictures(self) -> None:
        exif = Image.Exif()
        exif[0x010F] = "Merrow Point"
        light = smooth() * 3
        plain = jpeg.write(Raster(light), "gain-map", 90)
        answer = jpeg.write(Raster(light, exif=exif.tobytes(), rig="{}"), "gain-map", 90)
        whole = imagecodecs.ultrahdr_decode(plain, dtype=np.float16, transfer=0)
        np.testing.assert_array_equal(imagecodecs.ultrahdr_decode(answer, dtype=np.float16, transfer=0), whole)
        first, second = (Image.open(io.BytesIO(data)) for data in (plain, answer))
        self.assertEqual(second.getexif()[0x010F], "Merrow Point")
        for picture in (first, second):
            self.assertEqual(getattr(picture, "n_frames", 1), 2)
        for number in range(2):
            first.seek(number)
            second.seek(number)
            np.testing.assert_array_equal(np.asarray(first), np.asarray(second))

    def test_high_dynamic_range_is_never_chosen_by_itself(self) -> None:
        for ending, depth in ((".jpg", "8"), (".png", "16"), (".avif", "12"), (".exr", "float")):
            self.assertEqual(
                options_in(format_for("picture", Path(f"a{ending}")), Plate(smooth(), SRGB, depth="float")).depth, depth
            )

    def test_linear_wide_light_leaves_in_whole_numbers_by_a_space_that_people_have(self) -> None:
        plate = Plate(smooth(), LINEAR_REC2020)
        for form, depth in (("jpeg", "8"), ("avif", "10"), ("png", "16")):
            self.assertEqual(read_plate(exported(plate, EMPTY, form, depth), f"a.{form}").space.name, "Display P3")


class OpenExr(unittest.TestCase):
    def setUp(self) -> None:
        self.pixels = scene(60, 40)

    def read(self, *parts: Any) -> Plate:
        return read_plate(exr_file(*parts), "a.exr")

    def test_half_float_tiles_grey_and_layers(self) -> None:
        tiled = {"type": OpenEXR.tiledimage, "tiles": OpenEXR.TileDescription()}
        cases = {
            "half": exr(planes(self.pixels, np.float16)),
            "float": exr(planes(self.pixels)),
            "tiles": exr(planes(self.pixels), **tiled),
            "layer": exr({**planes(self.pixels * 0, prefix="mist."), **planes(self.pixels, prefix="beauty.")}),
        }
        for name, part in cases.items():
            np.testing.assert_allclose(self.read(part).pixels, self.pixels, rtol=2e-3, atol=1e-3, err_msg=name)
        grey = self.read(exr({"Y": np.ascontiguousarray(self.pixels[:, :, 1])}))
        np.testing.assert_allclose(grey.pixels, np.repeat(self.pixels[:, :, 1:2], 3, axis=2), rtol=1e-6)

    def test_of_several_parts_the_result_or_the_first(self) -> None:
        dark = planes(self.pixels * 0.1)
        named = self.read(exr(dark, "mist"), exr(planes(self.pixels), "result"))
        np.testing.assert_allclose(named.pixels, self.pixels, rtol=1e-6)
        first = self.read(exr(planes(self.pixels), "left"), exr(dark, "right"))
        np.testing.assert_allclose(first.pixels, self.pixels, rtol=1e-6)

    def test_the_data_window_lies_in_the_display_window(self) -> None:
        windows: dict[str, Any] = {
            "dataWindow": (np.array((10, 5), np.int32), np.array((69, 44), np.int32)),
            "displayWindow": (np.array((0, 0), np.int32), np.array((99, 59), np.int32)),
        }
        plate = self.read(exr(planes(self.pixels), **windows))
        self.assertEqual(plate.size, (100, 60))
        np.testing.assert_allclose(plate.pixels[5:45, 10:70], self.pixels, rtol=1e-6)
        self.assertEqual(float(plate.pixels[:5].max()), 0.0)

    def test_chromaticities_give_the_space(self) -> None:
        p3 = self.read(exr(planes(self.pixels), chromaticities=(0.68, 0.32, 0.265, 0.69, 0.15, 0.06, 0.3127, 0.329)))
        self.assertIs(p3.space, space_of(12, LINEAR))
        self.assertIs(self.read(exr(planes(self.pixels))).space, LINEAR_SRGB)

    def test_negative_light_is_lifted_to_none(self) -> None:
        self.assertEqual(float(self.read(exr(planes(-self.pixels))).pixels.max()), 0.0)


class Raw(unittest.TestCase):
    def test_a_mosaic_develops_to_the_scenes_colours(self) -> None:
        light = np.asarray(cv2.GaussianBlur(scene(240, 160), (0, 0), 1.5), np.float32)
        plate = read_plate(dng_of(light), "a.dng")
        self.assertEqual((plate.size, plate.depth, plate.space), ((240, 160), "float", LINEAR_REC2020))
        matrix = plate.space.matrix_to(SRGB)
        assert matrix is not None

        def lab(pixels: Any) -> Any:
            return colour.XYZ_to_Lab(colour.RGB_to_XYZ(np.clip(pixels, 0, 1), "sRGB", apply_cctf_decoding=False))

        inside = slice(4, -4), slice(4, -4)
        apart = colour.delta_E(lab(light[inside]), lab((plate.pixels @ matrix.T)[inside]), method="CIE 2000")
        self.assertLess(float(np.mean(apart)), 2.0)

    def test_what_the_camera_noted_goes_on_into_other_files(self) -> None:
        plate = read_plate(dng_of(scene(64, 48), "Merrow Two"), "a.dng")
        for form in ("jpeg", "png", "jxl", "avif"):
            written = read_plate(exported(plate, EMPTY, form, "8"), f"a.{form}").exif or b""
            found = Image.Exif()
            found.load(written)
            self.assertEqual((found[0x010F], found[0x0110]), ("Merrow Point", "Merrow Two"), form)

    def test_what_is_brighter_than_white_is_kept(self) -> None:
        light = np.full((80, 120, 3), 0.3, np.float32)
        # The sensor's red filter sees half of what green does, so that red can be twice as bright before it is full.
        light[20:60, 30:90] = (0.9 / BALANCE[0], 0.9, 0.9 / BALANCE[2])
        plate = read_plate(dng_of(light), "a.dng")
        matrix = plate.space.matrix_to(SRGB)
        assert matrix is not None
        np.testing.assert_allclose((plate.pixels @ matrix.T)[40, 60], light[40, 60], rtol=0.05)

    def test_a_lamp_that_fills_the_sensor_is_white(self) -> None:
        light = np.full((80, 120, 3), 0.3, np.float32)
        light[20:60, 30:90] = 50
        lamp = read_plate(dng_of(light), "a.dng").pixels[40, 60]
        # Red's photosites are full at 1 / 0.5 of white.
        np.testing.assert_allclose(lamp, 1 / BALANCE[0], rtol=0.03)

    def test_a_glance_is_half_as_large_and_looks_the_same(self) -> None:
        light = np.asarray(cv2.GaussianBlur(scene(240, 160), (0, 0), 3), np.float32)
        data = dng_of(light)
        small, size = glance(data, "a.dng")
        self.assertEqual((small.size, size), ((120, 80), (240, 160)))
        whole = read_plate(data, "a.dng").pixels.reshape(80, 2, 120, 2, 3).mean(axis=(1, 3))
        self.assertGreater(psnr(small.pixels[3:-3, 3:-3], whole[3:-3, 3:-3]), 40)
        picture, size = glance(exported(plate_of(light), EMPTY, "png", "16"), "a.png")
        self.assertEqual((picture.size, size), ((240, 160), (240, 160)))

    def test_a_tiff_is_not_taken_for_raw(self) -> None:
        raw = codecs()["raw"]
        self.assertFalse(raw.matches(exported(plate_of(scene(60, 40)), EMPTY, "tiff", "16")))
        self.assertTrue(raw.matches(dng_of(scene(60, 40))))


class BadFiles(unittest.TestCase):
    def test_each_gets_one_sentence(self) -> None:
        pixels = scene(60, 40)
        plate = plate_of(pixels)
        nan, inf = pixels.copy(), pixels.copy()
        nan[3:30, 4], inf[5, 6:40] = np.nan, np.inf  # more than stray samples
        files: dict[str, tuple[bytes, str]] = {
            "nan.exr": (exr_file(exr(planes(nan))), "NaN or infinite"),
            "inf.exr": (exr_file(exr(planes(inf))), "NaN or infinite"),
            "nan half.exr": (exr_file(exr(planes(nan, np.float16))), "NaN or infinite"),
            "inf half.exr": (exr_file(exr(planes(inf, np.float16))), "NaN or infinite"),
            "depth.exr": (exr_file(exr({"Z": np.ascontiguousarray(pixels[:, :, 0])})), "no picture in red"),
            "whole.exr": (exr_file(exr(planes(pixels, np.uint32))), "whole numbers"),
            "named.webp": (exported(plate, EMPTY, "avif", "8"), "holds AVIF"),
            "turned.hdr": (exported(plate, EMPTY, "hdr", "float").replace(b"-Y 40 +X 60", b"+X 60 -Y 40"), "turned or mirrored"),
            "sizeless.hdr": (b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n", "no size"),
            "cut.dng": (dng_of(pixels)[:900], ""),
        }
        for form in ("webp", "avif", "jxl", "exr", "hdr"):
            data = exported(plate, EMPTY, form, codecs()[form].FORMAT.depths[0])
            for share in (0.3, 0.6, 0.9):
                files[f"cut-{share}.{form}"] = (data[: int(len(data) * share)], "")
        for name, (data, reason) in files.items():
            try:
                read_plate(data, name)
            except PlateError as error:
                self.assertIn(name, str(error))
                self.assertIn(reason, str(error))
                self.assertNotIn("\n", str(error))
            else:
                self.assertEqual(reason, "", name)  # what is cut off at its very end may still be whole

    def test_sizes_are_known_before_anything_is_decoded(self) -> None:
        for width, height in ((60, 40), (257, 1), (8, 8), (1000, 333)):
            plate = plate_of(np.full((height, width, 3), 0.4, np.float32))
            for form in ("webp", "avif", "jxl", "exr", "hdr"):
                codec = codecs()[form]
                data = exported(plate, EMPTY, form, codec.FORMAT.depths[-1])
                self.assertEqual(codec.measure(data), (width, height), form)
                self.assertEqual(read_plate(data, f"a.{form}").size, (width, height), form)


if __name__ == "__main__":
    unittest.main()
