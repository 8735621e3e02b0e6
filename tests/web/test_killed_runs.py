"""A service that is killed in the middle of a run, again and again: the run ends as it would have, and nothing is made twice."""

from __future__ import annotations

import signal
import sqlite3
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any

import httpx
import numpy as np

from aurelon.core import read_plate
from aurelon.core.export.picture import PictureExport, export
from tests.browser.window import Service
from tests.pictures import light, rig_of, scene
from tests.web.service import png

RIG = rig_of(light("shafts", spread={"position": [0.3, 0.3]}))
COUNT, PATIENCE = 8, 90


class Killed(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.service = Service(Path(folder.name) / "data")
        self.service.start()
        self.addCleanup(lambda: self.service.stop())
        self.client = httpx.Client(base_url=f"{self.service.url}/api", timeout=60)
        self.addCleanup(self.client.close)

    def answer(self, method: str, path: str, **more: Any) -> Any:
        return self.client.request(method, path, **more).raise_for_status().json()

    def test_it_ends_as_it_would_have_and_nothing_is_made_twice(self) -> None:
        pictures = [png(np.roll(scene(240, 160), 9 * n, axis=1)) for n in range(COUNT)]
        plates = [self.answer("POST", "/plates", files={"file": (f"shore {n}.png", data)})["id"] for n, data in enumerate(pictures)]
        saved = self.answer("POST", "/rigs", json={"name": "Low sun", "rig": RIG.model_dump(mode="json")})["id"]
        body = {"plates": plates, "rig": {"saved": saved}, "export": {"target": "picture", "format": "png", "depth": "8"}}
        run = self.answer("POST", "/runs", json=body)["run"]["id"]
        done = 0
        for more in (0, 1, 2, 1):
            began = time.monotonic()
            while self.answer("GET", f"/runs/{run}")["done"] < min(done + more, COUNT):
                self.assertLess(time.monotonic() - began, PATIENCE)
                time.sleep(0.02)
            time.sleep(0.05)
            before = {
                item["id"]: item["revision"] for item in self.answer("GET", f"/runs/{run}")["run"]["items"] if item["revision"]
            }
            self.service.stop(signal.SIGKILL)
            self.service.start()
            after = self.answer("GET", f"/runs/{run}")
            self.assertLessEqual(before.items(), {item["id"]: item["revision"] for item in after["run"]["items"]}.items())
            done = after["done"]
        began = time.monotonic()
        while (now := self.answer("GET", f"/runs/{run}"))["run"]["state"] != "done":
            self.assertLess(time.monotonic() - began, PATIENCE, now)
            time.sleep(0.1)
        self.assertEqual((now["done"], now["failed"], now["files"]), (COUNT, 0, COUNT))
        for item, data in zip(now["run"]["items"], pictures, strict=True):
            file = self.client.get(f"/runs/{run}/items/{item['id']}/file").content
            self.assertEqual(file, export(read_plate(data, "a.png"), RIG, PictureExport(format="png", depth="8")))
        with sqlite3.connect(self.service.data / "aurelon.sqlite") as kept:
            counts = kept.execute(f"SELECT COUNT(*) FROM revision WHERE plate_id >= {min(plates)} GROUP BY plate_id").fetchall()
            self.assertEqual(counts, [(2,)] * COUNT)
            self.assertEqual(kept.execute("PRAGMA integrity_check").fetchall(), [("ok",)])


if __name__ == "__main__":
    unittest.main()
