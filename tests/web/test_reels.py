"""Reels over the service: brought in, shown frame by frame, keyed, followed, carried, written."""

from __future__ import annotations

import io
import json
import struct
import tempfile
import time
import zipfile
from pathlib import Path
from typing import Any

import av
import numpy as np
from PIL import Image

from aurelon.core import open_reel
from aurelon.core.export.reels import ReelExport
from aurelon.core.reel import grey_frame
from tests.reels import frames, with_sound, write_stills, write_video
from tests.web.service import ServiceTest

VIEW = {"width": 96, "height": 64, "x0": 0, "y0": 0, "x1": 96, "y1": 64}
BLOOM = {"id": "glow", "kind": "bloom", "merge": {"intensity": 2.0}}


class Reels(ServiceTest):
    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.video = write_video(self.folder / "shot.mkv", frames(12))

    def bring(self) -> int:
        return self.add(self.video.read_bytes(), "shot.mkv")

    def shown(self, plate: int, rig: dict[str, Any], frame: int) -> tuple[dict[str, Any], np.ndarray[Any, Any]]:
        """Header and picture of a frame by the preview."""
        with self.preview(plate) as socket:
            socket.send_text(json.dumps({"seq": 1, "rig": rig, "view": VIEW, "frame": frame}))
            data = socket.receive_bytes()
        (length,) = struct.unpack_from("<I", data)
        return json.loads(data[4 : 4 + length]), np.asarray(Image.open(io.BytesIO(data[4 + length :])).convert("RGB"))

    def save(self, plate: int, rig: dict[str, Any]) -> None:
        base = self.answer("GET", f"/plates/{plate}/bench")["revision"]
        self.answer("POST", f"/plates/{plate}/revisions", json={"base": base, "label": "test", "rig": rig})

    def run_over(self, body: dict[str, Any]) -> Any:
        return self.ended(self.answer("POST", "/runs", 202, json=body)["run"]["id"])

    def ended(self, run: int) -> Any:
        for _ in range(1200):
            state = self.answer("GET", f"/runs/{run}")
            if state["run"]["state"] not in ("waiting", "working"):
                return state
            time.sleep(0.1)
        raise AssertionError("the run does not end")

    def test_a_video_is_a_plate_with_frames_kept_byte_for_byte(self) -> None:
        plate = self.bring()
        record = next(one for one in self.answer("GET", "/plates") if one["id"] == plate)
        self.assertEqual((record["frames"], record["width"], record["height"]), (12, 96, 64))
        self.assertEqual(self.client.get(f"/api/plates/{plate}/file").content, self.video.read_bytes())
        reel = self.answer("GET", f"/plates/{plate}/reel")
        np.testing.assert_allclose(reel["times"], np.arange(12) / 24, atol=6e-4)
        self.assertEqual(self.client.get(f"/api/plates/{plate}/thumbnail?revision=1").status_code, 200)
        for frame in (2, 9):
            small = self.client.get(f"/api/plates/{plate}/thumbnail", params={"revision": 1, "frame": frame}).content
            _, wanted = self.shown(plate, {}, frame)
            got = np.asarray(Image.open(io.BytesIO(small)).convert("RGB").resize((96, 64)))
            self.assertLess(np.abs(got.astype(int) - wanted).mean(), 3.0)
        self.assertEqual(self.client.get(f"/api/plates/{plate}/thumbnail", params={"frame": 99}).status_code, 400)
        still = self.add()
        self.assertIn("has no frames", self.answer("GET", f"/plates/{still}/reel", 415)["error"])

    def test_the_sound_is_given_by_itself_and_nothing_where_there_is_none(self) -> None:
        self.assertEqual(self.client.get(f"/api/plates/{self.bring()}/sound").status_code, 204)
        path = with_sound(self.folder / "sounding.mkv", frames(24))
        answer = self.client.get(f"/api/plates/{self.add(path.read_bytes(), 'sounding.mkv')}/sound")
        self.assertEqual((answer.status_code, answer.headers["content-type"]), (200, "audio/webm"))
        with av.open(io.BytesIO(answer.content), "r") as container:
            self.assertEqual(container.streams.audio[0].codec_context.name, "opus")
            self.assertAlmostEqual((container.duration or 0) / 1e6, 1.0, delta=0.06)

    def test_the_preview_shows_the_frame_that_is_asked_for(self) -> None:
        plate = self.bring()
        for number in (7, 0, 11):
            header, picture = self.shown(plate, {}, number)
            self.assertEqual(header["frame"], number)
            self.assertLessEqual(np.abs(picture.astype(int) - frames(12)[number]).max(), 1)
        with self.preview(plate) as socket:
            socket.send_text(json.dumps({"seq": 1, "rig": {}, "view": VIEW, "frame": 40}))
            self.assertIn("has the frames 0 to 11, not 40", socket.receive_json()["error"])

    def test_drafts_of_large_frames_come_from_a_proxy_which_is_said(self) -> None:
        large = [np.repeat(np.repeat(one, 25, axis=0), 25, axis=1) for one in frames(3)]
        plate = self.add(write_video(self.folder / "large.mkv", large).read_bytes(), "large.mkv")
        rig = {"lights": [BLOOM], "prepare": {"crop": {"x0": 0.25, "y0": 0.0, "x1": 1.0, "y1": 1.0}}}
        wide = {"width": 2000, "height": 1333, "x0": 0, "y0": 0, "x1": 96, "y1": 64}
        with self.preview(plate) as socket:

            def asked(**more: Any) -> tuple[dict[str, Any], np.ndarray[Any, Any]]:
                socket.send_text(json.dumps({"seq": 1, "rig": rig, "view": VIEW, "frame": 1} | more))
                data = socket.receive_bytes()
                (length,) = struct.unpack_from("<I", data)
                return json.loads(data[4 : 4 + length]), np.asarray(Image.open(io.BytesIO(data[4 + length :])).convert("RGB"))

            draft, roughly = asked(draft=True)
            self.assertEqual(asked(frame=2, draft=True, view=wide)[0]["proxy"], None)  # more than the proxy has
            exact, picture = asked()
            # Now the frame itself is there.
            self.assertEqual((draft["proxy"], exact["proxy"], asked(draft=True)[0]["proxy"]), ([1920, 1280], None, None))
            self.assertEqual(asked(frame=0, draft=True, scrubbing=True)[0]["proxy"], [640, 427])
            self.assertEqual(draft["box"], exact["box"])
            self.assertLess(np.abs(roughly.astype(int) - picture).mean(), 2)
            socket.send_text(json.dumps({"seq": 1, "rig": {}, "view": VIEW, "frame": 40, "draft": True}))
            self.assertIn("has the frames 0 to 2, not 40", socket.receive_json()["error"])

    def test_keys_are_told_with_the_picture_and_edits_set_them(self) -> None:
        plate = self.bring()
        edit = {"do": "key", "act": "set", "owner": "glow", "path": "merge.intensity", "frame": 0}
        rig = self.edited(plate, {"lights": [BLOOM]}, **edit)["rig"]
        rig["lights"][0]["merge"]["intensity"] = 4.0
        rig = self.edited(plate, rig, **edit | {"act": "set", "frame": 10})["rig"]
        self.assertEqual(rig["keys"]["glow"]["merge.intensity"]["at"], [[0, 2.0], [10, 2.0]])
        rig["keys"]["glow"]["merge.intensity"]["at"][1][1] = 4.0
        header, _ = self.shown(plate, rig, 5)
        self.assertEqual(header["keyed"], {"glow": {"merge.intensity": 3.0}})
        # Matching a colour changes what is keyed at the frame that is seen.
        rig = self.edited(plate, rig, **edit | {"path": "colour.temperature", "frame": 0})["rig"]
        body = {"rig": rig, "light": "glow", "spot": [0.5, 0.2]}
        matched = self.answer("POST", f"/plates/{plate}/edits/match?frame=6", json=body)["rig"]
        self.assertEqual([frame for frame, _ in matched["keys"]["glow"]["colour.temperature"]["at"]], [0, 6])

    def test_numbered_stills_become_one_reel(self) -> None:
        folder = write_stills(self.folder / "in", frames(5))
        paths = sorted(folder.glob("*.png"), reverse=True)
        answer = self.answer("POST", "/plates/sequence", json={"names": [path.name for path in paths]})
        self.assertEqual((answer["name"], answer["names"][0]), ("shot", "shot_0001.png"))
        self.assertEqual(self.answer("POST", "/plates/sequence", json={"names": ["a.png", "b.png"]})["names"], [])
        files = [("files", (path.name, path.read_bytes())) for path in paths]
        names = [path.name for path in paths]
        upload = self.answer("POST", "/plates/stills", 201, json={"names": names})["id"]
        self.assertEqual(self.answer("POST", f"/plates/stills/{upload}", files=files[:3])["left"], 2)
        self.assertIn("2 of 5 stills have not come", self.answer("POST", f"/plates/stills/{upload}/reel", 415)["error"])
        self.assertIn("not one of the stills", self.answer("POST", f"/plates/stills/{upload}", 415, files=files[:1])["error"])
        self.assertEqual(self.answer("POST", f"/plates/stills/{upload}", files=files[3:])["left"], 0)
        result = self.answer("POST", f"/plates/stills/{upload}/reel", 201)
        self.assertIn("has expired", self.answer("POST", f"/plates/stills/{upload}/reel", 415)["error"])
        self.assertEqual((result["name"], result["frames"]), ("shot", 5))
        self.assertEqual(result["notices"], ["5 numbered stills became one reel."])
        packed = zipfile.ZipFile(io.BytesIO(self.client.get(f"/api/plates/{result['id']}/file").content))
        for path in paths:
            self.assertEqual(packed.read(path.name), path.read_bytes())
        header, picture = self.shown(result["id"], {}, 3)
        self.assertEqual(header["frame"], 3)
        self.assertLessEqual(np.abs(picture.astype(int) - frames(5)[3]).max(), 1)
        self.assertIn("one by one", self.answer("POST", "/plates/stills", 415, json={"names": names[:1]})["error"])

    def test_bad_footage_is_refused_and_nothing_of_it_kept(self) -> None:
        before = self.store.tables.Blob.select().count()
        torn = self.video.read_bytes()[:80]
        answer = self.client.post("/api/plates", files={"file": ("torn.mkv", torn)})
        self.assertEqual(answer.status_code, 415)
        self.assertIn("torn.mkv", answer.json()["error"])
        self.assertEqual(self.store.tables.Blob.select().count(), before)
        self.assertEqual(self.answer("GET", "/plates"), [])

    def test_a_place_is_followed_and_a_matte_carried(self) -> None:
        plate = self.bring()
        job = self.answer("POST", f"/plates/{plate}/follow?frame=2", 202, json={"places": [[20 / 96, 16 / 64], [26 / 96, 20 / 64]]})
        (found,) = self.finished(job)
        self.assertEqual([one["frame"] for one in found["seen"]], list(range(12)))
        self.assertAlmostEqual((found["seen"][7]["places"][0][0] * 96) - 20, 25, delta=2)
        star = {"lights": [{"id": "star", "kind": "starburst", "source": {"threshold": 0.6}}]}
        asked = {"rig": star, "light": "star"}
        (points,) = self.finished(self.answer("POST", f"/plates/{plate}/follow/points?frame=2", 202, json=asked))
        self.assertEqual([one["frame"] for one in points["seen"]], list(range(12)))
        self.assertEqual(len({len(one["places"]) for one in points["seen"]}), 1)
        dark = {"lights": [{"id": "star", "kind": "starburst", "source": {"threshold": 2.0}}]}
        job = self.answer("POST", f"/plates/{plate}/follow/points", 202, json={"rig": dark, "light": "star"})
        self.assertIn("no points of light", self.failed(job))
        square = [[13 / 96, 9 / 64], [27 / 96, 9 / 64], [27 / 96, 23 / 64], [13 / 96, 23 / 64]]
        mask = {"start": "nothing", "parts": [{"part": "polygon", "corners": square}]}
        rig = {"mattes": [{"id": "lamp", "name": "Lamp", "mask": mask}]}
        (result,) = self.finished(self.answer("POST", f"/plates/{plate}/carry?frame=2", 202, json={"rig": rig, "matte": "lamp"}))
        self.assertEqual(result["hinted"], [2])
        taken = self.edited(plate, rig, do="take-carried", matte="lamp", file=result["file"], hinted=result["hinted"])["rig"]
        again = {"rig": taken, "matte": "lamp"}
        (more,) = self.finished(self.answer("POST", f"/plates/{plate}/carry?frame=9", 202, json=again))
        self.assertEqual(more["hinted"], [2, 9])
        # Mended at frame 9: up to frame 2, where it was made by hand, it comes to be that, little by little.
        mended_at = {"rig": self.moved_matte(taken), "matte": "lamp", "mended": True}
        (mended,) = self.finished(self.answer("POST", f"/plates/{plate}/carry?frame=9", 202, json=mended_at))
        apart = []
        for number in range(12):
            was, now = self.matte_at(result["file"], number), self.matte_at(mended["file"], number)
            apart.append(float(np.abs(now[:10, :15] - was[:10, :15]).mean()))
        self.assertEqual(apart[:3], [0.0] * 3)
        np.testing.assert_allclose(apart[3:9], apart[9] * np.arange(1, 7) / 7, atol=0.03)
        self.assertGreater(min(apart[9:]), 0.8)
        self.assertIn("no matte", self.failed(self.answer("POST", f"/plates/{plate}/carry", 202, json={"rig": {}, "matte": "x"})))
        nothing = {"mattes": [{"id": "lamp", "name": "Lamp", "mask": {"start": "nothing", "parts": []}}]}
        empty = {"rig": nothing, "matte": "lamp"}
        said = self.failed(self.answer("POST", f"/plates/{plate}/carry?frame=2", 202, json=empty))
        self.assertIn("the matte “Lamp” is empty at frame 2", said)

    def test_what_lies_between_keys_is_told(self) -> None:
        track = {"between": "linear", "at": [[2, [0.2, 0.4]], [6, [0.6, 0.0]]]}
        rig = {"lights": [{"id": "sun", "kind": "shafts"}], "keys": {"sun": {"spread.position": track}}}
        answer = self.answer("POST", "/keys/between", json={"rig": rig, "owner": "sun", "path": "spread.position"})
        np.testing.assert_allclose(answer["values"], [[0.2 + 0.1 * k, 0.4 - 0.1 * k] for k in range(5)])
        missing = {"rig": rig, "owner": "sun", "path": "spread.reach"}
        self.assertIn("no keys", self.answer("POST", "/keys/between", 422, json=missing)["error"])

    @staticmethod
    def moved_matte(rig: Any) -> Any:
        """The rig with a corner of the picture added to its matte."""
        corner = {"part": "polygon", "combine": "add", "corners": [[0, 0], [0.2, 0], [0.2, 0.2], [0, 0.2]]}
        (matte,) = rig["mattes"]
        return {**rig, "mattes": [{**matte, "mask": {**matte["mask"], "parts": [*matte["mask"]["parts"], corner]}}]}

    def matte_at(self, name: str, number: int) -> Any:
        result = grey_frame(name, lambda: self.store.files.get(name), number)
        assert result is not None
        return result

    def failed(self, job: Any) -> str:
        lines = [json.loads(line) for line in self.client.get(f"/api/jobs/{job['id']}/news").text.splitlines()]
        self.assertEqual(lines[-1]["job"]["state"], "failed")
        return str(lines[-1]["job"]["error"])

    def test_flicker_is_measured(self) -> None:
        plate = self.bring()
        (found,) = self.finished(
            self.answer("POST", f"/plates/{plate}/flicker", 202, json={"rig": {"lights": [BLOOM]}, "span": [0, 6]})
        )
        self.assertTrue(0 <= found["share"] < 1)
        self.assertIn(
            "has the frames", self.answer("POST", f"/plates/{plate}/flicker", 422, json={"rig": {}, "span": [0, 60]})["error"]
        )

    def test_a_lit_reel_is_written_as_one_file_by_a_run(self) -> None:
        plate = self.bring()
        trial = {"rig": {}, "reel": {"format": "ffv1"}}
        (size,) = self.finished(self.answer("POST", f"/plates/{plate}/reel/size", 202, json=trial))
        self.assertAlmostEqual(size["about"] / len(self.video.read_bytes()), 1, delta=0.4)
        self.answer("POST", f"/plates/{plate}/reel/size", 422, json={"rig": {}, "reel": {"format": "ffv1", "depth": "12"}})
        self.save(plate, {"lights": [BLOOM], "keys": {"glow": {"merge.intensity": {"at": [[0, 0.0], [11, 3.0]]}}}})
        state = self.run_over({"plates": [plate], "reel": {"format": "ffv1", "first": 2, "last": 9}})
        self.assertEqual(state["run"]["state"], "done", state)
        result = [item for item in state["run"]["items"] if item["file_name"]]
        self.assertEqual([item["file_name"] for item in result], ["shot-lit.mkv"])
        path = self.folder / "made.mkv"
        path.write_bytes(self.client.get(f"/api/runs/{state['run']['id']}/items/{result[0]['id']}/file").content)
        reel = open_reel(path)
        self.assertEqual(len(reel), 7)
        difference = [np.abs(reel.footage.raster(n).samples.astype(int) - frames(12)[2 + n]).mean() for n in (0, 6)]
        self.assertLess(difference[0], difference[1])
        reel.close()
        # The pieces are gone once the file is whole.
        self.assertEqual(self.store.runs.segments(state["run"]["id"]), [None])

    def test_a_run_keeps_the_rig_that_the_reel_had_when_it_began(self) -> None:
        plate = self.bring()
        then = self.store.revisions.bench(plate).rig
        export = ReelExport(format="ffv1").model_dump_json()
        run = self.store.runs.add_reel("test", plate, [(0, 6), (6, 12)], rig=then, export=export, joined=True, cluster="").id
        self.save(plate, {"prepare": {"exposure": 3.0}})
        self.answer("POST", f"/runs/{run}/resume")  # only now it is worked on
        state = self.ended(run)
        item = state["run"]["items"][-1]
        path = self.folder / "made.mkv"
        path.write_bytes(self.client.get(f"/api/runs/{run}/items/{item['id']}/file").content)
        reel = open_reel(path)
        self.addCleanup(reel.close)
        for number in (0, 11):
            np.testing.assert_array_equal(reel.footage.raster(number).samples, frames(12)[number])
        # Nor does the run lay anything on the plate.
        self.assertEqual(self.answer("GET", f"/plates/{plate}/bench")["rig"]["prepare"]["exposure"], 3.0)

    def test_numbered_stills_are_written_by_a_run(self) -> None:
        plate = self.bring()
        export = {"target": "picture", "format": "png", "depth": "8"}
        state = self.run_over({"plates": [plate], "export": export, "frames": [4, 7]})
        names = [item["file_name"] for item in state["run"]["items"]]
        self.assertEqual(names, ["shot-lit-0004.png", "shot-lit-0005.png", "shot-lit-0006.png"])
        archive = zipfile.ZipFile(io.BytesIO(self.client.get(f"/api/runs/{state['run']['id']}/archive").content))
        picture = np.asarray(Image.open(io.BytesIO(archive.read("shot-lit-0005.png"))).convert("RGB"))
        np.testing.assert_array_equal(picture, frames(12)[5])

    def test_runs_that_cannot_be(self) -> None:
        plate, still = self.bring(), self.add()
        wrong: list[tuple[dict[str, Any], str]] = [
            ({"plates": [plate, still], "reel": {"format": "ffv1"}}, "written by itself"),
            ({"plates": [still], "reel": {"format": "ffv1"}}, "has no frames"),
            ({"plates": [plate], "reel": {"format": "ffv1", "first": 4, "last": 90}}, "are not all among them"),
            ({"plates": [plate], "reel": {"format": "wax"}}, "there is no format 'wax'"),
            ({"plates": [plate], "frames": [0, 3]}, "choose among them, and how they are written"),
        ]
        for body, sentence in wrong:
            status = 415 if "no frames" in sentence else 422
            self.assertIn(sentence, self.answer("POST", "/runs", status, json=body)["error"])
