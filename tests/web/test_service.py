"""The web service: plates, bench, exports, errors as values, and who may speak to it."""

from __future__ import annotations

import io
import json
import struct
import zipfile
from typing import Any
from unittest import mock
from xml.etree import ElementTree

import colour
import cv2
import numpy as np
import tifffile
from PIL import Image
from starlette.websockets import WebSocketDisconnect

from aurelon.core import check_rig, read_plate, render
from aurelon.core.codecs import raw
from aurelon.core.export.picture import to_codes
from aurelon.core.imaging.rgb_space import SRGB
from tests.core.test_files import bad_files
from tests.dng import dng_of
from tests.pictures import exported, light, plate_of, rig_of, scene, stroke
from tests.web.service import ServiceTest, png, show


class Plates(ServiceTest):
    def test_bring_in_list_rename_delete_restore(self) -> None:
        plate = self.add()
        self.assertEqual(self.client.get("/api/plates").json()[0]["name"], "shore")
        self.assertEqual(self.client.patch(f"/api/plates/{plate}", json={"name": "Cliff"}).json()["name"], "Cliff")
        self.assertEqual(self.client.delete(f"/api/plates/{plate}").status_code, 204)
        self.assertEqual(self.client.get("/api/plates").json(), [])
        self.assertEqual(self.client.get(f"/api/plates/{plate}/bench").status_code, 404)
        self.assertEqual(self.client.post(f"/api/plates/{plate}/restore").json()["name"], "Cliff")

    def test_the_file_is_kept_and_a_path_in_its_name_is_not(self) -> None:
        data = png(scene(30, 20))
        plate = self.add(data, "../../etc/shore.png")
        self.assertEqual(self.client.get("/api/plates").json()[0]["file_name"], "shore.png")
        self.assertEqual(self.client.get(f"/api/plates/{plate}/file").content, data)

    def test_a_small_picture_is_kept_by_what_it_shows_and_not_by_its_number(self) -> None:
        shore = self.add(png(scene(60, 40)))
        with_take = self.answer("POST", f"/plates/{shore}/takes", 201, json={"name": "As it came", "rig": {}})["id"]
        for address in (f"/api/plates/{shore}/thumbnail?revision=1", f"/api/plates/{shore}/takes/{with_take}/picture"):
            first = self.client.get(address)
            self.assertIn("no-cache", first.headers["cache-control"], "the same address is another picture in another data folder")
            again = self.client.get(address, headers={"if-none-match": first.headers["etag"]})
            self.assertEqual((again.status_code, again.content), (304, b""))
            other = self.client.get(address, headers={"if-none-match": '"of-another-folder"'})
            self.assertEqual((other.status_code, other.content), (200, first.content))

    def test_the_thumbnail_shows_the_light(self) -> None:
        plate = self.add()
        dark = np.asarray(Image.open(io.BytesIO(self.client.get(f"/api/plates/{plate}/thumbnail").content))).mean()
        base = self.client.get(f"/api/plates/{plate}/bench").json()["revision"]
        rig = {"lights": [light("shafts", merge={"intensity": 3})]}
        self.client.post(f"/api/plates/{plate}/revisions", json={"base": base, "label": "lit", "rig": rig})
        lit = np.asarray(Image.open(io.BytesIO(self.client.get(f"/api/plates/{plate}/thumbnail").content))).mean()
        self.assertGreater(lit, dark + 5)
        # At once there is what was kept last, whatever has changed since.
        base = self.answer("GET", f"/plates/{plate}/bench")["revision"]
        self.answer("POST", f"/plates/{plate}/revisions", json={"base": base, "label": "bare", "rig": {}})
        kept = self.client.get(f"/api/plates/{plate}/thumbnail", params={"at_once": True})
        self.assertAlmostEqual(float(np.asarray(Image.open(io.BytesIO(kept.content))).mean()), lit)

    def test_a_raw_file_is_seen_at_once_and_developed_when_it_is_opened(self) -> None:
        light = np.full((200, 320, 3), 0.05, np.float32)
        light[60:140, 100:220] = 0.7
        with mock.patch.object(raw, "read", side_effect=raw.read) as developed:
            plate = self.answer("POST", "/plates", 201, files={"file": ("pier.dng", dng_of(light))})
            self.assertEqual((plate["width"], plate["height"], plate["depth"]), (320, 200, "float"))
            kept = self.client.get(f"/api/plates/{plate['id']}/thumbnail")
            picture = np.asarray(Image.open(io.BytesIO(kept.content)).resize((320, 200)))
            np.testing.assert_allclose(picture[100, 160], 255 * SRGB.curves[0].encode(np.full(3, 0.7, np.float32)), atol=5)
            np.testing.assert_allclose(picture[20, 20], 255 * SRGB.curves[0].encode(np.full(3, 0.05, np.float32)), atol=5)
            self.assertEqual(developed.call_count, 0)
            self.answer("POST", f"/plates/{plate['id']}/finder", json={"rig": {}})
            self.assertEqual(developed.call_count, 1)

    def test_bad_files_get_a_4xx_and_a_sentence_and_leave_nothing(self) -> None:
        for name, (data, reason) in bad_files().items():
            answer = self.client.post("/api/plates", files={"file": (name, data)})
            self.assertEqual(answer.status_code, 415, name)
            self.assertIn(name, answer.json()["error"])
            self.assertIn(reason, answer.json()["error"])
        self.assertEqual(self.client.get("/api/plates").json(), [])


class Bench(ServiceTest):
    def edit(self, plate: int, base: int, rig: dict[str, Any]) -> Any:
        return self.client.post(f"/api/plates/{plate}/revisions", json={"base": base, "label": "edit", "rig": rig})

    def test_edit_undo_redo_and_conflict(self) -> None:
        plate = self.add()
        first = self.client.get(f"/api/plates/{plate}/bench").json()
        second = self.edit(plate, first["revision"], {"lights": [light("shafts")]}).json()
        self.assertEqual((second["undo"], len(second["rig"]["lights"])), ("edit", 1))
        refused = self.edit(plate, first["revision"], {})
        self.assertEqual(refused.status_code, 409)
        self.assertEqual(refused.json()["present"]["revision"], second["revision"])
        back = self.client.post(f"/api/plates/{plate}/undo", json={"base": second["revision"]}).json()
        self.assertEqual((back["rig"]["lights"], back["redo"]), ([], "edit"))
        self.assertEqual(self.client.post(f"/api/plates/{plate}/redo", json={"base": back["revision"]}).json(), second)

    def test_a_bad_rig_is_refused_with_its_path(self) -> None:
        plate = self.add()
        base = self.client.get(f"/api/plates/{plate}/bench").json()["revision"]
        for rig, path in (
            ({"lights": [{"id": "a", "kind": "lava"}]}, "lights[0].kind"),
            ({"lights": [light("shafts", spread={"reach": 99})]}, "lights[0].spread.reach"),
            ({"extra": 1}, "extra"),
        ):
            answer = self.edit(plate, base, rig)
            self.assertEqual(answer.status_code, 422)
            self.assertEqual(answer.json()["problems"][0][0], path)
        self.assertEqual(self.client.get(f"/api/plates/{plate}/bench").json()["revision"], base)

    def test_an_export_is_what_render_computes(self) -> None:
        data = png(scene(300, 200))
        plate = self.add(data)
        rig = {"lights": [light("shafts")]}
        wanted = {"rig": rig, "export": {"target": "picture", "format": "tiff", "depth": "16"}}
        job = self.answer("POST", f"/plates/{plate}/exports", 202, json=wanted)
        self.finished(job)
        self.assertEqual(self.answer("GET", f"/jobs/{job['id']}")["share"], 1.0)
        answer = self.client.get(f"/api/jobs/{job['id']}/file")
        self.assertIn("shore-lit.tif", answer.headers["content-disposition"])
        opened = read_plate(data, "shore.png")
        codes = to_codes(render(opened, rig_of(light("shafts"))), opened.space, opened.space)
        np.testing.assert_array_equal(tifffile.imread(io.BytesIO(answer.content)), np.floor(np.clip(codes, 0, 1) * 65535 + 0.5))

    def test_passes_are_exported_and_their_layers_are_the_lights(self) -> None:
        plate = self.add(png(scene(120, 80)))
        rig = {"lights": [light("shafts", name="Low sun"), {**light("bloom"), "id": "glow", "name": "Glow"}]}
        wanted: dict[str, Any] = {"rig": rig, "export": {"target": "passes", "format": "ora", "depth": "8"}}
        job = self.answer("POST", f"/plates/{plate}/exports", 202, json=wanted)
        self.finished(job)
        answer = self.client.get(f"/api/jobs/{job['id']}/file")
        self.assertIn("shore-lit.ora", answer.headers["content-disposition"])
        with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
            listed = ElementTree.fromstring(archive.read("stack.xml")).findall("stack/layer")
        self.assertEqual([layer.get("name") for layer in listed], ["Glow", "Low sun", "picture"])
        for bad in ({"depth": "float"}, {"format": "gif"}, {"quality": 3}):
            body = {"rig": rig, "export": {**wanted["export"], **bad}}
            self.assertTrue(self.answer("POST", f"/plates/{plate}/exports", 422, json=body)["error"])

    def test_the_size_of_a_file_is_told_before_it_is_written(self) -> None:
        plate = self.add(png(scene(120, 80)))
        picture = {"rig": {}, "export": {"target": "picture", "format": "jpeg", "depth": "8"}}
        about = self.answer("POST", f"/plates/{plate}/exports/size", 200, json=picture)["about"]
        job = self.answer("POST", f"/plates/{plate}/exports", 202, json=picture)
        self.finished(job)
        self.assertEqual(len(self.client.get(f"/api/jobs/{job['id']}/file").content), about)
        passes = {"rig": {}, "export": {"target": "passes", "format": "exr", "depth": "half"}}
        self.assertIsNone(self.answer("POST", f"/plates/{plate}/exports/size", 200, json=passes)["about"])

    def test_the_pixels_of_an_export_are_told_before_it_is_written(self) -> None:
        plate = self.add(png(scene(120, 80)))
        rig = {"prepare": {"crop": {"x0": 0.0, "y0": 0.0, "x1": 0.5, "y1": 1.0}}}
        path = f"/plates/{plate}/exports/pixels"
        seen = self.answer("POST", path, 200, json={"rig": rig, "long_edge": None})
        self.assertEqual(seen, {"width": 60, "height": 80, "enlarged": 1.0, "full_edge": 80, "largest_edge": 320})
        for edge, error in ((320, ""), (20, ""), (321, "choose a smaller size"), (0, "")):
            picture = {"rig": rig, "export": {"target": "picture", "format": "png", "depth": "8", "long_edge": edge}}
            with self.subTest(edge=edge):
                if edge == 0 or error:
                    said = self.answer("POST", path, 422, json={"rig": rig, "long_edge": edge})["error"]
                    self.assertIn(error, said)
                    continue
                told = self.answer("POST", path, 200, json={"rig": rig, "long_edge": edge})
                self.assertEqual((told["full_edge"], told["enlarged"]), (80, edge / 80))
                job = self.answer("POST", f"/plates/{plate}/exports", 202, json=picture)
                self.finished(job)
                file = self.client.get(f"/api/jobs/{job['id']}/file").content
                self.assertEqual(Image.open(io.BytesIO(file)).size, (told["width"], told["height"]))

    def test_every_format_that_is_read_can_be_brought_in(self) -> None:
        picture = plate_of(scene(90, 60))
        self.assertEqual(self.answer("GET", "/catalogue")["reads"][0]["title"], "Camera raw")
        for form, depth in (("webp", "8"), ("avif", "10"), ("jxl", "8"), ("exr", "half"), ("hdr", "float")):
            data = exported(picture, rig_of(), form, depth)
            result = self.client.post("/api/plates", files={"file": (f"shore.{form}", data)}).json()
            self.assertEqual((result["width"], result["height"]), (90, 60), form)
        result = self.client.post("/api/plates", files={"file": ("shore.dng", dng_of(scene(90, 60)))}).json()
        self.assertEqual((result["width"], result["height"], result["depth"]), (90, 60, "float"))

    def test_exports_that_cannot_be_and_cancelling(self) -> None:
        plate = self.add()
        png_8 = {"target": "picture", "format": "png", "depth": "8"}
        wrong: tuple[dict[str, Any], ...] = ({"format": "jpeg", "depth": "16"}, {"format": "gif"}, {"long_edge": 99999})
        for options in wrong:
            body = {"rig": {}, "export": {**png_8, **options}}
            self.assertTrue(self.answer("POST", f"/plates/{plate}/exports", 422, json=body)["error"])
        first = self.answer("POST", f"/plates/{plate}/exports", 202, json={"rig": {}, "export": png_8})
        state = self.answer("DELETE", f"/jobs/{first['id']}")["state"]
        self.assertIn(state, ("waiting", "working", "cancelled", "done"))
        self.assertIn("has expired", self.answer("GET", "/jobs/none", 404)["error"])


class Preview(ServiceTest):
    def ask(self, socket: Any, **more: Any) -> None:
        view = {"width": 150, "height": 100, "x0": 10, "y0": 5, "x1": 140, "y1": 95}
        socket.send_text(json.dumps({"seq": 1, "rig": {"lights": [light("shafts")]}, "view": view, **more}))

    def frame(self, socket: Any) -> tuple[dict[str, Any], np.ndarray[Any, Any]]:
        data = socket.receive_bytes()
        (length,) = struct.unpack_from("<I", data)
        return json.loads(data[4 : 4 + length]), np.asarray(Image.open(io.BytesIO(data[4 + length :])))

    def test_the_exact_frame_is_the_export_smaller(self) -> None:
        data = png(scene(300, 200))
        plate = self.add(data)
        with self.preview(plate) as socket:
            self.ask(socket)
            header, picture = self.frame(socket)
        self.assertTrue(header["exact"])
        opened = read_plate(data, "a.png")
        pixels = render(opened, rig_of(light("shafts")), size=(150, 100), region=(10, 5, 140, 95))
        codes = to_codes(pixels, opened.space, opened.space)
        self.assertLessEqual(np.abs(picture - np.clip(codes, 0, 1) * 255).max(), 1.01)

    def test_plain_samples_are_those_that_a_packed_exact_frame_holds(self) -> None:
        plate = self.add(png(scene(300, 200)))
        with self.preview(plate) as socket:
            self.ask(socket)
            _, packed = self.frame(socket)
            for draft in (False, True):
                self.ask(socket, plain=True, draft=draft)
                data = socket.receive_bytes()
                (length,) = struct.unpack_from("<I", data)
                header = json.loads(data[4 : 4 + length])
                self.assertEqual((header["packed"], header["width"], header["height"]), ("rgba", 130, 90))
                self.assertGreater(header["seconds"], 0)
                samples = np.frombuffer(data[4 + length :], np.uint8).reshape(90, 130, 4)
                # A draft is not dithered.
                self.assertLessEqual(np.abs(samples[:, :, :3].astype(int) - packed).max(), 1 if draft else 0)
                self.assertTrue((samples[:, :, 3] == 255).all())

    def test_for_a_bright_screen_an_exact_frame_holds_light_above_white(self) -> None:
        data = png(scene(300, 200))
        plate, rig = self.add(data), {"prepare": {"exposure": 2}}
        view = {"width": 150, "height": 100, "x0": 10, "y0": 5, "x1": 140, "y1": 95}
        for frame, wanted in (
            ({"hdr": True}, True),
            ({"hdr": False}, False),
            ({"hdr": True, "draft": True}, False),
            ({"hdr": True, "clipping": True}, False),
            ({"hdr": True, "rig": {"prepare": {"exposure": -3}}}, False),
        ):
            with self.subTest(frame), self.preview(plate) as socket:
                socket.send_text(json.dumps({"seq": 1, "rig": rig, "view": view, **frame}))
                sent = socket.receive_bytes()
                (length,) = struct.unpack_from("<I", sent)
                self.assertEqual(json.loads(sent[4 : 4 + length])["hdr"], wanted)
                self.assertEqual(b"cICP" + bytes((9, 16, 0, 1)) in sent, wanted)
                if wanted:
                    codes = cv2.imdecode(np.frombuffer(sent[4 + length :], np.uint8), cv2.IMREAD_UNCHANGED)
                    assert codes is not None
                    seen = colour.models.eotf_ST2084(codes[:, :, ::-1] / 65535) / 203
                    pixels = render(read_plate(data, "a.png"), check_rig(rig), size=(150, 100), region=(10, 5, 140, 95))
                    there = colour.RGB_to_RGB(pixels, "sRGB", "ITU-R BT.2020", chromatic_adaptation_transform=None)
                    self.assertGreater(float(there.max()), 1.5)
                    np.testing.assert_allclose(seen, there, rtol=2e-3, atol=2e-3)

    def test_the_stages_of_the_selected_light_follow(self) -> None:
        plate = self.add()
        with self.preview(plate) as socket:
            self.ask(socket, light="under-test", draft=True)
            parts = [self.frame(socket)[0]["part"] for _ in range(6)]
        self.assertEqual(parts, ["picture", "source", "spread", "colour", "mask", "merge"])

    def test_the_newest_request_wins(self) -> None:
        plate = self.add()
        with self.preview(plate) as socket:
            for seq in range(30):
                self.ask(socket, seq=seq)
            seen: list[int] = []
            while not seen or seen[-1] != 29:
                seen.append(self.frame(socket)[0]["seq"])
        self.assertEqual(seen, sorted(seen))
        self.assertLess(len(seen), 30)

    def test_what_is_wrong_is_said_and_the_socket_lives(self) -> None:
        plate = self.add()
        with self.preview(plate) as socket:
            self.ask(socket, show=show("stage:none:spread"))
            self.assertIn("none", json.loads(socket.receive_text())["error"])
            self.ask(socket, rig={"lights": [light("shafts", spread={"reach": 99})]})
            self.assertIn("lights[0].spread.reach", json.loads(socket.receive_text())["error"])
            self.ask(socket)
            self.assertEqual(self.frame(socket)[0]["part"], "picture")

    def test_a_rig_of_thousands_of_strokes_is_shown_and_the_socket_lives(self) -> None:
        plate = self.add()
        strokes = [stroke(*[(0.001 * k + 0.01 * j, 0.3 + 0.01 * j) for j in range(100)], size=0.01) for k in range(1900)]
        rig = {"lights": [light("bloom", mask={"start": "nothing", "parts": [{"part": "strokes", "strokes": strokes}]})]}
        self.assertGreater(len(json.dumps(rig)), 4 << 20)
        with self.preview(plate) as socket:
            for _ in range(2):
                self.ask(socket, rig=rig)
                self.assertEqual(self.frame(socket)[0]["part"], "picture")

    def test_changes_of_the_rig_that_was_sent_last_show_what_the_whole_rig_does(self) -> None:
        plate = self.add()
        with self.preview(plate) as socket:
            self.ask(socket)
            first = self.frame(socket)[1]
            change = {"op": "replace", "path": "/lights/0/merge/intensity", "value": 3.0}
            self.ask(socket, seq=2, rig=None, base=1, changes=[change])
            changed = self.frame(socket)[1]
            self.ask(socket, seq=3, rig={"lights": [light("shafts", merge={"intensity": 3.0})]})
            np.testing.assert_array_equal(changed, self.frame(socket)[1])
            self.assertGreater(np.abs(changed.astype(int) - first).mean(), 1)
            # Changes of another rig than the last are not guessed at: the rig is asked for whole.
            self.ask(socket, seq=4, rig=None, base=1, changes=[change])
            sentence = json.loads(socket.receive_text())
            self.assertEqual((sentence["seq"], sentence["again"]), (4, True))
            self.ask(socket, seq=5, rig=None, base=4, changes=[change])
            self.assertTrue(json.loads(socket.receive_text())["again"])
            # What makes no rig is refused with its path, and the next whole rig is shown.
            self.ask(socket, seq=6)
            self.frame(socket)
            self.ask(socket, seq=7, rig=None, base=6, changes=[{**change, "value": 99}])
            sentence = json.loads(socket.receive_text())
            self.assertIn("/lights/0/merge/intensity", sentence["error"])
            self.assertFalse(sentence["again"])
            self.ask(socket, seq=8)
            np.testing.assert_array_equal(self.frame(socket)[1], first)

    def test_the_lights_of_a_group_follow_the_one_that_leads(self) -> None:
        plate = self.add()
        pair = [light("lamp", spread={"position": [0.2, 0.5]}), {**light("lamp"), "id": "other"}]
        lamps = [{**one, "group": "pair"} for one in pair]
        lamps[0]["spread"]["range"] = 0.8
        base = self.answer("GET", f"/plates/{plate}/bench")["revision"]
        save = {"base": base, "label": "warm", "rig": {"lights": lamps}, "lead": "under-test"}
        kept = self.answer("POST", f"/plates/{plate}/revisions", json=save)["rig"]["lights"]
        self.assertEqual([one["spread"]["range"] for one in kept], [0.8, 0.8])
        self.assertNotEqual(kept[0]["spread"]["position"], kept[1]["spread"]["position"])
        with self.preview(plate) as socket:
            shown = []
            for more in ({"rig": {"lights": lamps}, "lead": "under-test"}, {"rig": {"lights": kept}}):
                self.ask(socket, **more)
                shown.append(self.frame(socket)[1])
        np.testing.assert_array_equal(shown[0], shown[1])


class Guarding(ServiceTest):
    def test_other_hosts_and_origins_are_refused(self) -> None:
        self.assertEqual(self.client.get("/api/plates", headers={"host": "merrow.example"}).status_code, 403)
        self.assertEqual(self.client.get("/api/plates", headers={"origin": "http://merrow.example"}).status_code, 403)
        self.assertEqual(self.client.get("/api/plates", headers={"origin": "http://127.0.0.1"}).status_code, 200)
        with (
            self.assertRaises(WebSocketDisconnect),
            self.client.websocket_connect("/api/plates/1/preview", headers={"origin": "http://merrow.example"}),
        ):
            pass

    def test_an_unknown_address_is_a_404_with_a_sentence(self) -> None:
        self.assertIn("error", self.client.get("/api/nothing").json())


class Token(ServiceTest):
    token = "made-for-this-test"

    def test_off_loopback_every_request_needs_the_token(self) -> None:
        self.assertEqual(self.client.get("/api/plates").status_code, 403)
        self.assertEqual(self.client.get("/api/plates", params={"token": "wrong"}).status_code, 403)
        # In an address it counts at the door alone.
        self.assertEqual(self.client.get("/api/plates", params={"token": self.token or ""}).status_code, 403)
        self.client.cookies.set("aurelon-token", self.token or "")
        self.assertEqual(self.client.get("/api/plates").status_code, 200)
