"""Colour against published tables, another library and closed forms."""

from __future__ import annotations

import unittest

import imagecodecs
import numpy as np

from aurelon.core.imaging.colour import chromaticity, hue_and_saturation, picked_rgb, temperature_rgb, white_balance
from aurelon.core.imaging.fastmath import angle_of, exp_minus, srgb_decode, srgb_encode
from aurelon.core.imaging.icc import ProfileError, read_profile
from aurelon.core.imaging.noise import periodic_noise
from aurelon.core.imaging.rgb_space import DISPLAY_P3, SRGB, Curve, make_space

# Planckian locus, CIE 1931: Wyszecki and Stiles, "Color Science", table 1(3.11), rounded; and CIE illuminant A.
LOCUS = {
    1000: (0.6528, 0.3444),
    2000: (0.5267, 0.4133),
    2856: (0.4476, 0.4074),
    4000: (0.3805, 0.3768),
    5000: (0.3451, 0.3516),
    6500: (0.3135, 0.3237),
    10000: (0.2807, 0.2884),
    25000: (0.2525, 0.2523),
}


class Temperature(unittest.TestCase):
    def test_chromaticity_agrees_with_the_tables(self) -> None:
        for kelvin, (x, y) in LOCUS.items():
            got = chromaticity(float(kelvin))
            self.assertAlmostEqual(got[0], x, delta=0.002)
            self.assertAlmostEqual(got[1], y, delta=0.002)

    def test_chromaticity_agrees_with_colour_science(self) -> None:
        import warnings

        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            from colour import CCT_to_xy
        for kelvin in (4000.0, 5500.0, 9000.0):
            np.testing.assert_allclose(chromaticity(kelvin), CCT_to_xy(kelvin, method="Kang 2002"), atol=0.002)

    def test_warm_is_red_cool_is_blue_and_luminance_is_one(self) -> None:
        warm, cool = temperature_rgb(2500.0, 0.0, SRGB), temperature_rgb(12000.0, 0.0, SRGB)
        self.assertGreater(warm[0], 3 * warm[2])
        self.assertGreater(cool[2], cool[0])
        self.assertAlmostEqual(float(warm @ SRGB.luminance), 1.0, places=5)

    def test_tint_goes_from_green_to_magenta(self) -> None:
        green, magenta = temperature_rgb(6500.0, -1.0, SRGB), temperature_rgb(6500.0, 1.0, SRGB)
        self.assertGreater(green[1] / green[0], magenta[1] / magenta[0])

    def test_neutral_white_balance_is_exactly_one(self) -> None:
        np.testing.assert_array_equal(white_balance(6500.0, 0.0, DISPLAY_P3), 1.0)

    def test_a_picked_colour_is_the_same_colour_in_any_space(self) -> None:
        xyz = [space.to_pcs @ picked_rgb("#ff9020", space) for space in (SRGB, DISPLAY_P3)]
        np.testing.assert_allclose(xyz[0] / xyz[0].sum(), xyz[1] / xyz[1].sum(), atol=2e-3)

    def test_hue_keeps_grey_and_saturation_0_is_luminance(self) -> None:
        grey = np.full(3, 0.4, np.float32)
        np.testing.assert_allclose(hue_and_saturation(77, 1.3, SRGB) @ grey, grey, atol=1e-6)
        colour = np.array([0.9, 0.2, 0.1], np.float32)
        np.testing.assert_allclose(hue_and_saturation(0, 0, SRGB) @ colour, colour @ SRGB.luminance, atol=1e-6)
        np.testing.assert_allclose(hue_and_saturation(120, 1, SRGB) @ colour, np.roll(colour, 1), atol=1e-6)


class Spaces(unittest.TestCase):
    def test_a_written_profile_reads_back(self) -> None:
        for space in (SRGB, DISPLAY_P3, make_space("Gamma", SRGB.to_pcs, Curve((2.2, 1, 0, 0, 0, 0, 0)))):
            again = read_profile(space.icc)
            assert again is not None
            self.assertEqual(again.name, space.name)
            np.testing.assert_allclose(again.to_pcs, space.to_pcs, atol=2e-5)
            x = np.linspace(0, 1, 50)
            np.testing.assert_allclose(again.curves[0].decode(x), space.curves[0].decode(x), atol=2e-5)

    def test_conversion_agrees_with_the_colour_engine(self) -> None:
        rng = np.random.default_rng(3)
        codes = rng.random((40, 40, 3)).astype(np.float32) * 0.6 + 0.2
        engine = imagecodecs.cms_transform(codes, DISPLAY_P3.icc, SRGB.icc, colorspace="rgb", outcolorspace="rgb", intent=1)
        linear = np.stack([DISPLAY_P3.curves[c].decode(codes[:, :, c].astype(float)) for c in range(3)], axis=2)
        matrix = DISPLAY_P3.matrix_to(SRGB)
        assert matrix is not None
        ours = SRGB.curves[0].encode((linear @ matrix.T).astype(np.float32))
        inside = (ours > 0.02).all(axis=2)
        np.testing.assert_allclose(ours[inside], np.asarray(engine)[inside], atol=2e-3)

    def test_curves_invert_at_16_bits(self) -> None:
        codes = np.arange(65536) / 65535
        table = Curve(table=tuple((np.linspace(0, 1, 1024) ** 1.8).tolist()))
        for curve in (SRGB.curves[0], Curve((2.2, 1, 0, 0, 0, 0, 0)), table):
            back = curve.encode(curve.decode(codes).astype(np.float32))
            np.testing.assert_array_equal(np.round(back * 65535), np.arange(65536))

    def test_a_large_picture_is_encoded_as_a_small_one_and_beyond_white_and_below_black_too(self) -> None:
        light = np.concatenate([np.linspace(-0.2, 6, 9000), 10.0 ** np.linspace(-9, 0, 3000)]).astype(np.float32)
        for curve in (SRGB.curves[0], Curve((1.8, 1, 0, 0, 0, 0, 0))):
            large, small = curve.encode(light), np.concatenate([curve.encode(part) for part in np.split(light, 12)])
            np.testing.assert_allclose(large, small, atol=1e-6)
        odd = SRGB.curves[0].encode(np.where(np.arange(9000) % 7 == 0, np.nan, 0.5).astype(np.float32))
        np.testing.assert_allclose(odd[1:7], SRGB.curves[0].encode(np.full(6, 0.5, np.float32)), atol=1e-6)
        power = 1.055 * np.maximum(light, 0).astype(float) ** (1 / 2.4) - 0.055
        exact = np.where(light > 0.0031308, power, 12.92 * light.astype(float))
        np.testing.assert_allclose(SRGB.curves[0].encode(light), exact, atol=2e-6)

    def test_a_grey_profile_becomes_rgb_with_its_curve(self) -> None:
        space = read_profile(bytes(imagecodecs.cms_profile("gray", gamma=1.8)))
        assert space is not None
        x = np.linspace(0, 1, 101)
        np.testing.assert_allclose(space.curves[1].decode(x), x**1.8, atol=2e-5)

    def test_a_curve_of_no_known_formula_is_kept_as_a_table(self) -> None:
        bent = Curve(table=tuple((np.linspace(0, 1, 1024) ** 1.8 * 0.9 + np.linspace(0, 0.1, 1024)).tolist()))
        space = read_profile(make_space("Bent", SRGB.to_pcs, bent).icc)
        assert space is not None
        x = np.linspace(0, 1, 777)
        np.testing.assert_allclose(space.curves[2].decode(x), 0.9 * x**1.8 + 0.1 * x, atol=3e-5)
        codes = np.arange(65536) / 65535
        back = space.curves[0].encode(space.curves[0].decode(codes).astype(np.float32))
        np.testing.assert_array_equal(np.round(back * 65535), np.arange(65536))

    def test_what_is_no_profile_is_refused(self) -> None:
        for icc in (b"", b"nothing of the kind", SRGB.icc[:100], SRGB.icc[:200]):
            with self.subTest(len=len(icc)), self.assertRaises(ProfileError):
                read_profile(icc)


class FastMath(unittest.TestCase):
    def test_polynomials_stay_within_their_bounds(self) -> None:
        x = np.linspace(0, 1, 20001).astype(np.float32)
        exact = np.where(x <= 0.0031308, 12.92 * x, 1.055 * x.astype(float) ** (1 / 2.4) - 0.055)
        self.assertLess(np.abs([srgb_encode(v) for v in x] - exact).max(), 4e-6)
        exact = np.where(x <= 0.04045, x / 12.92, ((x.astype(float) + 0.055) / 1.055) ** 2.4)
        self.assertLess(np.abs([srgb_decode(v) for v in x] - exact).max(), 1e-5)
        y = np.linspace(0, 30, 5001).astype(np.float32)
        self.assertLess(np.abs([exp_minus(v) for v in y] / np.exp(-y.astype(float)) - 1).max(), 3e-6)

    def test_angles_all_round(self) -> None:
        turn = np.linspace(-3.14, 3.14, 4001)
        got = [angle_of(np.float32(np.sin(t)), np.float32(np.cos(t))) for t in turn]
        self.assertLess(np.abs(np.array(got) - turn).max(), 1e-6)

    def test_noise_repeats_after_its_period(self) -> None:
        place = np.linspace(0, 7, 300)
        np.testing.assert_allclose(periodic_noise(place, 7, (1, 2)), periodic_noise(place + 7, 7, (1, 2)), atol=1e-9)
