"""How new lights are laid on a plate."""

from __future__ import annotations

import unittest

import numpy as np

from aurelon.core import Plate, Rig, render
from aurelon.core.graph.new_light import new_light
from aurelon.core.imaging.rgb_space import SRGB_CURVE
from aurelon.core.lights import kinds
from aurelon.core.lights.shared.initial_settings import luminance_in, merge_on, open_share
from tests.pictures import every_kind, light, plate_of, rig_of, scene


def halves(left: float, right: float) -> Plate:
    pixels = np.full((200, 300, 3), left, np.float32)
    pixels[:, 150:] = right
    return plate_of(pixels)


class Placing(unittest.TestCase):
    def test_a_part_of_the_plate_is_measured_where_it_is(self) -> None:
        plate = halves(0.1, 0.6)
        np.testing.assert_allclose(luminance_in(plate, (0, 0, 0.45, 1)), 0.1, atol=1e-5)
        np.testing.assert_allclose(luminance_in(plate, (0.55, 0.2, 1, 0.8)), 0.6, atol=1e-5)
        self.assertEqual(luminance_in(plate_of(np.ones((1, 1, 3), np.float32)), (0.4, 0.4, 0.6, 0.6)).shape, (1, 1))

    def test_the_threshold_is_passed_by_the_share_that_is_asked_for(self) -> None:
        ramp = np.repeat(np.linspace(0, 1, 400, dtype=np.float32)[None, :, None] ** 2.2, 3, axis=2).repeat(200, axis=0)
        for share in (0.1, 0.3, 0.6):
            threshold = open_share(plate_of(ramp), share, 0.0)
            passing = float((np.linspace(0, 1, 400) > threshold).mean())
            self.assertAlmostEqual(passing, share, delta=0.03)

    def test_light_on_black_hangs_in_the_air_and_else_falls_on_what_is_there(self) -> None:
        plate = halves(0.001, 0.3)
        self.assertEqual(merge_on(plate, (0, 0, 0.5, 1), relight=1, expose=0.4), {"mode": "expose", "intensity": 0.4})
        self.assertEqual(merge_on(plate, (0.5, 0, 1, 1), relight=1, expose=0.4), {"mode": "relight", "intensity": 1})

    def test_a_new_halation_blows_out_little_round_lamps_that_are_nearly_white(self) -> None:
        y, x = np.mgrid[0:200, 0:300]
        lamps = sum(np.exp(-((x - at) ** 2 + (y - 90) ** 2) / 500) for at in (60, 150, 240))
        plate = plate_of(np.repeat((0.05 + 0.9 * np.minimum(lamps, 1))[:, :, None], 3, axis=2).astype(np.float32))
        result = render(plate, Rig(lights=[new_light("halation", plate, Rig()).model_dump()]))
        white = (SRGB_CURVE.encode(result) >= 254.5 / 255).any(axis=2) & ~(SRGB_CURVE.encode(plate.pixels) >= 254.5 / 255).any(
            axis=2
        )
        self.assertLess(float(white.mean()), 0.02)
        self.assertGreater(float((result - plate.pixels)[:, :, 0].max()), 0.05)

    def test_a_new_light_of_every_kind_is_seen_on_any_plate_that_can_show_it(self) -> None:
        night = plate_of(np.full((160, 240, 3), 0.002, np.float32))
        for name in every_kind():
            kind = kinds()[name]
            plates = [plate_of(scene(240, 160))]
            if not kind.reads:
                plates.append(night)
            if kind.needs_file:
                continue
            for plate in plates:
                lit = render(plate, rig_of(light(name, **kind.seen_by(plate))))
                self.assertGreater(float((lit - plate.pixels).max()), 0.03, name)
