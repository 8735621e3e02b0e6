"""The Colour stage: levels that keep hue, whites that shift, and colours that no primaries cut off."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from aurelon.core import Plate, Rig, parse_rig, render
from aurelon.core.graph.new_light import new_light
from aurelon.core.imaging.colour import chromaticity, picked_rgb, temperature_rgb
from aurelon.core.imaging.rgb_space import D65_TO_PCS, DISPLAY_P3, SRGB, SRGB_CURVE, RgbSpace, make_space
from tests.pictures import Floats, light, plate_of, rig_of, scene, stroke

# Primaries of ITU-R BT.2020, white D65.
_BASE = np.array([(x / y, 1.0, (1 - x - y) / y) for x, y in ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046))]).T
_WHITE = np.array([0.3127 / 0.3290, 1.0, (1 - 0.3127 - 0.3290) / 0.3290])
WIDE = make_space("Wide", D65_TO_PCS @ (_BASE * np.linalg.solve(_BASE, _WHITE)), SRGB_CURVE)
WARM = 1800.0  # outside of sRGB
DRAWN: dict[str, dict[str, Any]] = {
    "fan": {},
    "beam": {},
    "water": {},
    "strokes": {"source": {"strokes": [stroke((0.3, 0.5), (0.7, 0.5), size=0.1, flow=1.0)]}},
}


def stage(plate: Plate, result: dict[str, Any], name: str = "colour") -> Floats:
    return render(plate, rig_of(result), show=f"stage:under-test:{name}")


def xy(light_: Floats, space: RgbSpace) -> tuple[float, float]:
    """Chromaticity of all of a light (h, w, 3) together."""
    x, y, z = np.linalg.inv(space.from_d65) @ light_.reshape(-1, 3).astype(np.float64).sum(axis=0)
    return x / (x + y + z), y / (x + y + z)


def hue(light_: Floats) -> Floats:
    """Hue angles in degrees by opponent axes, (n,), of those places that have light and a colour."""
    r, g, b = np.moveaxis(light_.astype(np.float64), 2, 0)
    a, o = r - g, (r + g) / 2 - b
    return np.rad2deg(np.arctan2(o, a))


class LevelsKeepHue(unittest.TestCase):
    def test_hue_before_and_after_any_levels_is_the_same_to_a_degree(self) -> None:
        plate = plate_of(scene())
        plain = stage(plate, light("shafts", colour={"origin": "plate"}))
        for levels in ({"black": 0.2}, {"white": 0.3}, {"gamma": 2.5}, {"gamma": 0.4}, {"black": 0.1, "white": 0.6, "gamma": 1.6}):
            result = stage(plate, light("shafts", colour={"origin": "plate", **levels}))
            shining = (result.sum(axis=2) > 1e-3) & (np.ptp(plain, axis=2) > 1e-3)
            self.assertGreater(int(shining.sum()), 1000)
            off = (hue(result)[shining] - hue(plain)[shining] + 180) % 360 - 180
            self.assertLess(float(np.abs(off).max()), 1.0, levels)


class WideGamut(unittest.TestCase):
    def test_a_warm_light_has_its_colour_on_plates_of_every_gamut(self) -> None:
        wanted = chromaticity(WARM)
        for name, more in DRAWN.items():
            for space in (DISPLAY_P3, WIDE):
                plate = Plate(np.full((120, 180, 3), 0.2, np.float32), space)
                result = stage(plate, light(name, colour={"origin": "temperature", "temperature": WARM, "strength": 1.0}, **more))
                got = xy(result, space)
                exact = space is WIDE
                self.assertLess(np.hypot(got[0] - wanted[0], got[1] - wanted[1]), 0.003 if exact else 0.03, f"{name} {exact}")

    def test_the_disc_of_the_sun_and_a_lamp_too(self) -> None:
        wanted = chromaticity(WARM)
        plate = Plate(np.full((200, 300, 3), 0.9, np.float32), WIDE)
        sun = {"position": [0.5, 0.5], "disc_temperature": WARM, "disc_size": 0.05, "aureole_strength": 0.0, "variety": 0.0}
        with_disc = stage(plate, light("shafts", spread=sun, colour={"origin": "plate"}), "spread")
        without = stage(plate, light("shafts", spread={**sun, "disc_strength": 0.0}, colour={"origin": "plate"}), "spread")
        for name, result in (
            ("disc", with_disc - without),
            ("lamp", stage(plate, light("lamp", spread={"gloss": 0.0}, colour={"temperature": WARM, "strength": 1.0}))),
        ):
            got = xy(result, WIDE)
            self.assertLess(np.hypot(got[0] - wanted[0], got[1] - wanted[1]), 0.003, name)

    def test_a_disc_like_its_rays_is_warmed_with_them(self) -> None:
        plate = Plate(np.full((200, 300, 3), 0.9, np.float32), WIDE)
        sun = {"position": [0.5, 0.5], "disc_size": 0.05, "aureole_strength": 0.0, "variety": 0.0, "disc_temperature": 6500}
        warm = {"origin": "temperature", "temperature": WARM, "strength": 1.0}
        for follows, wanted in ((True, chromaticity(WARM)), (False, chromaticity(6500))):
            spread = {**sun, "disc_like_rays": follows}
            with_disc = stage(plate, light("shafts", spread=spread, colour=warm))
            without = stage(plate, light("shafts", spread={**spread, "disc_strength": 0.0}, colour=warm))
            got = xy(with_disc - without, WIDE)
            self.assertLess(np.hypot(got[0] - wanted[0], got[1] - wanted[1]), 0.003, follows)
        new: Any = new_light("shafts", plate_of(np.full((60, 90, 3), 0.4, np.float32)), rig_of())
        self.assertTrue(new.spread.disc_like_rays)


class WhiteShifts(unittest.TestCase):
    def finished(self, plate: Plate, **colour: Any) -> Floats:
        return render(plate, rig_of(light("velvet", colour=colour, merge={"mode": "normal", "opacity": 1.0})))

    def test_a_cooled_velvet_is_the_same_gain_on_every_pixel_and_drains_no_colour(self) -> None:
        rng = np.random.default_rng(4)
        plate = plate_of(rng.random((80, 120, 3)).astype(np.float32) * 0.5 + 0.05)
        plain = self.finished(plate, origin="plate")
        cool = self.finished(plate, origin="temperature", temperature=12000.0, strength=1.0)
        gain = temperature_rgb(12000.0, 0.0, SRGB)
        np.testing.assert_allclose(cool, np.minimum(plain * gain, 1.0), rtol=2e-3, atol=2e-4)

    def test_velvet_never_dims_a_lamp(self) -> None:
        pixels = np.full((200, 300, 3), 0.05, np.float32)
        pixels[80:120, 130:170] = 1.0
        self.assertGreaterEqual(float(self.finished(plate_of(pixels), origin="plate")[80:120, 130:170].min()), 0.999)

    def test_the_temperature_of_a_lamp_is_that_of_its_colour(self) -> None:
        kept = {"id": "old", "kind": "lamp", "spread": {"temperature": 2500.0, "range": 0.7}}
        read = parse_rig(Rig.model_validate({"lights": [kept]}).model_dump_json().encode()).light("old")
        self.assertEqual((read.colour.origin, read.colour.temperature, read.colour.strength), ("temperature", 2500.0, 1.0))
        plate = plate_of(np.full((90, 120, 3), 0.3, np.float32))
        result = stage(plate, light("lamp", spread={"gloss": 0.0}, colour={"temperature": 2500.0, "strength": 1.0}))
        lit = result.reshape(-1, 3)[result.max(axis=2).argmax()]
        np.testing.assert_allclose(
            lit / lit[0], np.array(temperature_rgb(2500.0, 0.0, SRGB)) / temperature_rgb(2500.0, 0.0, SRGB)[0], rtol=1e-3
        )


class Picked(unittest.TestCase):
    def test_a_colour_that_is_picked_is_the_lights_whole_colour(self) -> None:
        plate = plate_of(scene())
        result = stage(plate, light("bloom", source={"threshold": 0.3}, colour={"origin": "picked", "picked": "#2060ff"}))
        wanted = picked_rgb("#2060ff", SRGB)
        shining = result[result.max(axis=2) > 0.01]
        np.testing.assert_allclose(shining / shining[:, 2:], np.broadcast_to(wanted / wanted[2], shining.shape), atol=2e-3)

    def test_a_rig_that_said_how_strongly_keeps_that(self) -> None:
        kept = {"id": "old", "kind": "bloom", "colour": {"origin": "picked", "picked": "#2060ff", "strength": 0.4}}
        self.assertEqual(Rig.model_validate({"lights": [kept]}).light("old").colour.picked_strength, 0.4)


if __name__ == "__main__":
    unittest.main()
