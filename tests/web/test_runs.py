"""Runs over many plates: what they make, and that nothing comes between."""

from __future__ import annotations

import io
import json
import socket
import struct
import subprocess
import sys
import threading
import time
import unittest
import zipfile
from contextlib import suppress
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from distributed.protocol.core import dumps
from distributed.protocol.serialize import to_serialize
from distributed.protocol.utils import pack_frames_prelude
from fastapi.testclient import TestClient
from peewee import OperationalError
from PIL import Image

from aurelon.core import check_rig, read_plate
from aurelon.core.export.picture import PictureExport, export
from aurelon.runs.engines.clusters import Clusters
from aurelon.web.app import make_app
from tests.pictures import Floats, light, rig_of, scene
from tests.web.service import ServiceTest, png

PNG = {"target": "picture", "format": "png", "depth": "8"}
RIG = rig_of(light("shafts", spread={"position": [0.3, 0.3]}))
PATIENCE = 120  # seconds until a run that stands still is given up


def shifted(by: int) -> Floats:
    return np.roll(scene(240, 160), by, axis=1)


class RunsTest(ServiceTest):
    def setUp(self) -> None:
        super().setUp()
        self.plates = [self.add(png(shifted(20 * n)), f"shore {n}.png") for n in range(3)]

    def started(self, **body: Any) -> Any:
        return self.answer("POST", "/runs", 202, json={"plates": self.plates, **body})["run"]["id"]

    def ended(self, run: int, *states: str) -> Any:
        until = time.monotonic() + PATIENCE
        while (now := self.answer("GET", f"/runs/{run}"))["run"]["state"] not in (states or ("done", "paused", "cancelled")):
            self.assertLess(time.monotonic(), until, now)
            time.sleep(0.05)
        return now

    def saved(self, rig: Any = RIG) -> int:
        return int(self.answer("POST", "/rigs", 201, json={"name": "Low sun", "rig": rig.model_dump(mode="json")})["id"])

    def rig_on(self, plate: int) -> Any:
        return check_rig(self.answer("GET", f"/plates/{plate}/bench")["rig"])


class Laying(RunsTest):
    def test_a_rig_is_laid_on_every_plate_as_a_step_that_undoes(self) -> None:
        run = self.ended(self.started(rig={"saved": self.saved()}))
        self.assertEqual((run["done"], run["failed"], run["files"]), (3, 0, 0))
        for plate in self.plates:
            bench = self.answer("GET", f"/plates/{plate}/bench")
            self.assertEqual([one["name"] for one in bench["rig"]["lights"]], [one.name for one in RIG.stack])
            self.assertEqual(bench["undo"], "Apply Low sun")

    def test_the_rig_of_a_plate_goes_to_others(self) -> None:
        first, *rest = self.plates
        bench = self.answer("GET", f"/plates/{first}/bench")
        body = {"base": bench["revision"], "rig": RIG.model_dump(mode="json"), "label": "Light"}
        self.answer("POST", f"/plates/{first}/revisions", json=body)
        run = self.answer("POST", "/runs", 202, json={"plates": rest, "rig": {"plate": first}})["run"]["id"]
        self.ended(run)
        self.assertEqual(self.rig_on(rest[0]).stack, self.rig_on(first).stack)

    def test_light_is_found_anew_in_each_picture(self) -> None:
        lamps = []
        for x in (50, 190):
            picture = np.full((160, 240, 3), 0.02, np.float32)
            picture[36:44, x - 4 : x + 4] = 1.0
            lamps.append((self.add(png(picture), f"lamp {x}.png"), x))
        self.plates = [plate for plate, _ in lamps]
        self.ended(self.started(rig={"saved": self.saved()}, placing="found"))
        for plate, x in lamps:
            place = self.rig_on(plate).stack[0].spread.position
            self.assertLess(np.hypot(place[0] - x / 240, place[1] - 40 / 160), 0.03)

    def test_a_picture_that_says_nothing_keeps_the_rigs_place(self) -> None:
        self.plates = [self.add(png(np.full((100, 160, 3), 0.2, np.float32)), "grey.png")]
        run = self.ended(self.started(rig={"saved": self.saved()}, placing="found"))
        self.assertIn("nothing in the picture says", run["run"]["items"][0]["says"])
        self.assertEqual(self.rig_on(self.plates[0]).stack[0].spread.position, (0.3, 0.3))


class Making(RunsTest):
    def test_files_are_those_that_an_export_gives(self) -> None:
        run = self.ended(self.started(rig={"saved": self.saved()}, export=PNG))
        self.assertEqual((run["run"]["state"], run["files"]), ("done", 3))
        for item, by in zip(run["run"]["items"], (0, 20, 40), strict=True):
            data = self.client.get(f"/api/runs/{run['run']['id']}/items/{item['id']}/file").content
            plate = read_plate(png(shifted(by)), "shore.png")
            self.assertEqual(data, export(plate, self.rig_on(item["plate"]), PictureExport(format="png", depth="8")))
            self.assertEqual(item["file_size"], len(data))

    def test_one_archive_holds_them_all(self) -> None:
        self.plates.append(self.add(png(shifted(5)), "shore 0.png"))
        run = self.ended(self.started(export=PNG))["run"]
        answer = self.client.get(f"/api/runs/{run['id']}/archive")
        with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
            self.assertIsNone(archive.testzip())
            names = ["shore 0-lit.png", "shore 0-lit 2.png", "shore 1-lit.png", "shore 2-lit.png"]
            self.assertEqual(sorted(archive.namelist()), sorted(names))
            self.assertEqual(Image.open(io.BytesIO(archive.read(names[1]))).size, (240, 160))

    def test_a_bad_plate_is_named_and_the_rest_is_done(self) -> None:
        tables = self.store.tables
        tables.Chunk.update(data=b"no picture").where(tables.Chunk.blob == self.store.plates.hash(self.plates[1])).execute()
        run = self.ended(self.started(export=PNG))
        self.assertEqual((run["done"], run["failed"]), (2, 1))
        failed = run["run"]["items"][1]
        self.assertEqual(failed["state"], "failed")
        self.assertIn("shore 1.png is not a picture", failed["says"])
        again = self.answer("POST", f"/runs/{run['run']['id']}/retry")
        self.assertEqual(again["left"], 1)
        self.assertEqual(self.ended(run["run"]["id"])["failed"], 1)

    def test_a_deleted_plate_costs_itself_only(self) -> None:
        self.client.delete(f"/api/plates/{self.plates[0]}")
        answer = self.answer("POST", "/runs", 404, json={"plates": self.plates, "export": PNG})
        self.assertIn("no plate number", answer["error"])
        self.assertEqual(self.answer("GET", "/runs"), [])

    def test_a_plate_deleted_before_its_turn_costs_itself_only(self) -> None:
        gone = self.plates[0]
        with mock.patch.object(self.store.runs, "next", return_value=None):  # it waits behind another
            run = self.started(export=PNG)
            self.client.delete(f"/api/plates/{gone}")
        after = self.started(export=PNG, plates=self.plates[1:])
        self.assertEqual(self.ended(after, "done")["files"], 2)
        first = self.ended(run, "done")
        self.assertEqual((first["files"], first["failed"]), (2, 1))
        self.assertIn(f"no plate number {gone}", first["run"]["items"][0]["says"])

    def test_a_plate_deleted_while_it_is_made_costs_itself_only(self) -> None:
        finish = self.store.runs.finish

        def finish_without_it(item: int, result: Any) -> None:
            if not any(one["id"] == self.plates[0] for one in gone):
                gone.append({"id": self.plates[0]})
                self.store.plates.delete(self.plates[0])
            finish(item, result)

        gone: list[Any] = []
        with mock.patch.object(self.store.runs, "finish", finish_without_it):
            run = self.ended(self.started(rig={"saved": self.saved()}, export=PNG), "done")
        self.assertEqual((run["files"], run["failed"]), (2, 1))

    def test_a_run_deleted_while_it_is_worked_on_keeps_none_waiting(self) -> None:
        finish = self.store.runs.finish
        deleted: list[int] = []

        def finish_what_is_gone(item: int, result: Any) -> None:
            if not deleted:
                deleted.append(run)
                self.store.runs.delete(run)
            finish(item, result)

        with mock.patch.object(self.store.runs, "finish", finish_what_is_gone):
            run = self.started(export=PNG)
            self.assertEqual(self.ended(self.started(export=PNG), "done")["files"], 3)
        self.assertEqual(deleted, [run])


class Standing(RunsTest):
    def test_a_run_is_paused_gone_on_with_and_cancelled(self) -> None:
        run = self.started(export=PNG)
        paused = self.answer("POST", f"/runs/{run}/pause")
        self.assertEqual(paused["run"]["state"], "paused")
        time.sleep(0.3)
        self.assertIn(self.answer("GET", f"/runs/{run}")["run"]["state"], ("paused",))
        self.answer("POST", f"/runs/{run}/resume")
        self.assertEqual(self.ended(run, "done")["files"], 3)
        self.assertIn("over", self.answer("POST", f"/runs/{run}/pause", 422)["error"])
        other = self.started(export=PNG)
        self.answer("DELETE", f"/runs/{other}", 422)
        cancelled = self.answer("POST", f"/runs/{other}/cancel")
        self.assertEqual(cancelled["left"], 0)
        self.assertEqual(self.client.delete(f"/api/runs/{other}").status_code, 204)
        self.assertEqual([one["run"]["id"] for one in self.answer("GET", "/runs")], [run])

    def test_it_goes_on_after_a_restart_and_makes_nothing_twice(self) -> None:
        run = self.started(rig={"saved": self.saved()}, export=PNG)
        while not self.answer("GET", f"/runs/{run}")["done"]:
            time.sleep(0.02)
        # As a kill leaves it: the service is gone, and some of its plates were begun.
        self.client.__exit__(None, None, None)
        done = {item.id: item.revision for item in self.store.runs.get(run).items if item.state == "done"}
        self.assertGreater(len(done), 0)
        self.client = self.enterContext(TestClient(make_app(self.store), base_url="http://127.0.0.1"))
        after = self.ended(run)
        self.assertEqual(after["files"], 3)
        self.assertLessEqual(done.items(), {item["id"]: item["revision"] for item in after["run"]["items"]}.items())
        for plate in self.plates:
            self.assertEqual(self.answer("GET", f"/plates/{plate}/bench")["undo"], "Apply Low sun")
            revisions = self.store.tables.Revision
            self.assertEqual(revisions.select().where(revisions.plate == plate).count(), 2)

    def test_a_data_file_without_room_pauses_the_run_and_it_goes_on_when_there_is(self) -> None:
        full = [True]
        finish = self.store.runs.finish

        def finish_if_there_is_room(item: int, result: Any) -> None:
            if full[0]:
                raise OperationalError("database or disk is full")
            finish(item, result)

        with mock.patch.object(self.store.runs, "finish", finish_if_there_is_room):
            run = self.started(export=PNG)
            paused = self.ended(run, "paused")
            self.assertIn("there is no room left", paused["run"]["error"])
            self.assertIn("make room", paused["run"]["error"])
            full[0] = False
            self.answer("POST", f"/runs/{run}/resume")
            self.assertEqual(self.ended(run, "done")["files"], 3)

    def test_files_of_a_run_are_kept_until_it_is_deleted(self) -> None:
        run = self.ended(self.started(export=PNG))["run"]
        blobs = self.store.tables.Blob
        before = blobs.select().count()
        self.store.files.purge()
        self.assertEqual(blobs.select().count(), before)
        self.client.delete(f"/api/runs/{run['id']}")
        self.assertEqual(blobs.select().count(), before - 3)


class Refusing(RunsTest):
    def test_what_cannot_be_begun_is_said(self) -> None:
        for body, sentence in (
            ({}, "would do nothing"),
            ({"rig": {}}, "which rig"),
            ({"rig": {"saved": 99}}, "no saved rig number 99"),
            ({"export": {**PNG, "size": [10, 10]}}, "long edge"),
        ):
            with self.subTest(sentence):
                answer = self.client.post("/api/runs", json={"plates": self.plates, **body})
                self.assertIn(answer.status_code, (404, 422))
                self.assertIn(sentence, answer.json()["error"])
        self.assertIn("no run number 7", self.answer("GET", "/runs/7", 404)["error"])

    def test_a_format_that_cannot_hold_a_picture_fails_that_picture(self) -> None:
        run = self.ended(self.started(export={**PNG, "depth": "12"}))
        self.assertEqual(run["failed"], 3)
        self.assertIn("PNG cannot hold 12 bits", run["run"]["items"][0]["says"])

    def test_the_room_is_told_before(self) -> None:
        answer = self.answer("POST", "/runs/room", json={"plates": self.plates})
        self.assertRegex(answer["says"], r"worker.*thread.*GB of memory")
        self.assertEqual([one["value"] for one in answer["placings"]], ["rig", "found"])
        self.assertEqual(answer["clusters"], [])


class OnAClusterGoneBad(RunsTest):
    """A listener in place of a cluster: it costs its own run, and is let go of at once."""

    def setUp(self) -> None:
        self.listening = self.enterContext(socket.create_server(("127.0.0.1", 0)))
        self.address = f"tcp://127.0.0.1:{self.listening.getsockname()[1]}"
        nobody = socket.create_server(("127.0.0.1", 0))
        self.nowhere = f"tcp://127.0.0.1:{nobody.getsockname()[1]}"
        nobody.close()
        self.clusters = Clusters.of([f"studio={self.address}", f"gone={self.nowhere}"], None)
        super().setUp()

    def test_only_names_that_the_service_was_given_are_taken(self) -> None:
        self.assertEqual(self.answer("POST", "/runs/room", json={"plates": self.plates})["clusters"], ["gone", "studio"])
        body = {"plates": self.plates, "export": PNG}
        for cluster in (self.address, "other", " studio"):
            with self.subTest(cluster):
                self.assertIn("knows no cluster", self.answer("POST", "/runs", 422, json={**body, "cluster": cluster})["error"])
        # One that a data file of an earlier version names by its address.
        export = json.dumps(PNG)
        old = self.store.runs.add("old", self.plates, rig=None, rig_name="", placing="rig", export=export, cluster=self.address)
        self.answer("POST", f"/runs/{old.id}/resume")
        self.assertIn("knows no cluster", self.ended(old.id, "paused")["run"]["error"])
        self.listening.setblocking(False)
        with self.assertRaises(BlockingIOError):
            self.listening.accept()

    def test_one_that_does_not_answer_pauses_the_run(self) -> None:
        run = self.ended(self.started(export=PNG, cluster="gone"), "paused")
        self.assertIn(f"no cluster answers at {self.nowhere}", run["run"]["error"])
        self.assertEqual(run["left"], 3)

    def test_a_mute_one_is_let_go_of_when_its_run_is_cancelled(self) -> None:
        mute = self.started(export=PNG, cluster="studio")
        self.listening.accept()
        self.answer("POST", f"/runs/{mute}/cancel")
        self.assertEqual(self.ended(self.started(export=PNG))["files"], 3)
        self.assertEqual(self.answer("GET", f"/runs/{mute}")["run"]["state"], "cancelled")

    def test_what_a_lying_one_sends_is_run_nowhere_near_the_plates(self) -> None:
        proof = self.store.path.with_name("proof")
        threading.Thread(target=lie, args=(self.listening, proof), daemon=True).start()
        run = self.ended(self.started(export=PNG, cluster="studio"), "paused")
        self.assertIn("no cluster answers", run["run"]["error"])
        self.assertFalse(proof.exists())
        # A client that is not confined would have been reached.
        client = f"from aurelon.runs.engines.cluster_client import ClusterClient; ClusterClient('{self.address}', ())"
        subprocess.run([sys.executable, "-c", client], stderr=subprocess.DEVNULL, timeout=PATIENCE)
        self.assertTrue(proof.exists())


class Writes:
    """Writes a file where it is unpacked."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def __reduce__(self) -> Any:
        return (Path.write_text, (self._path, "reached"))


def lie(listening: socket.socket, proof: Path) -> None:
    """Answers as a scheduler does, with an object that does harm where it is unpacked."""
    frames = dumps({"op": "stream-start", "harm": to_serialize(Writes(proof))})
    head = pack_frames_prelude(frames)
    message = struct.pack("Q", len(head) + sum(map(len, frames))) + head + b"".join(map(bytes, frames))
    while True:
        try:
            connection, _ = listening.accept()
        except OSError:  # the test is over
            return
        with connection, suppress(OSError):
            connection.settimeout(5)
            connection.sendall(message)
            connection.recv(1 << 16)


if __name__ == "__main__":
    unittest.main()
