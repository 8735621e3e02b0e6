"""Files whose light is known: what a format's own rules say of samples that are easily taken wrongly."""

from __future__ import annotations

import io
import struct
import unittest
import zlib
from contextlib import closing
from fractions import Fraction
from typing import Any

import av
import numpy as np
import OpenEXR
import tifffile
from av.video.frame import VideoFrame
from numpy.typing import NDArray
from PIL import Image, ImageCms

from aurelon.core import Plate, PlateError, Rig, open_reel, read_plate
from aurelon.core.codecs import layers_in, read_raster
from aurelon.core.codecs.shared.paths import as_path
from aurelon.core.export import targets
from aurelon.core.export.passes import PassesExport
from aurelon.core.export.picture import PictureExport, export
from aurelon.core.graph.renderer import never
from aurelon.core.imaging.code_points import LINEAR, P3_D65, space_of
from aurelon.core.imaging.rgb_space import SRGB
from aurelon.core.plate import glance
from aurelon.core.reels.video import Video
from tests.dng import BALANCE, CAMERA, Tag, dng_of
from tests.pictures import scene

LINEAR_P3 = space_of(P3_D65, LINEAR)
SRGB_HALF = ((128 / 255 + 0.055) / 1.055) ** 2.4  # light of code 128, IEC 61966-2-1


def tiff(samples: NDArray[Any], **how: Any) -> Plate:
    out = io.BytesIO()
    tifffile.imwrite(out, samples, metadata=None, **how)
    return read_plate(out.getvalue(), "plate.tif")


def by_pillow(picture: Image.Image, form: str, **how: Any) -> bytes:
    out = io.BytesIO()
    picture.save(out, form, **how)
    return out.getvalue()


def png(code: int, *chunks: tuple[bytes, bytes], size: tuple[int, int] = (4, 3)) -> bytes:
    """A PNG of 8 bits of one grey, or with a red corner at its upper left, with chunks of its own after the header."""
    plain = np.full((size[1], size[0], 3), code, np.uint8)
    plain[0, 0] = 255, 0, 0
    data = by_pillow(Image.fromarray(plain), "png")
    more = b"".join(
        struct.pack(">I", len(content)) + kind + content + struct.pack(">I", zlib.crc32(kind + content)) for kind, content in chunks
    )
    return data[:33] + more + data[33:]


def chromaticities(*places: float) -> bytes:
    return struct.pack(">8I", *(round(place * 100_000) for place in places))


def plain_exr(planes: dict[str, NDArray[Any]]) -> bytes:
    """An OpenEXR file of float scan lines without compression (OpenEXR, "File Layout"); planes of half the height and width of the
    others are stored for every other row and column."""
    height, width = max(plane.shape for plane in planes.values())

    def attribute(name: str, kind: str, value: bytes) -> bytes:
        return name.encode() + b"\0" + kind.encode() + b"\0" + struct.pack("<i", len(value)) + value

    def step(plane: NDArray[Any]) -> int:
        return 1 if plane.shape == (height, width) else 2

    listed = b"".join(
        name.encode() + struct.pack("<xiB3xii", 2, 0, step(plane), step(plane)) for name, plane in sorted(planes.items())
    )
    window = struct.pack("<4i", 0, 0, width - 1, height - 1)
    header = b"\x76\x2f\x31\x01" + struct.pack("<i", 2)
    header += attribute("channels", "chlist", listed + b"\0") + attribute("compression", "compression", b"\0")
    header += attribute("dataWindow", "box2i", window) + attribute("displayWindow", "box2i", window)
    header += attribute("lineOrder", "lineOrder", b"\0") + attribute("pixelAspectRatio", "float", struct.pack("<f", 1))
    header += attribute("screenWindowCenter", "v2f", struct.pack("<2f", 0, 0))
    header += attribute("screenWindowWidth", "float", struct.pack("<f", 1)) + b"\0"
    lines = []
    for row in range(height):
        kept = [plane[row // step(plane)].astype("<f4").tobytes() for _, plane in sorted(planes.items()) if row % step(plane) == 0]
        lines.append(struct.pack("<ii", row, sum(map(len, kept))) + b"".join(kept))
    places, place = [], len(header) + 8 * height
    for line in lines:
        places.append(place)
        place += len(line)
    return header + struct.pack(f"<{height}Q", *places) + b"".join(lines)


class Tiff(unittest.TestCase):
    def test_associated_alpha_is_divided_out_and_unassociated_is_not(self) -> None:
        stored = np.zeros((8, 8, 4), np.float32)
        stored[...] = 0.2, 0.1, 0.05, 0.5
        plate = tiff(stored, photometric="rgb", extrasamples=["assocalpha"])
        np.testing.assert_allclose(plate.pixels[3, 3], (0.4, 0.2, 0.1), rtol=1e-6)
        assert plate.alpha is not None
        self.assertEqual(float(plate.alpha[3, 3]), 0.5)
        plate = tiff(stored, photometric="rgb", extrasamples=["unassalpha"])
        np.testing.assert_allclose(plate.pixels[3, 3], (0.2, 0.1, 0.05), rtol=1e-6)
        codes = np.zeros((8, 8, 4), np.uint8)
        codes[...] = 64, 32, 0, 128
        codes[0, 0] = 0, 0, 0, 0
        plate = tiff(codes, photometric="rgb", extrasamples=["assocalpha"])
        self.assertAlmostEqual(float(plate.pixels[3, 3, 0]), SRGB_HALF, places=5)
        self.assertEqual(float(plate.pixels[0, 0].max()), 0.0)

    def test_a_further_channel_that_is_no_alpha_is_left_aside_and_said(self) -> None:
        codes = np.full((8, 8, 4), 128, np.uint8)
        codes[:, :, 3] = 10
        plate = tiff(codes, photometric="rgb", extrasamples=["unspecified"])
        self.assertIsNone(plate.alpha)
        self.assertIn("more channels", " ".join(plate.notices))
        six = np.concatenate([codes, np.full((8, 8, 2), 200, np.uint8)], axis=2)
        plate = tiff(six, photometric="rgb", extrasamples=["unspecified", "unassalpha", "unspecified"])
        assert plate.alpha is not None
        self.assertAlmostEqual(float(plate.alpha[0, 0]), 200 / 255, places=6)
        self.assertAlmostEqual(float(plate.pixels[0, 0, 1]), SRGB_HALF, places=5)
        grey = tiff(np.stack([codes[:, :, 0], codes[:, :, 3]], axis=2), photometric="minisblack", extrasamples=["unspecified"])
        self.assertIsNone(grey.alpha)

    def test_grey_of_two_and_four_bits_goes_up_to_white(self) -> None:
        for bits in (2, 4):
            top = (1 << bits) - 1
            codes = np.tile(np.arange(top + 1, dtype=np.uint8), (4, 8 // bits))
            plate = tiff(codes, photometric="minisblack", bitspersample=bits)
            self.assertAlmostEqual(float(plate.pixels[0, top, 0]), 1.0, places=6)
            middle = top // 2
            wanted = ((middle / top + 0.055) / 1.055) ** 2.4
            self.assertAlmostEqual(float(plate.pixels[0, middle, 0]), wanted, delta=0.003)
            inverted = tiff(codes, photometric="miniswhite", bitspersample=bits)
            self.assertAlmostEqual(float(inverted.pixels[0, 0, 0]), 1.0, places=6)

    def test_two_tones_by_fax_and_plainly(self) -> None:
        drawn = np.zeros((40, 64), bool)
        drawn[10:30, 16:48] = True
        for compression in ("raw", "group3", "group4", "tiff_ccitt"):
            data = by_pillow(Image.fromarray(drawn), "tiff", compression=None if compression == "raw" else compression)
            plate = read_plate(data, "fax.tif")
            np.testing.assert_array_equal(plate.pixels[:, :, 1] > 0.5, drawn, compression)
            self.assertEqual(float(plate.pixels.max()), 1.0)

    def test_a_palette_of_one_bit(self) -> None:
        picture = Image.fromarray((np.indices((16, 16)).sum(axis=0) % 2).astype(bool))
        data = bytearray(by_pillow(picture, "tiff", compression=None))
        # The same file, its two tones called colours of a palette: PhotometricInterpretation 3, and ColorMap in place of a tag.
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page = file.pages.first
            kind, spare = page.tags[262], page.tags[284 if 284 in page.tags else 277]
        colours = np.array([[65535, 0], [128 * 257, 0], [0, 65535]], "<u2")
        struct.pack_into("<H", data, kind.valueoffset, 3)
        struct.pack_into("<HHII", data, spare.offset, 320, 3, 6, len(data))
        plate = read_plate(bytes(data) + colours.tobytes(), "plate.tif")
        np.testing.assert_allclose(plate.pixels[0, 0], (1.0, SRGB_HALF, 0.0), atol=1e-5)
        np.testing.assert_allclose(plate.pixels[0, 1], (0.0, 0.0, 1.0), atol=1e-5)

    def test_bytes_behind_a_strip_do_not_matter(self) -> None:
        drawn = np.tile(np.arange(0, 240, 15, dtype=np.uint8), (16, 1))
        for compression in (None, "tiff_deflate", "tiff_lzw", "packbits"):
            data = bytearray(by_pillow(Image.fromarray(drawn), "tiff", compression=compression))
            with tifffile.TiffFile(io.BytesIO(data)) as file:
                page = file.pages.first
                place, size, counts = page.dataoffsets[0], page.databytecounts[0], page.tags[279]
            # The strip again, behind all else, with more bytes than it has pixels for.
            strip = bytes(data[place : place + size]) + b"\x7f" * 40
            kind = "<H" if counts.dtype == 3 else "<I"
            struct.pack_into(kind, data, counts.valueoffset, len(strip))
            offsets = page.tags[273]
            struct.pack_into("<H" if offsets.dtype == 3 else "<I", data, offsets.valueoffset, len(data))
            codes = read_plate(bytes(data) + strip, "plate.tif").pixels[:, :, 0]
            wanted = np.where(drawn <= 10, drawn / 255 / 12.92, ((drawn / 255 + 0.055) / 1.055) ** 2.4)
            np.testing.assert_allclose(codes, wanted, atol=1e-5, err_msg=str(compression))
            with self.assertRaisesRegex(PlateError, "damaged"):
                read_plate(bytes(data) + strip[:9], "plate.tif")

    def test_jpeg_of_the_old_style_is_what_is_in_it(self) -> None:
        # TIFF 6.0, section 22: the whole of a JPEG, pointed at by a tag.
        colours = np.repeat(np.repeat(np.random.default_rng(6).integers(0, 256, (4, 6, 3), np.uint8), 8, 0), 8, 1)
        jpeg = by_pillow(Image.fromarray(colours), "jpeg", quality=95, subsampling=0)
        long, short = 4, 3
        tags: dict[int, tuple[int, ...]] = {
            256: (short, 48),
            257: (short, 32),
            259: (short, 6),
            262: (short, 6),
            277: (short, 3),
            278: (short, 32),
        }
        size = 8 + 2 + 12 * (len(tags) + 7) + 4
        tags |= {258: (short, 3, size), 273: (long, size + 8), 279: (long, len(jpeg)), 512: (short, 1), 513: (long, size + 8)}
        tags |= {514: (long, len(jpeg)), 530: (short, 2, 1 | 1 << 16)}
        entries = b""
        for tag, (kind, *rest) in sorted(tags.items()):
            count, value = rest if len(rest) == 2 else (1, rest[0])
            entries += struct.pack("<HHII", tag, kind, count, value)
        data = b"II*\0" + struct.pack("<IH", 8, len(tags)) + entries + bytes(4) + struct.pack("<HHHH", 8, 8, 8, 0) + jpeg
        wanted = np.asarray(Image.open(io.BytesIO(jpeg)).convert("RGB"), int)
        read = read_raster(data, "old.tif").samples.astype(int)
        self.assertLessEqual(int(np.abs(read - wanted).max()), 2)

    def test_inks_without_a_profile_are_taken_for_filters_and_that_is_said(self) -> None:
        inks = np.zeros((8, 8, 4), np.uint8)
        inks[...] = 255, 0, 0, 127
        plate = tiff(inks, photometric="separated")
        codes = 128 / 255
        np.testing.assert_allclose(plate.pixels[0, 0], (0.0, *[((codes + 0.055) / 1.055) ** 2.4] * 2), atol=2e-4)
        self.assertIn("without a profile", " ".join(plate.notices))

    def test_a_broken_profile_is_left_aside_with_a_word(self) -> None:
        plate = tiff(np.full((8, 8, 3), 128, np.uint8), photometric="rgb", iccprofile=b"nothing of a profile" * 9)
        self.assertAlmostEqual(float(plate.pixels[0, 0, 0]), SRGB_HALF, places=5)
        self.assertIn("colour profile that cannot be used", " ".join(plate.notices))


class Png(unittest.TestCase):
    def test_gamma_counts_where_no_space_is_named(self) -> None:
        def light(data: bytes) -> float:
            return float(read_plate(data, "plate.png").pixels[2, 2, 0])

        self.assertAlmostEqual(light(png(128, (b"gAMA", struct.pack(">I", 100_000)))), 128 / 255, places=5)
        self.assertAlmostEqual(light(png(128, (b"gAMA", struct.pack(">I", 50_000)))), (128 / 255) ** 2, places=4)
        self.assertAlmostEqual(light(png(128)), SRGB_HALF, places=5)
        stated = (b"gAMA", struct.pack(">I", 100_000))
        self.assertAlmostEqual(light(png(128, (b"sRGB", b"\0"), stated)), SRGB_HALF, places=5)
        profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        self.assertAlmostEqual(light(png(128, (b"iCCP", b"x\0\0" + zlib.compress(profile)), stated)), SRGB_HALF, delta=2e-4)

    def test_primaries_count_where_no_space_is_named_and_nonsense_does_not(self) -> None:
        # Display P3 by its chromaticities (SMPTE EG 432-1): the red of that space in XYZ under D65.
        wide = chromaticities(0.3127, 0.3290, 0.680, 0.320, 0.265, 0.690, 0.150, 0.060)
        plate = read_plate(png(128, (b"cHRM", wide)), "plate.png")
        red = np.linalg.inv(plate.space.from_d65) @ plate.pixels[0, 0]
        np.testing.assert_allclose(red / red.sum(), (0.680, 0.320, 0.0), atol=1e-3)
        for nonsense in (chromaticities(*[0.3] * 8), b"\0" * 32):
            plate = read_plate(png(128, (b"cHRM", nonsense)), "plate.png")
            self.assertEqual(plate.space.name, "sRGB")

    def test_the_orientation_of_xmp_counts_where_there_is_no_exif(self) -> None:
        packet = b'<rdf:RDF><rdf:Description tiff:Orientation="6"/></rdf:RDF>'
        plate = read_plate(png(128, (b"iTXt", b"XML:com.adobe.xmp\0\0\0\0\0" + packet)), "plate.png")
        self.assertEqual(plate.size, (3, 4))
        self.assertEqual(float(plate.pixels[0, 2, 1]), 0.0)  # the corner is at the upper right
        upside = struct.pack("<2sHIHHHIHHI", b"II", 42, 8, 1, 0x0112, 3, 1, 3, 0, 0)
        plate = read_plate(png(128, (b"eXIf", upside)), "plate.png")
        self.assertEqual(float(plate.pixels[2, 3, 1]), 0.0)


class OpenExr(unittest.TestCase):
    def part(self, channels: dict[str, Any]) -> Plate:
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        with as_path(b"") as path:
            OpenEXR.File(header, channels).write(path)
            return read_plate(open(path, "rb").read(), "plate.exr")

    def test_luminance_and_chroma_are_colours(self) -> None:
        rng = np.random.default_rng(2)
        chroma_of = np.array([0.2126, 0.7152, 0.0722])
        colour = np.repeat(np.repeat(rng.uniform(0.2, 2.0, (4, 5, 3)), 8, axis=0), 8, axis=1)
        y = colour @ chroma_of
        ry, by = (colour[:, :, 0] - y) / y, (colour[:, :, 2] - y) / y
        planes = {"BY": by[::2, ::2], "RY": ry[::2, ::2], "Y": y}
        plate = read_plate(plain_exr(planes), "plate.exr")
        # Away from the borders of the patches, where chroma goes over.
        np.testing.assert_allclose(plate.pixels[3::8, 3::8], colour[3::8, 3::8], rtol=2e-3)

    def test_stray_samples_are_taken_as_the_light_beside_them_and_many_are_refused(self) -> None:
        light = np.full((40, 40), 0.5, np.float32)
        strays = light.copy()
        strays[10, 10], strays[20, 20], strays[20, 21] = np.nan, np.inf, -np.inf
        plate = self.part({"R": strays, "G": light, "B": light})
        np.testing.assert_allclose(plate.pixels, 0.5)
        self.assertIn("in 3 pixels", " ".join(plate.notices))
        strays[:5] = np.nan
        with self.assertRaisesRegex(PlateError, "NaN or infinite"):
            self.part({"R": strays, "G": light, "B": light})


class Hdr(unittest.TestCase):
    def test_primaries_of_zeros_are_none(self) -> None:
        head = b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\nPRIMARIES= 0 0 0 0 0 0 0 0\n\n-Y 8 +X 8\n"
        plate = read_plate(head + bytes((128, 128, 128, 129)) * 64, "plate.hdr")
        self.assertEqual(plate.space.name, "Linear light, sRGB primaries")


class Moving(unittest.TestCase):
    """Video against the formula of ITU-R BT.709, section 3, with chroma that does not change between a pixel and the next."""

    @staticmethod
    def formula(y: Any, u: Any, v: Any, bits: int) -> NDArray[np.float64]:
        unit = 1 << (bits - 8)
        y, u, v = ((np.asarray(a, float) / unit - low) / span for a, low, span in ((y, 16, 219), (u, 128, 224), (v, 128, 224)))
        red, blue = y + 1.5748 * v, y + 1.8556 * u
        return np.stack([red, (y - 0.2126 * red - 0.0722 * blue) / 0.7152, blue], axis=-1)

    def video(self, pixels: str, planes: list[NDArray[Any]], *, aspect: Fraction | None = None, full: bool = False) -> bytes:
        out = io.BytesIO()
        height, width = planes[0].shape
        # Without loss, but where the shape of a pixel is to be stated, which that container does not take from here.
        with av.open(out, "w", format="matroska" if aspect is None else "mp4") as container:
            stream: Any = container.add_stream("ffv1" if aspect is None else "mpeg4", rate=25)
            stream.width, stream.height, stream.pix_fmt = width, height, pixels
            colour_range = 2 if full else 1
            stream.codec_context.colorspace, stream.codec_context.color_range = 1, colour_range
            if aspect is not None:
                stream.codec_context.sample_aspect_ratio = aspect
            frame = VideoFrame(width, height, pixels)
            for plane, samples in zip(frame.planes, planes, strict=True):
                rows = np.zeros((plane.height, plane.line_size // samples.itemsize), samples.dtype)
                rows[:, : samples.shape[1]] = samples
                plane.update(rows.tobytes())
            frame.colorspace, frame.color_range, frame.pts = 1, colour_range, 0
            container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
        return out.getvalue()

    def test_eight_bits_of_limited_range_are_right_to_six_tenths_of_a_code(self) -> None:
        rng = np.random.default_rng(3)
        u, v = (np.repeat(np.repeat(rng.integers(60, 190, (8, 8)), 4, 0), 4, 1).astype(np.uint8) for _ in range(2))
        y = rng.integers(16, 236, (64, 64)).astype(np.uint8)
        video = Video(io.BytesIO(self.video("yuv420p", [y, u, v])))
        codes = video.raster(0).samples.astype(float)
        video.close()
        wide_u, wide_v = (np.repeat(np.repeat(c, 2, 0), 2, 1) for c in (u, v))
        wanted = np.clip(self.formula(y, wide_u, wide_v, 8) * 255, 0, 255)
        inner = np.s_[3::8, 3::8]
        self.assertLess(float(np.abs(codes - wanted)[inner].max()), 0.6)

    def test_white_of_ten_bits_is_white_and_what_is_darker_follows(self) -> None:
        ramp = np.tile(np.linspace(64, 940, 64).round().astype(np.uint16), (16, 1))
        ramp[:, -1] = 940
        grey = np.full((8, 32), 512, np.uint16)
        video = Video(io.BytesIO(self.video("yuv420p10le", [ramp, grey, grey])))
        codes = video.raster(0).samples
        video.close()
        self.assertEqual(codes.dtype, np.uint16)
        self.assertEqual(int(codes[4, -1].min()), 65535)
        wanted = (ramp.astype(float) - 64) / 876 * 65535
        self.assertLess(float(np.abs(codes[:, :, 1] - wanted).max()), 0.3 * 65535 / 1023)

    def test_chroma_of_every_pixel_and_the_full_range_are_right_to_six_tenths_of_a_code(self) -> None:
        rng = np.random.default_rng(4)
        for full in (False, True):
            y, u, v = (rng.integers(low, high, (32, 48)).astype(np.uint8) for low, high in ((60, 200), (90, 166), (90, 166)))
            video = Video(io.BytesIO(self.video("yuv444p", [y, u, v], full=full)))
            codes = video.raster(0).samples.astype(float)
            video.close()
            if full:
                red, blue = y + 1.5748 * (v - 128.0), y + 1.8556 * (u - 128.0)
                wanted = np.stack([red, (y - 0.2126 * red - 0.0722 * blue) / 0.7152, blue], axis=-1)
            else:
                wanted = self.formula(y, u, v, 8) * 255
            self.assertLess(float(np.abs(codes - np.clip(wanted, 0, 255)).max()), 0.6, full)

    def moving(self, form: str, encoder: str, pixels: str, frame: VideoFrame, **options: str) -> Video:
        out = io.BytesIO()
        with av.open(out, "w", format=form) as container:
            stream: Any = container.add_stream(encoder, rate=25, options=options)
            stream.width, stream.height, stream.pix_fmt = frame.width, frame.height, pixels
            frame.pts = 0
            container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
        video = Video(io.BytesIO(out.getvalue()))
        self.addCleanup(video.close)
        return video

    def test_frames_of_two_fields_are_made_of_the_first_and_that_is_said(self) -> None:
        rows = np.full((64, 64, 3), 60, np.uint8)
        rows[1::2] = 200  # another moment
        frame = VideoFrame.from_ndarray(rows, format="rgb24").reformat(format="yuv420p")
        video = self.moving("matroska", "mpeg2video", "yuv420p", frame, flags="+ildct+ilme", q="1")
        self.assertIn("is interlaced; each frame was made of the first of its two fields", video.notices)
        self.assertLess(float(np.abs(video.raster(0).samples.astype(int) - 60).max()), 8)

    def test_transparency_of_a_video_is_left_aside_and_that_is_said(self) -> None:
        half = VideoFrame.from_ndarray(np.full((64, 64, 4), 120, np.uint8), format="rgba").reformat(format="yuva420p")
        video = self.moving("webm", "libvpx-vp9", "yuva420p", half)
        self.assertIn("has transparency, which was left aside", video.notices)
        self.assertLess(float(np.abs(video.raster(0).samples.astype(int) - 120).max()), 6)

    def test_pixels_that_are_not_square_are_made_so(self) -> None:
        y = np.full((48, 64), 126, np.uint8)
        y[:, :32] = 16
        grey = np.full((24, 32), 128, np.uint8)
        data = self.video("yuv420p", [y, grey, grey], aspect=Fraction(3, 2))
        video = Video(io.BytesIO(data))
        self.assertEqual(video.size, (96, 48))
        codes = video.raster(0).samples
        self.assertEqual(codes.shape, (48, 96, 3))
        self.assertLess(int(codes[20, 40, 0]), 4)
        self.assertGreater(int(codes[20, 56, 0]), 120)
        self.assertIn("not square", " ".join(video.notices))
        video.close()


class Reels(unittest.TestCase):
    def test_a_reel_of_wide_pixels_has_its_true_shape(self) -> None:
        y, grey = np.full((48, 64), 126, np.uint8), np.full((24, 32), 128, np.uint8)
        with as_path(Moving().video("yuv420p", [y, grey, grey], aspect=Fraction(2))) as path, closing(open_reel(path)) as reel:
            self.assertEqual(reel.size, (128, 48))
            self.assertEqual(reel[0].size, (128, 48))


class Passes(unittest.TestCase):
    def test_a_light_without_a_name_is_called_as_its_kind(self) -> None:
        rig = Rig.model_validate({"lights": [{"id": "a", "kind": "bloom"}, {"id": "b", "kind": "bloom", "name": "Lamps"}]})
        plate = Plate(np.full((24, 32, 3), 0.9, np.float32), SRGB, depth="float")
        made = targets()["passes"].run(plate, rig, PassesExport(format="exr", depth="half"), lambda share: None, never)
        names = layers_in(made.whole(), "passes.exr")
        self.assertIn("Bloom", " ".join(names))
        self.assertIn("Lamps", " ".join(names))


class GainMaps(unittest.TestCase):
    def test_the_file_states_the_headroom_of_its_picture_and_holds_it_more_finely(self) -> None:
        ramp = np.geomspace(0.05, 4.0, 256, dtype=np.float32)
        light = np.repeat(np.repeat(ramp[None, :, None], 128, axis=0), 3, axis=2)
        plate = Plate(light, LINEAR_P3, depth="float")
        data = export(plate, Rig(), PictureExport(format="jpeg", depth="gain-map", quality=98))
        # ISO 21496-1, C.2: after its name and a zero two versions, flags, the headroom of the picture and of its brighter form.
        urn = b"urn:iso:std:iso:ts:21496:-1\0"
        base, base_unit, bright, unit = struct.unpack_from(">4I", data, data.rindex(urn) + len(urn) + 5)
        self.assertEqual(base / base_unit, 0)
        self.assertAlmostEqual(bright / unit, 2.0, delta=0.02)  # stops above white
        again = read_plate(data, "ramp.jpg").pixels[64]
        matrix = read_plate(data, "ramp.jpg").space.matrix_to(LINEAR_P3)
        again = again if matrix is None else again @ matrix.T
        np.testing.assert_allclose(again[8:-8], light[64, 8:-8], rtol=0.03)


class Dng(unittest.TestCase):
    """Against the formulae of the DNG specification: share = (sample - black) / (white - black), neutral grey is white."""

    LIGHT = 0.3

    def linear(self, samples: NDArray[Any], *more: Tag, **how: Any) -> bytes:
        """A DNG whose samples (h, w, 3) need no developing."""
        rational = [part for value in (np.diag(BALANCE) @ np.array(CAMERA)).ravel() for part in (round(value * 10_000), 10_000)]
        neutral = [part for value in BALANCE for part in (round(value * 10_000), 10_000)]
        tags: list[Tag] = [
            (50706, 1, 4, bytes((1, 4, 0, 0)), True),
            (50708, 2, 11, "Merrow One", True),
            (50721, 10, 9, rational, True),
            (50728, 5, 3, neutral, True),
            (50778, 3, 1, 21, True),
        ]
        out = io.BytesIO()
        rows = samples.shape[0]
        tifffile.imwrite(
            out,
            samples,
            photometric=34892,
            planarconfig="contig",
            extratags=[*tags, *more],
            metadata=None,
            rowsperstrip=rows,
            **how,
        )
        return out.getvalue()

    def seen(self, light: float) -> NDArray[np.float32]:
        """What the camera sees of a grey of that light."""
        return np.full((40, 60, 3), light, np.float32) * np.array(BALANCE, np.float32)

    def grey(self, data: bytes, wanted: float) -> None:
        pixels = read_plate(data, "a.dng").pixels
        np.testing.assert_allclose(pixels[20, 30], wanted, rtol=2e-3)

    def test_black_and_white_levels_of_a_picture_that_needs_no_developing(self) -> None:
        codes = np.round(self.seen(self.LIGHT) * (15000 - 512) + 512).astype(np.uint16)
        levels = (50714, 3, 3, (512, 512, 512), True), (50717, 4, 3, (15000, 15000, 15000), True)
        self.grey(self.linear(codes, *levels), self.LIGHT)
        self.grey(self.linear(np.round(self.seen(self.LIGHT) * 65535).astype(np.uint16)), self.LIGHT)

    def test_float_samples_keep_their_scale_and_their_light_above_white(self) -> None:
        light = self.seen(self.LIGHT)
        light[10:20, 10:20] *= 6
        ways: list[tuple[Any, dict[str, Any]]] = [(np.float32, {}), (np.float16, {}), (np.float16, {"compression": "zlib"})]
        for kind, how in [*ways, (np.float32, {"tile": (16, 16)})]:
            data = self.linear(light.astype(kind), **how)
            self.grey(data, self.LIGHT)
            self.assertAlmostEqual(float(read_plate(data, "a.dng").pixels.max()), 6 * self.LIGHT, delta=0.005)

    def test_jpeg_xl_within(self) -> None:
        codes = np.round(self.seen(self.LIGHT) * 65535).astype(np.uint16)
        self.grey(self.linear(codes, compression="jpegxl", compressionargs={"lossless": True}), self.LIGHT)

    def test_one_channel_is_grey(self) -> None:
        codes = np.full((40, 60), round(self.LIGHT * 65535), np.uint16)
        out = io.BytesIO()
        tifffile.imwrite(out, codes, extratags=[(50706, 1, 4, bytes((1, 4, 0, 0)), True)], metadata=None, photometric="minisblack")
        data = bytearray(out.getvalue())
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            struct.pack_into("<H", data, file.pages.first.tags[262].valueoffset, 34892)
        self.grey(bytes(data), self.LIGHT)

    def test_the_exposure_and_the_crop_that_a_file_states(self) -> None:
        light = np.full((80, 120, 3), self.LIGHT, np.float32)
        light[6:66, 10:13] = 0.6  # the crop's first columns
        brighter: Tag = (50730, 10, 1, (1, 1), True)
        crop: list[Tag] = [(50719, 4, 2, (10, 6), True), (50720, 4, 2, (100, 60), True)]
        self.assertAlmostEqual(float(read_plate(dng_of(light, more=[brighter]), "a.dng").pixels[40, 60, 1]), 0.6, delta=0.005)
        data = dng_of(light, more=crop)
        plate = read_plate(data, "a.dng")
        self.assertEqual(plate.size, (100, 60))
        self.assertGreater(float(plate.pixels[30, 0, 1]), 0.5)
        self.assertLess(float(plate.pixels[30, 6, 1]), 0.35)
        small, size = glance(data, "a.dng")
        self.assertEqual((small.size, size), ((50, 30), (100, 60)))
        turned = read_plate(dng_of(light, more=[*crop, (274, 3, 1, 6, True)]), "a.dng")
        self.assertEqual(turned.size, (60, 100))
        self.assertGreater(float(turned.pixels[0, 30, 1]), 0.5)

    def test_cut_and_emptied_files_are_refused(self) -> None:
        data = dng_of(np.asarray(scene(120, 80), np.float32))
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            place, count = file.pages.first.dataoffsets[0], file.pages.first.databytecounts[0]
        for share in (0.3, 0.7, 0.99):
            with self.assertRaisesRegex(PlateError, "cut short"):
                read_plate(data[: int(len(data) * share)], "a.dng")
        emptied = bytearray(data)
        emptied[place : place + count] = bytes(count)
        with self.assertRaisesRegex(PlateError, "same value in every sample"):
            read_plate(bytes(emptied), "a.dng")
