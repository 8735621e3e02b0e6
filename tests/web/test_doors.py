"""Doors that stay shut: what comes to the service from outside and must get a sentence, whatever it is."""

from __future__ import annotations

import io
import lzma
import stat
import struct
import threading
import time
import unittest
import zipfile
import zlib
from unittest import mock

import numpy as np
from PIL import Image

from aurelon.core import Plate, Rig
from aurelon.core.codecs import png as png_codec
from aurelon.core.reel import KEPT_BYTES
from aurelon.web.renderers import Renderers
from tests.pictures import scene
from tests.reels import frames, write_video
from tests.web.service import ServiceTest, png

LONG = 120.0  # seconds until something that should go on is given up


def archive(files: dict[str, bytes], kind: int = zipfile.ZIP_DEFLATED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", kind) as result:
        for name, data in files.items():
            result.writestr(f"{name}.png", data)
    return out.getvalue()


def gif(count: int) -> bytes:
    out = io.BytesIO()
    pictures = [Image.fromarray(np.full((4, 6), number % 200, np.uint8)) for number in range(count)]
    pictures[0].save(out, "GIF", save_all=True, append_images=pictures[1:], duration=[20 + number % 7 for number in range(count)])
    return out.getvalue()


class Archives(ServiceTest):
    def brought(self, data: bytes, name: str = "shot.zip") -> tuple[int, str]:
        answer = self.client.post("/api/plates", files={"file": (name, data)})
        return answer.status_code, answer.text

    def test_a_member_that_unpacks_to_more_than_its_picture_holds_is_refused_by_its_stated_size(self) -> None:
        """A picture of 30 x 20 with 300 MB of nothing behind it, in 300 KB."""
        bomb = archive({"shot_1": png(scene(30, 20)) + bytes(300 << 20), "shot_2": png(scene(30, 20))})
        self.assertLess(len(bomb), 1 << 20)
        with mock.patch.object(zipfile.ZipExtFile, "read", autospec=True, side_effect=zipfile.ZipExtFile.read) as read:
            status, sentence = self.brought(bomb)
        self.assertEqual(status, 415)
        self.assertIn("more than its picture can hold", sentence)
        self.assertLess(max(call.args[1] for call in read.call_args_list if len(call.args) > 1), 64 << 20)

    def test_damaged_ones_of_every_kind_get_a_sentence(self) -> None:
        still = png(scene(30, 20))
        for kind in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_LZMA, zipfile.ZIP_BZIP2):
            whole = bytearray(archive({"shot_1": still, "shot_2": still}, kind))
            for at in range(30, len(whole) - 4, max(1, len(whole) // 40)):
                bad = bytes(whole[:at]) + bytes([whole[at] ^ 0xFF]) + bytes(whole[at + 1 :])
                with self.subTest(kind=kind, at=at):
                    status, sentence = self.brought(bad)
                    self.assertIn(status, (201, 415), sentence)

    def test_what_an_unpacker_raises_is_a_sentence(self) -> None:
        for fault in (lzma.LZMAError("x"), zlib.error("x"), ValueError("negative seek value -1"), KeyError("x"), struct.error("x")):
            whole = archive({"shot_1": png(scene(30, 20)), "shot_2": png(scene(30, 20))})
            with self.subTest(fault), mock.patch.object(zipfile.ZipExtFile, "read", side_effect=fault):
                status, sentence = self.brought(whole)
            self.assertEqual(status, 415)
            self.assertIn("is damaged", sentence)

    def test_damaged_animations_get_a_sentence(self) -> None:
        webp = io.BytesIO()
        pictures = [Image.fromarray(frame // 2 * 2) for frame in frames(3)]
        pictures[0].save(webp, "WEBP", save_all=True, append_images=pictures[1:], lossless=True)
        for name, whole in (("a.gif", gif(4)), ("a.webp", webp.getvalue())):
            for at in range(6, len(whole), max(1, len(whole) // 40)):
                bad = whole[:at] + bytes([whole[at] ^ 0x55]) + whole[at + 1 :]
                with self.subTest(name=name, at=at):
                    self.assertIn(self.brought(bad, name)[0], (201, 415))

    def test_an_animation_of_three_thousand_frames_is_taken(self) -> None:
        status, sentence = self.brought(gif(3000), "long.gif")
        self.assertEqual(status, 201, sentence)
        self.assertIn('"frames":3000', sentence)

    def test_lists_of_layers_are_counted_before_they_are_read(self) -> None:
        def layered(text: bytes) -> bytes:
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w") as result:
                result.writestr(zipfile.ZipInfo("mimetype"), b"image/openraster")
                result.writestr("mergedimage.png", png(scene(30, 20)))
                result.writestr("stack.xml", text, zipfile.ZIP_DEFLATED)
            return out.getvalue()

        many = b'<image w="30" h="20"><stack>' + b'<layer src="a.png"/>' * 200_000 + b"</stack></image>"
        defined = '<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "c">]><image w="30" h="20"><stack/></image>'
        plate = self.add()
        for text, sentence in (
            (many, "lists about 200,000 layers"),
            (defined.encode(), "definitions of its own"),
            (defined.replace('"1.0"', '"1.0" encoding="utf-16"').encode("utf-16"), "damaged"),
        ):
            for path, file in (("/api/plates", "a.ora"), (f"/api/plates/{plate}/files", "a.ora")):
                with self.subTest(sentence, path=path):
                    answer = self.client.post(path, files={"file": (file, layered(text))})
                    self.assertEqual(answer.status_code, 415)
                    self.assertIn(sentence, answer.json()["error"])


class Names(ServiceTest):
    def test_numbers_of_many_digits_and_halves_of_characters_get_a_sentence(self) -> None:
        for names in (["a" + "1" * 5000 + ".png", "a" + "2" * 5000 + ".png"], ["b" + "9" * 400 + ".png", "b1.png"]):
            self.assertEqual(self.answer("POST", "/plates/sequence", json={"names": names})["names"], [])
            self.assertIn("one by one", self.answer("POST", "/plates/stills", 415, json={"names": names})["error"])
        broken = b'{"names": ["\\ud800 1.png", "\\ud800 2.png", "\\ud800 3.png"]}'
        answer = self.client.post("/api/plates/sequence", content=broken, headers={"content-type": "application/json"})
        self.assertEqual(answer.status_code, 422, answer.text)
        plate = self.add()
        answer = self.client.patch(
            f"/api/plates/{plate}", content=b'{"name": "\\ud83d"}', headers={"content-type": "application/json"}
        )
        self.assertEqual(answer.status_code, 422, answer.text)
        still = png(scene(30, 20))
        packed = archive({"a" + "1" * 100: still, "a" + "2" * 100: still})
        self.assertEqual(self.client.post("/api/plates", files={"file": ("a.zip", packed)}).status_code, 415)

    def test_a_thousand_and_one_stills_become_a_reel(self) -> None:
        still = png(scene(8, 6))
        names = [f"shot {number:05}.png" for number in range(1001)]
        upload = self.answer("POST", "/plates/stills", 201, json={"names": names})["id"]
        for at in range(0, len(names), 200):
            part = [("files", (name, still)) for name in names[at : at + 200]]
            self.answer("POST", f"/plates/stills/{upload}", files=part)
        self.assertEqual(self.answer("POST", f"/plates/stills/{upload}/reel", 201)["frames"], 1001)

    def test_a_long_name_in_letters_of_many_bytes_can_be_unpacked(self) -> None:
        plate = self.add(name=f"{'灯' * 120}.png")
        body = {"plates": [plate], "export": {"target": "picture", "format": "png", "depth": "8"}}
        run = self.answer("POST", "/runs", 202, json=body)["run"]["id"]
        began = time.monotonic()
        while (now := self.answer("GET", f"/runs/{run}"))["run"]["state"] != "done":
            self.assertLess(time.monotonic() - began, LONG, now)
            time.sleep(0.1)
        packed = zipfile.ZipFile(io.BytesIO(self.client.get(f"/api/runs/{run}/archive").content))
        for name in packed.namelist():
            self.assertLessEqual(len(name.encode()), 255)
            self.assertTrue(name.startswith("灯") and name.endswith(".png"))


class Keys(ServiceTest):
    def test_keys_of_a_light_that_is_missing_are_refused_with_their_path(self) -> None:
        plate = self.add()
        rig = {"keys": {"gone": {"merge.opacity": {"at": [[0, 1.0]]}}}}
        base = self.answer("GET", f"/plates/{plate}/bench")["revision"]
        for path, body in (
            (f"/plates/{plate}/revisions", {"base": base, "label": "Keys", "rig": rig}),
            ("/rigs", {"name": "Keys", "rig": rig}),
        ):
            answer = self.answer("POST", path, 422, json=body)
            self.assertEqual([where for where, _ in answer["problems"]], ["keys.gone"])
        # A rig that has had them since an earlier version can still be worked on.
        old = self.store.revisions.save(plate, base, Rig.model_validate(rig), "old").revision
        self.answer(
            "POST", f"/plates/{plate}/revisions", json={"base": old, "label": "On", "rig": {**rig, "house": {"level": 0.5}}}
        )


class Privacy(ServiceTest):
    def test_the_data_file_is_its_owners_alone(self) -> None:
        self.add()
        for path in self.store.path.parent.glob(f"{self.store.path.name}*"):
            if not path.name.endswith(".lock"):
                self.assertEqual(stat.S_IMODE(path.stat().st_mode), 0o600, path)

    def test_a_page_speaks_to_its_own_service_alone(self) -> None:
        policy = self.client.get("/api/catalogue").headers["content-security-policy"]
        self.assertIn("connect-src 'self';", policy)


class Door(ServiceTest):
    token = "made-for-this-test"

    def test_the_way_in_leads_nowhere_else(self) -> None:
        for path in ("//merrow.example/x", "/\\merrow.example", "///merrow.example"):
            answer = self.client.get(f"http://127.0.0.1{path}", params={"token": self.token or ""}, follow_redirects=False)
            if answer.status_code == 303:
                self.assertRegex(answer.headers["location"], r"^/[^/\\]")


class OneLockOneDecode(ServiceTest):
    def test_a_plate_that_is_being_decoded_holds_up_no_other_and_is_decoded_once(self) -> None:
        slow, quick = self.add(png(scene(60, 40))), self.add(png(scene(300, 200)), "quick.png")
        renderers = Renderers(self.store)
        release, began, count = threading.Event(), threading.Event(), []
        decode = png_codec.read

        def read(data: bytes) -> object:
            raster = decode(data)
            if raster.samples.shape[1] == 60:
                count.append(1)
                began.set()
                release.wait(LONG)
            return raster

        found: list[Plate] = []
        with mock.patch.object(png_codec, "read", read):
            waiting = [threading.Thread(target=lambda: found.append(renderers.get(slow).plate)) for _ in range(3)]
            for one in waiting:
                one.start()
            self.assertTrue(began.wait(LONG))
            self.assertEqual(renderers.get(quick).plate.size, (300, 200))
            release.set()
            for one in waiting:
                one.join(LONG)
        self.assertEqual(len(count), 1)
        self.assertEqual(len({id(plate) for plate in found}), 1)

    def test_one_that_cannot_be_decoded_is_tried_again(self) -> None:
        plate = self.add()
        renderers = Renderers(self.store)
        with mock.patch.object(png_codec, "read", side_effect=MemoryError), self.assertRaises(MemoryError):
            renderers.get(plate)
        self.assertEqual(renderers.get(plate).plate.size, (300, 200))


class Held(ServiceTest):
    def test_what_a_bench_held_of_a_reel_is_given_back_with_it(self) -> None:
        path = write_video(self.store.path.with_name("pier.mkv"), frames(8))
        plate = self.add(path.read_bytes(), "pier.mkv")
        renderers = Renderers(self.store)
        with renderers.shown(plate), renderers.shown(plate):
            reel = renderers.reel(plate)
            for number in range(8):
                renderers.get(plate, number)
            self.assertGreater(renderers.nbytes, 0)
        self.assertEqual((renderers.nbytes, reel.kept), (0, []))
        still = self.add(png(scene(301, 200)))
        small = Renderers(self.store, budget=1000)
        with small.shown(still):
            small.get(still)
            self.assertGreater(small.nbytes, 0)
        self.assertEqual(small.nbytes, 0)

    def test_frames_that_are_kept_have_a_bound_in_bytes(self) -> None:
        path = write_video(self.store.path.with_name("pier.mkv"), frames(6))
        plate = self.add(path.read_bytes(), "pier.mkv")
        reel = Renderers(self.store).reel(plate)
        frame = reel[0].nbytes
        with mock.patch("aurelon.core.reel.KEPT_BYTES", 2 * frame):
            for number in range(6):
                reel[number]
                self.assertLessEqual(sum(one.nbytes for one in reel.kept), 2 * frame)
        with mock.patch("aurelon.core.reel.KEPT_BYTES", 1):
            self.assertEqual(reel[3].nbytes, frame)
            self.assertEqual(len(reel.kept), 1)
        self.assertLessEqual(KEPT_BYTES, 1 << 28)


if __name__ == "__main__":
    unittest.main()
