"""Stopping the service while a request hangs: no traceback, and in time."""

from __future__ import annotations

import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from aurelon.cli import main
from tests.browser.window import Service


def children_of(pid: int) -> list[int]:
    return [int(child) for task in Path(f"/proc/{pid}/task").iterdir() for child in (task / "children").read_text().split()]


class Stopping(unittest.TestCase):
    def test_a_hanging_upload_is_ended_without_a_traceback(self) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = int(free.getsockname()[1])
        with tempfile.TemporaryDirectory() as folder:
            command = [sys.executable, "-m", "aurelon", "serve", "--port", str(port), "--data", folder]
            service = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
            assert service.stdout is not None
            self.assertIn(str(port), service.stdout.readline())  # it answers from here on
            hanging = self.connected(port)
            head = f"POST /api/plates HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nContent-Length: 9999\r\n"
            hanging.sendall(f"{head}Content-Type: multipart/form-data; boundary=x\r\n\r\n--x\r\n".encode())
            time.sleep(0.5)
            service.send_signal(signal.SIGINT)
            _, sentence = service.communicate(timeout=30)
            hanging.close()
        self.assertNotIn("Traceback", sentence)
        self.assertEqual(service.returncode, 0)

    def test_told_to_end_it_ends_what_it_began(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            service = Service(Path(folder) / "data")
            service.start()
            assert service.process is not None
            started = children_of(service.process.pid)
            self.assertTrue(started)  # the processes that decode
            service.stop()
            self.assertEqual(service.process.returncode, 128 + signal.SIGTERM)
        for _ in range(600):  # those end as their pipes close, a moment later
            if not any(Path(f"/proc/{pid}").exists() for pid in started):
                return
            time.sleep(0.1)
        self.fail(f"still there: {started}")

    def test_a_stop_while_it_starts_leaves_no_traceback(self) -> None:
        with mock.patch("aurelon.cli._serve", side_effect=KeyboardInterrupt):
            self.assertEqual(main(["serve"]), 130)

    def connected(self, port: int) -> socket.socket:
        for _ in range(600):
            try:
                return socket.create_connection(("127.0.0.1", port))
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the service did not start")


if __name__ == "__main__":
    unittest.main()
