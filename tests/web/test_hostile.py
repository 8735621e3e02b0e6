"""Requests that no page of Aurelon's makes: each gets an answer, and the next is served as ever."""

from __future__ import annotations

import asyncio
import json
import unittest
from collections.abc import Iterator
from typing import Any

from starlette.testclient import WebSocketTestSession
from starlette.types import Message, Receive, Scope, Send
from starlette.websockets import WebSocketDisconnect

from aurelon.web.clients import A_SECOND, AT_ONCE, IN_A_ROW, SOCKETS, TOO_MANY, Clients
from tests.web.service import ServiceTest

HUGE = 1 << 63
EXPORT = {"target": "picture", "format": "png", "depth": "8"}
VIEW = {"width": 300, "height": 200, "x0": 0, "y0": 0, "x1": 300, "y1": 200}


class Previews(ServiceTest):
    def test_a_view_larger_than_the_plate_is_refused_and_the_next_served(self) -> None:
        plate = self.add()
        with self.preview(plate) as socket:
            for seq, size in enumerate(((12_000, 8_000), (60_000, 60_000), (302, 200))):
                view = {"width": size[0], "height": size[1], "x0": 0, "y0": 0, "x1": size[0], "y1": size[1]}
                socket.send_text(json.dumps({"seq": seq, "rig": {}, "view": view}))
                answer = json.loads(socket.receive_text())
                self.assertEqual(answer["seq"], seq)
                self.assertIn(f"{size[0]} x {size[1]} is more than the plate's own 300 x 200", answer["error"])
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
    def refused(self, status: int, method: str = "GET", path: str = "/api/plates", **headers: str) -> None:
        answer = self.client.request(method, path, headers=headers)
        self.assertEqual((answer.status_code, set(answer.json())), (status, {"error", "problems"}), headers)

    def test_hosts_and_origins_that_cannot_be(self) -> None:
        for headers in ({"host": "["}, {"host": "127.0.0.1", "origin": "http://["}, {"host": "elsewhere"}, {"host": ""}):
            with self.subTest(headers):
                self.refused(403, **headers)

    def test_names_that_only_look_like_this_computer(self) -> None:
        for host in (
            "127.0.0.1.elsewhere.example",
            "localhost.elsewhere.example",
            "elsewhere.example:80@127.0.0.1.example",
            "127.0.0.2",
            "2130706433",
            "0x7f.1",
            "[::ffff:127.0.0.1]",
            "0.0.0.0",
            "127.0.0.1, elsewhere.example",
            "localhost%00.elsewhere.example",
            "\u0131ocalhost".encode("punycode").decode(),
        ):
            with self.subTest(host):
                self.refused(403, host=host)

    def test_pages_from_elsewhere_may_do_nothing(self) -> None:
        plate = self.add()
        origins = (
            "null",
            "http://elsewhere.example",
            "https://127.0.0.1",
            "http://127.0.0.1:81",
            "file://",
            "http://127.0.0.1@elsewhere",
        )
        for origin in origins:
            with self.subTest(origin):
                # As a form or an image of such a page would ask, which needs no leave beforehand.
                for kind in ("text/plain", "application/x-www-form-urlencoded", "multipart/form-data; boundary=x"):
                    self.refused(403, "POST", f"/api/plates/{plate}/undo", origin=origin, **{"content-type": kind})
                self.refused(403, origin=origin)
                self.refused(403, "OPTIONS", origin=origin, **{"access-control-request-method": "DELETE"})
                with self.assertRaises(WebSocketDisconnect), self.preview_from(plate, origin):
                    pass
        self.assertEqual(self.client.get(f"/api/plates/{plate}/bench").status_code, 200)

    def preview_from(self, plate: int, origin: str) -> WebSocketTestSession:
        headers = {"host": "127.0.0.1", "origin": origin}
        return self.client.websocket_connect(f"/api/plates/{plate}/preview", headers=headers)

    def test_no_answer_lets_another_page_read_it(self) -> None:
        for path in ("/", "/api/plates", "/api/none"):
            answer = self.client.get(path).headers
            self.assertNotIn("access-control-allow-origin", answer)
            self.assertEqual((answer["x-content-type-options"], answer["cross-origin-resource-policy"]), ("nosniff", "same-origin"))


class Paths(ServiceTest):
    def test_no_path_leads_out_of_what_is_served(self) -> None:
        secret = "root:x:0:0"
        for path in (
            "/assets/../../../../../../../../etc/passwd",
            "/assets/%2e%2e/%2e%2e/%2e%2e/%2e%2e/%2e%2e/%2e%2e/%2e%2e/etc/passwd",
            "/assets/..%2f..%2f..%2f..%2f..%2f..%2f..%2fetc%2fpasswd",
            "/assets/..%5c..%5c..%5cetc%5cpasswd",
            "/assets//etc/passwd",
            "/assets/%00",
            "/../../../../../../etc/passwd",
            "/%2e%2e/%2e%2e/%2e%2e/%2e%2e/etc/passwd",
            "/api/plates/..%2f..%2fetc%2fpasswd/file",
            "/api/plates/1%00/file",
            "/api/jobs/..%2f..%2fetc%2fpasswd/file",
            "//elsewhere.example/",
        ):
            with self.subTest(path):
                answer = self.client.get(path)
                self.assertLess(answer.status_code, 500)
                self.assertNotIn(secret, answer.text)
                self.assertNotIn("elsewhere.example", answer.headers.get("location", ""))

    def test_methods_that_nothing_answers_to(self) -> None:
        for method in ("TRACE", "CONNECT", "PUT", "PROPFIND", "X" * 40):
            with self.subTest(method):
                self.assertEqual(self.client.request(method, "/api/plates").status_code, 405)


class NamesOfFiles(ServiceTest):
    NAMES = (
        "../../../etc/cron.d/light.png",
        "..\\..\\light.png",
        "a\u202egnp.exe",
        "<img src=x onerror=alert(1)>.png",
        "'; DROP TABLE plate; --.png",
        "a" * 900 + ".png",
        "${jndi:ldap://elsewhere.example}.png",
        "a\r\nset-cookie: b=c.png",
        "CON",
        ".",
        "..",
        " ",
        "\U0001f305.png",
    )

    def test_a_name_is_a_name_and_nothing_else(self) -> None:
        for name in self.NAMES:
            with self.subTest(name):
                plate = self.add(name=name)
                (record,) = [one for one in self.answer("GET", "/plates") if one["id"] == plate]
                self.assertNotIn("/", record["file_name"])
                self.assertNotIn("\\", record["file_name"])
                self.assertLessEqual(len(record["name"]), 120)
                job = self.answer("POST", f"/plates/{plate}/exports", 202, json={"rig": {}, "export": EXPORT})
                self.finished(job)
                file = self.client.get(f"/api/jobs/{job['id']}/file")
                self.assertEqual(file.status_code, 200)
                sentence = file.headers["content-disposition"]
                self.assertNotIn("set-cookie", file.headers)
                self.assertFalse(set("\r\n/") & set(sentence.removeprefix("attachment; ")), sentence)
        self.assertEqual(len(self.answer("GET", "/plates")), len(self.NAMES))

    def test_names_that_are_given_are_kept_as_they_are_or_refused(self) -> None:
        plate = self.add()
        for name in self.NAMES:
            answer = self.client.patch(f"/api/plates/{plate}", json={"name": name})
            self.assertIn(answer.status_code, (200, 422))
            if answer.status_code == 200:
                self.assertEqual(answer.json()["name"], name)


class ManyAtOnce(unittest.IsolatedAsyncioTestCase):
    """One client's share, with a clock that stands still unless it is moved."""

    def setUp(self) -> None:
        self.now, self.going, self.go = 0.0, 0, asyncio.Event()
        self.clients = Clients(self.slow, lambda: self.now)

    async def slow(self, scope: Scope, receive: Receive, send: Send) -> None:
        self.going += 1
        await self.go.wait()
        await send({"type": "http.response.start", "status": 200, "headers": []})

    async def asked(self, kind: str = "http", client: str = "10.0.0.1") -> Any:
        """How it was answered, or with what it was closed."""
        answer: list[Any] = []

        async def send(message: Message) -> None:
            answer.append(message)

        async def receive() -> Message:
            return {"type": "http.request"}

        await self.clients({"type": kind, "client": (client, 1), "headers": [], "method": "GET"}, receive, send)
        return answer[0].get("status", answer[0].get("code"))

    async def test_no_more_at_once_than_can_be_answered_and_others_are_served(self) -> None:
        waiting = [asyncio.create_task(self.asked()) for _ in range(AT_ONCE)]
        await asyncio.sleep(0)
        self.assertEqual(self.going, AT_ONCE)
        self.assertEqual(await self.asked(), 429)
        other = asyncio.create_task(self.asked(client="10.0.0.2"))
        await asyncio.sleep(0)
        self.go.set()
        self.assertEqual(await asyncio.gather(*waiting, other), [200] * (AT_ONCE + 1))
        self.assertEqual(await self.asked(), 200)

    async def test_no_more_sockets_than_windows_have(self) -> None:
        waiting = [asyncio.create_task(self.asked("websocket")) for _ in range(SOCKETS)]
        await asyncio.sleep(0)
        self.assertEqual(await self.asked("websocket"), TOO_MANY)
        self.go.set()
        await asyncio.gather(*waiting)
        self.assertEqual(await self.asked("websocket"), 200)

    async def test_what_comes_too_fast_for_long_waits_for_its_share(self) -> None:
        self.go.set()
        answers = [await self.asked() for _ in range(int(IN_A_ROW) + 5)]
        self.assertEqual((answers.count(200), answers[-5:]), (int(IN_A_ROW), [429] * 5))
        self.now += 0.5
        self.assertEqual([await self.asked() for _ in range(101)].count(200), int(A_SECOND / 2))


if __name__ == "__main__":
    unittest.main()
