"""Jobs with light that is made: painted, drawn, laid through openings, out of noise."""

from __future__ import annotations

import urllib.request

import numpy as np

from aurelon.core import Plate, read_plate
from tests.workflows.hand import Job


class Painted(Job):
    def test_seven_strokes_of_light_on_water_smeared_rippled_and_softened(self) -> None:
        """Painted light on water"""
        self.on("Headland at dawn", "headland")
        self.new("Strokes")
        for k in range(7):
            y = 0.62 + 0.05 * k
            self.drag((0.72, y), (0.8, y + 0.01), (0.9, y))
        self.key("Escape")
        self.typed("Ripple", "2")
        self.typed("Intensity", "2")
        self.new("Velvet")
        strokes = self.light(0)
        self.assertEqual(len(strokes["source"]["strokes"]), 7)
        self.assertEqual(strokes["merge"]["mode"], "relight")
        light = self.of(0)
        self.assertGreater(self.about(light, (0.8, 0.78)), 10 * self.about(light, (0.2, 0.3)))
        self.within(14)

    def test_eight_lines_of_three_widths_to_one_point_masked_turned_and_scaled(self) -> None:
        """Painted rays to one point"""
        self.on("Night over Merrow Point", "headland")
        self.new("Strokes")
        for k in range(8):
            if k in (3, 6):
                self.key(".")
            x = 0.15 + 0.1 * k
            self.drag((x, 0.95), (0.3 + 0.4 * x, 0.55))
        self.key("n")
        for y in (0.9, 0.94, 0.98):
            self.drag((0.1, y), (0.4, y))
        self.key("Escape")
        self.pick("Smear", "Away")
        self.typed("Distance", "20")
        strokes = self.light(0)["source"]["strokes"]
        self.assertEqual(len({stroke["size"] for stroke in strokes}), 3)
        self.assertEqual(len(self.light(0)["mask"]["parts"][0]["strokes"]), 3)
        started = [stroke["points"] for stroke in strokes]
        self.grip("Turn all: strokes", 40, 20)
        self.grip("Scale all: strokes, corner 1", 30, 20)
        ended = [stroke["points"] for stroke in self.light(0)["source"]["strokes"]]
        self.assertEqual([len(points) for points in ended], [len(points) for points in started])
        self.assertLess(self.light(0)["source"]["strokes"][0]["size"], strokes[0]["size"])
        self.within(
            18,
            over=4,
            why="eight lines, three strokes and two sizes of the brush are the hand's own, and nothing can make them fewer",
        )

    def test_a_level_centred_line_with_haze_and_faint_sparkles_in_the_sky_only(self) -> None:
        """A tube of light, and sparkles in the sky"""
        self.on("Headland at dawn", "headland")
        self.new("Line")
        self.carry(self.corner("Path", 1), (0.3, 0.2))
        self.carry(self.corner("Path", 2), (0.7, 0.203))
        self.typed("Haze", "30")
        self.typed("Glow", "70")
        self.new("Glints")
        self.behind("Foreground")
        self.typed("Intensity", "0.6")
        path = self.light(0)["source"]["path"]
        self.assertAlmostEqual(path[0][1], path[1][1], places=3)
        sparkles = self.of(1)
        self.assertLess(self.about(sparkles, (0.5, 0.9), 0.1), 1e-4)
        self.assertGreater(float(sparkles[:80].max()), 0.05)
        self.within(13)


class Streams(Job):
    def test_three_beams_through_three_openings_widening_soft_fading_and_warm(self) -> None:
        """Beams through three openings"""
        self.on("Boatshed", "boatshed")
        self.new("Beam")
        self.press("Add one more")
        self.rested()
        self.press("Add one more")
        self.rested()
        self.typed("Penumbra", "80")
        self.typed("Fade", "60")
        self.typed("Temperature", "3600")
        self.carry(self.corner("Beams 3", 4), (0.3, 0.95))
        beam = self.light()
        self.assertEqual(len(beam["source"]["beams"]), 3)
        self.assertEqual((beam["spread"]["penumbra"], beam["colour"]["temperature"]), (0.8, 3600))
        for quad in beam["source"]["beams"]:
            top, bottom = np.subtract(quad[1], quad[0]), np.subtract(quad[2], quad[3])
            self.assertGreater(np.hypot(*bottom), np.hypot(*top))
        self.assertGreater(float(self.lit().max()), 0.05)
        self.within(12)

    def test_two_streams_from_both_sides_behind_a_figure_with_a_shoulder_restored(self) -> None:
        """Two streams of rays behind a figure"""
        self.on("Headland at dawn", "headland")
        self.new("Fan")
        self.carry(self.handle("Position"), (0.2, 0.02))
        self.behind("Lighthouse")
        self.typed("Intensity", "0.8")
        self.new("Fan")
        self.carry(self.handle("Position"), (0.75, 0.02))
        self.behind("Lighthouse")
        before = self.about(self.of(1), (0.47, 0.4), 0.01)
        self.key("n")
        self.page.keyboard.down("Alt")
        self.drag((0.46, 0.4), (0.48, 0.4))
        self.page.keyboard.up("Alt")
        self.chip("House light")
        self.typed("Level", "0.85")
        self.assertGreater(self.about(self.of(1), (0.47, 0.4), 0.01), before)
        self.assertEqual(self.light(0)["merge"]["intensity"], 0.8)
        self.within(16)

    def test_noise_rays_with_levels_and_overlay_faded_at_the_ground_and_a_sun_behind_the_land(self) -> None:
        """Rays faded at the ground, and a sun behind the land"""
        self.on("Headland at dawn", "headland")
        self.new("Fan")
        self.pull(self.page.get_by_role("slider", name="Black of the light"), 25)
        self.pull(self.page.get_by_role("slider", name="White of the light"), -30)
        self.pick("Blend mode", "Overlay")
        self.part("Linear gradient")
        self.carry(self.handle("End"), (0.5, 0.7))
        self.new("Shafts")
        self.carry(self.handle("Position"), (0.47, 0.4))
        self.behind("Lighthouse")
        fan, sun = self.rig(self.plate)["lights"]
        self.assertEqual((fan["merge"]["mode"], sun["behind"]["matte"]), ("overlay", self.rig(self.plate)["mattes"][0]["id"]))
        self.assertLess(self.about(self.of(0), (0.3, 0.92)), 0.02 * self.about(self.of(0), (0.5, 0.1)))
        self.within(20)

    def test_rays_from_noise_behind_a_head_with_a_seed_from_a_strip_painted_in(self) -> None:
        """Rays behind a head, their pattern picked by eye"""
        self.on("Headland at dawn", "headland")
        self.new("Fan")
        self.press("Test strip of Seed")
        cells = self.page.get_by_role("group", name="Test strip").get_by_role("button")
        cells.nth(2).wait_for()
        self.click(cells.nth(2))
        self.rested()
        self.typed("Turn", "10")
        self.pull(self.page.get_by_role("slider", name="Black of the light"), 25)
        self.typed("Temperature", "3400")
        self.typed("Softness", "1.5")
        self.key("n")
        for y in (0.2, 0.28, 0.36):
            self.drag((0.25, y), (0.7, y))
        self.key("i")
        self.rested()
        self.behind("Lighthouse")
        fan = self.light()
        self.assertNotEqual(fan["source"]["seed"], 1)
        self.assertLess(self.about(self.of(0), (0.1, 0.9)), 1e-4)
        self.assertGreater(self.about(self.of(0), (0.6, 0.28)), 1e-3)
        self.within(18)


class FromNothing(Job):
    home = True

    def blank(self) -> Plate:
        self.page.get_by_role("button", name="New blank plate…").click()
        self.page.get_by_role("dialog").get_by_role("button", name="Create").click()
        self.page.wait_for_url("**/plates/*")
        self.rested()
        self.plate = int(self.page.url.rsplit("/", 1)[1])
        with urllib.request.urlopen(f"{self.service.url}/api/plates/{self.plate}/file") as answer:
            return read_plate(answer.read(), "blank.png")

    def test_a_scene_from_nothing(self) -> None:
        """A scene from nothing"""
        self.source = self.blank()
        self.new("Water")
        for number, to in ((1, (0.0, -0.05)), (2, (1.0, -0.05)), (3, (0.75, 0.4)), (4, (0.25, 0.4))):
            self.carry(self.corner("Quads 1", number), to)
        (quad,) = self.light()["spread"]["quads"]
        np.testing.assert_allclose(quad, ((0.0, -0.05), (1.0, -0.05), (0.75, 0.4), (0.25, 0.4)), atol=0.02)
        self.new("Fan")
        self.carry(self.handle("Position"), (0.5, 0.0))
        self.typed("Reach", "90")
        self.typed("Softness", "2")
        self.part("Linear gradient")
        self.carry(self.handle("End"), (0.5, 0.95))
        self.chip("Plate")
        self.typed("Exposure", "-0.3")
        self.new("Velvet")
        light = self.lit()
        self.assertGreater(self.about(light, (0.5, 0.15), 0.1), 3 * self.about(light, (0.1, 0.97)))
        self.within(24)
