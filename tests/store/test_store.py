"""The store: files byte for byte, revisions, undo and redo over restarts, conflicts, and sudden death."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from aurelon.core import Rig
from aurelon.store import Conflict, Store, UnknownPlate
from aurelon.store.tables import MIGRATIONS, Blob, Chunk
from tests.pictures import light, rig_of

SAVE_UNTIL_KILLED = """
import sys
from pathlib import Path
from aurelon.store import Store
from tests.pictures import rig_of
store = Store(Path(sys.argv[1]))
base = store.bench(1).revision
for n in range(1000):
    base = store.save(1, base, rig_of(prepare={"exposure": (n % 50) / 10}), f"edit {n}").revision
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
        self.plate = self.store.add_plate(self.data, "a.png", (40, 30), "8", Rig(), "Headland")

    def reopen(self) -> None:
        self.store.close()
        self.store = Store(self.path)

    def test_the_file_comes_back_byte_for_byte_in_chunks(self) -> None:
        self.assertEqual(self.store.file(self.plate), self.data)
        self.assertEqual(Chunk.select().count(), 3)

    def test_the_same_file_twice_is_kept_once(self) -> None:
        self.store.add_plate(self.data, "b.png", (40, 30), "8", Rig(), "Again")
        self.assertEqual(Blob.select().count(), 1)

    def test_undo_and_redo_walk_the_revisions_and_survive_a_restart(self) -> None:
        base = self.store.bench(self.plate).revision
        for level in (0.5, 1.0, 1.5):
            base = self.store.save(self.plate, base, rig_of(prepare={"exposure": level}), f"to {level}").revision
        self.reopen()
        state = self.store.undo(self.plate, base)
        self.assertEqual((state.rig.prepare.exposure, state.undo, state.redo), (1.0, "to 1.0", "to 1.5"))
        self.reopen()
        state = self.store.undo(self.plate, state.revision)
        self.assertEqual(state.rig.prepare.exposure, 0.5)
        state = self.store.redo(self.plate, state.revision)
        self.assertEqual(state.rig.prepare.exposure, 1.0)
        state = self.store.save(self.plate, state.revision, rig_of(light("shafts")), "another way")
        self.assertIsNone(state.redo)
        self.assertEqual(self.store.undo(self.plate, state.revision).redo, "another way")

    def test_undo_at_the_beginning_stays(self) -> None:
        state = self.store.bench(self.plate)
        self.assertIsNone(state.undo)
        self.assertEqual(self.store.undo(self.plate, state.revision).revision, state.revision)

    def test_a_save_on_an_old_revision_is_refused_and_changes_nothing(self) -> None:
        base = self.store.bench(self.plate).revision
        now = self.store.save(self.plate, base, rig_of(light("shafts")), "first window")
        for act in (
            lambda: self.store.save(self.plate, base, Rig(), "second window"),
            lambda: self.store.undo(self.plate, base),
        ):
            with self.assertRaises(Conflict) as caught:
                act()
            self.assertEqual(caught.exception.state.revision, now.revision)
        self.assertEqual(self.store.bench(self.plate).rig, now.rig)

    def test_delete_can_be_taken_back(self) -> None:
        self.store.delete(self.plate)
        self.assertEqual(self.store.plates(), [])
        with self.assertRaises(UnknownPlate):
            self.store.bench(self.plate)
        self.reopen()
        self.assertEqual(self.store.restore(self.plate).name, "Headland")
        self.assertEqual(self.store.file(self.plate), self.data)

    def test_a_thumbnail_belongs_to_its_revision(self) -> None:
        state = self.store.bench(self.plate)
        self.store.keep_thumbnail(self.plate, state.revision, b"small")
        self.assertEqual(self.store.thumbnail(self.plate), b"small")
        self.store.save(self.plate, state.revision, rig_of(light("shafts")), "lit")
        self.assertIsNone(self.store.thumbnail(self.plate))

    def test_every_acknowledged_edit_survives_a_kill(self) -> None:
        self.store.close()
        child = subprocess.Popen([sys.executable, "-c", SAVE_UNTIL_KILLED, str(self.path)], stdout=subprocess.PIPE, text=True)
        assert child.stdout is not None
        said = [child.stdout.readline() for _ in range(12)]
        child.send_signal(signal.SIGKILL)
        said += child.stdout.readlines()
        child.wait()
        child.stdout.close()
        self.store = Store(self.path)
        # The present one is the last that was said, or the one after it, saved but not yet said.
        whole = [int(line) for line in said if line.endswith("\n")]
        self.assertIn(self.store.bench(self.plate).revision - whole[-1], (0, 1))

    def test_a_file_from_a_newer_version_is_refused(self) -> None:
        self.store._db.pragma("user_version", len(MIGRATIONS) + 1)
        self.store.close()
        with self.assertRaisesRegex(RuntimeError, "newer"):
            Store(self.path)
