"""Reels read and written: the frames and times that other readers find, sound, and one sentence for what is wrong."""

from __future__ import annotations

import io
import re
import subprocess
import sys
import tempfile
import unittest
import zipfile
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import mock
from unittest.mock import patch

import av
import cv2
import numpy as np
from PIL import Image

from aurelon.core import OutputError, PlateError, Reel, Rig, open_reel, read_reel, render
from aurelon.core.codecs.shared.raster import UnreadableError
from aurelon.core.export.reels import ReelExport, check_reel, mattes_of_another, notes_of, options_for_reel, trial_size
from aurelon.core.imaging.code_points import BT2020, HLG, PQ
from aurelon.core.reel import grey_frame, is_reel
from aurelon.core.reels.shared.rough_frames import RoughFrames
from aurelon.core.reels.stills import are_frames, sequence_in, sequence_name
from aurelon.core.reels.video import Video
from aurelon.core.reels.writers import reel_writers
from aurelon.core.reels.writers.video import grey_reel
from tests.pictures import light, rig_of
from tests.reels import RATE, frames, heard, lit, tone, with_sound, write_stills, write_video

ROOT = Path(__file__).resolve().parents[2]
THREADS = """
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from aurelon.core.reels.video import Video
video = Video(Path(sys.argv[1]).open("rb"))
alone = [video.raster(number).samples.tobytes() for number in range(4)]
def differs(turn):
    return video.raster(turn // 100 % 4).samples.tobytes() != alone[turn // 100 % 4]
with ThreadPoolExecutor(6) as threads:
    print(sum(threads.map(differs, range(1200))))
"""


# Writes a reel of each kind, and tells which kinds of its threads had another priority than usual, meanwhile and after.
PRIORITIES = """
import os
from fractions import Fraction
import numpy as np
from aurelon.core.reels.shared.writing import Look, Timed
from aurelon.core.reels.writers import reel_writers, video
def raised():
    return {os.sched_getscheduler(int(thread)) for thread in os.listdir("/proc/self/task")} - {os.SCHED_OTHER}
seen = set()
def frames():
    for n in range(4):
        yield Timed(np.full((64, 96, 3), 60 * n, np.uint8), Fraction(n, 24))
        seen.update(raised())
for form in video.FORMATS:
    video.segment(form, Look(size=(96, 64), depth="8", quality=60, rate=Fraction(24), points=(1, 13)), frames())
    seen.update(raised())
print(sorted(seen))
"""


class ReelTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def reel(self, path: Path) -> Reel:
        reel = open_reel(path)
        self.addCleanup(reel.close)
        return reel

    def refused(self, path: Path, sentence: str) -> None:
        with self.assertRaisesRegex(PlateError, sentence) as caught:
            open_reel(path)
        self.assertNotIn("\n", str(caught.exception))
        self.assertIn(path.name, str(caught.exception))


class Read(ReelTest):
    def test_frames_and_times_are_those_that_another_reader_finds(self) -> None:
        times = [Fraction(t, 1000) for t in (0, 40, 80, 200, 240, 400, 440, 480, 700, 900)]  # at no steady rate
        path = write_video(self.folder / "shot.mkv", frames(), times)
        reel = self.reel(path)
        self.assertEqual((len(reel), reel.size, reel.footage.depth), (10, (96, 64), "8"))
        self.assertEqual([round(t, 3) for t in reel.times], [float(t) for t in times])
        other = cv2.VideoCapture(str(path))
        for number in range(10):
            stamp = other.get(cv2.CAP_PROP_POS_MSEC) if number else 0.0
            found, picture = other.read()
            self.assertTrue(found)
            np.testing.assert_array_equal(reel.footage.raster(number).samples, picture[:, :, ::-1])
            self.assertAlmostEqual(other.get(cv2.CAP_PROP_POS_MSEC), float(times[number]) * 1000, delta=1.0, msg=str(stamp))

    def test_a_proxy_is_the_frame_smaller_in_its_own_light(self) -> None:
        large = [np.repeat(np.repeat(one, 25, axis=0), 25, axis=1) for one in frames(2)]
        reel = self.reel(write_video(self.folder / "large.mkv", large))
        proxy, whole = reel.proxy(1), reel[1]
        self.assertEqual((proxy.size, proxy.proxy_of, whole.proxy_of), ((1920, 1280), (2400, 1600), None))
        self.assertEqual((proxy.frame, proxy.seconds, proxy.space), (1, whole.seconds, whole.space))
        self.assertNotEqual(proxy.key, whole.key)
        # Within a code value where the picture is even; borders fall between pixels.
        apart = np.abs(proxy.pixels - cv2.resize(whole.pixels, proxy.size, interpolation=cv2.INTER_AREA))
        self.assertLess(float(np.median(apart)), 0.01)
        self.assertLess(float(apart.mean()), 0.01)
        with self.assertRaises(IndexError):
            reel.proxy(2)
        self.assertEqual([reel.proxy_edge(width) for width in (700, 1920, 1921)], [1920, 1920, None])
        # While the hand goes over frames a smaller one is enough, as long as the screen shows no more.
        self.assertEqual([reel.proxy_edge(width, rough=True) for width in (600, 641, 1921)], [640, 1920, None])
        self.assertEqual(reel.proxy(1, 640).size, (640, 427))
        small = self.reel(write_video(self.folder / "small.mkv", frames(2)))
        for other in (small, open_reel(write_stills(self.folder / "stills", large))):
            self.assertIsNone(other.proxy_edge(90, rough=True))

    def test_going_back_through_one_group_of_pictures_decodes_it_once(self) -> None:
        path = write_video(self.folder / "long.mkv", frames(60), codec="libx264", pixels="yuv420p")
        with path.open("rb") as file:
            video = Video(file)
            with mock.patch.object(video, "_seek", wraps=video._seek) as sought:
                seen = [video.glimpse(number, 96) for number in reversed(range(60))]
            self.assertLessEqual(sought.call_count, 1)
            video.close()
        self.assertGreater(np.abs(seen[0].astype(int) - seen[-1]).max(), 40)

    def test_rough_frames_are_kept_and_need_no_decoder_then(self) -> None:
        large = [np.repeat(np.repeat(one, 10, axis=0), 10, axis=1) for one in frames(3)]
        reel = self.reel(write_video(self.folder / "large.mkv", large))
        self.assertTrue(reel.ready_rough(1))
        with mock.patch("aurelon.core.reel.glimpse_of", side_effect=UnreadableError("is damaged at frame 2")):
            kept = reel.proxy(1, 640)
            self.assertTrue(reel.ready_rough(2))  # left out
            with self.assertRaisesRegex(PlateError, "damaged at frame 2"):
                reel.proxy(2, 640)
        smaller = cv2.resize(reel[1].pixels, kept.size, interpolation=cv2.INTER_AREA)
        self.assertLess(float(np.abs(kept.pixels - smaller).mean()), 0.01)
        self.assertGreater(reel.rough_nbytes, 0)
        reel.forget()
        self.assertEqual(reel.rough_nbytes, 0)
        full = RoughFrames(most=1)
        full.put(0, large[0])
        full.put(1, large[1])
        self.assertEqual((full.full, 0 in full, 1 in full), (True, True, False))

    def test_any_frame_is_found_from_any_other(self) -> None:
        path = write_video(self.folder / "shot.webm", frames(60), codec="libvpx-vp9", pixels="yuv420p")
        straight = [frame.to_ndarray(format="rgb24") for frame in av.open(str(path)).decode(video=0)]
        reel = self.reel(path)
        order = np.random.default_rng(3).permutation(60)
        for number in [*order, *range(59, -1, -1)]:
            result = reel.footage.raster(int(number)).samples.astype(int)
            self.assertLessEqual(np.abs(result - straight[int(number)]).mean(), 1.5, number)

    def test_several_threads_may_ask_for_one_frame(self) -> None:
        # In a process of its own: what shares a scaler ends the whole process, not the test.
        path = write_video(self.folder / "pier.mkv", [np.kron(one, np.ones((4, 4, 1), np.uint8)) for one in frames(4)])
        ended = subprocess.run([sys.executable, "-c", THREADS, str(path)], cwd=ROOT, capture_output=True, text=True)
        self.assertEqual((ended.returncode, ended.stdout), (0, "0\n"), ended.stderr[-800:])

    def test_luma_and_chroma_become_colours_as_the_standard_says(self) -> None:
        # ITU-R BT.709, narrow range: three flat colours by the numbers.
        for matrix, (kr, kb), rows in ((1, (0.2126, 0.0722), 64), (6, (0.299, 0.114), 64)):
            y, cb, cr = 120, 90, 170
            frame = av.VideoFrame(64, rows, "yuv444p")
            for plane, value in zip(frame.planes, (y, cb, cr), strict=True):
                plane.update(bytes([value]) * plane.buffer_size)
            path = self.folder / f"{matrix}.mkv"
            with av.open(str(path), "w") as container:
                stream = container.add_stream("ffv1", rate=RATE)
                assert isinstance(stream, av.VideoStream)
                stream.width, stream.height, stream.pix_fmt = 64, rows, "yuv444p"
                stream.codec_context.colorspace = matrix
                stream.codec_context.color_range = 1
                container.mux(stream.encode(frame))
                container.mux(stream.encode(None))
            luma, blue, red = (y - 16) / 219, (cb - 128) / 224, (cr - 128) / 224
            r, b = luma + 2 * (1 - kr) * red, luma + 2 * (1 - kb) * blue
            g = (luma - kr * r - kb * b) / (1 - kr - kb)
            result = self.reel(path).footage.raster(0).samples[30, 30]
            np.testing.assert_allclose(result, np.array([r, g, b]) * 255, atol=1.6)

    def test_animated_pictures_are_reels_with_their_own_times(self) -> None:
        pictures = [Image.fromarray(picture) for picture in frames(5)]
        for suffix in (".webp", ".png", ".gif"):
            options: dict[str, Any] = {"lossless": True} if suffix == ".webp" else {}
            path = self.folder / f"moving{suffix}"
            pictures[0].save(path, save_all=True, append_images=pictures[1:], duration=[40, 80, 40, 120, 200], loop=0, **options)
            reel = self.reel(path)
            self.assertEqual(len(reel), 5, suffix)
            np.testing.assert_allclose(reel.times, [0, 0.04, 0.12, 0.16, 0.28], atol=0.011)
            for number in (3, 0, 4, 1):
                again = Image.open(path)
                again.seek(number)
                np.testing.assert_array_equal(reel.footage.raster(number).samples, np.asarray(again.convert("RGB")))

    def test_a_still_picture_is_none(self) -> None:
        for suffix in (".webp", ".png"):
            path = self.folder / f"still{suffix}"
            Image.fromarray(frames(1)[0]).save(path)
            with path.open("rb") as file:
                self.assertFalse(is_reel(file), suffix)

    def test_numbered_stills_are_a_reel_from_a_folder_a_pattern_and_an_archive(self) -> None:
        pictures = frames(6)
        folder = write_stills(self.folder / "in", pictures, first=9)
        (folder / "notes.txt").write_text("no picture")
        packed = self.folder / "shot.zip"
        with zipfile.ZipFile(packed, "w") as archive:
            for path in sorted(folder.glob("*.png"), reverse=True):
                archive.write(path, path.name)
        for source in (folder, folder / "shot_%04d.png", packed):
            reel = self.reel(source)
            self.assertEqual(list(reel.footage.numbers), [9, 10, 11, 12, 13, 14])
            self.assertAlmostEqual(reel.fps, 24)
            for number, picture in enumerate(pictures):
                np.testing.assert_array_equal(reel.footage.raster(number).samples, picture)

    def test_a_missing_number_is_said_and_its_time_stays_free(self) -> None:
        folder = write_stills(self.folder / "in", frames(6))
        (folder / "shot_0003.png").unlink()
        reel = self.reel(folder)
        self.assertEqual(reel.notices, ("in lacks the number 3; the frame before each is held until the next.",))
        self.assertEqual([round(t * 24) for t in reel.times], [0, 1, 3, 4, 5])

    def test_what_makes_a_sequence(self) -> None:
        self.assertEqual(sequence_in(["a10.png", "a2.png", "a9.png"]), ["a2.png", "a9.png", "a10.png"])
        self.assertEqual(sequence_name(["pier_0001.exr"]), "pier")
        for none in (["a1.png"], ["a1.png", "b2.png"], ["a1.png", "a2.jpg"], ["a.png", "b.png"], ["a1.png", "a01.png"]):
            self.assertIsNone(sequence_in(none), none)

    def test_pictures_that_a_camera_numbered_are_not_taken_for_frames(self) -> None:
        self.assertTrue(are_frames([f"f{n:03d}.png" for n in (*range(10), 11)]))
        for none in ([1, 2], [12, 40, 41], [*range(8), 20]):
            self.assertFalse(are_frames([f"f{n:03d}.png" for n in none]), none)

    def test_a_matte_of_grey_frames_is_read_frame_by_frame(self) -> None:
        greys = [np.full((8, 12), 20 * n, np.uint8) for n in range(5)]
        data = grey_reel(greys, Fraction(24))
        for number in (4, 0, 2):
            matte = grey_frame("grey-test", lambda: data, number)
            assert matte is not None
            np.testing.assert_allclose(matte, 20 * number / 255, atol=1e-6)
        self.assertIsNone(grey_frame("grey-test", lambda: data, 5))
        self.assertIsNone(grey_frame("another", lambda: None, 0))


class Refused(ReelTest):
    def test_bad_footage_gets_one_sentence(self) -> None:
        whole = write_video(self.folder / "whole.mkv", frames(40)).read_bytes()
        garbage = self.folder / "garbage.mkv"
        garbage.write_bytes(whole[:60] + bytes(range(256)) * 20)
        self.refused(garbage, "damaged|holds no frames|cannot be decoded")
        (self.folder / "words.mp4").write_text("no video at all, just words")
        self.refused(self.folder / "words.mp4", "holds no frames that Aurelon can read")
        self.refused(self.folder / "gone.mkv", "cannot be read")
        other = self.folder / "other.mkv"
        other.write_bytes(whole.replace(b"V_FFV1", b"V_ZZZ9"))  # a coding that nobody knows
        self.refused(other, "uses a codec that Aurelon does not read")
        sound = self.folder / "sound.mkv"
        with av.open(str(sound), "w") as container:
            stream = container.add_stream("flac", rate=48_000, layout="mono")
            assert isinstance(stream, av.AudioStream)
            frame = av.AudioFrame.from_ndarray(tone(0.1), format="s16", layout="mono")
            frame.sample_rate, frame.pts = 48_000, 0
            container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
        self.refused(sound, "has no video track")

    def test_frames_that_are_too_large_are_told_by_the_header(self) -> None:
        large = write_video(self.folder / "large.mkv", frames(2))
        with mock.patch("aurelon.core.reels.video.MAX_PIXELS", 96 * 64 - 1):
            self.refused(large, "has frames of 96 x 64 pixels, which is too large")

    def test_a_video_that_was_cut_off_is_used_as_far_as_it_goes(self) -> None:
        whole = write_video(self.folder / "whole.mkv", frames(40)).read_bytes()
        cut = self.folder / "cut.mkv"
        cut.write_bytes(whole[: len(whole) // 2])
        reel = self.reel(cut)
        self.assertTrue(5 < len(reel) < 40)
        self.assertEqual(reel.notices, ("cut.mkv is cut short; it is used as far as it goes.",))
        np.testing.assert_array_equal(reel.footage.raster(3).samples, frames(40)[3])

    def test_ten_hours_are_told_by_the_header(self) -> None:
        times = [Fraction(n, 24) for n in range(4)] + [Fraction(36_000)]
        long = write_video(self.folder / "long.mkv", frames(5), times)
        self.refused(long, r"has about 864,0\d\d frames; Aurelon takes reels of up to 100,000")

    def test_stills_that_do_not_fit_together(self) -> None:
        folder = write_stills(self.folder / "in", frames(3))
        Image.fromarray(frames(1)[0][:32]).save(folder / "shot_0003.png")
        reel = self.reel(folder)
        with self.assertRaisesRegex(PlateError, "shot_0003.png is 96 x 32, the first 96 x 64"):
            reel[2]
        self.assertEqual(reel[1].frame, 1)
        Image.fromarray(frames(1)[0]).save(folder / "another.png")
        self.refused(folder, "not numbered stills of one name")
        empty = self.folder / "empty"
        empty.mkdir()
        self.refused(empty, "holds no pictures")
        with self.assertRaisesRegex(IndexError, "has the frames 0 to 2, not 3"):
            reel[3]

    def test_an_archive_that_is_none(self) -> None:
        path = self.folder / "shot.zip"
        path.write_bytes(b"PK\x03\x04" + b"\0" * 40)
        self.refused(path, "not an archive of stills")


class Written(ReelTest):
    @unittest.skipUnless(sys.platform == "linux", "priorities are asked for in the way of Linux")
    def test_no_encoder_puts_itself_before_everything_else_on_the_machine(self) -> None:
        # Alone, since what a thread is given here its process would keep.
        answer = subprocess.run([sys.executable, "-c", PRIORITIES], cwd=ROOT, capture_output=True, text=True)
        self.assertEqual((answer.returncode, answer.stdout), (0, "[]\n"), answer.stderr)

    def test_without_light_the_frames_come_out_bit_for_bit_at_8_and_16_bits(self) -> None:
        deep = [
            (picture.astype(np.uint16) * 257 + number * 31).clip(0, 65535).astype(np.uint16)
            for number, picture in enumerate(frames())
        ]
        for depth, pictures, pixels in (("8", frames(), "bgr0"), ("16", deep, "gbrp16le")):
            source = write_video(self.folder / f"in{depth}.mkv", pictures, pixels=pixels)
            out = lit(self.reel(source), Rig(), self.folder / f"out{depth}.mkv", "ffv1", depth=depth)
            again = self.reel(out)
            self.assertEqual(len(again), 10)
            self.assertEqual(again.times, self.reel(source).times)
            with av.open(str(out)) as container:  # another way of reading the same
                form = "rgb24" if depth == "8" else "gbrp16le"
                for picture, frame in zip(pictures, container.decode(video=0), strict=True):
                    np.testing.assert_array_equal(frame.to_ndarray(format=form), picture)

    def test_every_format_of_video_has_the_same_bytes_twice(self) -> None:
        reel = self.reel(write_video(self.folder / "in.mkv", frames(4)))
        for form, _ in reel_writers().values():
            out = [lit(reel, Rig(), self.folder / f"{turn}{form.suffix}", form.name).read_bytes() for turn in (1, 2)]
            self.assertEqual(out[0], out[1], form.name)

    def test_light_is_the_same_however_a_reel_is_cut_in_segments(self) -> None:
        reel = self.reel(write_video(self.folder / "in.mkv", frames()))
        rig = rig_of(light("bloom", merge={"intensity": 2.0}))
        one, other = (lit(reel, rig, self.folder / f"{n}.mkv", "ffv1", n).read_bytes() for n in (3, 10))
        result = self.reel(self.folder / "3.mkv")
        for number in (0, 4, 9):
            code = result.footage.raster(number).samples
            np.testing.assert_array_equal(code, self.reel(self.folder / "10.mkv").footage.raster(number).samples)
            light_there = render(reel, rig, frame=number) ** (1 / 2.2) * 255
            self.assertLess(np.abs(code - np.clip(light_there, 0, 255)).mean(), 4)
        self.assertNotEqual(one, b"")
        self.assertNotEqual(other, b"")

    def test_every_format_keeps_frames_and_times_and_what_is_seen(self) -> None:
        times = [Fraction(t, 1000) for t in (0, 40, 80, 200, 240, 400, 440, 480, 700, 900)]
        reel = self.reel(write_video(self.folder / "in.mkv", frames(), times))
        for name, (form, _) in reel_writers().items():
            out = lit(reel, Rig(), self.folder / f"{name}{form.suffix}", name, quality=100 if name == "webp-animated" else 95)
            again = self.reel(out)
            self.assertEqual((len(again), again.size), (10, (96, 64)), name)
            np.testing.assert_allclose(again.times, [float(t) for t in times], atol=6e-4, err_msg=name)
            for number in (0, 5, 9):
                difference = again.footage.raster(number).samples.astype(int) - frames()[number]
                self.assertLess(np.abs(difference).mean(), 4.0, (name, number))

    def test_a_part_of_a_reel_begins_at_its_own_zero(self) -> None:
        reel = self.reel(write_video(self.folder / "in.mkv", frames()))
        out = self.reel(lit(reel, Rig(), self.folder / "part.mkv", "ffv1", first=3, last=7))
        self.assertEqual(len(out), 4)
        self.assertEqual(out.times[0], 0)
        for number in range(4):
            np.testing.assert_array_equal(out.footage.raster(number).samples, frames()[3 + number])

    def test_sound_goes_along_as_it_is_or_in_what_the_file_can_hold(self) -> None:
        reel = self.reel(with_sound(self.folder / "in.mkv", frames(24)))
        self.assertTrue(reel.footage.sounds)
        before = heard(self.folder / "in.mkv")
        same = heard(lit(reel, Rig(), self.folder / "same.mkv", "ffv1"))
        np.testing.assert_array_equal(same, before[: len(same)])
        self.assertGreater(len(same), 0.95 * len(before))
        for name, suffix in (("vp9", ".webm"), ("h264", ".mp4")):
            other = heard(lit(reel, Rig(), self.folder / f"other{suffix}", name))
            self.assertAlmostEqual(len(other) / 48_000, 1.0, delta=0.06)
            # The tone swells, so that what is shifted or cut is seen in its level.
            for begin in (0.2, 0.5, 0.8):
                part = slice(round(begin * 48_000), round((begin + 0.1) * 48_000))
                level, wanted = np.sqrt((other[part] ** 2).mean()), np.sqrt((before[part] ** 2).mean())
                self.assertAlmostEqual(level / wanted, 1, delta=0.12, msg=f"{name} {begin}")
        half = heard(lit(reel, Rig(), self.folder / "part.mkv", "ffv1", first=12, last=24))
        self.assertAlmostEqual(len(half) / 48_000, 0.5, delta=0.1)
        silent = lit(reel, Rig(), self.folder / "silent.mkv", "ffv1", sound=False)
        self.assertFalse(self.reel(silent).footage.sounds)

    def test_the_sound_that_is_played_is_the_sound_of_the_file(self) -> None:
        before = heard(with_sound(self.folder / "in.mkv", frames(24)))
        sound = self.reel(self.folder / "in.mkv").sound()
        assert sound is not None
        (self.folder / "sound.webm").write_bytes(sound)
        played = heard(self.folder / "sound.webm")
        self.assertAlmostEqual(len(played) / 48_000, 1.0, delta=0.06)
        for begin in (0.2, 0.5, 0.8):
            part = slice(round(begin * 48_000), round((begin + 0.1) * 48_000))
            self.assertAlmostEqual(np.sqrt((played[part] ** 2).mean() / (before[part] ** 2).mean()), 1, delta=0.12)
        self.assertIsNone(self.reel(write_video(self.folder / "silent.mkv", frames())).sound())
        # Nothing but noise where the sound was.
        data = bytearray((self.folder / "in.mkv").read_bytes())
        with self.assertRaisesRegex(PlateError, "is damaged"):
            read_reel(lambda: io.BytesIO(bytes(data[:40]) + bytes(len(data) - 40)), "torn.mkv").sound()

    def test_chapters_go_along_with_the_part_that_is_written(self) -> None:
        whole, third = Fraction(1), Fraction(1, 3)
        path, silent = self.folder / "in.mkv", write_video(self.folder / "silent.mkv", frames(24))
        with av.open(str(silent)) as read, av.open(str(path), "w") as container:
            stream = container.add_stream_from_template(read.streams.video[0])
            marks = ((0, 333, "Quay"), (333, 1000, "Open water"), (5000, 9000, "After the end"))
            container.set_chapters(
                [
                    {"id": n, "start": begin, "end": end, "time_base": Fraction(1, 1000), "metadata": {"title": title}}
                    for n, (begin, end, title) in enumerate(marks, start=1)
                ]
            )
            for packet in read.demux(video=0):
                if packet.size:
                    packet.stream = stream
                    container.mux(packet)
        reel = self.reel(path)
        titles = [title for *_, title in reel.footage.chapters]
        self.assertEqual(titles, ["Quay", "Open water"])
        for name, suffix in (("ffv1", ".mkv"), ("vp9", ".webm"), ("h264", ".mp4")):
            for first, last, wanted in ((0, 24, [(0, third), (third, whole)]), (12, 24, [(0, Fraction(1, 2))])):
                out = self.reel(lit(reel, Rig(), self.folder / f"out{first}{suffix}", name, first=first, last=last))
                found = out.footage.chapters
                self.assertEqual([title for *_, title in found], titles[-len(wanted) :], name)
                times = [float(time) for begin, end, _ in found for time in (begin, end)]
                np.testing.assert_allclose(times, [float(time) for pair in wanted for time in pair], atol=2e-3, err_msg=name)

    def test_what_cannot_be_met_is_said(self) -> None:
        reel = self.reel(write_video(self.folder / "in.mkv", [picture[:63] for picture in frames()]))
        wanted = {
            "MP4 holds pictures of even sides only": ReelExport(format="h264"),
            "cannot hold 12 bits": ReelExport(format="ffv1", depth="12"),
            "are not all among them": ReelExport(format="ffv1", first=3, last=40),
            "there is no format 'wax'": ReelExport(format="wax"),
        }
        for sentence, options in wanted.items():
            with self.assertRaisesRegex(OutputError, re.escape(sentence)):
                check_reel(reel, Rig(), options)
        with self.assertRaisesRegex(OutputError, "no ending that Aurelon can write reels to"):
            options_for_reel(Path("out.avi"), reel)

    def test_a_crop_with_keys_shows_each_frame_where_it_is(self) -> None:
        reel = self.reel(write_video(self.folder / "in.mkv", frames()))
        boxes = [[n, {"x0": (10 + 3 * n) / 96, "y0": 8 / 64, "x1": (50 + 3 * n) / 96, "y1": 56 / 64}] for n in (0, 9)]
        rig = Rig.model_validate({"prepare": {"crop": boxes[0][1]}, "keys": {"plate": {"crop": {"at": boxes}}}})
        again = self.reel(lit(reel, rig, self.folder / "out.mkv", "ffv1", depth="8"))
        self.assertEqual(again.size, (40, 48))
        for number, picture in enumerate(frames()):
            seen = picture[8:56, 10 + 3 * number : 50 + 3 * number]
            np.testing.assert_array_equal(again.footage.raster(number).samples, seen, str(number))

    def test_what_becomes_of_a_reel_is_said_before_it_is_written(self) -> None:
        steady = self.reel(write_video(self.folder / "in.mkv", frames(), [Fraction(40 * k, 1000) for k in range(10)]))
        lossless, small = ReelExport(format="ffv1", depth="16"), ReelExport(format="vp9")
        self.assertEqual(notes_of(steady, Rig(), lossless), [])
        # Twenty-four a second are no whole milliseconds, and MP4 has them as they are.
        film = self.reel(lit(steady, Rig(), self.folder / "film.mp4", "h264"))
        with patch.object(film.footage, "times", [Fraction(k, 24) for k in range(10)]):
            self.assertRegex(notes_of(film, Rig(), small)[0], "to the millisecond")
            self.assertEqual(notes_of(film, Rig(), ReelExport(format="h264")), [])
        for transfer, options, sentence in (
            (HLG, lossless, "goes out as PQ"),
            (HLG, small, "as sRGB"),
            (PQ, small, "as sRGB"),
            (PQ, lossless, None),
        ):
            with patch.object(steady.footage, "points", (BT2020, transfer)):
                notes = notes_of(steady, Rig(), options)
            self.assertEqual(len(notes), 0 if sentence is None else 1)
            self.assertIn(sentence or "", "".join(notes))
        clear = [Image.fromarray(np.dstack([picture, np.full(picture.shape[:2], 90, np.uint8)])) for picture in frames(3)]
        clear[0].save(self.folder / "clear.webp", save_all=True, append_images=clear[1:], duration=40, lossless=True)
        self.assertIn(
            "laid on white", notes_of(self.reel(self.folder / "clear.webp"), Rig(), ReelExport(format="webp-animated"))[0]
        )

    def test_a_matte_of_another_reel_is_said(self) -> None:
        reel = self.reel(write_video(self.folder / "in.mkv", frames()))
        for of, sentence in ((reel.key, 0), ("", 0), ("b" * 64, 1)):
            carried = {"part": "carried", "file": "a" * 64, "of": of}
            rig = Rig.model_validate({"mattes": [{"id": "door", "name": "Door", "mask": {"start": "nothing", "parts": [carried]}}]})
            self.assertEqual(len(mattes_of_another(reel, rig)), sentence)
        self.assertRegex(mattes_of_another(reel, rig)[0], "^The matte Door was carried on another reel")

    def test_the_size_that_is_told_before_is_near(self) -> None:
        reel = self.reel(write_video(self.folder / "in.mkv", frames(30)))
        out = lit(reel, Rig(), self.folder / "out.mkv", "ffv1", 24)
        self.assertAlmostEqual(trial_size(reel, Rig(), ReelExport(format="ffv1")) / out.stat().st_size, 1, delta=0.25)

    def test_a_reel_reads_a_file_in_memory(self) -> None:
        data = write_video(self.folder / "in.mkv", frames()).read_bytes()
        reel = read_reel(lambda: io.BytesIO(data), "in.mkv")
        self.assertEqual(len(list(reel)), 10)
        self.assertEqual(len({plate.key for plate in reel}), 10)


if __name__ == "__main__":
    unittest.main()
