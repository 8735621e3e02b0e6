"""Sketches of light, and copies on other plates, over the service."""

from __future__ import annotations

import base64
import io
from typing import Any

import numpy as np
from PIL import Image

from tests.pictures import light
from tests.web.service import ServiceTest

LIT = [
    {"size": 0.05, "hardness": 0.5, "flow": 1.0, "erase": False, "points": [0.3, 0.3, 1, 0.6, 0.8, 1]},
    {"size": 0.05, "hardness": 0.5, "flow": 1.0, "erase": True, "points": [0.9, 0.2, 1, 0.9, 0.9, 1]},
]


class Sketching(ServiceTest):
    def ask(self, plate: int, status: int = 202, **body: Any) -> Any:
        return self.answer("POST", f"/plates/{plate}/sketch", status, json={"rig": {}, "strokes": LIT, **body})

    def test_answers_have_pictures_and_each_can_be_saved(self) -> None:
        plate = self.add()
        rig = {"lights": [{**light("fan"), "id": "f"}]}
        cells = self.finished(self.ask(plate, rig=rig, light="f"))
        self.assertTrue(2 <= len(cells) <= 6)
        agreements = [cell["agreement"] for cell in cells]
        self.assertEqual(agreements, sorted(agreements, reverse=True))
        self.assertGreater(agreements[0], 0.8)
        before = np.zeros(())
        for cell in cells:
            picture = np.asarray(Image.open(io.BytesIO(base64.b64decode(cell["picture"]))))
            self.assertEqual((cell["title"], max(picture.shape)), ("Fan", 300))
            self.assertTrue(before.shape != picture.shape or (picture != before).any())
            before = picture
            base = self.answer("GET", f"/plates/{plate}/bench")["revision"]
            self.answer(
                "POST", f"/plates/{plate}/revisions", json={"base": base, "label": "take", "rig": {"lights": [cell["light"]]}}
            )

    def test_what_cannot_be_answered_is_said_at_once_or_by_the_job(self) -> None:
        plate = self.add()
        self.assertIn("nothing is painted yet", self.ask(plate, 422, strokes=[])["error"])
        self.assertIn("no plate", self.ask(99, 404)["error"])
        rig = {"lights": [{**light("bloom"), "id": "b"}]}
        job = self.ask(plate, rig=rig, light="b")
        news = self.client.get(f"/api/jobs/{job['id']}/news").text
        self.assertIn("Bloom shines from the picture itself", news)
        job = self.ask(plate, light="gone")
        self.assertIn("gone", self.client.get(f"/api/jobs/{job['id']}/news").text)


class CopiesElsewhere(ServiceTest):
    def test_a_light_is_laid_on_other_plates_and_each_can_undo_it(self) -> None:
        here, there, third = self.add(), self.add(), self.add()
        rig = {"lights": [{**light("lamp"), "id": "l", "name": "Porch"}, {**light("bloom"), "id": "b"}]}
        base = self.answer("GET", f"/plates/{there}/bench")["revision"]
        own = {"base": base, "label": "own", "rig": {"lights": [{**light("fan"), "id": "l"}]}}
        self.answer("POST", f"/plates/{there}/revisions", json=own)
        copied = self.answer("POST", f"/plates/{here}/copies", json={"rig": rig, "lights": ["l"], "plates": [there, third]})
        self.assertEqual([one["plate"] for one in copied], [there, third])
        state = self.answer("GET", f"/plates/{there}/bench")
        self.assertEqual([(one["kind"], one["name"]) for one in state["rig"]["lights"]], [("fan", ""), ("lamp", "Porch")])
        self.assertEqual(len({one["id"] for one in state["rig"]["lights"]}), 2)
        undone = self.answer("POST", f"/plates/{there}/undo", json={"base": state["revision"]})
        self.assertEqual([one["kind"] for one in undone["rig"]["lights"]], ["fan"])
        self.assertEqual(len(self.answer("GET", f"/plates/{third}/bench")["rig"]["lights"]), 1)
        self.assertEqual(self.answer("GET", f"/plates/{here}/bench")["rig"]["lights"], [])

    def test_no_plate_is_changed_where_one_of_them_is_not_there(self) -> None:
        here, there = self.add(), self.add()
        rig = {"lights": [{**light("lamp"), "id": "l"}]}
        wrong = self.answer("POST", f"/plates/{here}/copies", 404, json={"rig": rig, "lights": ["l"], "plates": [there, 99]})
        self.assertIn("99", wrong["error"])
        wrong = self.answer("POST", f"/plates/{here}/copies", 422, json={"rig": rig, "lights": ["m"], "plates": [there]})
        self.assertIn("m", wrong["error"])
        # A plate that has no room for one more light: those before it are as they were.
        full = {"lights": [{**light("bloom"), "id": f"b{k}"} for k in range(64)]}
        crowded = self.add()
        base = self.answer("GET", f"/plates/{crowded}/bench")["revision"]
        self.answer("POST", f"/plates/{crowded}/revisions", json={"base": base, "label": "many", "rig": full})
        self.answer("POST", f"/plates/{here}/copies", 422, json={"rig": rig, "lights": ["l"], "plates": [there, crowded]})
        self.assertEqual(self.answer("GET", f"/plates/{there}/bench")["rig"]["lights"], [])
