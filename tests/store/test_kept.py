"""Takes, saved rigs, files and strokes in the store."""

from __future__ import annotations

import os
import tempfile
import time
import unittest
from pathlib import Path

from aurelon.core import Rig
from aurelon.store import Store, Unknown
from aurelon.store.tables import Blob, FileUse, Piece, PlateRow, Revision, TakeRow
from tests.pictures import RAMP, light, masked_rig, rig_of, stroke


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "data.sqlite"
        self.store = Store(self.path)
        self.addCleanup(lambda: self.store.close())
        self.plate = self.store.add_plate(os.urandom(1000), "a.png", (40, 30), "8", Rig(), "Headland")

    def reopen(self) -> None:
        self.store.close()
        self.store = Store(self.path)

    def test_a_take_survives_undo_deleting_its_plate_and_a_restart(self) -> None:
        rig = rig_of(light("bloom"))
        take = self.store.keep_take(self.plate, "Warm", rig)
        base = self.store.bench(self.plate).revision
        after = self.store.save(self.plate, base, rig_of(light("edge")), "other").revision
        self.store.undo(self.plate, after)
        self.store.delete(self.plate)
        self.store.restore(self.plate)
        self.reopen()
        self.assertEqual([(t.name, t.rig) for t in self.store.takes(self.plate)], [("Warm", rig)])
        self.assertEqual(self.store.rename_take(take.id, "Warmer").name, "Warmer")

    def test_a_deleted_take_or_rig_can_be_brought_back(self) -> None:
        take = self.store.keep_take(self.plate, "Warm", Rig())
        saved = self.store.save_rig("Low sun", rig_of(light("shafts")), b"jpeg")
        self.store.delete_take(take.id)
        self.store.delete_rig(saved.id)
        self.assertEqual((self.store.takes(self.plate), self.store.saved_rigs()), ([], []))
        for look in (lambda: self.store.take(take.id), lambda: self.store.saved_rig(saved.id)):
            with self.assertRaises(Unknown):
                look()
        self.store.delete_take(take.id, back=True)
        self.store.delete_rig(saved.id, back=True)
        self.assertEqual(len(self.store.takes(self.plate)), 1)
        self.assertEqual([(s.name, s.picture) for s in self.store.saved_rigs()], [("Low sun", b"jpeg")])

    def test_strokes_are_kept_once_however_many_states_have_them(self) -> None:
        strokes = [stroke(*[(0.01 * k + 0.001 * j, 0.5 + 0.01 * j) for j in range(30)]) for k in range(40)]
        base = self.store.bench(self.plate).revision
        for n in range(1, 41):
            rig = masked_rig({"part": "strokes", "strokes": strokes[:n]}).model_copy(update={"pictures": {}})
            base = self.store.save(self.plate, base, rig, f"stroke {n}").revision
        self.assertEqual(Piece.select().count(), 40)
        self.assertLess(max(len(row.rig) for row in Revision.select()), 40 * 120 + 3000)
        self.reopen()
        self.assertEqual(self.store.bench(self.plate).rig, rig)
        self.assertEqual(len(self.store.undo(self.plate, base).rig.stack[0].mask.stack[0].strokes), 39)  # type: ignore[attr-defined]

    def test_pictures_that_a_rig_carries_become_files_of_the_plate(self) -> None:
        rig = masked_rig({"part": "picture", "picture": RAMP[0]})
        base = self.store.bench(self.plate).revision
        kept = self.store.save(self.plate, base, rig, "depth").rig
        self.assertEqual(kept.pictures, {})
        self.assertIsNotNone(self.store.named_file(RAMP[0]))
        self.reopen()
        self.assertIsNotNone(self.store.named_file(RAMP[0]))
        self.assertIsNone(self.store.named_file("0" * 64))

    def test_files_go_with_the_last_that_uses_them(self) -> None:
        name = self.store.add_file(b"depth", "depth.png", plate_id=self.plate)
        self.assertEqual(self.store.file_names(self.plate), {name: "depth.png"})
        saved = self.store.save_rig("Depth", masked_rig({"part": "picture", "picture": RAMP[0]}), None)
        long_ago = time.time() - 40 * 24 * 3600
        PlateRow.update(deleted=long_ago).execute()
        self.reopen()
        self.assertIsNone(self.store.named_file(name))
        self.assertEqual(TakeRow.select().count(), 0)
        self.assertEqual([use.blob_id for use in FileUse.select()], [RAMP[0]])
        self.assertEqual(self.store.saved_rig(saved.id).rig.picture_names(), [RAMP[0]])
        self.assertEqual(Blob.select().count(), 1)
