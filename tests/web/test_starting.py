"""Starting on what cannot be used is one sentence; what a dead process left is cleared away; what every answer carries."""

from __future__ import annotations

import os
import socket
import sqlite3
import ssl
import subprocess
import sys
import tempfile
import time
import unittest
from contextlib import closing
from pathlib import Path

import httpx

from aurelon.runs.scratch import scratch_folder
from aurelon.store import Store, StoreError
from tests.copied import run_command
from tests.web.service import ServiceTest


class Starting(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def refused(self, *words: str) -> str:
        """The one sentence of a service that does not start."""
        done = run_command("serve", "--data", self.folder, *words)
        self.assertEqual((done.returncode, done.stdout, len(done.stderr.splitlines())), (2, "", 1), done.stderr)
        return done.stderr

    def test_a_port_that_cannot_be_had(self) -> None:
        with socket.create_server(("127.0.0.1", 0)) as taken:
            port = str(taken.getsockname()[1])
            self.assertIn(f"127.0.0.1:{port} is in use by another program", self.refused("--port", port))
        for port in ("0", "65536", "99999999"):
            self.assertIn(f"{port}' is not a port from 1 to 65535", self.refused("--port", port))
        self.assertIn("cannot be used", self.refused("--host", "203.0.113.7", "--port", "8421"))

    def test_a_data_file_that_is_none(self) -> None:
        path = self.folder / "aurelon.sqlite"
        for content, sentence in (
            (b"no database at all" * 100, "is not an Aurelon data file, or it is damaged"),
            (None, "is a folder"),
        ):
            with self.subTest(sentence):
                if content is None:
                    path.unlink()
                    path.mkdir()
                else:
                    path.write_bytes(content)
                self.assertIn(sentence, self.refused("--port", "8422"))

    def test_a_data_file_that_another_program_holds_or_that_is_newer(self) -> None:
        path = self.folder / "aurelon.sqlite"
        Store(path).close()
        with closing(sqlite3.connect(path, isolation_level=None)) as other:
            other.execute("PRAGMA locking_mode = EXCLUSIVE")
            other.execute("BEGIN EXCLUSIVE")
            self.assertIn("is held by another program; close that one", self.refused("--port", "8423"))
            other.execute("ROLLBACK")
            other.execute("PRAGMA user_version = 999")
        self.assertIn("newer than this Aurelon knows", self.refused("--port", "8423"))

    def test_a_folder_that_may_not_be_written_to(self) -> None:
        # Also root may not write there.
        self.assertIn("cannot be used for", self.refused("--port", "8424", "--data", "/proc/aurelon"))

    def test_a_data_file_that_was_cut_short(self) -> None:
        path = self.folder / "data.sqlite"
        store = Store(path)
        store.close()
        whole = path.read_bytes()
        path.write_bytes(whole[: len(whole) // 2 - 100])
        with self.assertRaisesRegex(StoreError, "is damaged .*; put a copy of it back"):
            Store(path)


class Sealed(unittest.TestCase):
    """Over TLS, with a certificate made for the test."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.certificate, self.key = self.folder / "cert.pem", self.folder / "key.pem"
        names = ["-subj", "/CN=localhost", "-addext", "subjectAltName=IP:127.0.0.1"]
        command = ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", *names]
        subprocess.run([*command, "-keyout", self.key, "-out", self.certificate], check=True, capture_output=True)

    def command(self, *words: str) -> list[str]:
        return [sys.executable, "-m", "aurelon", "serve", "--data", str(self.folder / "data"), *words]

    def test_the_service_answers_encrypted_and_only_its_own_pages(self) -> None:
        with socket.create_server(("127.0.0.1", 0)) as free:
            port = free.getsockname()[1]
        words = ("--port", str(port), "--tls-cert", str(self.certificate), "--tls-key", str(self.key))
        service = subprocess.Popen(self.command(*words), stdout=subprocess.PIPE, text=True)
        try:
            assert service.stdout is not None
            self.assertEqual(service.stdout.readline(), f"Aurelon is at https://127.0.0.1:{port}\n")
            trusted = ssl.create_default_context(cafile=str(self.certificate))
            with httpx.Client(base_url=f"https://127.0.0.1:{port}", verify=trusted) as client:
                for origin, status in ((f"https://127.0.0.1:{port}", 200), (f"http://127.0.0.1:{port}", 403)):
                    self.assertEqual(client.get("/api/plates", headers={"origin": origin}).status_code, status)
        finally:
            service.terminate()
            service.communicate(timeout=60)

    def test_a_certificate_that_cannot_be_used_is_one_sentence(self) -> None:
        here, gone = str(self.certificate), str(self.folder / "gone.pem")
        for words, sentence in (
            (("--tls-cert", here), "go together"),
            (("--tls-cert", here, "--tls-key", gone), "gone.pem is not there"),
            (("--tls-cert", here, "--tls-key", here), "are not a certificate and its key"),
        ):
            with self.subTest(sentence):
                done = run_command("serve", "--data", self.folder / "data", *words)
                self.assertEqual((done.returncode, done.stdout, len(done.stderr.splitlines())), (2, "", 1), done.stderr)
                self.assertIn(sentence, done.stderr)


class Scratch(unittest.TestCase):
    def test_what_a_dead_process_left_is_removed_and_only_that(self) -> None:
        dead = subprocess.Popen([sys.executable, "-c", "pass"])
        dead.wait()
        temporary = Path(tempfile.gettempdir())
        left = temporary / f"aurelon-jobs-{dead.pid}-left"
        alive = temporary / f"aurelon-run-{os.getppid()}-alive"
        other = temporary / f"aurelon-notes-{time.monotonic_ns()}"
        for folder in (left, alive, other):
            folder.mkdir()
            (folder / "half").write_bytes(b"half a file")
        result = scratch_folder("run")
        try:
            self.assertFalse(left.exists())
            self.assertTrue(alive.exists() and other.exists() and result.is_dir())
        finally:
            for folder in (alive, other):
                (folder / "half").unlink()
                folder.rmdir()
            result.rmdir()


class Answers(ServiceTest):
    token = "made-for-this-test"

    def test_every_answer_says_what_a_page_may_do(self) -> None:
        self.client.cookies.set("aurelon-token", self.token)
        for path in ("/api/plates", "/api/none", "/", "/api/runs/7"):
            with self.subTest(path):
                headers = self.client.get(path).headers
                self.assertIn("default-src 'self'", headers["content-security-policy"])
                self.assertIn("frame-ancestors 'none'", headers["content-security-policy"])
                self.assertEqual((headers["x-content-type-options"], headers["referrer-policy"]), ("nosniff", "no-referrer"))
        refused = self.client.get("/api/plates", headers={"host": "["})
        self.assertEqual((refused.status_code, refused.headers["x-content-type-options"]), (403, "nosniff"))

    def test_the_token_leaves_the_address_at_once(self) -> None:
        answer = self.client.get("/plates/3", params={"token": self.token}, follow_redirects=False)
        self.assertEqual((answer.status_code, answer.headers["location"]), (303, "/plates/3"))
        self.assertIn("HttpOnly", answer.headers["set-cookie"])
        self.assertEqual(self.client.get("/api/plates").status_code, 200)

    def test_no_page_takes_scripts_from_elsewhere(self) -> None:
        self.client.cookies.set("aurelon-token", self.token)
        for path in ("/docs", "/redoc", "/"):
            self.assertNotIn("https://", self.client.get(path).text)


if __name__ == "__main__":
    unittest.main()
