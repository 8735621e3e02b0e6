"""Large plates: what does not fit the cache as a whole is read in bands, with the same bits, and never made again for each band."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np

from aurelon.core import Renderer, Rig
from aurelon.core.graph import nodes, resolve
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.grading import MID_GREY, MIRED_REACH, prepare, under_house_light
from aurelon.core.imaging import memory, picture_rows
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.colour import NEUTRAL_KELVIN, white_balance
from aurelon.core.imaging.fastmath import encode_array, log2, power
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import inlined
from aurelon.core.imaging.merging import lay
from aurelon.core.imaging.picture_rows import PictureRows
from aurelon.core.imaging.rgb_space import SRGB, RgbSpace
from aurelon.core.lights.shared.highlights import HighlightSource, highlights
from aurelon.core.lights.shared.kind import Reading
from aurelon.core.rig.model import HouseLight, Prepare
from tests.pictures import light, plate_of, rig_of, scene

GRADINGS = (
    {"exposure": -0.35, "contrast": 0.08, "saturation": 0.05},
    {"contrast": 1.0},
    {"contrast": -1.0, "temperature": 0.5},
    {"saturation": -1.0},
    {"exposure": 2.0, "saturation": 1.0},
)

RIG = rig_of(
    light("shafts", id="shafts", spread={"position": [0.4, 0.3]}),
    light("bloom", id="bloom", look_at="below", mask={"start": "nothing", "parts": [{"part": "tones", "low": 0.6}]}),
    light("flare", id="flare"),
    light("lamp", id="lamp"),
    prepare={"exposure": -0.35, "contrast": 0.1, "headroom": 1.0},
    house={"level": 0.9},
)


def prepared_exactly(pixels: Floats, settings: Prepare, space: RgbSpace) -> Floats:
    """The formulae of preparation, step by step in double precision."""
    kelvin = 1e6 / (1e6 / NEUTRAL_KELVIN + MIRED_REACH * settings.temperature)
    result = pixels.astype(np.float64) * white_balance(kelvin, 0.0, space) * 2.0**settings.exposure
    luminance = result @ space.luminance
    result *= (np.maximum(luminance, 1e-6) / MID_GREY)[:, :, None] ** (2.0**settings.contrast - 1)
    grey = (result @ space.luminance)[:, :, None]
    return np.maximum(grey + (result - grey) * (1 + settings.saturation), 0).astype(np.float32)


class Preparing(unittest.TestCase):
    def test_preparation_follows_its_formulae(self) -> None:
        pixels = np.random.default_rng(1).uniform(0, 2, (40, 60, 3)).astype(np.float32)
        pixels[:5] = 0
        pixels[5:10] *= 1e-4
        for settings in GRADINGS:
            with self.subTest(settings=settings):
                result = prepare(pixels, Prepare.model_validate(settings), SRGB)
                wanted = prepared_exactly(pixels, Prepare.model_validate(settings), SRGB)
                np.testing.assert_allclose(result, wanted, rtol=2e-6, atol=5e-6)

    def test_house_light_reaches_as_far_as_its_mask(self) -> None:
        pixels = np.random.default_rng(1).uniform(0, 2, (40, 60, 3)).astype(np.float32)
        mask = np.random.default_rng(2).uniform(0, 1, (40, 60)).astype(np.float32)
        house = HouseLight(level=0.5, temperature=3200)
        lit = pixels * white_balance(3200, 0.0, SRGB) * 0.5
        np.testing.assert_allclose(under_house_light(pixels, house, SRGB), lit, rtol=1e-6)
        wanted = pixels + (lit - pixels) * mask[:, :, None]
        np.testing.assert_allclose(under_house_light(pixels, house, SRGB, mask), wanted, rtol=1e-5)

    def test_powers_keep_their_bounds(self) -> None:
        x = np.geomspace(1e-6, 1e6, 4001).astype(np.float32)

        @inlined
        def logarithms(x: Floats, out: Floats) -> None:
            for i in range(x.size):
                out[i] = log2(x[i])

        @inlined
        def powers(x: Floats, exponent: np.float32, out: Floats) -> None:
            for i in range(x.size):
                out[i] = power(x[i], exponent)

        out, exact = np.empty_like(x), np.log2(x.astype(np.float64))
        logarithms(x, out)
        self.assertLess(float((np.abs(out - exact) / np.maximum(np.abs(exact), 2)).max()), 2e-7)
        for exponent in (-4.0, -0.5, 0.0557, 1.0, 4.0):
            powers(x, np.float32(exponent), out)
            exact = x.astype(np.float64) ** exponent
            held = (exact > 2.0**-120) & (exact < 2.0**120)
            self.assertLess(float(np.abs(out[held] / exact[held] - 1).max()), 5e-6, exponent)


class InBands(unittest.TestCase):
    def test_a_reduction_has_the_same_bits_whatever_the_bands(self) -> None:
        pixels = scene(301, 203)
        frames = (Frame.whole((100, 67)), Frame.whole((300, 202)), Frame(150, 101, 20, 7, 140, 90), Frame.whole((301, 203)))
        settings = HighlightSource(threshold=0.4, knee=0.2)
        for frame in frames:
            whole = PictureRows.of(pixels)
            bands = PictureRows(whole.size, lambda y0, y1: pixels[y0:y1].copy(), band_pixels=301 * 9)
            with self.subTest(frame=frame):
                np.testing.assert_array_equal(bands.reduced_to(frame), whole.reduced_to(frame))
                of_whole, of_bands = (highlights(Reading(rows, SRGB, None), settings, frame) for rows in (whole, bands))
                np.testing.assert_array_equal(of_bands, of_whole)

    def test_no_more_than_a_band_is_asked_for_at_once(self) -> None:
        asked: list[int] = []

        def rows(y0: int, y1: int) -> Floats:
            asked.append(y1 - y0)
            return np.zeros((y1 - y0, 400, 3), np.float32)

        PictureRows((400, 900), rows, band_pixels=400 * 30).reduced_to(Frame.whole((40, 90)))
        self.assertLessEqual(max(asked), 31)
        self.assertGreaterEqual(sum(asked), 900)


class NotFitting(unittest.TestCase):
    """A plate of which no whole picture fits the cache; wider than the version on which things are detected."""

    def setUp(self) -> None:
        self.plate = plate_of(scene(1600, 240))
        self.frame = Frame.whole(self.plate.size)

    def rendered(self, rig: Rig, share: float) -> Floats:
        with (
            mock.patch.object(nodes, "LARGEST_SHARE", share),
            mock.patch.object(picture_rows, "BAND_PIXELS", 1600 * 16),
            mock.patch("aurelon.core.masks.shared.part.BAND_PIXELS", 1600 * 16),
            mock.patch("aurelon.core.graph.renderer.BAND_PIXELS", 1600 * 10),
        ):
            return Renderer(self.plate).render(rig)

    def test_it_is_lit_with_the_same_bits(self) -> None:
        np.testing.assert_array_equal(self.rendered(RIG, 0.0), self.rendered(RIG, 1.0))

    def test_its_preparation_is_not_made_again_for_every_band(self) -> None:
        result: list[int] = []

        def counting(pixels: Floats, settings: Prepare, space: RgbSpace) -> Floats:
            result.append(pixels.shape[0] * pixels.shape[1])
            return prepare(pixels, settings, space)

        with mock.patch.object(resolve, "prepare", counting):
            self.rendered(RIG, 0.0)
        pixels = self.plate.pixels.shape[0] * self.plate.pixels.shape[1]
        # Once for each of its readers and once for the bands themselves, of which there are 24.
        self.assertLess(sum(result) / pixels, 10)
        self.assertLess(max(result), pixels)

    def test_no_more_is_kept_between_bands_than_is_allowed(self) -> None:
        caches: list[Cache] = []

        class Noted(Cache):
            def __init__(self, most_bytes: int) -> None:
                super().__init__(most_bytes)
                caches.append(self)

        unbounded = Renderer(self.plate).render(RIG)
        with (
            mock.patch.object(memory, "_working", [8 << 20]),
            mock.patch("aurelon.core.graph.renderer.Cache", Noted),
            mock.patch("aurelon.core.graph.nodes.Cache", Noted),
            mock.patch("aurelon.core.graph.renderer.BAND_PIXELS", 1600 * 40),
        ):
            memory.bound_working(4 << 20)
            memory.bound_working(64 << 20)  # what is bounded once is not let go again
            bounded = Renderer(self.plate).render(RIG)
        np.testing.assert_array_equal(bounded, unbounded)
        self.assertLessEqual(max(cache.most_bytes for cache in caches), 4 << 20)


if __name__ == "__main__":
    unittest.main()


class DraftsOfAFinish(unittest.TestCase):
    """A finish that reads the lit picture takes it from the picture in hand while something is dragged."""

    def setUp(self) -> None:
        self.plate = plate_of(scene(900, 600))
        self.rig = rig_of(light("bloom", id="bloom"), light("lamp", id="lamp"), light("velvet", id="velvet"))
        self.frame = Frame.whole((900, 600))

    def drawn(self, *, draft: bool) -> tuple[Floats, int]:
        """The picture, and how often light was laid for it."""
        with mock.patch("aurelon.core.graph.light_nodes.lay", wraps=lay) as laid:
            pixels = Renderer(self.plate, Cache(1 << 28)).part(self.rig, self.frame, draft=draft)
        return pixels, laid.call_count

    def test_a_draft_lays_each_light_once(self) -> None:
        self.assertEqual(self.drawn(draft=True)[1], 3)

    def test_the_exact_picture_lights_the_smaller_version_that_the_finish_reads(self) -> None:
        self.assertEqual(self.drawn(draft=False)[1], 3 + 2)

    def test_the_draft_is_as_near_to_the_exact_picture_as_other_drafts(self) -> None:
        draft, exact = self.drawn(draft=True)[0], self.drawn(draft=False)[0]
        off = np.abs(encode_array(draft) - encode_array(exact))
        self.assertLess(float(np.sqrt((off**2).mean())), 0.004)
