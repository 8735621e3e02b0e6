"""The demo plates and rigs that a new user sees first."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import numpy as np

from aurelon.core import open_plate, parse_rig, render
from aurelon.store import Store
from aurelon.web.seed import DEMO, TITLES, seed_demo
from demo.render import SCENES

MOST_BYTES = 4_000_000


class Demo(unittest.TestCase):
    def test_every_scene_is_shipped_as_a_plate_with_a_finished_rig_and_a_title(self) -> None:
        self.assertEqual(sorted(TITLES), SCENES)
        for stem in SCENES:
            path = DEMO / "plates" / f"{stem}.jpg"
            self.assertLess(path.stat().st_size, MOST_BYTES, stem)
            self.assertGreaterEqual(min(open_plate(path).size), 1400, stem)

    def test_every_light_of_every_rig_does_something(self) -> None:
        for stem in SCENES:
            plate = open_plate(DEMO / "plates" / f"{stem}.jpg")
            rig = parse_rig((DEMO / "rigs" / f"{stem}.json").read_bytes())
            self.assertTrue(rig.stack, stem)
            lit = render(plate, rig, size=(480, 320))
            for light in rig.stack:
                others = [other for other in rig.stack if other.id != light.id]
                without = render(plate, rig.model_copy(update={"lights": others}), size=(480, 320))
                self.assertGreater(float(np.abs(lit - without).max()), 0.02, f"{stem}: {light.id}")

    def test_the_plates_are_put_in_place_once(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            store = Store(Path(folder) / "data.sqlite")
            self.addCleanup(store.close)
            for _ in range(2):
                seed_demo(store)
            self.assertEqual(len(store.plates()), len(SCENES))
            self.assertEqual({record.name for record in store.plates()}, set(TITLES.values()))
