"""A service on a fresh store, for tests of the web."""

from __future__ import annotations

import io
import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from fastapi.testclient import TestClient
from PIL import Image
from starlette.testclient import WebSocketTestSession

from aurelon.core.graph.show import parse_show
from aurelon.runs.engines.clusters import Clusters
from aurelon.store import Store
from aurelon.web.app import make_app
from tests.pictures import Floats, scene


def png(pixels: Floats) -> bytes:
    out = io.BytesIO()
    Image.fromarray((np.clip(pixels, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)).save(out, "PNG")
    return out.getvalue()


def show(word: str) -> Any:
    """What a word of the command line asks for, as the preview is asked."""
    return parse_show(word).model_dump()


class ServiceTest(unittest.TestCase):
    token: str | None = None
    clusters = Clusters()

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.store = Store(Path(folder.name) / "data.sqlite")
        self.addCleanup(self.store.close)
        app = make_app(self.store, token=self.token, clusters=self.clusters)
        self.client = self.enterContext(TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False))

    def preview(self, plate: int) -> WebSocketTestSession:
        return self.client.websocket_connect(f"/api/plates/{plate}/preview", headers={"host": "127.0.0.1"})

    def edited(self, plate: int, rig: dict[str, Any], **edit: Any) -> Any:
        """The answer to an edit of a rig."""
        return self.answer("POST", f"/plates/{plate}/edits", json={"rig": rig, "edit": edit})

    def finished(self, job: Any) -> list[Any]:
        """The items of a job, once it is done."""
        answer = self.client.get(f"/api/jobs/{job['id']}/news")
        lines = [json.loads(line) for line in answer.text.splitlines()]
        shares = [line["job"]["share"] for line in lines]
        self.assertEqual(shares, sorted(shares))
        self.assertEqual(lines[-1]["job"]["state"], "done", lines[-1])
        return [item for line in lines for item in line["items"]]

    def add(self, data: bytes | None = None, name: str = "shore.png") -> int:
        answer = self.client.post("/api/plates", files={"file": (name, data or png(scene(300, 200)))})
        self.assertEqual(answer.status_code, 201, answer.text)
        return int(answer.json()["id"])

    def answer(self, method: str, path: str, status: int = 200, **rest: Any) -> Any:
        """What a call to the service answers; `status` is how it must."""
        answer = self.client.request(method, f"/api{path}", **rest)
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json()
