"""Requests that no page of Aurelon's makes: each gets an answer, and the next is served as ever."""

from __future__ import annotations

import json
import unittest
from collections.abc import Iterator
from typing import Any

from tests.web.service import ServiceTest

HUGE = 1 << 63
VIEW = {"width": 300, "height": 200, "x0": 0, "y0": 0, "x1": 300, "y1": 200}


class Previews(ServiceTest):
    def test_a_view_larger_than_the_plate_is_refused_and_the_next_served(self) -> None:
        plate = self.add()
        with self.preview(plate) as socket:
            for seq, size in enumerate(((12_000, 8_000), (60_000, 60_000), (302, 200))):
                view = {"width": size[0], "height": size[1], "x0": 0, "y0": 0, "x1": size[0], "y1": size[1]}
                socket.send_text(json.dumps({"seq": seq, "rig": {}, "view": view}))
                told = json.loads(socket.receive_text())
                self.assertEqual(told["seq"], seq)
                self.assertIn(f"{size[0]} x {size[1]} is more than the plate's own 300 x 200", told["error"])
            socket.send_text(json.dumps({"seq": 9, "rig": {}, "view": VIEW}))
            self.assertIn(b'"seq":9', socket.receive_bytes())

    def test_what_is_no_text_is_answered_and_the_next_served(self) -> None:
        with self.preview(self.add()) as socket:
            socket.send_bytes(b"\x00\x01")
            self.assertIn("text in JSON", json.loads(socket.receive_text())["error"])
            socket.send_text("{")
            self.assertIn("error", json.loads(socket.receive_text()))
            socket.send_text(json.dumps({"seq": 1, "rig": {}, "view": VIEW}))
            self.assertIn(b'"seq":1', socket.receive_bytes())


class Numbers(ServiceTest):
    def test_ids_that_no_table_holds(self) -> None:
        for path in (
            f"/plates/{HUGE}/bench",
            f"/plates/{HUGE}/file",
            f"/runs/{HUGE}",
            f"/rigs/{HUGE}/file",
            f"/plates/-{HUGE}/takes",
        ):
            with self.subTest(path):
                answer = self.client.get(f"/api{path}")
                self.assertEqual(answer.status_code, 404)
                self.assertEqual(set(answer.json()), {"error", "problems"})
        body = {"plates": [HUGE], "export": {"target": "picture", "format": "png", "depth": "8"}}
        self.assertEqual(self.client.post("/api/runs", json=body).status_code, 404)

    def test_places_far_out_of_range(self) -> None:
        plate = self.add()
        rig: dict[str, Any] = {"lights": [{"id": "a", "kind": "bloom"}]}
        for spot in ([9.0, 9.0], [-5.0, 0.5], [HUGE, 0], ["a", 0]):
            with self.subTest(spot):
                answer = self.client.post(f"/api/plates/{plate}/edits/match", json={"rig": rig, "light": "a", "spot": spot})
                self.assertIn(answer.status_code, (200, 422))


class Bodies(ServiceTest):
    def test_what_says_that_it_is_too_large_is_refused_before_it_is_read(self) -> None:
        for kind, size in (("application/json", 65 << 20), ("multipart/form-data; boundary=x", 1300 << 20)):
            with self.subTest(kind):
                headers = {"content-type": kind, "content-length": str(size)}
                answer = self.client.post("/api/plates", headers=headers, content=b"")
                self.assertEqual(answer.status_code, 413)
                self.assertIn("MB that are taken", answer.json()["error"])

    def test_what_does_not_say_so_is_cut_off_as_it_comes(self) -> None:
        sent = [0]

        def much() -> Iterator[bytes]:
            for _ in range(400):
                sent[0] += 1 << 20
                yield b" " * (1 << 20)

        answer = self.client.post("/api/runs", headers={"content-type": "application/json"}, content=much())
        self.assertEqual((answer.status_code, set(answer.json())), (413, {"error", "problems"}))

    def test_every_refusal_has_one_shape(self) -> None:
        for method, path, status in (("GET", "/api/none", 404), ("PUT", "/api/plates", 405), ("POST", "/api/runs", 422)):
            with self.subTest(path):
                answer = self.client.request(method, path)
                self.assertEqual((answer.status_code, set(answer.json())), (status, {"error", "problems"}))


class Hosts(ServiceTest):
    def test_hosts_and_origins_that_cannot_be(self) -> None:
        for headers in ({"host": "["}, {"host": "127.0.0.1", "origin": "http://["}, {"host": "elsewhere"}, {"host": ""}):
            with self.subTest(headers):
                answer = self.client.get("/api/plates", headers=headers)
                self.assertEqual(answer.status_code, 403)
                self.assertEqual(set(answer.json()), {"error", "problems"})


if __name__ == "__main__":
    unittest.main()
