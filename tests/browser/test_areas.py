"""Areas that are found in the picture, what a light stands behind, and the box round what is drawn, in the real interface."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import Locator, Route, expect

from tests.browser.test_masks import OnThePicture


class Behind(OnThePicture):
    def head(self) -> Locator:
        return self.page.get_by_role("group", name="Behind")

    def test_one_press_puts_a_sun_behind_what_stands_before_the_sky(self) -> None:
        plate = self.open_plate("Harbour at dusk")
        self.add("Shafts")
        self.rested()
        self.head().get_by_role("button", name="Foreground").click()
        expect(self.head().get_by_role("button", name="Foreground")).to_have_attribute("aria-pressed", "true")
        self.rested()
        rig = self.rig(plate)
        matte = next(matte for matte in rig["mattes"] if matte["name"] == "Foreground")
        sun = rig["lights"][-1]
        self.assertEqual(sun["behind"]["matte"], matte["id"])
        expect(self.head().get_by_role("button", name="Foreground")).to_have_attribute("aria-pressed", "true")
        self.type_value("Spill, value", "25")
        self.assertEqual(self.rig(plate)["lights"][-1]["behind"]["spill"], 0.25)
        self.page.get_by_role("button", name="Correct it…").click()
        expect(self.page.get_by_role("region", name="Matte Foreground")).to_be_visible()
        # The brush is up, the matte is tinted, and the foot says what a stroke will do.
        self.rested()
        foot = self.page.get_by_label("Help", exact=True)
        self.page.mouse.move(640, 5)
        expect(foot).to_have_text("A stroke adds to the matte “Foreground”; with Alt, the other way round.")
        tinted = self.picture()
        self.drag((0.5, 0.08), (0.55, 0.1))
        parts = next(m for m in self.rig(plate)["mattes"] if m["name"] == "Foreground")["mask"]["parts"]
        self.assertEqual(len(parts[-1]["strokes"]), 1)
        self.page.get_by_role("button", name="Done", exact=True).click()
        self.page.wait_for_timeout(200)
        self.rested()
        self.page.mouse.move(640, 5)
        expect(foot).to_have_text("")
        self.assertGreater(float(np.abs(self.picture() - tinted).mean()), 4)  # the tint went with the matte
        for _ in range(2):  # the stroke, and the brush
            self.page.keyboard.press("Control+z")
            self.rested()
        expect(self.head().get_by_role("button", name="Foreground")).to_be_visible()
        # Undone, both the matte and what stood before the light are gone.
        for _ in range(2):
            self.page.keyboard.press("Control+z")
            self.rested()
        rig = self.rig(plate)
        self.assertNotIn("Foreground", [matte["name"] for matte in rig["mattes"]])
        self.assertEqual(rig["lights"][-1]["behind"]["matte"], "")
        self.head().get_by_role("button", name="Nothing").click()

    def test_nothing_moves_when_areas_are_found_or_one_is_chosen(self) -> None:
        held: list[Route] = []
        self.page.route("**/areas", lambda route: held.append(route))
        self.open_plate("Harbour at dusk")
        self.add("Shafts")
        self.rested()
        stage = self.page.get_by_role("heading", name="Source", exact=True)
        expect(self.head().get_by_role("button", name="Foreground")).to_have_count(0)
        expect(stage).to_be_visible()
        before = stage.bounding_box()
        self.assertTrue(held)
        for route in held:
            route.continue_()
        button = self.head().get_by_role("button", name="Foreground")
        button.click()
        self.rested()
        expect(button).to_have_attribute("aria-pressed", "true")
        self.assertEqual(stage.bounding_box(), before)
        for _ in range(2):
            self.page.keyboard.press("Control+z")
            self.page.wait_for_timeout(100)
            self.rested()

    def test_an_area_is_taken_as_a_matte_or_is_proposed_no_more(self) -> None:
        plate = self.open_plate("Headland at dawn")
        self.page.get_by_role("toolbar", name="Desk").get_by_role("button", name="Plate").first.click()
        mattes = self.page.get_by_role("region", name="Mattes")
        mattes.get_by_role("button", name="Sky", exact=True).click()
        self.rested()
        self.assertIn("Sky", [matte["name"] for matte in self.rig(plate)["mattes"]])
        self.page.get_by_role("toolbar", name="Desk").get_by_role("button", name="Plate").first.click()
        mattes.get_by_role("button", name="Do not propose Foreground").click()
        expect(mattes.get_by_role("button", name="Foreground", exact=True)).to_have_count(0)
        self.page.reload()
        self.rested()
        self.page.get_by_role("toolbar", name="Desk").get_by_role("button", name="Plate").first.click()
        expect(mattes.get_by_role("button", name="Sky", exact=True)).to_be_visible()
        expect(mattes.get_by_role("button", name="Foreground", exact=True)).to_have_count(0)


class Distance(OnThePicture):
    def test_a_click_says_how_near_a_light_stands_and_what_is_nearer_is_tinted(self) -> None:
        plate = self.open_plate("Headland at dawn")
        self.add("Fan")
        self.rested()
        self.page.get_by_role("button", name="More settings of Spread").click()
        before = self.picture()
        tool = self.page.get_by_role("button", name="Stand where I click")
        tool.click()
        expect(self.page.get_by_text("Click what the light should stand at")).to_be_visible()
        area = self.page.get_by_test_id("area").bounding_box()
        assert area is not None
        x, y = area["x"] + area["width"] * 0.3, area["y"] + area["height"] / 2
        for down, low, high in ((0.4, 0.6, 1.0), (-0.35, 0.0, 0.05)):  # the nearest ground, the sky
            self.page.mouse.click(x, y + down * area["height"])
            self.page.wait_for_timeout(500)
            self.rested()
            stands_at = self.rig(plate)["lights"][-1]["spread"]["stands_at"]
            self.assertTrue(low <= stands_at <= high, stands_at)
        height, width = before.shape[:2]
        change = np.abs(self.picture() - before).mean(axis=2)
        near, sky = change[int(0.85 * height), width // 4 : width // 3], change[int(0.15 * height), width // 4 : width // 3]
        self.assertGreater(float(near.mean()), 25)
        self.assertLess(float(sky.mean()), 10)
        self.page.keyboard.press("Escape")
        expect(tool).to_have_attribute("aria-pressed", "false")

    def test_the_plate_shows_how_far_things_are_and_takes_a_horizon(self) -> None:
        plate = self.open_plate("Headland at dawn")
        self.page.get_by_role("toolbar", name="Desk").get_by_role("button", name="Plate").first.click()
        section = self.page.get_by_role("region", name="Distance", exact=True)
        expect(section.get_by_text(re.compile("Found by the sky and the ground below it, [0-9]+ % sure"))).to_be_visible()
        section.get_by_role("button", name="Show the distance").click()
        expect(self.page.get_by_text("Distance: white is near, black infinitely far")).to_be_visible()
        self.page.wait_for_timeout(200)
        self.rested()
        shown = self.picture()
        middle = shown[200:500, 300:700]
        self.assertLess(int(np.ptp(middle, axis=2).max()), 3)  # grey all over
        self.assertGreater(int(np.ptp(middle)), 60)
        section.get_by_role("button", name="Show the form").click()
        expect(self.page.get_by_text("Form: red faces right, green up, blue the eye")).to_be_visible()
        self.page.wait_for_timeout(200)
        self.rested()
        self.assertGreater(int(np.ptp(self.picture()[200:500, 300:700], axis=2).max()), 60)
        section.get_by_role("button", name="Show the distance").click()
        self.choose("Distance from", "A horizon set by hand")
        self.rested()
        self.type_value("Horizon, value", "30")
        self.assertEqual(self.rig(plate)["distance"]["horizon"], 0.3)
        self.page.wait_for_timeout(200)
        self.rested()
        self.assertGreater(float(np.abs(self.picture() - shown).mean()), 2)
        # It lies on the picture as a line, which can be dragged, stepped by keys and hidden.
        line = self.page.get_by_role("slider", name="Horizon on the picture", exact=True)
        grip = line.locator(".grip").bounding_box()
        area = self.page.get_by_test_id("area").bounding_box()
        assert grip is not None
        assert area is not None
        height = min(area["height"] * 0.96, area["width"] * 0.96 * 1600 / 2400)
        self.drag_by(line.locator(".grip"), 30, 0.2 * height)
        self.assertAlmostEqual(self.rig(plate)["distance"]["horizon"], 0.5, delta=0.02)
        line.focus()
        self.page.keyboard.press("ArrowUp")
        self.page.wait_for_timeout(500)
        self.rested()
        self.assertLess(self.rig(plate)["distance"]["horizon"], 0.5 + 0.02)
        self.page.keyboard.press("h")
        expect(line).to_have_count(0)
        self.page.keyboard.press("h")
        self.page.get_by_role("button", name="Back to the picture").click()
        for _ in range(4):
            self.page.keyboard.press("Control+z")
            self.rested()
        self.assertEqual(self.rig(plate)["distance"]["origin"], "found")

    def test_a_matte_is_said_to_stand_near_and_stands_as_found_again(self) -> None:
        plate = self.open_plate("Headland at dawn")
        self.page.get_by_role("toolbar", name="Desk").get_by_role("button", name="Plate").first.click()
        self.page.get_by_role("region", name="Mattes").get_by_role("button", name="Lighthouse", exact=True).click()
        column = self.page.get_by_role("region", name="Matte Lighthouse")
        column.get_by_text("Set by hand how near it stands").click()
        self.rested()
        self.type_value("Stands at, value", "80")
        self.assertEqual(self.rig(plate)["distance"]["stands"], {"lighthouse": 0.8})
        column.get_by_text("Set by hand how near it stands").click()
        self.rested()
        self.assertEqual(self.rig(plate)["distance"]["stands"], {})
        # The box that was ticked last swallows no key of the bench.
        self.page.keyboard.press("Control+z")
        self.page.wait_for_timeout(200)
        self.rested()
        self.assertEqual(self.rig(plate)["distance"]["stands"], {"lighthouse": 0.8})


class Box(OnThePicture):
    def grip(self, name: str) -> tuple[float, float]:
        box = self.page.get_by_role("button", name=name, exact=True).bounding_box()
        assert box is not None
        return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

    def dragged(self, name: str, across: float, down: float) -> None:
        self.drag_by(self.page.get_by_role("button", name=name, exact=True), across, down)

    def test_a_path_is_turned_scaled_and_moved_as_a_whole_and_comes_back_without_loss(self) -> None:
        plate = self.bring_in("box")
        self.add("Line")
        self.rested()

        def path() -> np.ndarray:
            return np.array(self.rig(plate)["lights"][0]["source"]["path"])

        width, height = 600, 400
        started = path()
        self.page.get_by_role("button", name="Turn all: path", exact=True).focus()
        for _ in range(9):
            self.page.keyboard.press("Shift+ArrowRight")
            self.rested()
        turned = path()
        # A quarter turn: what lay across stands upright, as long as before.
        before, after = (np.diff(p * (width, height), axis=0)[0] for p in (started, turned))
        self.assertAlmostEqual(float(np.hypot(*before)), float(np.hypot(*after)), delta=1.0)
        self.assertAlmostEqual(float(before @ after) / float(before @ before), 0.0, delta=0.02)
        for _ in range(9):
            self.page.keyboard.press("Shift+ArrowLeft")
            self.rested()
        np.testing.assert_allclose(path(), started, atol=1e-6)
        self.dragged("Scale all: path, corner 3", 40, 10)
        grown = path()
        self.assertGreater(np.hypot(*np.diff(grown, axis=0)[0]), 1.03 * np.hypot(*np.diff(started, axis=0)[0]))
        self.page.get_by_role("button", name="Move all: path", exact=True).focus()
        self.page.keyboard.press("Shift+ArrowDown")
        self.rested()
        moved = path() - grown
        self.assertGreater(float(moved[:, 1].min()), 0.01)
        np.testing.assert_allclose(moved, np.broadcast_to(moved[0], moved.shape), atol=1e-9)
