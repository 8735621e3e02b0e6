"""The sun by its height and lamps by name, against published chromaticities and closed forms."""

from __future__ import annotations

import unittest

import numpy as np

from aurelon.core import render
from aurelon.core.graph.grading import tint_of
from aurelon.core.imaging.arrays import Doubles, Floats
from aurelon.core.imaging.colour import chromaticity
from aurelon.core.imaging.rgb_space import SRGB
from aurelon.core.lights.shared.kind import Colour
from aurelon.core.optics.spectra import LAMP_WORDS, air_mass, lamp_rgb, ozone_depth, ozone_mass, sun_rgb, transmittance
from tests.core.test_light_colour import WIDE
from tests.pictures import light, plate_of, rig_of, scene

# CIE 1931 x, y as told in textbooks of lighting (Coaton and Marsden, "Lamps and Lighting"); the sodium D lines lie on
# the spectral locus.
PUBLISHED = {"sodium-low": (0.569, 0.430, 0.01), "sodium-high": (0.52, 0.42, 0.025), "tungsten": (0.4476, 0.4074, 0.002)}


def xy(rgb: Floats) -> Doubles:
    xyz = np.linalg.inv(WIDE.from_d65) @ rgb.astype(np.float64)
    return np.asarray(xyz[:2] / xyz.sum())


class Lamps(unittest.TestCase):
    def test_chromaticities_are_the_published_ones(self) -> None:
        for name, (x, y, off) in PUBLISHED.items():
            self.assertLess(float(np.hypot(*(xy(lamp_rgb(name, WIDE)) - (x, y)))), off, name)
        self.assertLess(float(np.hypot(*(xy(lamp_rgb("candle", WIDE)) - chromaticity(1900.0)))), 0.004)

    def test_mercury_is_greenish_blue_and_a_diode_near_white(self) -> None:
        mercury, led = xy(lamp_rgb("mercury", WIDE)), xy(lamp_rgb("white-led", WIDE))
        self.assertLess(float(mercury[0]), 0.34)
        self.assertLess(float(np.hypot(*(led - (0.33, 0.34)))), 0.06)

    def test_every_lamp_colours_a_light_at_luminance_one(self) -> None:
        for name in LAMP_WORDS:
            self.assertAlmostEqual(float(lamp_rgb(name, SRGB) @ SRGB.luminance), 1.0, delta=0.05 if name != "sodium-low" else 0.6)
        plate = plate_of(scene())
        result = render(
            plate, rig_of(light("bloom", colour={"origin": "lamp", "lamp": "sodium-low"})), show="stage:under-test:colour"
        )
        self.assertGreater(float(result[:, :, 0].sum()), 5 * float(result[:, :, 2].sum()))


class Sun(unittest.TestCase):
    def test_the_air_mass_is_one_overhead_and_as_tabled_below(self) -> None:
        # Kasten and Young (1989), table I.
        for height, mass in ((90, 1.0), (30, 1.994), (10, 5.586), (5, 10.32)):
            self.assertAlmostEqual(air_mass(height) / mass, 1.0, delta=0.02)

    def test_blue_is_scattered_more_than_red_by_the_fourth_power(self) -> None:
        wavelengths = np.array([400.0, 800.0])
        depths = -np.log(transmittance(wavelengths, 90.0, 0.0)) - ozone_depth(wavelengths)
        self.assertAlmostEqual(float(np.log2(depths[0] / depths[1])), 4.08, delta=0.01)

    def test_ozone_takes_the_yellow_out_of_a_low_sun(self) -> None:
        # Its visible (Chappuis) band; depths of 0.3 cm at 550 and 600 nm by Preetham, Shirley and Smits (1999), table 2.
        visible = np.arange(400.0, 701.0, 5.0)
        self.assertAlmostEqual(float(visible[np.argmax(ozone_depth(visible))]), 600.0, delta=5)
        np.testing.assert_allclose(ozone_depth(np.array([550.0, 600.0])), [0.0255, 0.0375], rtol=0.12)
        # The way through a thin shell 22 km up, by Pythagoras.
        for height in (90.0, 30.0, 5.0, 0.0):
            outer, ground = 6370.0 + 22.0, 6370.0 * np.cos(np.deg2rad(height))
            self.assertAlmostEqual(ozone_mass(height) * np.sqrt(outer**2 - ground**2) / outer, 1.0, delta=0.005)
        # At five degrees it keeps most of the red and of the blue, and least of the orange between.
        blue, orange, red = np.exp(-ozone_depth(np.array([440.0, 600.0, 680.0])) * ozone_mass(5.0))
        self.assertLess(orange, min(blue, red) - 0.15)

    def test_the_air_dims_a_light_as_far_as_it_is_let_and_a_low_sun_is_still_seen(self) -> None:
        true = sun_rgb(6.0, 3.0, SRGB)
        level = float(true @ SRGB.luminance)
        for dimming, wanted in ((1.0, level), (0.0, 1.0), (0.3, level**0.3)):
            colour = Colour.model_validate({"origin": "sun", "sun_height": 6.0, "dimming": dimming})
            white = tint_of(colour, SRGB).of_white
            self.assertAlmostEqual(float(white @ SRGB.luminance), wanted, delta=1e-3)
            np.testing.assert_allclose(white / white[0], true / true[0], atol=1e-3)
        self.assertGreater(level**0.3, 0.4)

    def test_the_lower_the_redder_and_the_dimmer_and_haze_adds_to_both(self) -> None:
        heights = [sun_rgb(height, 3.0, SRGB) for height in (1.0, 5.0, 15.0, 40.0, 90.0)]
        levels = [float(rgb @ SRGB.luminance) for rgb in heights]
        warmth = [float(rgb[0] / max(rgb[2], 1e-6)) for rgb in heights]
        self.assertEqual(levels, sorted(levels))
        self.assertEqual(warmth, sorted(warmth, reverse=True))
        self.assertAlmostEqual(levels[-1], 1.0, delta=0.02)
        clear, hazy = sun_rgb(8.0, 2.0, SRGB), sun_rgb(8.0, 8.0, SRGB)
        self.assertGreater(clear @ SRGB.luminance, hazy @ SRGB.luminance)


if __name__ == "__main__":
    unittest.main()
