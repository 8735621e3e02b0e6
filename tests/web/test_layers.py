"""Files that hold several pictures, and rigs that travel in files, as the service takes them."""

from __future__ import annotations

import unittest

import numpy as np

from aurelon.core import check_rig
from tests.core.test_formats import exr, exr_file, planes
from tests.pictures import exported, light, plate_of, rig_of, scene
from tests.web.service import ServiceTest

GLOW = np.full((40, 60, 3), 0.5, np.float32)
RIG = rig_of(light("shafts", spread={"position": [0.3, 0.3]}))


def several() -> bytes:
    return exr_file(exr(planes(scene(60, 40)), "beauty"), exr(planes(GLOW), "glow"))


class Layers(ServiceTest):
    def test_another_layer_of_a_plates_file_becomes_a_plate(self) -> None:
        answer = self.client.post("/api/plates", files={"file": ("shore.exr", several())}).json()
        self.assertIn("shore.exr holds 2 layers; “beauty” was taken", answer["notices"][0])
        self.assertEqual(self.answer("GET", f"/plates/{answer['id']}/layers"), {"layers": ["beauty", "glow"]})
        result = self.answer("POST", f"/plates/{answer['id']}/layers", 201, json={"layer": "glow"})
        self.assertEqual((result["name"], result["width"], result["notices"]), ("shore - glow", 60, []))
        self.assertIn("no layer called", self.answer("POST", f"/plates/{answer['id']}/layers", 415, json={"layer": "sky"})["error"])
        self.assertEqual(self.answer("GET", f"/plates/{self.add()}/layers"), {"layers": []})

    def test_a_layer_can_be_a_light_pass(self) -> None:
        plate = self.add()
        files = {"file": ("shore.exr", several())}
        kept = self.answer("POST", f"/plates/{plate}/files", 201, files=files, params={"any_shape": True})
        self.assertEqual(kept["layers"], ["beauty", "glow"])
        glow = self.answer("POST", f"/plates/{plate}/files", 201, files=files, params={"any_shape": True, "layer": "glow"})
        self.assertEqual(glow["file_name"], "shore - glow.exr")
        self.assertNotEqual(glow["name"], kept["name"])

    def test_a_rig_that_travelled_in_a_file_becomes_a_take(self) -> None:
        lit = exported(plate_of(scene(60, 40)), RIG, "png", "8", with_rig=True)
        answer = self.client.post("/api/plates", files={"file": ("lit.png", lit)}).json()
        self.assertIn("it is among the takes, as “Rig in the file”", answer["notices"][0])
        (take,) = self.answer("GET", f"/plates/{answer['id']}/takes")["takes"]
        self.assertEqual(check_rig(take["rig"]), RIG)
        self.assertEqual(self.answer("GET", f"/plates/{answer['id']}/bench")["rig"]["lights"], [])

    def test_a_rig_of_a_later_version_is_said_and_left(self) -> None:
        lit = exported(plate_of(scene(60, 40)), RIG, "exr", "half", with_rig=True)
        later = lit.replace(b'"version":2', b'"version":9')
        answer = self.client.post("/api/plates", files={"file": ("lit.exr", later)}).json()
        self.assertIn("carries a rig that cannot be used", answer["notices"][0])
        self.assertEqual(self.answer("GET", f"/plates/{answer['id']}/takes")["takes"], [])


if __name__ == "__main__":
    unittest.main()
