"""Peers that wait, hold on or ask too much: others do not wait, and the service stops when it is asked to."""

from __future__ import annotations

import asyncio
import errno
import re
import select
import signal
import socket
import tempfile
import threading
import time
import unittest
from contextlib import ExitStack
from functools import partial
from pathlib import Path
from unittest import mock

import httpx
import numpy as np
from starlette.types import Message, Receive, Scope, Send

from aurelon.core import AurelonError, OutputError
from aurelon.core.errors import Cancelled
from aurelon.runs import jobs
from aurelon.runs.jobs import Control, FileResult, Jobs
from aurelon.store import DataFileError
from aurelon.web import clients, connections
from aurelon.web.clients import COMING, Clients
from aurelon.web.turns import Turns
from tests.browser.window import Service
from tests.pictures import scene
from tests.web.service import png

LONG = 120.0  # seconds until something that should go on is given up
ENDS = 5.0  # seconds in which the service must have ended


class InTurn(unittest.IsolatedAsyncioTestCase):
    async def test_each_client_has_its_turn_however_much_another_asks(self) -> None:
        turns, order = Turns(1), list[str]()
        release = threading.Event()

        def work(name: str) -> None:
            release.wait(LONG)
            order.append(name)

        many = [asyncio.create_task(turns.run("much", f"socket {n % 3}", partial(work, f"much {n}"))) for n in range(9)]
        await asyncio.sleep(0)
        few = [asyncio.create_task(turns.run("little", "socket", partial(work, f"little {n}"))) for n in range(2)]
        await asyncio.sleep(0)
        release.set()
        await asyncio.gather(*many, *few)
        self.assertEqual(order[:5], ["much 0", "much 1", "little 0", "much 2", "little 1"])
        # Among one client's sockets each has its turn as well.
        self.assertEqual([name for name in order if name[0] == "m"][:3], ["much 0", "much 1", "much 2"])

    async def test_one_client_alone_has_every_thread_and_beside_another_it_leaves_room(self) -> None:
        turns, going, most = Turns(3), dict[str, int](), dict[str, int]()
        lock, release = threading.Lock(), threading.Event()

        def work(name: str) -> None:
            with lock:
                going[name] = going.get(name, 0) + 1
                most[name] = max(most.get(name, 0), going[name])
            release.wait(0.05)
            with lock:
                going[name] -= 1

        await asyncio.gather(*(turns.run("one", n, partial(work, "one")) for n in range(9)))
        self.assertEqual(most, {"one": 3})
        most.clear()
        both = [turns.run(name, n, partial(work, name)) for n in range(6) for name in ("one", "other")]
        await asyncio.gather(*both)
        self.assertEqual(most, {"one": 1, "other": 1})

    async def test_a_fault_is_its_own_and_what_nobody_waits_for_is_not_begun(self) -> None:
        turns = Turns(1)
        with self.assertRaises(ZeroDivisionError):
            await turns.run("one", "socket", lambda: 1 // 0)
        release, done = threading.Event(), list[int]()
        first = asyncio.create_task(turns.run("one", "socket", lambda: release.wait(LONG)))
        given_up = asyncio.create_task(turns.run("one", "socket", lambda: done.append(1)))
        await asyncio.sleep(0.01)
        given_up.cancel()
        await asyncio.sleep(0.01)
        release.set()
        await first
        self.assertEqual(await turns.run("one", "socket", lambda: 7), 7)
        self.assertEqual(done, [])


class Bodies(unittest.IsolatedAsyncioTestCase):
    """Requests whose body does not come."""

    async def asyncSetUp(self) -> None:
        async def app(scope: Scope, receive: Receive, send: Send) -> None:
            while (await receive()).get("more_body"):
                pass
            await send({"type": "http.response.start", "status": 200, "headers": []})
            await send({"type": "http.response.body", "body": b"ok"})

        self.clients = Clients(app)

    async def asked(self, *pieces: bytes, whole: bool = True, held: bool = False) -> int:
        """The status of the answer to a request with these pieces as its body."""
        queue = list(pieces)

        async def receive() -> Message:
            if not pieces:
                return {"type": "http.request", "body": b"", "more_body": False}
            if queue:
                piece = queue.pop(0)
                return {"type": "http.request", "body": piece, "more_body": bool(queue) or not whole}
            await asyncio.sleep(LONG)
            raise AssertionError("it was waited for too long")

        status: list[int] = []

        async def send(message: Message) -> None:
            if message["type"] == "http.response.start":
                status.append(message["status"])

        headers = [(b"content-length", b"9")] if pieces else []
        await self.clients({"type": "http", "headers": headers, "client": ("127.0.0.9", 1)}, receive, send)
        return status[0]

    async def test_held_bodies_keep_nobody_waiting_and_the_longest_silent_gives_way(self) -> None:
        held = [asyncio.create_task(self.asked(b"a", whole=False)) for _ in range(COMING + 40)]
        await asyncio.sleep(0.05)
        self.assertEqual(await self.asked(), 200)
        self.assertEqual(await self.asked(b"a", b"b"), 200)
        over = [one.result() for one in held if one.done()]
        self.assertEqual((set(over), held[0].done(), held[-1].done()), ({408}, True, False))
        for one in held:
            one.cancel()

    async def test_a_body_of_which_nothing_comes_is_given_up_and_a_slow_one_too(self) -> None:
        with mock.patch.object(clients, "SILENT", 0.05):
            self.assertEqual(await self.asked(b"a", whole=False), 408)
        with mock.patch.object(clients, "BEGINNING", -1.0):
            self.assertEqual(await self.asked(b"a", b"b", b"c"), 408)
        self.assertEqual(await self.asked(b"a" * (1 << 20), b"b"), 200)


class LanesOfJobs(unittest.TestCase):
    def test_a_job_that_fails_says_why_in_a_sentence(self) -> None:
        lanes = Jobs()
        self.addCleanup(lanes.close)

        def ends(error: BaseException) -> jobs.Job:
            def fail(control: Control) -> None:
                raise error

            return lanes.wait(lanes.start("export", fail))

        self.assertEqual(ends(Cancelled()).state, "cancelled")
        for error, sentence in (
            (OutputError("choose a smaller size"), "choose a smaller size"),
            (
                OSError(errno.ENOSPC, "No space left on device"),
                "the file could not be written (No space left on device); make room",
            ),
            (DataFileError("database or disk is full"), "there is no room left on the data file's disk; make room there"),
            (DataFileError("database is locked"), "held by another program; close that one"),
            (DataFileError("attempt to write a readonly database"), "cannot be written to (attempt to write a readonly database)"),
            (DataFileError("disk I/O error"), "cannot be written (disk I/O error); see to its disk"),
            (MemoryError(), "there is not enough memory for a picture of this size; choose a smaller one"),
        ):
            with self.subTest(sentence), self.assertRaisesRegex(AurelonError, re.escape(sentence)):
                ends(error)
        with self.assertLogs(level="ERROR"), self.assertRaisesRegex(AurelonError, "a fault in Aurelon .by zero.; please report it"):
            ends(ZeroDivisionError("by zero"))

    def test_only_the_last_jobs_are_kept_with_their_files(self) -> None:
        lanes = Jobs()
        self.addCleanup(lanes.close)

        def write(control: Control) -> FileResult:
            return FileResult("light.txt", "text/plain", lambda file: file.write(b"light"))

        with mock.patch.object(jobs, "KEPT", 2):
            made = [lanes.wait(lanes.start("export", write)) for _ in range(4)]
            lanes.wait(lanes.start("export", lambda control: None))
        self.assertEqual([job.file is not None and job.file.exists() for job in made], [False, False, True, True])
        self.assertEqual(lanes.get(made[3].id).size, 5)
        with self.assertRaisesRegex(jobs.UnknownJob, "this job has expired; start it again"):
            lanes.get(made[0].id)

    def test_a_job_that_does_not_end_by_itself_is_given_up_and_its_lane_is_free(self) -> None:
        with mock.patch.object(jobs, "GRACE", 0.05):
            lanes = Jobs()
            release, began = threading.Event(), threading.Event()

            def hang(control: Control) -> None:
                began.set()
                release.wait(LONG)

            hung = lanes.start("export", hang)
            self.assertTrue(began.wait(LONG))
            lanes.cancel(hung)
            self.assertEqual(lanes.wait(lanes.start("export", lambda control: None)).state, "done")
            self.assertEqual(hung.state, "cancelled")
            release.set()
            again = lanes.start("export", hang)
            self.assertEqual(lanes.wait(again).state, "done")
            self.assertEqual(hung.state, "cancelled")
            release.clear()
            lanes.start("export", hang)
            began_closing = time.monotonic()
            lanes.close()
            self.assertLess(time.monotonic() - began_closing, ENDS)
            release.set()


class OnAService(unittest.TestCase):
    """Against a real service in a process of its own."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def service(self, *more: str) -> Service:
        service = Service(self.folder / "data", more=more)
        service.start()
        self.addCleanup(service.stop, signal.SIGKILL)
        self.client = httpx.Client(base_url=f"{service.url}/api", timeout=LONG)
        self.addCleanup(self.client.close)
        return service

    def ended(self, service: Service) -> None:
        """Tells it to end, and holds it to its time."""
        assert service.process is not None
        began = time.monotonic()
        service.process.send_signal(signal.SIGTERM)
        service.process.wait(LONG)
        self.assertLess(time.monotonic() - began, ENDS)

    def test_half_open_requests_stop_no_answer_and_are_closed(self) -> None:
        service = self.service()
        with ExitStack() as held:
            for _ in range(1100):
                one = held.enter_context(socket.create_connection(("127.0.0.1", service.port)))
                one.sendall(b"GET /api/plates HTTP/1.1\r\nHost: 127.0.0.1\r\n")
            self.assertEqual(self.client.get("/plates").status_code, 200)
            one.settimeout(2 * connections.HEAD_SECONDS)
            self.assertEqual(one.recv(10), b"")

    def test_it_ends_in_time_whatever_is_going_on(self) -> None:
        with socket.create_server(("127.0.0.1", 0)) as mute:
            service = self.service("--cluster", f"studio=tcp://127.0.0.1:{mute.getsockname()[1]}")
            data = png(np.tile(scene(300, 200), (10, 10, 1)))
            plate = self.client.post("/plates", files={"file": ("large.png", data)}).json()["id"]
            body = {"plates": [plate], "export": {"target": "picture", "format": "png", "depth": "8"}, "cluster": "studio"}
            self.assertEqual(self.client.post("/runs", json=body).status_code, 202)
            mute.accept()
            rig = {"lights": [{"id": "a", "kind": "bloom"}]}
            export = {"rig": rig, "export": {"target": "picture", "format": "jxl", "depth": "8"}}
            self.assertEqual(self.client.post(f"/plates/{plate}/exports", json=export).status_code, 202)
            hanging = socket.create_connection(("127.0.0.1", service.port))
            self.addCleanup(hanging.close)
            hanging.sendall(b"POST /api/plates HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 99\r\n\r\n")
            self.ended(service)

    def test_whom_a_request_comes_from_is_what_a_named_proxy_says(self) -> None:
        """A client is bound by its own address; what it writes in a header changes that behind a proxy of the operator's alone."""
        for more, made_way in (((), True), (("--proxy", "127.0.0.1"), False)):
            service = self.service(*more)
            with self.subTest(more), ExitStack() as stack:
                held = []
                for number in range(COMING + 5):
                    held.append(stack.enter_context(socket.create_connection(("127.0.0.1", service.port))))
                    answer = (
                        f"X-Forwarded-For: 10.0.0.{number}\r\nContent-Length: 99\r\nContent-Type: multipart/form-data; boundary=x"
                    )
                    held[-1].sendall(f"POST /api/plates HTTP/1.1\r\nHost: 127.0.0.1\r\n{answer}\r\n\r\n--x\r\n".encode())
                # The last to come shows that all before it were looked at.
                self.assertEqual(self.client.get("/plates").status_code, 200)
                answered, _, _ = select.select(held, [], [], 2)
                self.assertEqual(bool(answered), made_way)
            service.stop(signal.SIGKILL)


if __name__ == "__main__":
    unittest.main()
