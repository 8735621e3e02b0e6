"""Light that a picture lost where it is cut off at white."""

from __future__ import annotations

import unittest

import numpy as np

from aurelon.core import Plate, Rig, render
from aurelon.core.imaging.rgb_space import SRGB
from tests.pictures import Floats, light, plate_of

STOPS = 3.0


def lamps(width: int = 900, height: int = 600) -> Floats:
    """By night: a lamp of 9 pixels' radius, one of 2 pixels, and a white wall."""
    pixels = np.full((height, width, 3), 0.02, np.float32)
    y, x = np.mgrid[0:height, 0:width]
    pixels[np.hypot(x - 200, y - 200) <= 9] = 1.0
    pixels[100:102, 500:502] = 1.0
    pixels[300:560, 450:860] = 1.0
    return pixels


def prepared(plate: Plate, stops: float, size: tuple[int, int] | None = None) -> Floats:
    return render(plate, Rig.model_validate({"prepare": {"headroom": stops}}), size=size)


class Headroom(unittest.TestCase):
    def setUp(self) -> None:
        self.pixels = lamps()
        self.lifted = prepared(plate_of(self.pixels), STOPS)

    def test_a_lamp_gets_its_light_back_and_a_wall_stays_a_wall(self) -> None:
        self.assertGreater(float(self.lifted[200, 200, 0]), 0.6 * 2**STOPS)
        self.assertLessEqual(float(self.lifted.max()), 2**STOPS + 1e-4)
        self.assertLess(float(self.lifted[430, 655, 0]), 1.05)
        self.assertGreater(float(self.lifted[100:102, 500:502].mean()), 1.5)

    def test_it_rises_to_the_middle_and_changes_nothing_round_it(self) -> None:
        row = self.lifted[200, 200:210, 0]
        self.assertTrue((np.diff(row) <= 1e-4).all())
        dark = self.pixels[:, :, 0] < 0.5
        np.testing.assert_array_equal(self.lifted[dark], self.pixels[dark])

    def test_more_stops_never_give_less(self) -> None:
        twice = prepared(plate_of(self.pixels), 2 * STOPS)
        self.assertTrue((twice >= self.lifted - 1e-5).all())

    def test_no_headroom_is_the_picture_to_the_bit(self) -> None:
        np.testing.assert_array_equal(prepared(plate_of(self.pixels), 0.0), self.pixels)

    def test_a_picture_with_its_own_highlights_keeps_them(self) -> None:
        pixels = self.pixels.copy()
        pixels[195:205, 195:205] = 7.0
        np.testing.assert_array_equal(prepared(Plate(pixels, SRGB), STOPS), pixels)

    def test_a_quarter_of_the_size_is_the_whole_reduced(self) -> None:
        small = prepared(plate_of(self.pixels), STOPS, (225, 150))
        whole = self.lifted.reshape(150, 4, 225, 4, 3).mean(axis=(1, 3))
        np.testing.assert_allclose(small, whole, rtol=1e-3, atol=1e-4)

    def test_every_kind_that_reads_highlights_gets_the_light_that_was_lost(self) -> None:
        plate = plate_of(lamps()[:300])  # without the wall
        for name in ("bloom", "halation", "starburst", "flare"):
            result = light(name, source={"threshold": 0.6}, colour={"origin": "plate"}, merge={"mode": "add"})
            rigs = [Rig.model_validate({"prepare": {"headroom": stops}, "lights": [result]}) for stops in (0.0, STOPS)]
            sums = [float(render(plate, rig, show="light:under-test").sum()) for rig in rigs]
            self.assertGreater(sums[1], 1.5 * sums[0], name)

    def test_stars_that_had_headroom_of_their_own_are_as_strong_as_they_were(self) -> None:
        for stops, intensity in ((7.0, 0.8), (8.0, 1.6), (5.0, 0.2), (14.0, 8.0)):
            kept = {"id": "old", "kind": "starburst", "spread": {"headroom": stops}, "merge": {"intensity": 0.8}}
            self.assertAlmostEqual(Rig.model_validate({"lights": [kept]}).light("old").merge.intensity, intensity)

    def test_a_black_and_a_tiny_picture_do_not_fail(self) -> None:
        for shape in ((1, 1, 3), (2, 700, 3)):
            for value in (0.0, 1.0):
                result = prepared(plate_of(np.full(shape, value, np.float32)), STOPS)
                self.assertTrue(np.isfinite(result).all())


if __name__ == "__main__":
    unittest.main()
