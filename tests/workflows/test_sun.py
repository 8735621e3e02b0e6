"""Jobs with a sun: rays that the picture makes, blocks and is lit by."""

from __future__ import annotations

from tests.workflows.hand import Job

SKY = (0.25, 0.2)
GROUND = (0.2, 0.92)


class Sun(Job):
    def test_a_sun_behind_a_foreground_that_lets_a_little_through(self) -> None:
        """A sun behind what stands before the sky"""
        self.on("Headland at dawn", "headland")
        self.new("Shafts")
        self.carry(self.handle("Position"), (0.47, 0.35))
        self.behind("Foreground")
        self.typed("Spill", "20")
        self.carry(self.handle("Position"), (0.49, 0.34))
        self.typed("Spill", "10")
        light = self.of(0)
        self.assertGreater(self.about(light, (0.53, 0.3)), 5 * self.about(light, (0.47, 0.45), 0.01))
        self.assertGreater(self.about(light, (0.47, 0.45), 0.01), 0)
        self.assertLess(self.about(light, (0.2, 0.8)), 0.2 * self.about(light, (0.53, 0.3)))
        self.within(8)

    def test_a_picture_straightened_with_a_sun_behind_a_wall_and_then_in_a_window(self) -> None:
        """A straightened picture, a sun behind a wall and in a window"""
        self.on("Boatshed", "boatshed")
        self.chip("Plate")
        self.typed("Straighten", "1.5")
        self.new("Shafts")
        self.carry(self.handle("Position"), (0.3, 0.35))
        self.carry(self.handle("Position"), (0.62, 0.42))
        self.typed("Reach", "12")
        self.typed("Count", "9")
        self.typed("Opacity", "70")
        light = self.lit()
        self.assertEqual(self.rig(self.plate)["prepare"]["straighten"], 1.5)
        self.assertGreater(self.about(light, (0.62, 0.42)), 0.02)
        self.assertLess(self.about(light, (0.05, 0.95)), 0.2 * self.about(light, (0.62, 0.42)))
        self.within(9)

    def test_a_sun_behind_branches_in_two_warmths_with_a_soft_finish(self) -> None:
        """A sun behind branches, with a soft finish"""
        self.on("Headland at dawn", "headland")
        self.chip("Plate")
        self.typed("Exposure", "0.6")
        self.new("Shafts")
        self.carry(self.handle("Position"), (0.3, 0.55))
        self.typed("Reach", "70")
        self.typed("Blocking", "60")
        self.typed("Disc strength", "1.6")
        self.typed("Aureole strength", "0.9")
        self.typed("Count", "70")
        self.press("Another")
        self.typed("Temperature", "3800")
        check = self.page.get_by_role("checkbox", name="Coloured like the rays")
        self.click(self.page.locator("label").filter(has=check), "Switch *Coloured like the rays* off.")
        self.rested()
        self.typed("Disc temperature", "5200")
        self.new("Velvet")
        kept = self.light(0)
        self.assertEqual((kept["spread"]["disc_temperature"], kept["colour"]["temperature"]), (5200, 3800))
        self.assertGreater(self.about(self.of(0), (0.3, 0.5), 0.06), 0.02)
        self.within(15, 1, "a disc has the warmth of its rays until that is switched off")

    def test_a_source_off_the_frame_farther_and_nearer_painted_back_at_the_top(self) -> None:
        """A source outside the frame"""
        self.on("Headland at dawn", "headland")
        self.new("Shafts")
        self.carry(self.handle("Position"), (-0.08, 0.1))
        self.carry(self.handle("Position"), (-0.12, 0.05))
        self.carry(self.handle("Position"), (-0.09, 0.08))
        self.typed("Reach", "90")
        self.press("Match the picture")
        self.rested()
        self.key("n")
        self.drag((0.3, 0.03), (0.7, 0.05))
        self.drag((0.5, 0.08), (0.9, 0.08))
        self.chip("House light")
        self.typed("Level", "0.8")
        self.new("Velvet")
        self.pick("Colour from", "A temperature")
        self.typed("Temperature", "9000")
        sun = self.light(0)
        self.assertLess(sun["spread"]["position"][0], -0.05)
        self.assertEqual(sun["colour"]["origin"], "temperature")
        self.assertEqual(len(sun["mask"]["parts"][0]["strokes"]), 2)
        self.assertGreater(self.about(self.of(0), SKY), self.about(self.of(0), GROUND))
        self.within(15, over=2, why="the soft finish has the picture's colour, and another one takes a dropdown")

    def test_highlights_keyed_to_a_glow_and_then_smeared_away_from_the_sun(self) -> None:
        """A glow of the highlights, and rays away from the sun"""
        self.on("Harbour at dusk", "harbour")
        self.new("Bloom")
        self.typed("Threshold", "80")
        self.typed("Radius", "8")
        self.key("o")
        self.new("Shafts")
        self.typed("Threshold", "80")
        self.carry(self.handle("Position"), (0.16, 0.13))
        self.typed("Softness", "2")
        rig = self.rig(self.plate)
        self.assertEqual([light["on"] for light in rig["lights"]], [False, True])
        light = self.of(1)
        self.assertGreater(self.about(light, (0.16, 0.13)), 4 * self.about(light, (0.9, 0.95)))
        self.within(11)

    def test_cloudy_rays_from_outside_with_black_and_white_points_in_soft_light(self) -> None:
        """Cloudy rays in soft light"""
        self.on("Headland at dawn", "headland")
        self.new("Fan")
        self.pick("Style", "Clouds")
        self.pull(self.page.get_by_role("slider", name="Black of the light"), 30)
        self.pull(self.page.get_by_role("slider", name="White of the light"), -40)
        self.pick("Blend mode", "Soft light")
        self.typed("Opacity", "60")
        colour = self.light()["colour"]
        self.assertGreater(colour["black"], 0)
        self.assertLess(colour["white"], 1)
        self.assertLess(self.light()["spread"]["position"][1], 0)
        self.within(10)
