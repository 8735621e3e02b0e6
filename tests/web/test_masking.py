"""Masks, takes, saved rigs, the finder and painting over the wire."""

from __future__ import annotations

import base64
import io
import json
import struct
from typing import Any

import numpy as np
from PIL import Image

from tests.pictures import RAMP, light, scene, stroke
from tests.web.service import ServiceTest, png, show

BRUSH = {"lights": [light("bloom", source={"threshold": 0.3}, mask={"start": "nothing", "parts": [{"part": "strokes"}]})]}
VIEW = {"width": 150, "height": 100, "x0": 0, "y0": 0, "x1": 150, "y1": 100}


def decoded(frame: bytes) -> tuple[Any, Any]:
    length = struct.unpack("<I", frame[:4])[0]
    return json.loads(frame[4 : 4 + length]), np.asarray(Image.open(io.BytesIO(frame[4 + length :]))).astype(int)


class Masking(ServiceTest):
    def test_a_stroke_is_previewed_without_sending_the_rig_again(self) -> None:
        plate = self.add()
        with self.preview(plate) as socket:
            socket.send_json({"seq": 1, "rig": BRUSH, "view": VIEW, "show": show("mask:under-test")})
            _, before = decoded(socket.receive_bytes())
            self.assertEqual(before.max(), 0)
            across = stroke((0.2, 0.5), (0.8, 0.5), size=0.1, flow=1.0)
            painting = {"owner": {"of": "light", "id": "under-test"}, "part": 0, "stroke": across}
            socket.send_json({"seq": 2, "rig": None, "painting": painting, "view": VIEW, "show": show("mask:under-test")})
            head, after = decoded(socket.receive_bytes())
            self.assertEqual(head["seq"], 2)
            self.assertGreater(after[50, 75].min(), 240)
            self.assertEqual(after[0, 0].max(), 0)
            wrong = {**painting, "part": 3}
            socket.send_json({"seq": 3, "rig": None, "painting": wrong, "view": VIEW})
            self.assertIn("is not a brush", socket.receive_json()["error"])

    def test_a_session_that_was_sent_no_rig_says_so(self) -> None:
        with self.preview(self.add()) as socket:
            socket.send_json({"seq": 1, "rig": None, "view": VIEW})
            self.assertIn("reload", socket.receive_json()["error"])

    def test_a_mask_is_shown_over_the_picture_alone_and_as_light(self) -> None:
        plate = self.add()
        half = {
            "lights": [
                light(
                    "bloom",
                    source={"threshold": 0.3},
                    mask={"start": "nothing", "parts": [{"part": "polygon", "corners": [[0, 0], [0.5, 0], [0.5, 1], [0, 1]]}]},
                )
            ]
        }
        with self.preview(plate) as socket:
            shown = {}
            for seq, word in enumerate(("result", "over:mask:under-test", "mask:under-test", "light:under-test")):
                socket.send_json({"seq": seq, "rig": half, "view": VIEW, "show": show(word)})
                _, shown[word] = decoded(socket.receive_bytes())
        # A mask that begins with everything is tinted where it keeps the light off.
        away = {**half["lights"][0]["mask"]["parts"][0], "combine": "subtract"}
        rest = {"lights": [{**half["lights"][0], "mask": {"start": "everything", "parts": [away]}}]}
        with self.preview(plate) as socket:
            socket.send_json({"seq": 8, "rig": rest, "view": VIEW})
            _, lit = decoded(socket.receive_bytes())
            socket.send_json({"seq": 9, "rig": rest, "view": VIEW, "show": show("over:mask:under-test")})
            _, kept_off = decoded(socket.receive_bytes())
        self.assertGreater(np.abs(kept_off - lit)[:, :70].mean(), 20)
        self.assertLess(np.abs(kept_off - lit)[:, 80:].mean(), 1)
        over = np.abs(shown["over:mask:under-test"] - shown["result"]).sum(axis=2)
        self.assertGreater(over[:, :70].mean(), 60)
        self.assertLess(over[:, 80:].mean(), 1)
        self.assertEqual((shown["mask:under-test"][50, 30].min(), shown["mask:under-test"][50, 120].max()), (255, 0))
        self.assertGreater(shown["light:under-test"][:40, :70].max(), 60)
        self.assertEqual(shown["light:under-test"][:, 80:].max(), 0)

    def test_a_mask_is_inverted_with_its_parts(self) -> None:
        mask = {"start": "everything", "parts": [{"part": "linear", "combine": "subtract"}]}
        rig = {"lights": [light("bloom", mask=mask)]}
        result = self.edited(self.add(), rig, do="invert-mask", owner={"of": "light", "id": "under-test"})
        turned = result["rig"]["lights"][0]["mask"]
        self.assertEqual((turned["start"], turned["parts"][0]["combine"]), ("nothing", "add"))
        self.assertEqual(result["label"], "Invert the mask of under-test")

    def test_a_subject_is_cut_out_with_progress(self) -> None:
        plate = self.add()
        subject = {"part": "subject", "box": [0.3, 0.1, 0.5, 0.8]}
        self.finished(self.answer("POST", f"/plates/{plate}/parts/prepare", 202, json={"part": subject}))

    def test_a_grey_picture_is_kept_with_the_plate_and_one_of_another_shape_is_refused(self) -> None:
        plate = self.add()
        data = base64.b64decode(RAMP[1])
        kept = self.answer("POST", f"/plates/{plate}/files", 201, files={"file": ("depth.png", data)})
        self.assertEqual((kept["name"], kept["width"]), (RAMP[0], 300))
        self.assertEqual(self.answer("GET", f"/plates/{plate}/files")["names"], {RAMP[0]: "depth.png"})
        tall = png(np.ones((300, 100, 3), np.float32))
        sentence = self.answer("POST", f"/plates/{plate}/files", 415, files={"file": ("tall.png", tall)})["error"]
        self.assertIn("tall.png is 100 x 300, which is another shape", sentence)
        self.assertIn("bad.png", self.answer("POST", f"/plates/{plate}/files", 415, files={"file": ("bad.png", b"no")})["error"])
        part = {"part": "grey", "file": RAMP[0]}
        rig = {"lights": [light("bloom", mask={"start": "nothing", "parts": [part]})]}
        with self.preview(plate) as socket:
            socket.send_json({"seq": 1, "rig": rig, "view": VIEW, "show": show("mask:under-test")})
            _, shown = decoded(socket.receive_bytes())
        self.assertGreater(shown[50, 140].mean(), shown[50, 10].mean() + 150)

    def test_takes_are_kept_listed_renamed_deleted_and_brought_back(self) -> None:
        plate = self.add()
        take = self.answer("POST", f"/plates/{plate}/takes", 201, json={"name": "Warm", "rig": BRUSH})
        self.answer("PATCH", f"/takes/{take['id']}", json={"name": "Warmer"})
        listed = self.answer("GET", f"/plates/{plate}/takes")["takes"]
        self.assertEqual([(t["name"], t["rig"]["lights"][0]["kind"]) for t in listed], [("Warmer", "bloom")])
        self.answer("DELETE", f"/takes/{take['id']}")
        self.assertEqual(self.answer("GET", f"/plates/{plate}/takes")["takes"], [])
        self.answer("POST", f"/takes/{take['id']}/restore")
        self.assertEqual(len(self.answer("GET", f"/plates/{plate}/takes")["takes"]), 1)
        self.assertIn("no take number 99", self.answer("PATCH", "/takes/99", 404, json={"name": "x"})["error"])

    def test_a_rig_is_saved_seen_on_another_plate_applied_and_taken_out_as_a_file(self) -> None:
        first, second = self.add(), self.add(png(scene(200, 300, seed=5)), "tall.png")
        sun = light("shafts", spread={"position": [0.5, -0.2]})
        saved = self.answer("POST", "/rigs", 201, json={"name": "Low sun", "rig": {"lights": [sun]}, "plate": first})
        self.assertEqual(self.client.get(f"/api/rigs/{saved['id']}/picture").headers["content-type"], "image/jpeg")
        cell = self.finished(self.answer("POST", f"/plates/{second}/sheets/rigs", 202, json={"rig": {}}))[0]
        picture = np.asarray(Image.open(io.BytesIO(base64.b64decode(cell["picture"]))))
        self.assertGreater(picture.shape[0], picture.shape[1])
        bloom = {"lights": [light("bloom")]}
        apply = f"/plates/{second}/edits/apply"
        whole = self.answer("POST", apply, json={"rig": bloom, "saved": saved["id"]})
        self.assertEqual([one["kind"] for one in whole["rig"]["lights"]], ["shafts"])
        one = self.answer("POST", apply, json={"rig": bloom, "saved": saved["id"], "lights": ["under-test"]})
        self.assertEqual((one["label"], one["owner"]["id"]), ("Apply Low sun", one["rig"]["lights"][-1]["id"]))
        self.assertEqual([one["kind"] for one in one["rig"]["lights"]], ["bloom", "shafts"])
        file = self.client.get(f"/api/rigs/{saved['id']}/file")
        self.assertIn('filename="Low sun.json"', file.headers["content-disposition"])
        again = self.answer("POST", "/rigs", 201, json={"name": "Again", "rig": file.json()})
        self.assertEqual(again["rig"], saved["rig"])
        self.assertEqual(self.client.get(f"/api/rigs/{again['id']}/picture").status_code, 204)
        self.answer("PATCH", f"/rigs/{again['id']}", json={"name": "Brought in"})
        self.answer("DELETE", f"/rigs/{again['id']}")
        self.assertEqual([s["name"] for s in self.answer("GET", "/rigs")["rigs"]], ["Low sun"])
        self.answer("POST", f"/rigs/{again['id']}/restore")
        self.assertEqual([s["name"] for s in self.answer("GET", "/rigs")["rigs"]], ["Brought in", "Low sun"])
        self.assertIn(
            "cloud", self.answer("POST", "/rigs", 422, json={"name": "Bad", "rig": {"lights": [light("cloud")]}})["error"]
        )

    def test_a_rig_file_brings_its_pictures_with_it(self) -> None:
        plate = self.add()
        part = {"part": "grey", "file": RAMP[0]}
        rig = {"lights": [light("bloom", mask={"parts": [part]})], "files": dict([RAMP])}
        saved = self.answer("POST", "/rigs", 201, json={"name": "Depth", "rig": rig, "plate": plate})
        self.assertEqual(saved["rig"]["files"], {})
        self.assertEqual(self.client.get(f"/api/rigs/{saved['id']}/file").json()["files"], rig["files"])
        base = self.answer("GET", f"/plates/{plate}/bench")["revision"]
        kept = self.answer("POST", f"/plates/{plate}/revisions", json={"base": base, "label": "Depth", "rig": rig})
        self.assertEqual(kept["rig"]["files"], {})
        self.assertEqual(self.client.get(f"/api/plates/{plate}/rig").json()["files"], rig["files"])

    def test_the_finder_proposes_places_with_their_colours(self) -> None:
        pixels = np.full((200, 300, 3), 0.03, np.float32)
        pixels[60:70, 200:210] = (1.0, 0.7, 0.4)
        ranked = self.answer("POST", f"/plates/{self.add(png(pixels))}/finder", json={"rig": {}})["ranked"]
        self.assertEqual(ranked[0]["clue"], "bright spot")
        np.testing.assert_allclose(ranked[0]["place"], (205 / 300, 65 / 200), atol=0.01)
        self.assertRegex(ranked[0]["colour"], "^#[0-9a-f]{6}$")

    def test_a_picture_that_a_rig_names_in_vain_is_seen_as_soon_as_it_is_brought_in(self) -> None:
        plate = self.add()
        rig = {"lights": [light("bloom", mask={"start": "nothing", "parts": [{"part": "grey", "file": RAMP[0]}]})]}
        wish = {"rig": rig, "view": VIEW, "show": show("mask:under-test")}
        with self.preview(plate) as socket:
            socket.send_json({"seq": 1, **wish})
            _, without = decoded(socket.receive_bytes())
            self.answer("POST", f"/plates/{plate}/files", 201, files={"file": ("depth.png", base64.b64decode(RAMP[1]))})
            socket.send_json({"seq": 2, **wish})
            _, shown = decoded(socket.receive_bytes())
        self.assertEqual(without.max(), 0)
        self.assertGreater(shown[50, 140, 0] - shown[50, 10, 0], 150)

    def test_facts_of_a_light_tell_of_mattes_and_of_what_is_missing(self) -> None:
        plate = self.add()
        rig = {
            "mattes": [
                {
                    "id": "left",
                    "name": "Left",
                    "mask": {"start": "nothing", "parts": [{"part": "polygon", "corners": [[0, 0], [0.5, 0], [0.5, 1], [0, 1]]}]},
                }
            ],
            "lights": [light("bloom", mask={"parts": [{"part": "matte", "matte": "right"}]})],
        }
        facts = self.answer("POST", f"/plates/{plate}/facts", json={"rig": rig, "light": "under-test"})
        self.assertTrue(0.2 < facts["of_light"]["on_mattes"]["left"] < 0.8)
        self.assertIn("right", facts["says"]["under-test"])
        self.assertLess(facts["newly_clipped"], 0.01)


class Making(ServiceTest):
    def test_copies_edges_and_blank_plates_over_the_wire(self) -> None:
        result = self.answer("POST", "/plates/blank", 201, json={"name": "Night", "width": 300, "height": 200, "begin": "#203050"})
        self.assertEqual((result["name"], result["width"], result["depth"]), ("Night", 300, "16"))
        self.assertIn("width", self.answer("POST", "/plates/blank", 422, json={"width": 3})["error"])
        self.assertIn("too large", self.answer("POST", "/plates/blank", 415, json={"width": 20000, "height": 20000})["error"])
        copies = self.edited(result["id"], {"lights": [light("lamp")]}, do="copy", light="under-test", count=2)
        ids = [one["id"] for one in copies["rig"]["lights"]]
        self.assertEqual((len(set(ids)), copies["owner"]), (3, {"of": "light", "id": ids[-1]}))
        self.assertEqual(self.answer("GET", f"/plates/{result['id']}/edges")["degrees"], [])
        first = [[0.1, 0.1], [0.2, 0.1], [0.2, 0.5], [0.1, 0.5]]
        row = {"lights": [light("beam", source={"beams": [first]})]}
        longer = self.edited(result["id"], row, do="next-quad", light="under-test", stage="source", setting="beams")
        _, quad = longer["rig"]["lights"][0]["source"]["beams"]
        np.testing.assert_allclose(np.subtract(quad, first), [[0.12, 0]] * 4, atol=1e-9)
        self.answer("POST", "/plates/99/edits", 404, json={"rig": row, "edit": {"do": "duplicate", "light": "under-test"}})
        tall = png(np.ones((300, 100, 3), np.float32))
        kept = self.answer("POST", f"/plates/{result['id']}/files?any_shape=true", 201, files={"file": ("tall.png", tall)})
        self.assertEqual((kept["width"], kept["height"]), (100, 300))
