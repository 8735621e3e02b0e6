"""The kind sheet, test strips, facts, match and the preview of a straightened, cropped picture."""

from __future__ import annotations

import base64
import io
import json
import struct
from typing import Any

import numpy as np
from PIL import Image

from aurelon.core.imaging.blend.modes import MODE_NAMES
from aurelon.core.imaging.rgb_space import SRGB
from aurelon.core.imaging.screen import CLIP_MARK, PEAK_MARK
from aurelon.core.lights import kinds
from tests.core.test_formats import exr, exr_file, planes
from tests.pictures import every_kind, light, scene
from tests.web.service import ServiceTest, png


def picture(text: str) -> Any:
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(text)))).astype(int)


class Choosing(ServiceTest):
    def post(self, plate: int, what: str, **body: Any) -> Any:
        answer = self.client.post(f"/api/plates/{plate}/{what}", json=body)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def test_the_sheet_shows_every_kind_on_this_plate(self) -> None:
        plate = self.add()
        rig = {"lights": [{**light("bloom"), "id": "bloom-1"}]}
        cells = self.finished(self.answer("POST", f"/plates/{plate}/sheets/kinds", 202, json={"rig": rig}))
        self.assertEqual([cell["light"]["kind"] for cell in cells], every_kind())
        self.assertIn("bloom-2", [cell["light"]["id"] for cell in cells])
        plain = picture(
            self.post(plate, "strip", rig=rig, light="bloom-1", settings=[{"stage": "merge", "setting": "mode"}])["cells"][0][
                "picture"
            ]
        )
        for cell in cells:
            shown = picture(cell["picture"])
            self.assertEqual(max(shown.shape), 300)
            if not kinds()[cell["light"]["kind"]].needs_file:
                self.assertGreater(np.abs(shown - plain).max(), 12, cell["title"])
            # The very light of the sheet can be added.
            base = self.client.get(f"/api/plates/{plate}/bench").json()["revision"]
            body = {"base": base, "label": "add", "rig": {"lights": [*rig["lights"], cell["light"]]}}
            self.assertEqual(self.client.post(f"/api/plates/{plate}/revisions", json=body).status_code, 200)

    def test_strips_of_a_setting_a_grid_seeds_and_modes(self) -> None:
        plate = self.add()
        rig = {"lights": [light("shafts")]}
        reach = {"stage": "spread", "setting": "reach"}
        seven = self.post(plate, "strip", rig=rig, light="under-test", settings=[reach])
        self.assertEqual((len(seven["cells"]), seven["columns"]), (7, 7))
        first, last = picture(seven["cells"][0]["picture"]), picture(seven["cells"][-1]["picture"])
        self.assertGreater(last.mean(), first.mean())
        softness = {"stage": "spread", "setting": "softness"}
        grid = self.post(plate, "strip", rig=rig, light="under-test", settings=[reach, softness])
        self.assertEqual((len(grid["cells"]), grid["columns"]), (25, 5))
        self.assertEqual(
            len(self.post(plate, "strip", rig=rig, light="under-test", settings=[{"stage": "spread", "setting": "seed"}])["cells"]),
            12,
        )
        modes = self.post(plate, "strip", rig=rig, light="under-test", settings=[{"stage": "merge", "setting": "mode"}])
        self.assertEqual([cell["values"][0]["value"] for cell in modes["cells"]], list(MODE_NAMES))

    def test_a_strip_that_cannot_be_is_refused_in_a_sentence(self) -> None:
        plate = self.add()
        wrong: tuple[dict[str, Any], ...] = (
            {"light": "nobody", "settings": [{"stage": "merge", "setting": "mode"}]},
            {"light": "under-test", "settings": [{"stage": "spread", "setting": "moon"}]},
            {"light": "under-test", "settings": []},
        )
        for body in wrong:
            answer = self.client.post(f"/api/plates/{plate}/strip", json={"rig": {"lights": [light("bloom")]}, **body})
            self.assertEqual(answer.status_code, 422)
            self.assertTrue(answer.json()["error"])

    def test_facts_tell_histograms_and_what_a_dark_light_needs(self) -> None:
        plate = self.add(png(scene(300, 200) * 0.1))
        facts = self.post(plate, "facts", rig={"lights": [light("starburst")]}, light="under-test")
        self.assertAlmostEqual(sum(facts["before"]["green"]), 1.0, places=4)
        self.assertIn("Threshold", facts["says"]["under-test"])
        self.assertEqual(facts["of_light"]["points"], [])
        self.assertEqual(len(facts["of_light"]["shares"]), 64)

    def test_match_gives_the_pictures_warmth(self) -> None:
        warm = np.zeros((60, 90, 3), np.float32)
        warm[:] = (0.6, 0.3, 0.1)
        plate = self.add(png(warm))
        answer = self.post(plate, "edits/match", rig={"lights": [light("bloom")]}, light="under-test", spot=[0.5, 0.5])
        colour = answer["rig"]["lights"][0]["colour"]
        self.assertEqual(colour["origin"], "temperature")
        self.assertLess(colour["temperature"], 3500)

    def test_without_a_spot_a_light_matches_the_picture_at_its_own_source(self) -> None:
        halves = np.zeros((60, 90, 3), np.float32)
        halves[:, :45], halves[:, 45:] = (0.6, 0.3, 0.1), (0.1, 0.3, 0.6)
        plate = self.add(png(halves))
        kelvin = []
        for place in ([0.2, 0.5], [0.8, 0.5]):
            sun = light("shafts", spread={"position": place})
            for spot in (None, place):
                answer = self.post(plate, "edits/match", rig={"lights": [sun]}, light="under-test", spot=spot)
                kelvin.append(answer["rig"]["lights"][0]["colour"]["temperature"])
        self.assertEqual(kelvin[0::2], kelvin[1::2])
        self.assertLess(kelvin[0], kelvin[2] / 2)

    def test_the_view_is_exposed_and_a_peak_marked_and_the_picture_stays_as_it_is(self) -> None:
        light_of = np.zeros((40, 60, 3), np.float32)
        light_of[:, :20], light_of[:, 20:40], light_of[:, 40:] = 0.25, 1.5, 6.0
        plate = self.add(exr_file(exr(planes(light_of))), "bright.exr")
        view = {"width": 60, "height": 40, "x0": 0, "y0": 0, "x1": 60, "y1": 40}
        wanted = ({"exposure": 0}, {"exposure": 1}, {"exposure": -3}, {"peak": 2})
        shown = []
        with self.preview(plate) as socket:
            for seq, viewing in enumerate(wanted):
                socket.send_text(
                    json.dumps({"seq": seq, "rig": {}, "view": view, "viewing": viewing, "clipping": "peak" in viewing})
                )
                data = socket.receive_bytes()
                (length,) = struct.unpack_from("<I", data)
                shown.append(np.asarray(Image.open(io.BytesIO(data[4 + length :])).convert("RGB")).astype(int))
        for picture, stops in zip(shown[:3], (0, 1, -3), strict=True):
            codes = SRGB.curves[0].encode(np.clip(light_of * 2.0**stops, 0, 1))
            np.testing.assert_allclose(picture, codes * 255, atol=1)
        stripes = shown[3]
        np.testing.assert_allclose(stripes[:, :20], shown[0][:, :20], atol=1)
        self.assertEqual({tuple(c) for c in stripes[:, 20:40].reshape(-1, 3)}, {(255, 255, 255), CLIP_MARK})
        self.assertEqual({tuple(c) for c in stripes[:, 40:].reshape(-1, 3)}, {(255, 255, 255), PEAK_MARK})
        facts = self.answer("POST", f"/plates/{plate}/facts", json={"rig": {}})
        self.assertAlmostEqual(facts["before"]["above_white"], np.log2(6), places=3)

    def test_the_preview_tells_what_is_seen_and_marks_what_is_clipped(self) -> None:
        bright = scene(300, 200)
        bright[:60] = 1.0
        plate = self.add(png(bright))
        view = {"width": 300, "height": 200, "x0": 0, "y0": 0, "x1": 300, "y1": 200}
        crop = {"x0": 0.1, "y0": 0.2, "x1": 0.9, "y1": 0.8}
        frames = []
        with self.preview(plate) as socket:
            for seq, clipping in enumerate((False, True)):
                rig = {"prepare": {"straighten": 3, "crop": crop}}
                socket.send_text(json.dumps({"seq": seq, "rig": rig, "view": view, "clipping": clipping}))
                data = socket.receive_bytes()
                (length,) = struct.unpack_from("<I", data)
                header = json.loads(data[4 : 4 + length])
                self.assertEqual((header["box"], header["angle"]), (crop, 3.0))
                frames.append(np.asarray(Image.open(io.BytesIO(data[4 + length :])).convert("RGB")).astype(int))
        self.assertEqual(frames[0].shape, (200, 300, 3))
        marked = np.abs(frames[1] - frames[0]).max(axis=2) > 30
        self.assertGreater(marked[:40, 100:200].mean(), 0.3)
        self.assertEqual(marked[120:].mean(), 0)
