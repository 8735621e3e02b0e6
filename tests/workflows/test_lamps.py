"""Jobs with lamps that shine on things, and with glows of what is bright."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.workflows.hand import Job

FACE = (0.5, 0.5)


class Lamps(Job):
    def test_a_point_lamp_on_one_thing_and_a_spot_on_another_with_the_rest_darkened(self) -> None:
        """A point lamp and a spot in a darkened room"""
        self.on("Brass lens", "brasslens")
        self.new("Lamp")
        self.carry(self.handle("Position"), (0.3, 0.4))
        self.new("Lamp")
        self.pick("Type of lamp", "Spot")
        self.carry(self.handle("Aim"), (0.8, 0.75))
        self.carry(self.handle("Position"), (0.7, 0.2))
        self.typed("Outer cone", "20")
        self.typed("Inner cone", "10")
        self.typed("Temperature", "2600")
        self.chip("House light")
        self.typed("Level", "0.4")
        rig = self.rig(self.plate)
        self.assertEqual(rig["house"]["level"], 0.4)
        spot = self.of(1)
        self.assertGreater(self.about(spot, (0.8, 0.75)), 4 * self.about(spot, (0.1, 0.2)))
        self.assertGreater(self.about(self.of(0), (0.3, 0.4)), self.about(self.of(0), (0.95, 0.95)))
        self.within(14)

    def test_a_spot_with_everything_set_and_a_second_lamp(self) -> None:
        """A spot with everything set, and a second like it"""
        self.on("Brass lens", "brasslens")
        self.new("Lamp")
        self.pick("Type of lamp", "Spot")
        for label, value in (
            ("Inner cone", "14"),
            ("Outer cone", "26"),
            ("Height", "20"),
            ("Gloss", "0.6"),
            ("Temperature", "3200"),
        ):
            self.typed(label, value)
        self.typed("Fine relief", "0.6")
        self.typed("Intensity", "1.5")
        self.typed("Opacity", "90")
        self.key("Control+d")
        self.rested()
        self.chip("House light")
        self.typed("Level", "0.6")
        lights = self.rig(self.plate)["lights"]
        self.assertEqual([light["spread"]["outer_cone"] for light in lights], [26, 26])
        self.assertEqual(lights[0]["source"]["fine_relief"], 0.6)
        self.within(14, over=1, why="the surroundings are the house light's, which has a chip of its own")

    def test_a_directional_light_with_range_strength_colour_roughness_and_opacity(self) -> None:
        """A light from far away"""
        self.on("Boatshed", "boatshed")
        self.new("Lamp")
        self.pick("Type of lamp", "Far away")
        self.typed("Elevation", "25")
        self.typed("Temperature", "5200")
        self.press("More settings of Spread")
        self.typed("Roughness", "70")
        self.typed("Intensity", "1.4")
        self.typed("Opacity", "80")
        lamp = self.light()
        self.assertEqual((lamp["spread"]["lamp"], lamp["spread"]["roughness"], lamp["merge"]["opacity"]), ("directional", 0.7, 0.8))
        self.assertGreater(float(self.lit().mean()), 0.005)
        self.within(10)


class Glows(Job):
    def test_a_glow_with_every_blend_mode_looked_at_and_dark_detail_brought_back(self) -> None:
        """A glow in the best of all blend modes"""
        self.on("Harbour at dusk", "harbour")
        self.new("Bloom")
        before = self.lit()
        self.press("Test strip of Blend mode")
        cells = self.page.get_by_role("group", name="Test strip").get_by_role("button")
        expect(cells).to_have_count(19)
        self.click(cells.filter(has_text="Lighten").first)
        self.rested()
        self.typed("Keep darks", "80")
        merge = self.light()["merge"]
        self.assertEqual((merge["mode"], merge["keep_darks"]), ("lighten", 0.8))
        self.assertLess(self.about(self.lit(), (0.1, 0.9)), self.about(before, (0.1, 0.9)) + 0.02)
        self.within(5)

    def test_a_darkened_picture_with_two_blooms_of_their_own_one_off_a_face_and_one_painted_in(self) -> None:
        """Two blooms, one kept off a face"""
        self.on("Harbour at dusk", "harbour")
        self.chip("Plate")
        self.typed("Exposure", "-0.7")
        self.new("Bloom")
        self.typed("Threshold", "55")
        self.pick("Colour from", "A temperature")
        self.typed("Temperature", "3000")
        self.key("n")
        for y in (0.3, 0.36, 0.42):
            self.drag((0.75, y), (0.9, y))
        self.key("Control+d")
        self.rested()
        self.typed("Threshold", "40")
        self.typed("Temperature", "7000")
        self.key("i")
        self.rested()
        self.key("n")
        for y in (0.5, 0.55, 0.6):
            self.drag((0.75, y), (0.9, y))
        first, second = self.rig(self.plate)["lights"]
        self.assertEqual((first["source"]["threshold"], second["source"]["threshold"]), (0.55, 0.4))
        self.assertEqual(second["mask"]["start"], "nothing")
        self.assertEqual(len(second["mask"]["parts"][0]["strokes"]), 6)
        self.assertLess(self.about(self.of(1), (0.2, 0.5)), 1e-4)  # nothing was painted in there
        self.assertGreater(self.about(self.of(1), (0.82, 0.55)), self.about(self.of(1), (0.2, 0.5)))
        self.within(20)

    def test_a_soft_finish_is_saved_as_a_rig_and_applied_to_another_plate_with_another_radius(self) -> None:
        """A soft finish, used again on another picture"""
        self.on("Headland at dawn", "headland")
        self.new("Velvet")
        self.key("r")
        self.press("Save")
        expect(self.page.get_by_role("dialog")).to_have_count(0)
        self.press("Back to the plates")
        self.press("Open Boatshed")
        self.rested()
        self.plate = int(self.page.url.rsplit("/", 1)[1])
        self.key("r")
        dialog = self.page.get_by_role("dialog")
        self.click(dialog.get_by_role("group", name=self.title).get_by_role("button").first)
        expect(dialog).to_have_count(0)
        self.rested()
        self.typed("Radius", "3")
        lights = self.rig(self.plate)["lights"]
        self.assertEqual([(light["kind"], light["spread"]["radius"]) for light in lights], [("velvet", 0.03)])
        self.within(8, over=1, why="the way to another plate goes over the list of plates")
