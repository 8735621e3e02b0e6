"""What came from outside is decoded in confined processes: what ends or holds up a decoder is one sentence, it reaches nothing
else, and the next file is read as ever."""

from __future__ import annotations

import fcntl
import io
import os
import signal
import socket
import subprocess
import tempfile
import threading
import time
import unittest
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any
from unittest import mock

import av
import numpy as np

from aurelon.confined import decoder, wire
from aurelon.confined.decoder import DecoderPool
from aurelon.confined.process import ConfinedProcess, ProcessLost, Refused, TookTooLong
from aurelon.core import PlateError, read_plate, read_reel
from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.graph.first_look import look
from aurelon.core.imaging.rgb_space import DISPLAY_P3
from aurelon.core.plates.decoding import DecoderHere, use_decoder
from tests.pictures import scene
from tests.reels import frames, write_video
from tests.web.service import png

LONG = 120.0  # seconds that a question may take here, on a machine that does much else


def operations() -> Mapping[str, Callable[..., Any]]:
    """What a decoder does that has been taken over, or has lost its way."""

    def reads(path: str) -> bytes:
        return Path(path).read_bytes()

    def connects(port: int) -> None:
        socket.create_connection(("127.0.0.1", port))

    def runs() -> None:
        subprocess.run(["/bin/true"], check=True)

    def breaks_off() -> None:
        os.kill(os.getpid(), signal.SIGSEGV)

    def spins() -> None:
        while True:
            pass

    def sleeps() -> None:
        time.sleep(3600)

    def fills() -> int:
        return len(bytearray(64 << 30))

    def samples() -> Any:
        return Raster(np.full((2, 2, 3), np.nan, np.float32))

    offered = (reads, connects, runs, breaks_off, spins, sleeps, fills, samples, os.getpid)
    return {operation.__name__: operation for operation in offered}


def refused(operation: Callable[[], object]) -> str:
    """By what an operation in the process was refused there."""
    try:
        operation()
    except Refused as error:
        return error.kind
    raise AssertionError("it was not refused")


def with_errors() -> Mapping[str, Callable[..., Any]]:
    """The same, errors of the system told by their kind."""

    def answer(operation: Callable[..., Any]) -> Callable[..., Any]:
        def tell(*arguments: Any) -> Any:
            try:
                return operation(*arguments)
            except OSError as error:
                raise ValueError(f"{type(error).__name__} {error.errno}") from error

        return tell

    return {name: answer(operation) for name, operation in operations().items()}


class Confined(unittest.TestCase):
    process: ConfinedProcess

    @classmethod
    def setUpClass(cls) -> None:
        cls.process = ConfinedProcess(with_errors)
        cls.addClassCleanup(cls.process.close)

    def asked(self, operation: str, *arguments: Any, seconds: float | None = None, patience: float = LONG) -> Any:
        return self.process.ask(operation, *arguments, seconds=seconds, patience=patience)

    def test_it_reads_no_file_of_the_artist_and_those_of_the_system(self) -> None:
        with tempfile.NamedTemporaryFile() as own:
            own.write(b"plates")
            own.flush()
            with self.assertRaisesRegex(Refused, "PermissionError"):
                self.asked("reads", own.name)
        self.assertTrue(self.asked("reads", "/etc/passwd"))

    def test_it_opens_no_socket_and_runs_no_program(self) -> None:
        with socket.create_server(("127.0.0.1", 0)) as listening:
            with self.assertRaisesRegex(Refused, "PermissionError"):
                self.asked("connects", listening.getsockname()[1])
            with self.assertRaisesRegex(Refused, "PermissionError"):
                self.asked("runs")
            open_to_it = ConfinedProcess(with_errors, network=True)
            self.addCleanup(open_to_it.close)
            self.assertIsNone(open_to_it.ask("connects", listening.getsockname()[1], patience=LONG))

    def test_more_memory_than_it_may_have_is_refused_and_it_goes_on(self) -> None:
        before = self.asked("getpid")
        with self.assertRaises(Exception) as answer:
            self.asked("fills")
        self.assertEqual(type(answer.exception).__name__, "NeedsMemory")
        self.assertEqual(self.asked("getpid"), before)

    def test_one_that_breaks_off_is_lost_and_another_answers(self) -> None:
        before = self.asked("getpid")
        with self.assertRaises(ProcessLost):
            self.asked("breaks_off")
        self.assertNotEqual(self.asked("getpid"), before)

    def test_one_that_comes_to_no_end_is_given_up_by_its_own_seconds_or_by_the_clock(self) -> None:
        for operation, limits in (("spins", {"seconds": 1.0}), ("sleeps", {"patience": 1.0})):
            with self.subTest(operation), self.assertRaises(TookTooLong):
                self.asked(operation, **limits)
        self.assertNotEqual(self.asked("getpid"), os.getpid())

    def test_whoever_waits_is_woken_when_it_is_closed(self) -> None:
        closing = ConfinedProcess(operations)
        closing.start()
        sentence: list[BaseException] = []

        def wait() -> None:
            try:
                closing.ask("sleeps", patience=LONG)
            except ProcessLost as error:
                sentence.append(error)

        waiting = threading.Thread(target=wait)
        waiting.start()
        time.sleep(0.2)
        closing.close()
        waiting.join(LONG)
        self.assertEqual(len(sentence), 1)


class Wire(unittest.TestCase):
    def over(self, message: Any) -> Any:
        ours, theirs = socket.socketpair()
        with ours, theirs:
            sender = threading.Thread(target=wire.send, args=(ours, message))
            sender.start()
            came = wire.receive(theirs)
            sender.join()
            return came

    def test_arrays_bytes_and_known_dataclasses_come_as_they_were(self) -> None:
        raster = Raster(np.arange(60, dtype=np.uint16).reshape(4, 5, 3), icc=b"p" * 100, space=DISPLAY_P3, notices=("is small",))
        large = b"x" * (wire.LARGE + 1)
        came = self.over({"raster": raster, "large": large, "empty": np.zeros((0, 3), np.float32), "size": (3, 4)})
        np.testing.assert_array_equal(came["raster"].samples, raster.samples)
        self.assertEqual(
            (came["raster"].space, came["raster"].icc, came["raster"].notices), (DISPLAY_P3, b"p" * 100, ("is small",))
        )
        self.assertEqual((came["large"], came["empty"].shape, came["size"]), (large, (0, 3), (3, 4)))

    def test_what_nothing_here_sends_is_refused(self) -> None:
        for text in (
            b'{"$":"made","type":"Path","of":{}}',
            b'{"$":"made","type":"Raster","of":{"other":1}}',
            b'{"$":"array","at":0,"type":"<f4","shape":[4]}',
            b'{"$":"run"}',
            b"[" * 5000,
            b"\xff",
        ):
            ours, theirs = socket.socketpair()
            with self.subTest(text[:40]), ours, theirs, self.assertRaises(wire.WireError):
                ours.sendall(len(text).to_bytes(4, "little") + text)
                wire.receive(theirs)

    def test_memory_that_could_still_be_changed_or_is_too_short_is_refused(self) -> None:
        text = b'{"$":"array","at":0,"type":"|u1","shape":[8]}'
        for size, sealed in ((8, False), (4, True)):
            ours, theirs = socket.socketpair()
            handle = os.memfd_create("test", os.MFD_ALLOW_SEALING)
            os.write(handle, bytes(size))
            if sealed:
                fcntl.fcntl(handle, wire.F_ADD_SEALS, wire.SEALS)
            with self.subTest(size), ours, theirs, self.assertRaises(wire.WireError):
                socket.send_fds(ours, [len(text).to_bytes(4, "little") + text], [handle])
                wire.receive(theirs)
            os.close(handle)


class Decoders(unittest.TestCase):
    pool: DecoderPool

    @classmethod
    def setUpClass(cls) -> None:
        cls.pool = DecoderPool(60)
        cls.addClassCleanup(cls.pool.close)

    def test_a_picture_is_the_same_and_refused_alike(self) -> None:
        data = png(scene(60, 40))
        self.assertEqual(self.pool.look(data, "shore.png"), look(data, "shore.png"))
        here = read_plate(data, "shore.png")
        before = use_decoder(self.pool)
        self.addCleanup(use_decoder, before)
        apart = read_plate(data, "shore.png")
        np.testing.assert_array_equal(apart.pixels, here.pixels)
        self.assertEqual((apart.key, apart.space, apart.depth), (here.key, here.space, here.depth))
        sentence = []
        for one in (self.pool, DecoderHere()):
            with self.assertRaises(PlateError) as answer:
                one.raster(data[:200], "cut.png", spaced=True)
            sentence.append(str(answer.exception))
        self.assertEqual(sentence[0], sentence[1])
        self.assertTrue(sentence[0].startswith("cut.png "))

    def test_a_reel_is_the_same_frame_by_frame_and_one_whose_process_is_lost_goes_on(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = write_video(Path(folder) / "pier.mkv", frames(6))
            here = read_reel(lambda: path.open("rb"), path.name)
            before = use_decoder(self.pool)
            self.addCleanup(use_decoder, before)
            apart = read_reel(lambda: path.open("rb"), path.name)
            self.assertEqual((apart.times, apart.size, apart.fps, apart.key), (here.times, here.size, here.fps, here.key))
            for number in (5, 0, 3):
                np.testing.assert_array_equal(apart[number].pixels, here[number].pixels)
            for process in self.pool._reels:
                os.kill(process.pid or 0, signal.SIGKILL)
                while process.alive:
                    time.sleep(0.01)
            np.testing.assert_array_equal(apart[1].pixels, here[1].pixels)
            with path.open("r+b") as cut:
                cut.truncate(700)
            with self.assertRaisesRegex(PlateError, r"^pier\.mkv "):
                read_reel(lambda: path.open("rb"), path.name)

    def test_what_a_decoder_hands_over_is_looked_at_before_a_kernel_gets_it(self) -> None:
        good = Raster(np.zeros((2, 3, 3), np.uint8))
        self.assertIs(decoder.checked(good, "a.png"), good)
        for bad in (
            Raster(np.full((2, 2, 3), np.nan, np.float32)),
            Raster(np.zeros((2, 2, 5), np.uint8)),
            Raster(np.zeros((2, 2), np.uint8)),
            Raster(np.zeros((2, 2, 3), np.uint8), np.zeros((1, 2), np.uint8)),
            Raster(np.zeros((2, 2, 3), np.int64)),
            "samples",
        ):
            with self.subTest(bad), self.assertRaisesRegex(PlateError, r"^a\.png is damaged"):
                decoder.checked(bad, "a.png")

    def test_limits_are_said_as_limits_and_damage_as_damage(self) -> None:
        sentences = {
            "spins": r"^slow\.jxl took too long to read and was given up after 1 seconds of a processor",
            "fills": r"^slow\.jxl is too large: reading it needs more memory",
            "breaks_off": r"^slow\.jxl is so damaged that what reads it broke off",
        }
        process = ConfinedProcess(operations)
        self.addCleanup(process.close)
        for operation, sentence in sentences.items():
            with self.subTest(operation), self.assertRaisesRegex(PlateError, sentence):
                decoder.answered(process, "slow.jxl", operation, seconds=1.0, patience=LONG)

    def test_a_file_that_comes_to_no_end_holds_up_none_behind_it(self) -> None:
        pool = DecoderPool(60)
        self.addCleanup(pool.close)
        hung = threading.Event()

        def hang() -> None:
            with pool._process() as process:
                hung.set()
                process._lock.acquire()
                release.wait(LONG)
                process._lock.release()

        release = threading.Event()
        holding = [threading.Thread(target=hang) for _ in range(decoder.PROCESSES - 1)]
        for one in holding:
            one.start()
        hung.wait(LONG)
        self.assertEqual(pool.look(png(scene(30, 20)), "next.png").size, (30, 20))
        release.set()
        for one in holding:
            one.join(LONG)

    def test_only_the_named_demuxers_are_open(self) -> None:
        """A text that FFmpeg takes for a session description, behind bytes that look like those of a film, opens no port."""
        text = (
            b"v=0\nftypo=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 49170 RTP/AVP 96\na=rtpmap:96 H264/90000\n"
        )

        with mock.patch("av.open", wraps=av.open) as opened, self.assertRaises(PlateError):
            read_reel(lambda: io.BytesIO(text), "session.mp4")
        for call in opened.call_args_list:
            self.assertEqual(call.kwargs["format"], "mov")
            self.assertEqual(call.kwargs["options"]["protocol_whitelist"], "none")


if __name__ == "__main__":
    unittest.main()
