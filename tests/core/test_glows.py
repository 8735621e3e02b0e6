"""Bloom, velvet, halation and edge against SciPy and closed forms."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from scipy.ndimage import gaussian_filter
from scipy.special import j0

from aurelon.core import render
from aurelon.core.imaging.gaussian_pyramid import gaussian_mixture
from aurelon.core.lights.bloom import OCTAVES, octave_weights
from aurelon.core.lights.halation import Film, bessel_j0, ring_radius, transfer
from tests.core.test_blend import decode, encode
from tests.pictures import Floats, light, plate_of, psnr, rig_of, scene

OPEN = {"threshold": 0.0, "knee": 0.01}


def spread_of(pixels: Any, kind: str, source: dict[str, Any] | None = None, **spread: Any) -> Floats:
    rig = rig_of(light(kind, source=source or {}, spread=spread))
    return render(plate_of(pixels), rig, show="stage:under-test:spread")


def impulse(width: int = 600, height: int = 400, at: tuple[int, int] = (300, 200), edge: int = 3) -> Floats:
    pixels = np.zeros((height, width, 3), np.float32)
    x, y = at
    pixels[y - edge // 2 : y + edge // 2 + 1, x - edge // 2 : x + edge // 2 + 1] = 1.0
    return pixels


class Mixture(unittest.TestCase):
    def test_a_gaussian_of_any_width_is_scipys(self) -> None:
        grid = np.random.default_rng(3).random((300, 420, 3)).astype(np.float32)
        for sigma in (0.8, 2.0, 5.0, 13.0, 40.0):
            wanted = gaussian_filter(grid.astype(np.float64), (sigma, sigma, 0), mode="reflect", truncate=6)
            got = gaussian_mixture(grid, [sigma], [1.0])
            self.assertLess(float(np.abs(got - wanted).std() / wanted.std()), 0.08, sigma)

    def test_light_is_kept_at_the_border_too(self) -> None:
        for at in ((300, 200), (3, 200), (3, 3)):
            grid = impulse(at=at)
            total = gaussian_mixture(grid, [2.0, 9.0, 60.0], [0.2, 0.3, 0.5]).sum()
            self.assertAlmostEqual(float(total / grid.sum()), 1.0, delta=0.01)


class Bloom(unittest.TestCase):
    def test_5_the_weights_sum_to_1_and_the_light_is_kept(self) -> None:
        for falloff in (0.0, 0.5, 1.0):
            self.assertAlmostEqual(sum(octave_weights(falloff)), 1.0)
            pixels = impulse()
            got = spread_of(pixels, "bloom", OPEN, radius=0.1, falloff=falloff)
            self.assertAlmostEqual(float(got.sum() / pixels.sum()), 1.0, delta=0.01)

    def test_it_is_the_stated_sum_of_gaussians(self) -> None:
        pixels = scene(600, 400)
        widest = 0.06 * np.hypot(600, 400)
        weights = octave_weights(0.4)
        wanted = sum(
            w * gaussian_filter(pixels.astype(np.float64), (widest / 2**k, widest / 2**k, 0), mode="reflect")
            for k, w in zip(range(OCTAVES), weights, strict=True)
        )
        got = spread_of(pixels, "bloom", {"threshold": 0.0, "knee": 0.01}, radius=0.06, falloff=0.4)
        self.assertGreater(psnr(got, np.asarray(wanted, np.float32)), 42)

    def test_falloff_tips_toward_the_core(self) -> None:
        veil, core = (spread_of(impulse(), "bloom", OPEN, radius=0.1, falloff=f)[200, 300, 0] for f in (0.0, 1.0))
        self.assertGreater(float(core), 3 * float(veil))


class Velvet(unittest.TestCase):
    def test_it_is_the_stated_sandwich(self) -> None:
        pixels = scene(600, 400)
        radius, softness, contrast = 0.02, 0.7, 0.3
        s = 1 - (1 - encode(np.minimum(pixels, 1).astype(np.float64))) ** 2
        sigma = radius * np.hypot(600, 400)
        soft = gaussian_filter(s, (sigma, sigma, 0), mode="reflect")
        wanted = decode((s * (1 - softness + softness * soft)) ** 2.0**contrast)
        got = spread_of(pixels, "velvet", radius=radius, softness=softness, contrast=contrast)
        self.assertGreater(psnr(got, wanted.astype(np.float32)), 48)

    def test_a_new_one_reads_everything_below_it(self) -> None:
        self.assertEqual(rig_of(light("velvet")).stack[0].look_at, "below")
        self.assertEqual(rig_of(light("bloom")).stack[0].look_at, "prepared")


class Halation(unittest.TestCase):
    def test_bessel_agrees_with_scipy(self) -> None:
        for x in np.linspace(0, 60, 500):
            self.assertAlmostEqual(bessel_j0(float(x)), float(j0(x)), delta=2e-7)

    def test_5_the_transform_is_1_at_frequency_0(self) -> None:
        out = transfer(np.zeros(1), np.zeros(1), np.array([3.0, 1.0]), Film(0.3, 12.0, 1.0))
        np.testing.assert_allclose(out, 1.0, atol=1e-7)

    def test_the_transform_is_that_of_skirts_and_ring_at_every_frequency(self) -> None:
        down, across, skirts = np.linspace(0, 0.5, 61), np.linspace(0, 0.5, 83), np.array([9.0, 3.0])
        squared = down[:, None] ** 2 + across**2
        for radius in (2.0, 30.0, 300.0):
            ring = j0(2 * np.pi * radius * np.sqrt(squared)) * np.exp(-2 * (np.pi * 0.8) ** 2 * squared)
            got = transfer(down, across, skirts, Film(0.3, radius, 0.8))
            for skirt, transform in zip(skirts, got, strict=True):
                wanted = 0.7 / (1 + (2 * np.pi * skirt) ** 2 * squared) ** 1.5 + 0.3 * ring
                np.testing.assert_allclose(transform, wanted, atol=2e-5)

    def test_5_each_channel_keeps_the_light_it_is_given(self) -> None:
        pixels = impulse(800, 533, (400, 266))
        got = spread_of(pixels, "halation", OPEN, film_width=36, green=1.0)
        for channel in (0, 1):
            self.assertAlmostEqual(float(got[:, :, channel].sum() / pixels[:, :, 0].sum()), 1.0, delta=0.01)

    def test_the_ring_lies_where_total_reflection_sets_in(self) -> None:
        # 8 mm of film on 800 pixels: 100 to the millimetre. Base 0.13 mm, n 1.48: 2 · 0.13 · tan(42.507°) = 0.2383 mm.
        self.assertAlmostEqual(ring_radius(0.13, 1.48), 0.2383, delta=2e-4)
        got = spread_of(impulse(800, 533, (400, 266), 1), "halation", OPEN, film_width=8, base_thickness=0.13, index=1.48, ring=1.0)
        row = got[266, 400:460, 0].astype(float)
        self.assertAlmostEqual(float(np.argmax(row[5:])) + 5, 23.8, delta=1.0)
        self.assertGreater(row[24], 10 * row[10])

    def test_the_skirt_is_exponential(self) -> None:
        got = spread_of(impulse(800, 533, (400, 266), 1), "halation", OPEN, film_width=8, skirt=0.2, ring=0.0)
        away = np.arange(10, 70)
        density = np.log(got[266, 400 + away, 0].astype(float))
        slope = np.polyfit(away, density, 1)[0]
        self.assertAlmostEqual(slope, -1 / (0.2 * 100), delta=0.004)

    def test_red_goes_widest_and_blue_nearly_nowhere(self) -> None:
        total = spread_of(impulse(), "halation", OPEN).sum(axis=(0, 1))
        self.assertGreater(total[0], 3 * total[1])
        self.assertLess(total[2], 0.1 * total[1])


class Edge(unittest.TestCase):
    def test_a_line_lies_on_the_step(self) -> None:
        for at in (300, 317):
            pixels = np.full((400, 600, 3), 0.05, np.float32)
            pixels[:, at:] = 0.7
            lines = render(plate_of(pixels), rig_of(light("edge")), show="stage:under-test:source")[200].sum(axis=1)
            centre = float((lines * (np.arange(600) + 0.5)).sum() / lines.sum())
            self.assertAlmostEqual(centre, at, delta=0.6)
            self.assertLess(int((lines > 0.1 * lines.max()).sum()), 8)

    def test_an_edge_of_colour_alone_counts(self) -> None:
        pixels = np.full((400, 600, 3), 0.0, np.float32)
        pixels[:, :300] = (0.6, 0.1, 0.1)
        grey = float(plate_of(pixels).space.luminance @ np.array([0.6, 0.1, 0.1], np.float32))
        pixels[:, 300:] = (0.1, (grey - 0.1 * 0.2126 - 0.4 * 0.0722) / 0.7152, 0.4)
        lines = render(plate_of(pixels), rig_of(light("edge")), show="stage:under-test:source")
        self.assertGreater(float(lines[200, 295:305].max()), 0.5)

    def test_a_flat_picture_has_none(self) -> None:
        lines = render(plate_of(np.full((300, 400, 3), 0.4, np.float32)), rig_of(light("edge")), show="stage:under-test:source")
        self.assertEqual(float(lines.max()), 0.0)
