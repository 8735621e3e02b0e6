"""Straighten, crop, levels, match, test strips and numbers to judge by."""

from __future__ import annotations

import unittest
import warnings
from dataclasses import replace
from typing import Any
from unittest import mock

import numpy as np
from scipy.ndimage import rotate

from aurelon.core import RigError, check_rig, render
from aurelon.core.analysis.colour_match import match_colour
from aurelon.core.analysis.measure import FoundPoint, measure
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.grading import levels_of
from aurelon.core.graph.renderer import seen_frame
from aurelon.core.imaging.blend.modes import MODE_NAMES
from aurelon.core.imaging.colour import temperature_of, temperature_rgb
from aurelon.core.imaging.crop_and_straighten import largest_box
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.merging import LightSample, picture_of
from aurelon.core.imaging.rgb_space import DISPLAY_P3, SRGB
from aurelon.core.lights import kinds
from aurelon.core.plate import read_plate
from aurelon.core.rig.test_strip import GRID_STEPS, SettingPath, Variant, stepped
from aurelon.core.settings import settings_of
from tests.pictures import every_kind, exported, light, plate_of, psnr, renderer_of, rig_of, scene

HALF = {"x0": 0.25, "y0": 0.1, "x1": 0.75, "y1": 0.85}


class Opening(unittest.TestCase):
    def test_a_crop_is_that_part_of_the_lit_picture_for_every_kind(self) -> None:
        plate = plate_of(scene(800, 400))
        for kind in every_kind():
            whole = render(plate, rig_of(light(kind)))
            part = render(plate, rig_of(light(kind), prepare={"crop": HALF}))
            np.testing.assert_allclose(part, whole[40:340, 200:600], atol=3e-6, err_msg=kind)

    def test_lifting_the_crop_gives_the_whole_picture_back(self) -> None:
        plate, cache = plate_of(scene()), Cache(1 << 28)
        before = render(plate, rig_of(light("bloom")), cache=cache)
        render(plate, rig_of(light("bloom"), prepare={"crop": HALF, "straighten": 4}), cache=cache)
        np.testing.assert_array_equal(render(plate, rig_of(light("bloom"), prepare={"crop": None}), cache=cache), before)

    def test_straightening_turns_as_another_library_does(self) -> None:
        pixels = scene(420, 300)
        rig = rig_of(prepare={"straighten": 7.0, "crop": {"x0": 0, "y0": 0, "x1": 1, "y1": 1}})
        wanted = rotate(pixels, 7.0, axes=(1, 0), reshape=False, order=3, mode="nearest")
        got = render(plate_of(pixels), rig)
        inner = slice(60, 240), slice(80, 340)
        self.assertGreater(psnr(got[inner], np.maximum(wanted[inner], 0)), 32)

    def test_a_tilted_horizon_lies_level_afterwards(self) -> None:
        y, x = np.mgrid[0:400, 0:600]
        pixels = np.where(y > 200 + (x - 300) * np.tan(np.deg2rad(5)), 0.05, 0.8)[:, :, None].repeat(3, 2)
        level = render(plate_of(pixels), rig_of(prepare={"straighten": 5.0}))
        rows = np.argmax(level[:, :, 0] < 0.4, axis=0)
        self.assertLessEqual(int(rows.max() - rows.min()), 1)

    def test_without_a_crop_no_empty_corner_is_seen(self) -> None:
        for size in ((600, 400), (400, 600), (500, 500)):
            for angle in (3.0, -20.0, 45.0):
                box = largest_box(angle, size)
                turn = np.deg2rad(angle)
                for x in (box.x0, box.x1):
                    for y in (box.y0, box.y1):
                        u, v = (x - 0.5) * size[0], (y - 0.5) * size[1]
                        px = u * np.cos(turn) - v * np.sin(turn)
                        py = u * np.sin(turn) + v * np.cos(turn)
                        self.assertLessEqual(abs(px), size[0] / 2 + 1e-6)
                        self.assertLessEqual(abs(py), size[1] / 2 + 1e-6)

    def test_an_export_has_the_crops_size_and_a_smaller_one_its_shape(self) -> None:
        plate = plate_of(scene(800, 400))
        rig = rig_of(light("shafts"), prepare={"crop": HALF, "straighten": -3})
        full = read_plate(exported(plate, rig, "png", "16"), "a.png")
        self.assertEqual(full.size, (400, 300))
        small = read_plate(exported(plate, rig, "png", "16", size=(100, 75)), "a.png")
        reduced = full.pixels.reshape(75, 4, 100, 4, 3).mean(axis=(1, 3))
        self.assertGreater(psnr(small.pixels, reduced), 38)
        self.assertEqual(seen_frame(plate, rig, (100, 75)).shape, (75, 100))

    def test_crops_that_cannot_be_are_refused(self) -> None:
        bad: tuple[dict[str, Any], ...] = ({"x0": 0.5, "x1": 0.5}, {"x0": -0.1}, {"x1": 1.2}, {"y0": 0.9, "y1": 0.2})
        for crop in bad:
            with self.assertRaises(RigError):
                check_rig({"prepare": {"crop": crop}})


class Colour(unittest.TestCase):
    def test_temperature_of_a_light_comes_back(self) -> None:
        for space in (SRGB, DISPLAY_P3):
            for kelvin, tint in ((2400.0, 0.0), (5200.0, 0.4), (9000.0, -0.3)):
                found = temperature_of(temperature_rgb(kelvin, tint, space) * np.float32(0.3), space)
                self.assertAlmostEqual(found[0] / kelvin, 1.0, delta=0.01)
                self.assertAlmostEqual(found[1], tint, delta=0.02)

    def test_temperature_agrees_with_colour_science(self) -> None:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            from colour import XYZ_to_xy
            from colour.temperature import xy_to_CCT
        for rgb in ((1.0, 0.8, 0.6), (0.7, 0.8, 1.0), (1.0, 1.0, 1.0)):
            xyz = np.linalg.inv(SRGB.from_d65) @ np.array(rgb)
            wanted = float(xy_to_CCT(XYZ_to_xy(xyz), method="Hernandez 1999"))
            self.assertAlmostEqual(temperature_of(np.array(rgb, np.float32), SRGB)[0] / wanted, 1.0, delta=0.02)

    def test_match_reads_the_plate_at_the_source_of_a_light_or_in_the_middle(self) -> None:
        pixels = np.full((200, 300, 3), 0.2, np.float32)
        pixels[:, 200:] = temperature_rgb(3000.0, 0.0, SRGB) * np.float32(0.3)
        points = light("starburst", source={"placed": [[0.9, 0.5], [0.1, 0.5]], "threshold": 1.0})
        aside = light("shafts", spread={"mode": "parallel", "position": [0.9, 0.5]})  # its place does not count
        for one, kelvin in (
            (points, 3000),
            (light("shafts", spread={"position": [0.9, 0.5]}), 3000),
            (aside, 6500),
            (light("bloom"), 6500),
        ):
            found, _ = match_colour(renderer_of(pixels), rig_of(one), None, "under-test")
            self.assertAlmostEqual(found, kelvin, delta=120)

    def test_match_reads_the_plate_at_the_spot(self) -> None:
        pixels = np.full((200, 300, 3), 0.2, np.float32)
        pixels[:, 150:] = temperature_rgb(3000.0, 0.0, SRGB) * np.float32(0.3)
        kelvin, _ = match_colour(renderer_of(pixels), rig_of(), (0.9, 0.5))
        self.assertAlmostEqual(kelvin, 3000, delta=60)
        pixels[95:105, 220:230] = 1.0  # a lamp that is clipped has no colour of its own
        kelvin, _ = match_colour(renderer_of(pixels), rig_of(), (0.75, 0.5))
        self.assertAlmostEqual(kelvin, 3000, delta=60)
        kelvin, _ = match_colour(renderer_of(pixels), rig_of(), (-0.4, 0.5))
        self.assertAlmostEqual(kelvin, 6500, delta=120)

    def test_levels_are_black_white_and_a_power(self) -> None:
        ramp = np.linspace(0, 2, 301, dtype=np.float32)[None, :, None].repeat(3, 2)
        rig = rig_of(light("shafts", colour={"black": 0.1, "white": 0.6, "gamma": 2.0}))
        t = np.clip((ramp - 0.1) / 0.5, 0, None)
        wanted = np.where(t < 1, np.sqrt(t), 1 + (t - 1) / 2)
        np.testing.assert_allclose(
            picture_of(LightSample(drawn=ramp), Frame.whole((301, 1)), SRGB.luminance, levels_of(rig.stack[0].colour)),
            wanted,
            atol=1e-5,
        )
        plate = plate_of(scene())
        plain = render(plate, rig_of(light("shafts")), show="stage:under-test:colour")
        raised = render(plate, rig_of(light("shafts", colour={"black": 0.3})), show="stage:under-test:colour")
        self.assertEqual(float(raised[plain.max(axis=2) < 0.29].max(initial=0)), 0.0)


class Strips(unittest.TestCase):
    def setUp(self) -> None:
        self.rig = rig_of(light("bloom"), {**light("shafts"), "id": "rays"})

    def swept(self, *paths: SettingPath, light_id: str = "under-test", span: float = 1.0) -> list[Variant]:
        return stepped(self.rig, light_id, list(paths), span).variants

    def test_seven_steps_cover_the_range_evenly_in_the_sliders_travel(self) -> None:
        values = [v.values[0][1] for v in self.swept(SettingPath("spread", "radius"))]
        self.assertEqual((len(values), values[0], values[-1]), (7, 0.002, 0.3))
        travel = np.sqrt((np.array(values) - 0.002) / 0.298)
        # But for the present value, which stands in place of the step that is nearest to it.
        off = np.abs(travel - np.arange(7) / 6)
        self.assertEqual(int((off > 0.01).sum()), 1)
        self.assertEqual([v.present for v in self.swept(SettingPath("spread", "radius"))].count(True), 1)
        self.assertLess(float(off.max()), 1 / 12)

    def test_a_narrower_span_is_centred_on_the_present_value(self) -> None:
        cells = self.swept(SettingPath("merge", "opacity"), span=0.25)
        self.assertEqual([round(c.values[0][1], 2) for c in cells][-1], 1.0)
        self.assertAlmostEqual(cells[0].values[0][1], 0.75)
        self.assertTrue(cells[-1].present)

    def test_a_grid_and_every_choice(self) -> None:
        strip = stepped(self.rig, "under-test", [SettingPath("spread", "radius"), SettingPath("spread", "falloff")])
        self.assertEqual((len(strip.variants), strip.columns), (GRID_STEPS**2, GRID_STEPS))
        self.assertEqual(strip.variants[1].values[1], strip.variants[0].values[1])
        modes = self.swept(SettingPath("merge", "mode"))
        self.assertEqual([v.values[0][1] for v in modes], list(MODE_NAMES))
        self.assertEqual([v.values[0][1] for v in modes if v.present], ["expose"])
        self.assertEqual(modes[3].rig.stack[0].merge.mode, MODE_NAMES[3])
        with_modes = stepped(self.rig, "under-test", [SettingPath("merge", "mode"), SettingPath("merge", "opacity")])
        self.assertEqual(with_modes.columns, len(MODE_NAMES))

    def test_the_seed_of_every_kind_is_stepped_through_wherever_it_stands(self) -> None:
        found = 0
        for kind in every_kind():
            for stage in ("source", "spread"):
                for name, setting in settings_of(type(getattr(rig_of(light(kind)).stack[0], stage))):
                    if setting.type != "seed":
                        continue
                    found += 1
                    strip = stepped(rig_of(light(kind, **{stage: {name: 9990}})), "under-test", [SettingPath(stage, name)])
                    values = [v.values[0][1] for v in strip.variants]
                    self.assertEqual((len(set(values)), values[0], max(values)), (12, 9990, 9999), kind)
        self.assertGreaterEqual(found, 8)

    def test_what_cannot_be_swept_is_refused(self) -> None:
        for paths, light_id in (
            ([SettingPath("spread", "moon")], "under-test"),
            ([SettingPath("sky", "radius")], "under-test"),
            ([SettingPath("colour", "picked")], "under-test"),
            ([], "under-test"),
            ([SettingPath("spread", "radius")] * 3, "under-test"),
            ([SettingPath("merge", "mode")], "nobody"),
        ):
            with self.assertRaises(RigError):
                self.swept(*paths, light_id=light_id)

    def test_stages_above_the_changed_one_are_computed_once(self) -> None:
        for kind in ("bloom", "shafts"):
            kinds_spread, laid = kinds()[kind].spread, mock.Mock(side_effect=kinds()[kind].spread)
            self.assertIsNot(kinds_spread, laid)
            cache = Cache(1 << 28)
            with mock.patch.dict(kinds(), {kind: replace(kinds()[kind], spread=laid)}):
                for variant in self.swept(SettingPath("merge", "intensity")):
                    render(plate_of(scene()), variant.rig, size=(160, 107), cache=cache)
            self.assertEqual(laid.call_count, 1, kind)


class Judging(unittest.TestCase):
    def test_histograms_and_clipping_agree_with_numpy(self) -> None:
        pixels = scene(300, 200)
        pixels[:20] = 1.5
        facts = measure(renderer_of(pixels), rig_of(), None)
        codes = np.where(pixels <= 0.0031308, 12.92 * pixels, 1.055 * np.minimum(pixels, 1) ** (1 / 2.4) - 0.055)
        wanted = np.histogram(codes[:, :, 0], 96, (0, 1))[0] / codes[:, :, 0].size
        np.testing.assert_allclose(facts.before.red, wanted, atol=2e-3)
        self.assertAlmostEqual(facts.after.clipped, 0.1, delta=0.002)

    def test_a_light_that_lights_nothing_says_what_to_change(self) -> None:
        plate = plate_of(np.full((60, 80, 3), 0.02, np.float32))
        for kind in ("bloom", "shafts", "halation", "edge", "starburst", "flare"):
            says = measure(renderer_of(plate), rig_of(light(kind, source={"threshold": 0.9})), "under-test").says
            self.assertIn("Source", says["under-test"], kind)
        bright = measure(renderer_of(scene()), rig_of(light("bloom", source={"threshold": 0.3})), "under-test")
        self.assertEqual(bright.says, {})
        assert bright.of_light is not None
        self.assertAlmostEqual(sum(bright.of_light.shares), 1.0, places=5)

    def test_points_are_told_with_those_that_are_off(self) -> None:
        pixels = np.full((200, 300, 3), 0.02, np.float32)
        pixels[50:53, 70:73] = pixels[150:153, 200:203] = 1.0

        def points(source: dict[str, Any]) -> list[FoundPoint]:
            facts = measure(renderer_of(pixels), rig_of(light("starburst", source=source)), "under-test")
            assert facts.of_light is not None
            return facts.of_light.points or []

        first = points({})
        self.assertEqual([p.on for p in first], [True, True])
        source = {"switched_off": [[first[0].x, first[0].y]], "placed": [[0.5, 0.5]]}
        self.assertEqual([(p.found, p.on) for p in points(source)], [(True, True), (False, True), (True, False)])
