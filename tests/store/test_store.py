"""The store: files byte for byte, revisions, undo and redo over restarts, conflicts, and sudden death."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import unittest
from functools import partial
from pathlib import Path
from unittest import mock

from aurelon.core import Rig, check_rig
from aurelon.store import Conflict, Store, StoreError, Unknown
from aurelon.store.migrations import MIGRATIONS
from tests.copied import run_command
from tests.pictures import light, rig_of

DATA = Path(__file__).parent / "data"
SAVE_UNTIL_KILLED = """
import sys
from pathlib import Path
from aurelon.store import Store
from tests.pictures import rig_of
store = Store(Path(sys.argv[1]))
base = store.revisions.bench(1).revision
for n in range(1000):
    base = store.revisions.save(1, base, rig_of(prepare={"exposure": (n % 50) / 10}), f"edit {n}").revision
    print(base, flush=True)
"""


class Plates(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "data.sqlite"
        self.store = Store(self.path)
        self.addCleanup(lambda: self.store.close())
        self.data = os.urandom(2_500_000)
        self.plate = self.store.plates.add(self.data, "a.png", (40, 30), "8", Rig(), "Headland").id

    def reopen(self) -> None:
        self.store.close()
        self.store = Store(self.path)

    def test_the_file_comes_back_byte_for_byte_in_chunks(self) -> None:
        self.assertEqual(self.store.plates.file(self.plate), self.data)
        self.assertEqual(self.store.tables.Chunk.select().count(), 3)

    def test_the_same_file_twice_is_kept_once(self) -> None:
        self.store.plates.add(self.data, "b.png", (40, 30), "8", Rig(), "Again")
        self.assertEqual(self.store.tables.Blob.select().count(), 1)

    def test_undo_and_redo_walk_the_revisions_and_survive_a_restart(self) -> None:
        base = self.store.revisions.bench(self.plate).revision
        for level in (0.5, 1.0, 1.5):
            base = self.store.revisions.save(self.plate, base, rig_of(prepare={"exposure": level}), f"to {level}").revision
        self.reopen()
        state = self.store.revisions.undo(self.plate, base)
        self.assertEqual((state.rig.prepare.exposure, state.undo, state.redo), (1.0, "to 1.0", "to 1.5"))
        self.reopen()
        state = self.store.revisions.undo(self.plate, state.revision)
        self.assertEqual(state.rig.prepare.exposure, 0.5)
        state = self.store.revisions.redo(self.plate, state.revision)
        self.assertEqual(state.rig.prepare.exposure, 1.0)
        state = self.store.revisions.save(self.plate, state.revision, rig_of(light("shafts")), "another way")
        self.assertIsNone(state.redo)
        self.assertEqual(self.store.revisions.undo(self.plate, state.revision).redo, "another way")

    def test_undo_at_the_beginning_stays(self) -> None:
        state = self.store.revisions.bench(self.plate)
        self.assertIsNone(state.undo)
        self.assertEqual(self.store.revisions.undo(self.plate, state.revision).revision, state.revision)

    def test_a_save_on_an_old_revision_is_refused_and_changes_nothing(self) -> None:
        base = self.store.revisions.bench(self.plate).revision
        now = self.store.revisions.save(self.plate, base, rig_of(light("shafts")), "first window")
        for act in (
            lambda: self.store.revisions.save(self.plate, base, Rig(), "second window"),
            lambda: self.store.revisions.undo(self.plate, base),
        ):
            with self.assertRaises(Conflict) as caught:
                act()
            self.assertEqual(caught.exception.state.revision, now.revision)
            self.assertIn("changed in another window", str(caught.exception))
        self.assertEqual(self.store.revisions.bench(self.plate).rig, now.rig)

    def test_delete_can_be_taken_back(self) -> None:
        self.store.plates.delete(self.plate)
        self.assertEqual(self.store.plates.all(), [])
        with self.assertRaises(Unknown):
            self.store.revisions.bench(self.plate)
        self.reopen()
        self.assertEqual(self.store.plates.restore(self.plate).name, "Headland")
        self.assertEqual(self.store.plates.file(self.plate), self.data)

    def test_a_thumbnail_belongs_to_its_revision(self) -> None:
        state = self.store.revisions.bench(self.plate)
        self.store.plates.keep_thumbnail(self.plate, state.revision, b"small")
        self.assertEqual(self.store.plates.thumbnail(self.plate), (b"small", True))
        self.store.revisions.save(self.plate, state.revision, rig_of(light("shafts")), "lit")
        self.assertEqual(self.store.plates.thumbnail(self.plate), (b"small", False))

    def test_every_acknowledged_edit_survives_a_kill(self) -> None:
        self.store.close()
        child = subprocess.Popen([sys.executable, "-c", SAVE_UNTIL_KILLED, str(self.path)], stdout=subprocess.PIPE, text=True)
        assert child.stdout is not None
        sentence = [child.stdout.readline() for _ in range(12)]
        child.send_signal(signal.SIGKILL)
        sentence += child.stdout.readlines()
        child.wait()
        child.stdout.close()
        self.store = Store(self.path)
        # The present one is the last that was said, or the one after it, saved but not yet said.
        whole = [int(line) for line in sentence if line.endswith("\n")]
        self.assertIn(self.store.revisions.bench(self.plate).revision - whole[-1], (0, 1))

    def test_what_a_person_says_of_a_run_stands_whatever_its_work_says_after(self) -> None:
        runs = self.store.runs
        add = partial(runs.add, "shore", [self.plate], rig=None, rig_name="", placing="rig", export="{}", cluster="")
        for said in ("cancelled", "paused"):
            for its_work in ("working", "paused", "done"):
                with self.subTest(said=said, its_work=its_work):
                    run = add().id
                    runs.set_state(run, said)
                    runs.advance(run, its_work, "the cluster is gone")
                    self.assertEqual((runs.state(run), runs.get(run).error), (said, ""))
        going = add().id
        runs.advance(going, "paused", "the cluster is gone")
        self.assertEqual((runs.state(going), runs.get(going).error), ("paused", "the cluster is gone"))

    def test_a_file_from_a_newer_version_is_refused(self) -> None:
        self.store.tables.db.pragma("user_version", len(MIGRATIONS) + 1)
        self.store.close()
        with self.assertRaisesRegex(StoreError, "newer"):
            Store(self.path)

    def test_two_stores_in_one_process_keep_their_writes_apart(self) -> None:
        other = Store(self.path.with_name("other.sqlite"))
        self.addCleanup(other.close)
        self.store.plates.rename(self.plate, "First")
        there = other.plates.add(b"file", "b.png", (4, 3), "8", rig_of(light("bloom")), "Second")
        self.store.revisions.save(self.plate, self.store.revisions.bench(self.plate).revision, rig_of(), "more")
        self.assertEqual([p.name for p in self.store.plates.all()], ["First"])
        self.assertEqual([(p.name, p.lights) for p in other.plates.all()], [("Second", 1)])
        self.assertEqual(other.revisions.bench(there.id).undo, None)

    def test_a_folder_that_cannot_be_used_is_refused_in_a_sentence(self) -> None:
        taken = self.path.parent / "file"
        taken.write_bytes(b"")
        with self.assertRaisesRegex(StoreError, "cannot be used for the data: .*; choose another folder with --data"):
            Store(taken / "data.sqlite")

    def test_a_second_aurelon_on_the_same_data_is_refused_in_a_sentence(self) -> None:
        self.store.close()
        held = Store(self.path.with_name("aurelon.sqlite"))
        self.addCleanup(held.close)
        done = run_command("serve", "--port", "1", "--data", self.path.parent)
        self.assertEqual((done.returncode, done.stdout), (2, ""))
        self.assertIn("in use by another Aurelon", done.stderr)
        self.assertEqual(done.stderr.count("\n"), 1)

    def test_listing_and_finding_a_plate_reads_no_rig(self) -> None:
        base = self.store.revisions.bench(self.plate).revision
        self.store.revisions.save(self.plate, base, rig_of(light("shafts"), {**light("bloom"), "id": "b"}), "lit")
        with mock.patch("aurelon.store.pieces.check_rig", side_effect=AssertionError("a rig was read")):
            self.assertEqual(self.store.plates.get(self.plate).lights, 2)
            self.assertEqual(len(self.store.plates.hash(self.plate)), 64)


class FirstFormat(unittest.TestCase):
    """A data file of the first format, with rigs of version 1 in revisions, takes and saved rigs."""

    def test_it_opens_with_every_rig_moved_to_the_present_version(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "data.sqlite"
            shutil.copy(DATA / "version-1.db", path)
            store = Store(path)
            self.addCleanup(store.close)
            wanted = check_rig(json.loads((DATA / "version-1.json").read_text())).model_copy(update={"files": {}})
            (plate,) = store.plates.all()
            self.assertEqual((plate.name, plate.lights), ("Shore", 3))
            state = store.revisions.bench(plate.id)
            self.assertEqual(state.rig.stack, wanted.stack[:3])
            self.assertEqual(store.revisions.undo(plate.id, state.revision).rig, wanted)
            self.assertEqual([(t.name, t.rig) for t in store.takes.of(plate.id)], [("All of them", wanted)])
            self.assertEqual([(r.name, r.rig) for r in store.rigs.all()], [("Everything", wanted)])
            self.assertEqual(wanted.file_names(), list(store.files.names(plate.id)))
            for row in store.tables.Revision.select():
                self.assertEqual(json.loads(row.rig)["version"], 2)

    def test_it_opens_in_one_step_or_not_at_all(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "data.sqlite"
            shutil.copy(DATA / "version-1.db", path)
            with mock.patch("aurelon.store.migrations.up_to_date", side_effect=OSError("no room")), self.assertRaises(OSError):
                Store(path)
            store = Store(path)  # as if nothing had happened
            self.addCleanup(store.close)
            self.assertEqual(len(store.plates.all()), 1)
