"""Takes, saved rigs, files and strokes in the store."""

from __future__ import annotations

import os
import tempfile
import time
import unittest
from pathlib import Path

from aurelon.core import Rig
from aurelon.store import Store, Unknown
from tests.pictures import RAMP, light, masked_rig, rig_of, stroke


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "data.sqlite"
        self.store = Store(self.path)
        self.addCleanup(lambda: self.store.close())
        self.plate = self.store.plates.add(os.urandom(1000), "a.png", (40, 30), "8", Rig(), "Headland").id

    def reopen(self) -> None:
        self.store.close()
        self.store = Store(self.path)

    def test_a_take_survives_undo_deleting_its_plate_and_a_restart(self) -> None:
        rig = rig_of(light("bloom"))
        take = self.store.takes.keep(self.plate, "Warm", rig)
        base = self.store.revisions.bench(self.plate).revision
        after = self.store.revisions.save(self.plate, base, rig_of(light("edge")), "other").revision
        self.store.revisions.undo(self.plate, after)
        self.store.plates.delete(self.plate)
        self.store.plates.restore(self.plate)
        self.reopen()
        self.assertEqual([(t.name, t.rig) for t in self.store.takes.of(self.plate)], [("Warm", rig)])
        self.assertEqual(self.store.takes.rename(take.id, "Warmer").name, "Warmer")

    def test_a_kept_file_is_read_in_place_from_any_byte_to_its_end(self) -> None:
        data = os.urandom((1 << 20) + 777)
        name = self.store.files.put(data)
        with self.store.files.opened(name) as file:
            self.assertEqual(file.seek(0, os.SEEK_END), len(data))
            file.seek((1 << 20) - 5)
            self.assertEqual(file.read(), data[(1 << 20) - 5 :])

    def test_a_take_belongs_to_a_plate_that_is_there(self) -> None:
        with self.assertRaises(Unknown):
            self.store.takes.keep(999, "Nowhere", Rig())

    def test_a_deleted_take_or_rig_can_be_brought_back(self) -> None:
        take = self.store.takes.keep(self.plate, "Warm", Rig())
        saved = self.store.rigs.save("Low sun", rig_of(light("shafts")), b"jpeg")
        self.store.takes.delete(take.id)
        self.store.rigs.delete(saved.id)
        self.assertEqual((self.store.takes.of(self.plate), self.store.rigs.all()), ([], []))
        for look in (lambda: self.store.takes.get(take.id), lambda: self.store.rigs.get(saved.id)):
            with self.assertRaises(Unknown):
                look()
        self.store.takes.restore(take.id)
        self.store.rigs.restore(saved.id)
        self.assertEqual(len(self.store.takes.of(self.plate)), 1)
        self.assertEqual([(s.name, self.store.rigs.picture(s.id)) for s in self.store.rigs.all()], [("Low sun", b"jpeg")])

    def test_strokes_are_kept_once_however_many_states_have_them(self) -> None:
        strokes = [stroke(*[(0.01 * k + 0.001 * j, 0.5 + 0.01 * j) for j in range(30)]) for k in range(40)]
        base = self.store.revisions.bench(self.plate).revision
        for n in range(1, 41):
            rig = masked_rig({"part": "strokes", "strokes": strokes[:n]}).model_copy(update={"files": {}})
            base = self.store.revisions.save(self.plate, base, rig, f"stroke {n}").revision
        self.assertEqual(self.store.tables.Piece.select().count(), 40)
        self.assertLess(max(len(row.rig) for row in self.store.tables.Revision.select()), 40 * 120 + 3000)
        self.reopen()
        self.assertEqual(self.store.revisions.bench(self.plate).rig, rig)
        painted = self.store.revisions.undo(self.plate, base).rig.stack[0].mask.stack[0]
        self.assertEqual(len(painted.model_dump()["strokes"]), 39)

    def test_pictures_that_a_rig_carries_become_files_of_the_plate(self) -> None:
        rig = masked_rig({"part": "grey", "file": RAMP[0]})
        base = self.store.revisions.bench(self.plate).revision
        kept = self.store.revisions.save(self.plate, base, rig, "depth").rig
        self.assertEqual(kept.files, {})
        self.assertIsNotNone(self.store.files.get(RAMP[0]))
        self.reopen()
        self.assertIsNotNone(self.store.files.get(RAMP[0]))
        self.assertIsNone(self.store.files.get("0" * 64))

    def test_files_go_with_the_last_that_uses_them(self) -> None:
        name = self.store.files.add(b"depth", "depth.png", plate_id=self.plate)
        self.assertEqual(self.store.files.names(self.plate), {name: "depth.png"})
        saved = self.store.rigs.save("Depth", masked_rig({"part": "grey", "file": RAMP[0]}), None)
        long_ago = time.time() - 40 * 24 * 3600
        self.store.tables.Plate.update(deleted=long_ago).execute()
        self.reopen()
        self.assertIsNone(self.store.files.get(name))
        self.assertEqual(self.store.tables.Take.select().count(), 0)
        self.assertEqual([use.blob_id for use in self.store.tables.FileUse.select()], [RAMP[0]])
        self.assertEqual(self.store.rigs.get(saved.id).rig.file_names(), [RAMP[0]])
        self.assertEqual(self.store.tables.Blob.select().count(), 1)
