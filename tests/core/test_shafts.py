"""Shafts against closed forms of the transport equation."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from scipy.signal import fftconvolve

from aurelon.core import render
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.lights.shafts import FALLOFF_LENGTH, FAR, FAR_GAIN, STRONGEST_BLOCKING
from aurelon.core.lights.shared.disc_glare import GLARE
from tests.pictures import light, plate_of, psnr, rig_of, scene

PLAIN: dict[str, Any] = {"variety": 0, "softness": 0, "falloff": 0, "disc_strength": 0, "aureole_strength": 0, "blocking": 0}


def spread_of(pixels: Any, **spread: Any) -> Any:
    rig = rig_of(light("shafts", source={"threshold": 0.4, "knee": 0.1}, spread={**PLAIN, **spread}))
    return render(plate_of(pixels), rig, show="stage:under-test:spread")


def half_lit(width: int = 800, height: int = 400) -> Any:
    """White on the left half, black on the right."""
    pixels = np.zeros((height, width, 3), np.float32)
    pixels[:, : width // 2] = 1.0
    return pixels


class Shafts(unittest.TestCase):
    def test_an_open_picture_is_lit_evenly(self) -> None:
        for position in ((0.5, 0.5), (-1.5, 0.2), (4.0, 9.0)):
            # How far the source lies beyond the frame, in diagonals.
            across, down = max(-position[0], 0, position[0] - 1), max(-position[1], 0, position[1] - 1)
            off = np.hypot(across * 300, down * 200) / np.hypot(300, 200)
            gain = 1 + (FAR_GAIN - 1) * off**2 / (off**2 + FAR**2)
            np.testing.assert_allclose(spread_of(np.ones((200, 300, 3)), position=position), gain, rtol=2e-3)

    def test_light_decays_exponentially_into_the_dark_by_reach(self) -> None:
        diagonal = np.hypot(800, 400)
        for reach in (0.1, 0.4):
            row = spread_of(half_lit(), mode="parallel", angle=0, reach=reach)[200, :, 0]
            into = np.arange(430, 800) + 0.5 - 400
            np.testing.assert_allclose(row[430:] / FAR_GAIN, np.exp(-into / diagonal / reach), atol=4e-3)

    def test_blocking_adds_to_the_decay(self) -> None:
        diagonal, blocking, reach = np.hypot(800, 400), 0.3, 0.5
        row = spread_of(half_lit(), mode="parallel", angle=0, reach=reach, blocking=blocking)[200, :, 0]
        rate = 1 / reach + STRONGEST_BLOCKING * blocking**2
        into = np.arange(430, 800) + 0.5 - 400
        np.testing.assert_allclose(row[430:] / FAR_GAIN, np.exp(-into / diagonal * rate), atol=4e-3)

    def test_a_far_point_is_the_parallel_mode(self) -> None:
        far = spread_of(scene(), position=(0.5, -10.0), blocking=0.3)
        parallel = spread_of(scene(), mode="parallel", angle=-90, blocking=0.3)
        self.assertLess(float(np.abs(far - parallel).mean()), 0.02)

    def test_rays_start_dark_behind_what_hides_the_source(self) -> None:
        pixels = np.ones((400, 600, 3), np.float32)
        pixels[150:250, 250:350] = 0.0
        lit = spread_of(pixels, position=(0.5, 0.5), reach=0.1, disc_size=0.001)[:, :, 0]
        self.assertLess(lit[200, 345], 0.05)
        self.assertGreater(lit[200, 590], 0.9)

    def test_falloff_halves_at_its_length(self) -> None:
        pixels = np.ones((400, 600, 3), np.float32)
        x = 300 + FALLOFF_LENGTH * np.hypot(600, 400)
        row = spread_of(pixels, position=(0.5, 0.5), falloff=1)[200, :, 0]
        self.assertAlmostEqual(float(np.interp(x - 0.5, np.arange(600), row)), 0.5, delta=0.01)

    def test_where_it_shortens_all_rays_a_tenth_is_left_on_the_circle_of_reach(self) -> None:
        pixels, middle = np.ones((400, 600, 3), np.float32), np.arange(600) + 0.5
        diagonal = np.hypot(600, 400)
        for reach, falloff in ((0.1, 0.0), (0.3, 0.0), (0.3, 1.0)):
            row = spread_of(pixels, position=(0.5, 0.5), reach=reach, falloff=falloff, shortens="everywhere")[200, :, 0]
            self.assertAlmostEqual(float(np.interp(300 + reach * diagonal, middle, row)), 0.1, delta=0.01)
        # Halfway there it has fallen evenly; in the shade alone nothing is lost in the open.
        self.assertAlmostEqual(
            float(
                np.interp(
                    300 + 0.15 * diagonal,
                    middle,
                    spread_of(pixels, reach=0.3, shortens="everywhere", position=(0.5, 0.5))[200, :, 0],
                )
            ),
            10**-0.5,
            delta=0.01,
        )
        np.testing.assert_allclose(spread_of(pixels, position=(0.5, 0.5), reach=0.05), 1.0, rtol=2e-3)
        # A source outside begins where its rays enter.
        above = spread_of(pixels, position=(0.5, -0.5), reach=0.2, shortens="everywhere")[:, 300, 0]
        self.assertAlmostEqual(float(np.interp(0.2 * diagonal, np.arange(400) + 0.5, above / above[0])), 0.1, delta=0.015)

    def test_the_source_fades_nothing_by_leaving_the_frame(self) -> None:
        means = [spread_of(np.ones((200, 300, 3)), position=(0.5, y), falloff=1.5).mean() for y in (0.002, -0.002, -0.006)]
        self.assertLess(max(means) - min(means), 0.03 * max(means))

    def test_the_disc_is_hidden_by_what_stands_in_front(self) -> None:
        pixels = np.ones((400, 600, 3), np.float32)
        pixels[:, 300:] = 0.0
        spread = {**PLAIN, "position": (0.5, 0.5), "disc_strength": 4.0, "disc_size": 0.05, "reach": 0.02, "blocking": 1}
        rig = rig_of(light("shafts", spread=spread))
        dark = rig_of(light("shafts", spread={**spread, "disc_strength": 0}))
        disc = (
            render(plate_of(pixels), rig, show="stage:under-test:spread")
            - render(plate_of(pixels), dark, show="stage:under-test:spread")
        ).sum(axis=2)
        self.assertGreater(disc[200, 285], 3.0)
        self.assertEqual(float(disc[200, 301:].max()), 0.0)

    def test_the_aureole_is_an_exponential_in_the_open(self) -> None:
        spread = {**PLAIN, "position": (0.5, 0.5), "aureole_strength": 1.0, "aureole_size": 0.1, "disc_temperature": 6500}
        lit = rig_of(light("shafts", spread=spread))
        unlit = rig_of(light("shafts", spread={**spread, "aureole_strength": 0}))
        pixels = plate_of(np.ones((400, 600, 3), np.float32))
        glow = render(pixels, lit, show="stage:under-test:spread") - render(pixels, unlit, show="stage:under-test:spread")
        luminance = glow @ pixels.space.luminance
        away = np.arange(320, 590) + 0.5 - 300
        np.testing.assert_allclose(luminance[200, 320:590], np.exp(-away / np.hypot(600, 400) / 0.1), atol=6e-3)

    def test_the_disc_eats_into_what_stands_before_it_by_the_glare_of_a_lens(self) -> None:
        pixels = np.ones((320, 480, 3), np.float32)
        pixels[:, 260:] = 0.0
        sun = {"position": (0.5, 0.5), "disc_strength": 2.0, "disc_size": 0.03, "aureole_size": 0.3, "reach": 0.02}
        without, with_it = (spread_of(pixels, glare=glare, **sun)[:, :, 0] for glare in (0.0, 0.8))
        diagonal = np.hypot(480, 320)
        y, x = np.mgrid[0:320, 0:480] + 0.5
        away = np.hypot(x - 240, y - 160) / diagonal
        disc = np.clip((0.03 - away) * diagonal + 0.5, 0, 1) * 2.0 * (pixels[:, :, 0] > 0)
        expected = np.zeros((320, 480))
        for share, scale in GLARE:
            length = scale * 0.03 * diagonal
            far = np.exp(-np.hypot(*(np.mgrid[-160:161, -160:161])) / length)
            expected += 0.8 * share * fftconvolve(disc, far / far.sum(), mode="same")
        white = (with_it - without)[160, 300] / expected[160, 300]  # the disc has a colour of its own
        self.assertAlmostEqual(float(white), 1.0, delta=0.6)
        there = (x > 262) & (away < 0.25)
        np.testing.assert_allclose((with_it - without)[there], white * expected[there], atol=0.01)
        self.assertGreater(float((with_it - without)[160, 262]), 0.1)

    def test_a_preview_of_the_glare_is_the_export_smaller(self) -> None:
        rig = rig_of(light("shafts", spread={"position": (0.45, 0.4), "glare": 1.0}))
        plate = plate_of(scene(1440, 960))
        whole, small = (encode_array(np.ascontiguousarray(render(plate, rig, size=size))) for size in (None, (360, 240)))
        self.assertGreater(psnr(small, whole.reshape(240, 4, 360, 4, 3).mean(axis=(1, 3))), 40.0)

    def test_variety_makes_bars_of_varied_width_without_a_seam(self) -> None:
        lit = spread_of(np.ones((601, 601, 3)), position=(0.5, 0.5), variety=1.0, count=40)[:, :, 0]
        angle = np.linspace(-np.pi, np.pi, 4000, endpoint=False)
        x = (300 + 250 * np.cos(angle)).round().astype(int)
        y = (300 + 250 * np.sin(angle)).round().astype(int)
        ring = lit[y, x].astype(float)
        steps = np.abs(np.diff(np.append(ring, ring[0])))
        self.assertGreater(ring.max() - ring.min(), 1.0)
        self.assertLessEqual(steps[-1], np.quantile(steps, 0.999))
        crossings = np.flatnonzero(np.diff(np.sign(ring - ring.mean())) != 0)
        widths = np.diff(crossings)
        self.assertGreater(widths.std() / widths.mean(), 0.3)

    def test_another_seed_gives_other_rays_and_the_same_seed_the_same(self) -> None:
        one, again, two = (spread_of(np.ones((100, 150, 3)), variety=1, seed=s) for s in (1, 1, 2))
        np.testing.assert_array_equal(one, again)
        self.assertGreater(float(np.abs(one - two).mean()), 0.05)

    def test_softness_blurs_across_and_keeps_the_mean(self) -> None:
        lit = [spread_of(np.ones((400, 400, 3)), position=(0.5, 0.5), variety=1, softness=s)[:, :, 0] for s in (0, 12)]
        self.assertLess(lit[1].std(), 0.6 * lit[0].std())
        self.assertAlmostEqual(float(lit[1].mean()), float(lit[0].mean()), delta=0.03)
