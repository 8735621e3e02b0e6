"""Runs as they are kept: what a person says of them, and what their work says, at the same moment."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from aurelon.core import Rig
from aurelon.store import Result, Store
from tests.pictures import light, rig_of


class Runs(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.store = Store(Path(folder.name) / "data.sqlite")
        self.addCleanup(self.store.close)
        self.plates = [self.store.plates.add(f"{n}".encode(), f"{n}.png", (40, 30), "8", Rig(), f"Shore {n}").id for n in range(3)]
        self.runs = self.store.runs
        self.rig = rig_of(light("bloom"))
        self.run_id = self.add()

    def add(self) -> int:
        return self.runs.add("shore", self.plates, rig=None, rig_name="", placing="rig", export="{}", cluster="").id

    def states(self) -> list[str]:
        return [item.state for item in self.runs.get(self.run_id).items]

    def item(self, number: int) -> int:
        return self.runs.get(self.run_id).items[number].id

    def result(self, number: int) -> Result:
        base = self.store.revisions.bench(self.plates[number]).revision
        return Result(self.rig, base, "Lit", b"a file", "lit.png", "image/png")

    def test_what_a_cancelled_run_still_makes_is_thrown_away(self) -> None:
        item, result = self.item(0), self.result(0)
        self.runs.begin(item)
        self.runs.set_state(self.run_id, "cancelled")
        self.runs.finish(item, result)
        self.runs.fail(self.item(1), "the worker is gone")
        self.assertEqual(self.states(), ["cancelled"] * 3)
        self.assertEqual(self.store.revisions.bench(self.plates[0]).rig, Rig())
        self.assertEqual(self.runs.get(self.run_id).items[0].file_name, "")

    def test_trying_again_takes_what_failed_and_what_was_cancelled_and_leaves_what_is_done(self) -> None:
        self.runs.finish(self.item(0), self.result(0))
        self.runs.fail(self.item(1), "it is damaged")
        self.runs.set_state(self.run_id, "cancelled")
        self.assertEqual(self.states(), ["done", "failed", "cancelled"])
        self.runs.retry(self.run_id)
        self.assertEqual(self.states(), ["done", "waiting", "waiting"])
        self.assertEqual([item.says for item in self.runs.get(self.run_id).items], ["", "", ""])
        self.assertEqual(self.runs.state(self.run_id), "waiting")

    def test_taking_up_a_run_has_what_was_begun_done_again(self) -> None:
        self.runs.begin(self.item(0))
        self.runs.finish(self.item(1), self.result(1))
        self.runs.take_up(self.run_id)
        self.assertEqual(self.states(), ["waiting", "done", "waiting"])
        self.assertEqual((self.runs.state(self.run_id), self.runs.left(self.run_id)), ("working", 2))

    def test_runs_are_worked_on_in_the_order_in_which_they_were_begun(self) -> None:
        second = self.add()
        first = self.runs.next()
        self.assertEqual(first and first.id, self.run_id)
        self.runs.set_state(self.run_id, "paused")
        then = self.runs.next()
        self.assertEqual(then and then.id, second)

    def test_files_that_a_run_made_go_with_it_and_not_before(self) -> None:
        self.runs.finish(self.item(0), self.result(0))
        self.runs.finish(self.item(1), self.result(1))
        self.store.files.purge()
        names = [self.runs.file(self.run_id, self.item(number))[0] for number in (0, 1)]
        self.assertEqual(names, ["lit.png", "lit 2.png"], "no two files of a run have one name")
        self.assertEqual(self.runs.file(self.run_id, self.item(1))[2], b"a file")
        blob = self.store.files.put(b"a file")
        self.runs.delete(self.run_id)
        self.assertFalse(self.store.files.has(blob))
        self.assertEqual(self.store.revisions.bench(self.plates[0]).rig, self.rig)

    def test_seconds_of_work_are_added_up(self) -> None:
        for seconds in (1.5, 2.0):
            self.runs.worked(self.run_id, seconds)
        self.assertEqual(self.runs.get(self.run_id).seconds, 3.5)
