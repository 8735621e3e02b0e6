"""Printing inks and L*a*b* against another library's colours; metadata and rigs that travel in files; files that hold several."""

from __future__ import annotations

import io
import json
import struct
import tracemalloc
import unittest
import warnings
import zipfile
import zlib
from typing import Any

import imagecodecs
import numpy as np
import tifffile
from PIL import Image

from aurelon.core import OutputError, PlateError, Rig, parse_rig, read_plate
from aurelon.core.codecs import avif, layer_of, layers_in, png
from aurelon.core.codecs.shared.heif_items import with_metadata
from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.export import targets
from aurelon.core.export.passes import PassesExport
from aurelon.core.graph.renderer import never
from aurelon.core.imaging.rgb_space import OPRGB
from tests.core.test_formats import exr, exr_file, planes
from tests.icc import ink_profile, lab_of_inks, oprgb_of_lab
from tests.pictures import exported, light, plate_of, rig_of, scene

RIG = rig_of(light("shafts", spread={"position": [0.3, 0.3]}))
XMP = (
    b'<?xpacket begin="" id="W5M0MpCehiHzreSzNTczkc9d"?><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
    b'<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:tiff="http://ns/tiff/" '
    b'tiff:Orientation="6" dc:source="Merrow Point"/></rdf:RDF><?xpacket end="w"?>'
)


def codes_of(plate: Any) -> Any:
    return OPRGB.curves[0].encode(plate.pixels)


class Inks(unittest.TestCase):
    def setUp(self) -> None:
        dice = np.random.default_rng(3)
        # At the nodes of the table, where nothing is interpolated.
        self.inks = (dice.integers(0, 5, (8, 12, 4)) / 4).astype(np.float32)
        self.expected = oprgb_of_lab(lab_of_inks(self.inks))
        self.icc = ink_profile()

    def close(self, plate: Any, tolerance: float) -> None:
        self.assertIs(plate.space, OPRGB)
        self.assertIn("printing inks (CMYK)", plate.notices[0])
        np.testing.assert_allclose(codes_of(plate), self.expected, atol=tolerance)

    def test_tiff_of_8_and_16_bits(self) -> None:
        for kind, tolerance in ((np.uint8, 0.008), (np.uint16, 0.005)):
            out = io.BytesIO()
            samples = np.round(self.inks * np.iinfo(kind).max).astype(kind)
            tifffile.imwrite(out, samples, photometric="separated", iccprofile=self.icc)
            self.close(read_plate(out.getvalue(), "print.tif"), tolerance)

    def test_jpeg(self) -> None:
        out = io.BytesIO()
        flat = np.repeat(np.repeat(self.inks, 16, axis=0), 16, axis=1)
        picture = Image.frombytes("CMYK", (192, 128), np.round(flat * 255).astype(np.uint8).tobytes())
        picture.save(out, "JPEG", quality=98, subsampling=0, icc_profile=self.icc)
        result = codes_of(read_plate(out.getvalue(), "print.jpg"))[8::16, 8::16]
        np.testing.assert_allclose(result, self.expected, atol=0.03)

    def test_without_a_profile_they_are_taken_for_filters_and_that_is_said(self) -> None:
        for form, ending in (("JPEG", "jpg"), ("TIFF", "tif")):
            out = io.BytesIO()
            Image.new("CMYK", (20, 20)).save(out, form)
            plate = read_plate(out.getvalue(), f"print.{ending}")
            self.assertIn("without a profile", " ".join(plate.notices))
            np.testing.assert_allclose(plate.pixels, 1.0, atol=1e-6)  # paper

    def test_a_profile_of_other_colours_is_one_sentence(self) -> None:
        out = io.BytesIO()
        tifffile.imwrite(out, np.zeros((8, 8, 4), np.uint8), photometric="separated", iccprofile=OPRGB.icc)
        with self.assertRaisesRegex(PlateError, "colour profile that cannot be applied"):
            read_plate(out.getvalue(), "print.tif")


class Lab(unittest.TestCase):
    def test_both_codings_at_both_depths(self) -> None:
        dice = np.random.default_rng(4)
        lab = np.stack([dice.uniform(20, 90, (9, 7)), dice.uniform(-20, 20, (9, 7)), dice.uniform(-20, 20, (9, 7))], axis=2)
        top, tones = lab[:, :, :1], lab[:, :, 1:]
        signed8 = np.dstack([np.round(top * 2.55), np.round(tones) % 256]).astype(np.uint8)
        signed16 = np.dstack([np.round(top * 655.35), np.round(tones * 256) % 65536]).astype(np.uint16)
        offset8 = np.dstack([np.round(top * 2.55), np.round(tones + 128)]).astype(np.uint8)
        offset16 = np.dstack([np.round(top * 652.8), np.round((tones + 128) * 256)]).astype(np.uint16)
        for photometric, samples, tolerance in (
            ("cielab", signed8, 0.02),
            ("cielab", signed16, 0.002),
            ("icclab", offset8, 0.02),
            ("icclab", offset16, 0.002),
        ):
            with self.subTest(photometric, depth=samples.dtype):
                out = io.BytesIO()
                tifffile.imwrite(out, samples, photometric=photometric)
                plate = read_plate(out.getvalue(), "lab.tif")
                self.assertIn("L*a*b*", plate.notices[0])
                np.testing.assert_allclose(codes_of(plate), oprgb_of_lab(lab.astype(np.float32)), atol=tolerance)


class Travelling(unittest.TestCase):
    def test_a_rig_is_found_again_in_every_file_that_carries_one(self) -> None:
        plate = plate_of(scene(96, 64))
        for form, depth in (
            ("jpeg", "8"),
            ("png", "8"),
            ("png", "16"),
            ("tiff", "16"),
            ("webp", "8"),
            ("exr", "half"),
            ("avif", "8"),
            ("jpeg", "gain-map"),
        ):
            with self.subTest(form, depth=depth):
                carried = exported(plate, RIG, form, depth, with_rig=True)
                self.assertEqual(parse_rig(read_plate(carried, f"a.{form}").rig.encode()), RIG)
                self.assertEqual(read_plate(exported(plate, RIG, form, depth), f"a.{form}").rig, "")
        for form in ("exr", "ora", "tiff"):
            with self.subTest("passes", form=form):
                options = PassesExport(format=form, depth="half" if form == "exr" else "8")
                result = targets()["passes"].run(plate, RIG, options, lambda share: None, never)
                self.assertEqual(parse_rig(read_plate(result.whole(), f"a{result.suffix}").rig.encode()), RIG)

    def test_a_file_that_cannot_carry_it_is_refused_in_a_sentence(self) -> None:
        plate = plate_of(scene(96, 64))
        with self.assertRaisesRegex(OutputError, "Radiance HDR cannot carry the rig"):
            exported(plate, RIG, "hdr", "float", with_rig=True)
        dice = np.random.default_rng(1)
        stroke = {"points": dice.random(18_000).tolist(), "size": 0.02}
        large = rig_of(light("strokes", source={"strokes": [stroke]}))
        with self.assertRaisesRegex(OutputError, "too large to travel in a JPEG"):
            exported(plate, large, "jpeg", "8", with_rig=True)
        self.assertEqual(parse_rig(read_plate(exported(plate, large, "png", "8", with_rig=True), "a.png").rig.encode()), large)

    def test_a_damaged_rig_is_none(self) -> None:
        plate = plate_of(scene(96, 64))
        carried = exported(plate, RIG, "tiff", "8", with_rig=True)
        at = carried.index(b'aurelon:rig="') + 40
        self.assertEqual(read_plate(carried[:at] + b"AAAA" + carried[at + 4 :], "a.tif").rig, "")

    def test_metadata_go_from_file_to_file_and_come_upright(self) -> None:
        for form in ("jpg", "webp", "tif"):
            out = io.BytesIO()
            picture = Image.fromarray(np.full((20, 30, 3), 99, np.uint8))
            if form == "tif":
                tifffile.imwrite(out, np.asarray(picture), photometric="rgb", extratags=[(700, 1, len(XMP), XMP, True)])
            else:
                picture.save(out, {"jpg": "JPEG", "webp": "WEBP"}[form], xmp=XMP)
            plate = read_plate(out.getvalue(), f"a.{form}")
            assert plate.xmp is not None
            self.assertIn(b'tiff:Orientation="1" dc:source="Merrow Point"', plate.xmp)
            for to in ("jpeg", "webp", "tiff", "png", "jxl", "avif"):
                with self.subTest(form, to=to):
                    for carried in (False, True):
                        data = exported(plate, Rig(), to, "8", with_rig=carried, metadata="all")
                        read: Any = Image.open(io.BytesIO(data))
                        if to != "jxl":  # of whose notes this reader knows nothing
                            xmp = read.tag_v2[700] if to == "tiff" else read.info["xmp"]
                            self.assertIn(b'dc:source="Merrow Point"', bytes(xmp))
                        again = read_plate(data, f"a.{to}")
                        self.assertIn(b'dc:source="Merrow Point"', again.xmp or b"")
                        self.assertEqual(bool(again.rig), carried)

    def test_avif_holds_them_as_another_reader_finds_them_and_the_same_picture(self) -> None:
        exif = Image.Exif()
        exif[0x010F] = "Merrow Point"
        for channels in (3, 4):
            dice = np.random.default_rng(channels)
            samples = (dice.random((40, 60, channels)) * 255).astype(np.uint8)
            for depth in ("8", "10", "pq12"):
                with self.subTest(channels=channels, depth=depth):
                    picture = (
                        samples if depth == "8" else samples.astype(np.float32) / 255 if "pq" in depth else samples * np.uint16(257)
                    )
                    alpha = None if channels == 3 else picture[:, :, 3]
                    plain, answer = (
                        avif.write(Raster(np.ascontiguousarray(picture[:, :, :3]), alpha, exif=block, xmp=xmp), depth, 80)
                        for block, xmp in ((None, None), (exif.tobytes(), XMP))
                    )
                    read = Image.open(io.BytesIO(answer))
                    np.testing.assert_array_equal(np.asarray(read), np.asarray(Image.open(io.BytesIO(plain))))
                    np.testing.assert_array_equal(imagecodecs.avif_decode(answer), imagecodecs.avif_decode(plain))
                    self.assertEqual(read.info["xmp"], XMP)
                    self.assertEqual(read.getexif()[0x010F], "Merrow Point")

    def test_packed_metadata_of_a_png_are_read_and_bombs_left(self) -> None:
        plain = exported(plate_of(scene(30, 20)), Rig(), "png", "8")
        for text, wanted in ((XMP, True), (b" " * (40 << 20), False)):
            content = png.XMP + b"\1\0\0\0" + zlib.compress(text)
            chunk = struct.pack(">I4s", len(content), b"iTXt") + content + struct.pack(">I", zlib.crc32(b"iTXt" + content))
            xmp = read_plate(plain[:33] + chunk + plain[33:], "a.png").xmp
            self.assertEqual(xmp is not None and b'dc:source="Merrow Point"' in xmp, wanted)


def with_exif(data: bytes, block: bytes) -> bytes:
    """An AVIF that has EXIF in place of what is now there, whatever that holds."""
    good = b"II*\0" + bytes(len(block) - 4)
    answer = with_metadata(data, good, None)
    return answer.replace(good, block)


class Exif(unittest.TestCase):
    def block(self, tag: int, text: bytes, shift: int = 0) -> bytes:
        """A block with one text."""
        head = b"II*\0" + struct.pack("<IHHHII", 8, 1, tag, 2, len(text), 26 + shift)
        return b"Exif\0\0" + head + struct.pack("<I", 0) + text

    def jpeg(self, exif: bytes) -> bytes:
        out = io.BytesIO()
        Image.fromarray(np.full((20, 30, 3), 90, np.uint8)).save(out, "JPEG", exif=exif)
        return out.getvalue()

    def test_text_that_is_not_ascii_is_carried_as_it_is(self) -> None:
        text = "© 2024, Küste von Merrow".encode()
        plate = read_plate(self.jpeg(self.block(0x8298, text)), "a.jpg")
        for depth in ("8", "16", "float"):
            with tifffile.TiffFile(io.BytesIO(exported(plate, Rig(), "tiff", depth))) as file:
                tag: Any = file.pages.first.tags[0x8298]
                file.filehandle.seek(tag.valueoffset)
                self.assertEqual(file.filehandle.read(len(text)), text)
                read_plate(exported(plate, Rig(), "tiff", depth), "a.tif")

    def test_a_damaged_block_is_left_out_and_the_picture_written(self) -> None:
        whole = self.block(0x8298, b"Merrow Point, in the morning")
        self.assertEqual(read_plate(self.jpeg(whole), "a.jpg").notices, ())
        far = b"Exif\0\0II*\0\x08\0\0\0\x01\0\x69\x87\x04\0\x01\0\0\0\xff\xff\xff\x7f\0\0\0\0"
        number = b"Exif\0\0II*\0\x08\0\0\0\x01\0\x98\x82\x04\0\x01\0\0\0\x07\0\0\0\0\0\0\0"
        noise = b"Exif\0\0" + bytes(range(200))
        for sentence, block in {"short": whole[:30], "far": far, "number": number, "noise": noise}.items():
            plate = read_plate(self.jpeg(block), "a.jpg")
            self.assertEqual(
                plate.notices, ("a.jpg has damaged EXIF data; what cannot be read of it goes into no TIFF.",), sentence
            )
            for form in ("tiff", "png", "jpeg", "webp", "jxl", "avif"):
                with self.subTest(sentence, form=form), warnings.catch_warnings():
                    warnings.simplefilter("ignore")
                    result = read_plate(exported(plate, Rig(), form, "8", metadata="all"), f"a.{form}")
                    np.testing.assert_allclose(result.pixels, plate.pixels, atol=0.02)
                    self.assertEqual(
                        any("damaged EXIF" in one for one in result.notices),
                        form != "tiff" and (form, sentence) != ("avif", "noise"),
                    )
            if sentence == "noise":
                result = read_plate(with_exif(exported(plate, Rig(), "avif", "8"), block), "a.avif")
                self.assertIn("damaged EXIF", result.notices[0])
                np.testing.assert_allclose(result.pixels, plate.pixels, atol=0.02)


class Bombs(unittest.TestCase):
    """Files that unpack to far more than they say, or say more than there can be."""

    def png(self, *chunks: tuple[bytes, bytes], size: tuple[int, int] = (1, 1)) -> bytes:
        header = struct.pack(">IIBBBBB", *size, 8, 2, 0, 0, 0)
        body = [(b"IHDR", header), *chunks, (b"IDAT", zlib.compress(b"\0\0\0\0")), (b"IEND", b"")]
        packed = (struct.pack(">I", len(c)) + k + c + struct.pack(">I", zlib.crc32(k + c)) for k, c in body)
        return b"\x89PNG\r\n\x1a\n" + b"".join(packed)

    def test_each_is_refused_in_a_sentence_and_little_memory(self) -> None:
        worker = zlib.compressobj(9)
        profile = b"".join(worker.compress(bytes(1 << 20)) for _ in range(1024)) + worker.flush()
        many = io.BytesIO()
        tifffile.imwrite(many, np.zeros((2, 2, 4000), np.uint8), photometric="minisblack", planarconfig="contig")
        second = struct.pack(">IIBBBBB", 60_000, 60_000, 8, 2, 0, 0, 0)
        cases = {
            "unpacks to far more": self.png((b"iCCP", b"p\0\0" + profile)),
            "two headers": self.png((b"IHDR", second)),
            "up to 100000 pixels a side": self.png(size=(150_000_000, 1)),
            "layout of samples": many.getvalue(),
            "gives no size": self.png(size=(0, 5)),
        }
        for sentence, data in cases.items():
            with self.subTest(sentence):
                tracemalloc.start()
                self.addCleanup(tracemalloc.stop)
                with self.assertRaisesRegex(PlateError, sentence):
                    read_plate(data, "a.tif" if sentence.startswith("layout") else "a.png")
                self.assertLess(tracemalloc.get_traced_memory()[1], 64 << 20)
                tracemalloc.stop()


class Several(unittest.TestCase):
    def setUp(self) -> None:
        self.plate = plate_of(scene(96, 64))

    def passes(self, form: str, depth: str) -> bytes:
        options = PassesExport(format=form, depth=depth)
        return targets()["passes"].run(self.plate, RIG, options, lambda share: None, never).whole()

    def test_each_part_and_layer_becomes_a_file_of_its_own(self) -> None:
        red, blue = (np.full((6, 9, 3), one, np.float32) for one in ((2.5, 0, 0), (0, 0, 0.25)))
        file = exr_file(
            exr({**planes(red), **planes(blue, prefix="sea.")}, "beauty"), exr({"Y": np.full((6, 9), 0.5, np.float16)}, "depth")
        )
        self.assertEqual(layers_in(file, "a.exr"), ["beauty", "beauty / sea", "depth"])
        plate = read_plate(file, "a.exr")
        np.testing.assert_array_equal(plate.pixels, red)
        self.assertIn("a.exr holds 3 layers; “beauty” was taken", plate.notices[0])
        for layer, expected in (("beauty / sea", blue), ("depth", np.full((6, 9, 3), 0.5))):
            data, name = layer_of(file, "a.exr", layer)
            alone = read_plate(data, name)
            np.testing.assert_array_equal(alone.pixels, expected)
            self.assertEqual(alone.notices, ())
        with self.assertRaisesRegex(PlateError, "no layer called “sky”"):
            layer_of(file, "a.exr", "sky")
        self.assertEqual(layers_in(exr_file(exr(planes(red), "beauty")), "a.exr"), [])

    def test_passes_come_in_again_layer_by_layer(self) -> None:
        for form, depth, suffix in (("exr", "float", ".exr"), ("tiff", "16", ".tif"), ("ora", "16", ".ora")):
            with self.subTest(form):
                file = self.passes(form, depth)
                names = layers_in(file, f"a{suffix}")
                self.assertIn("picture", names)
                self.assertGreaterEqual(len(names), 3)
                whole = read_plate(file, f"a{suffix}")
                self.assertEqual(whole.pixels.shape, (64, 96, 3))
                picture = next(name for name in names if name == "picture")
                data, name = layer_of(file, f"a{suffix}", picture)
                below = exported(self.plate, Rig(), "exr" if form == "exr" else "png", depth)
                expected = read_plate(below, "a.exr" if form == "exr" else "a.png").pixels
                np.testing.assert_allclose(read_plate(data, name).pixels, expected, atol=1e-3)

    def test_small_versions_in_a_tiff_are_no_layers(self) -> None:
        out = io.BytesIO()
        with tifffile.TiffWriter(out) as file:
            file.write(np.zeros((40, 60, 3), np.uint8), photometric="rgb")
            file.write(np.zeros((10, 15, 3), np.uint8), photometric="rgb", subfiletype=1)
        self.assertEqual(layers_in(out.getvalue(), "a.tif"), [])

    def test_a_layer_that_lies_beside_the_canvas_is_cut_to_it(self) -> None:
        small = io.BytesIO()
        Image.fromarray(np.full((4, 4, 3), 200, np.uint8)).save(small, "PNG")
        merged = io.BytesIO()
        Image.fromarray(np.zeros((6, 8, 3), np.uint8)).save(merged, "PNG")

        def archive(stack: str) -> bytes:
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w") as file:
                file.writestr("mimetype", "image/openraster")
                file.writestr("stack.xml", stack)
                file.writestr("mergedimage.png", merged.getvalue())
                file.writestr("data/a.png", small.getvalue())
            return out.getvalue()

        file = archive('<image w="8" h="6"><stack><layer name="lamp" src="data/a.png" x="-2" y="3"/></stack></image>')
        plate = read_plate(*layer_of(file, "a.ora", "lamp"))
        alpha = np.zeros((6, 8))
        alpha[3:6, 0:2] = 1
        np.testing.assert_array_equal(plate.alpha, alpha)
        for stack, sentence in (
            ('<image w="8" h="6"><stack', "cut short or damaged"),
            ('<!DOCTYPE a [<!ENTITY b "c">]><image w="8" h="6"/>', "definitions of its own"),
            ('<image w="0" h="6"/>', "gives no size"),
        ):
            with self.subTest(sentence), self.assertRaisesRegex(PlateError, sentence):
                read_plate(archive(stack), "a.ora")

    def test_animated_files_say_that_their_first_picture_was_taken(self) -> None:
        frames = [Image.fromarray(np.full((200, 200, 3), tone, np.uint8)) for tone in (40, 200)]
        for form in ("PNG", "WEBP", "AVIF"):
            with self.subTest(form):
                out = io.BytesIO()
                frames[0].save(out, form, save_all=True, append_images=frames[1:], duration=100)
                plate = read_plate(out.getvalue(), f"a.{form.lower()}")
                self.assertIn("is animated; its first picture was taken", plate.notices[0])
                self.assertLess(float(plate.pixels.max()), 0.1)

    def test_a_passes_file_tells_its_rules_and_its_rig_as_json(self) -> None:
        with tifffile.TiffFile(io.BytesIO(self.passes("tiff", "8"))) as file:
            self.assertEqual(json.loads(file.pages.first.description)["rig"], RIG.model_dump(mode="json"))


if __name__ == "__main__":
    unittest.main()
