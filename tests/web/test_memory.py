"""What the service keeps at hand: within one budget, shared between plates, and never one plate's for another."""

from __future__ import annotations

import io
import unittest

import numpy as np
from PIL import Image

from aurelon.core import Renderer, RigError, read_plate
from aurelon.core.graph.cache import Cache, Share
from aurelon.core.imaging.rgb_space import DISPLAY_P3
from aurelon.web.renderers import Renderers, usual_budget
from aurelon.web.view import View
from tests.pictures import light, rig_of, scene
from tests.web.service import ServiceTest, png

PLATE = 300 * 200 * 12  # bytes of a plate
RIG = rig_of(light("shafts", spread={"position": [0.4, 0.3]}), light("fan", id="made"))


class Views(unittest.TestCase):
    def test_no_more_is_shown_than_a_plate_has_either_way(self) -> None:
        for width, height in ((300, 900), (900, 200), (900, 900)):
            with self.assertRaises(RigError):
                View(width=width, height=height, x0=0, y0=0, x1=1, y1=1).check((300, 200))
        View(width=301, height=201, x0=0, y0=0, x1=1, y1=1).check((300, 200))


class Budget(ServiceTest):
    def test_plates_that_were_used_longest_ago_give_way(self) -> None:
        plates = [self.add(png(np.roll(scene(300, 200), 30 * n, axis=1))) for n in range(6)]
        renderers = Renderers(self.store, budget=int(3 * PLATE / 0.4))
        for plate in plates:
            renderers.get(plate).render(RIG)
            self.assertLessEqual(renderers.nbytes, 3 * PLATE / 0.4 + PLATE)
        kept = renderers.get(plates[-1])
        self.assertIs(renderers.get(plates[-1]), kept)
        self.assertIsNot(renderers.get(plates[0]), None)

    def test_what_was_computed_of_a_closed_plate_goes_with_it(self) -> None:
        plates = [self.add(png(np.roll(scene(300, 200), 30 * n, axis=1))) for n in range(2)]
        renderers = Renderers(self.store, budget=int(1.5 * PLATE / 0.4))
        stages = []
        for plate in plates:
            before = renderers.nbytes
            renderers.get(plate).render(RIG)
            stages.append(renderers.nbytes - before)
        first = renderers.nbytes
        self.assertLess(stages[1], stages[0] / 2, "the second plate came in the place of the first, with all that was made of it")
        with renderers.shown(plates[1]):
            pass
        self.assertLessEqual(renderers.nbytes, first)

    def test_one_plate_is_kept_however_small_the_budget(self) -> None:
        plate = self.add(png(scene(300, 200)))
        renderers = Renderers(self.store, budget=1000)
        self.assertIs(renderers.get(plate), renderers.get(plate))
        np.testing.assert_array_equal(renderers.get(plate).render(RIG), Renderer(renderers.get(plate).plate).render(RIG))

    def test_the_usual_budget_is_a_gigabyte_at_most(self) -> None:
        self.assertGreater(usual_budget(), 1 << 26)
        self.assertLessEqual(usual_budget(), 1 << 30)


class Shared(unittest.TestCase):
    def test_two_plates_of_one_size_and_other_colours_do_not_mix(self) -> None:
        assert DISPLAY_P3.icc is not None
        wide = io.BytesIO()
        Image.open(io.BytesIO(png(scene(300, 200)))).save(wide, "PNG", icc_profile=DISPLAY_P3.icc)
        whole = Cache(1 << 28)
        for data in (png(scene(300, 200)), wide.getvalue()):
            plate = read_plate(data, "a.png")
            shared = Renderer(plate, Share(whole, plate.key))
            for _ in range(2):
                np.testing.assert_array_equal(shared.render(RIG), Renderer(plate, Cache(1 << 28)).render(RIG))

    def test_what_one_owner_lets_go_is_no_longer_counted(self) -> None:
        whole = Cache(1000)
        one, other = Share(whole, "one"), Share(whole, "other")
        one.get("a", lambda: np.zeros(50, np.uint8))
        other.get("a", lambda: np.ones(30, np.uint8))
        self.assertEqual((whole.nbytes, int(one.get("a", lambda: np.ones(1))[0]), other.peek("b")), (80, 0, None))
        one.clear()
        self.assertEqual((whole.nbytes, one.peek("a")), (30, None))
        self.assertIsNotNone(other.peek("a"))


if __name__ == "__main__":
    unittest.main()
