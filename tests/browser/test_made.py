"""Lights that are made, in the real interface: beams, a bent line, a spot, painted light, copies, blank plates."""

from __future__ import annotations

import re
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from aurelon.core.lights.lamp import FIRST_GLOSS
from tests.browser.test_masks import OnThePicture


class Making(OnThePicture):
    def test_three_beams_are_laid_and_one_corner_is_dragged(self) -> None:
        plate = self.bring_in("beams")
        self.add("Beam")
        self.rested()
        for _ in range(2):
            self.page.get_by_role("button", name="Add one more").click()
            self.rested()
        beams = self.rig(plate)["lights"][0]["source"]["beams"]
        self.assertEqual(len(beams), 3)
        # Each lies as far beside the last as that lies beside the one before it.
        np.testing.assert_allclose(np.subtract(beams[2], beams[1]), np.subtract(beams[1], beams[0]), atol=1e-3)
        corner = self.page.get_by_role("group", name="Beams 2").get_by_role("button", name="Corner 4")
        box = corner.locator(".dot").bounding_box()
        assert box is not None
        x, y = box["x"] + 4, box["y"] + 4
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x - 60, y + 10, steps=4)
        self.page.mouse.up()
        self.rested()
        after = self.rig(plate)["lights"][0]["source"]["beams"]
        self.assertLess(after[1][3][0], beams[1][3][0] - 0.05)
        self.assertEqual((after[0], after[2]), (beams[0], beams[2]))
        corner.focus()
        self.page.keyboard.press("Shift+ArrowUp")
        self.rested()
        self.assertAlmostEqual(self.rig(plate)["lights"][0]["source"]["beams"][1][3][1], after[1][3][1] - 0.05, places=3)
        self.page.get_by_role("button", name="Beams as numbers").click()
        self.type_value("Beams 2, corner 4, across in per cent", "33")
        self.assertAlmostEqual(self.rig(plate)["lights"][0]["source"]["beams"][1][3][0], 0.33)
        self.page.get_by_role("button", name="Remove one").click()
        self.rested()
        self.assertEqual(len(self.rig(plate)["lights"][0]["source"]["beams"]), 2)

    def test_a_line_is_bent_snaps_level_and_is_drawn_anew(self) -> None:
        plate = self.bring_in("line")
        self.add("Line")
        self.rested()
        self.page.get_by_role("button", name="Add a corner after corner 1").dispatch_event("pointerdown")
        self.rested()
        self.drag((0.5, 0.3), (0.5, 0.6))
        path = self.rig(plate)["lights"][0]["source"]["path"]
        np.testing.assert_allclose(path[1], (0.5, 0.6), atol=0.02)
        # Near to level with its neighbour it becomes level.
        self.drag((0.8, 0.3), (0.9, 0.61))
        path = self.rig(plate)["lights"][0]["source"]["path"]
        self.assertAlmostEqual(path[2][1], path[1][1], places=3)
        self.page.get_by_role("button", name="Draw again").click()
        self.rested()
        self.page.mouse.click(*self.place(0.1, 0.2))
        self.page.mouse.click(*self.place(0.6, 0.4))
        self.page.keyboard.press("Enter")
        self.page.mouse.dblclick(*self.place(0.9, 0.2))
        self.page.wait_for_timeout(300)
        self.rested()
        np.testing.assert_allclose(self.rig(plate)["lights"][0]["source"]["path"][:2], [(0.1, 0.2), (0.6, 0.4)], atol=0.02)

    def test_a_spot_is_added_and_its_cone_dragged(self) -> None:
        plate = self.bring_in("spot")
        self.add("Lamp")
        self.rested()
        self.choose("Type of lamp", "Spot")
        self.rested()
        before = self.rig(plate)["lights"][0]["spread"]
        ring = self.page.get_by_role("slider", name="Outer cone on the picture")
        box = ring.locator(".grip").bounding_box()
        aim = self.place(*before["aim"])
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + (x - aim[0]) * 0.5, y + (y - aim[1]) * 0.5, steps=5)
        self.page.mouse.up()
        self.rested()
        after = self.rig(plate)["lights"][0]["spread"]
        # The ring is the cone where it meets the picture: half as large again is that tangent.
        wanted = np.rad2deg(np.arctan(1.5 * np.tan(np.deg2rad(before["outer_cone"]))))
        self.assertAlmostEqual(after["outer_cone"], wanted, delta=2.5)
        self.type_value("Outer cone, value", "40")
        self.assertEqual(self.rig(plate)["lights"][0]["spread"]["outer_cone"], 40)
        self.page.get_by_role("slider", name="Aim", exact=True).focus()
        self.page.keyboard.press("Shift+ArrowLeft")
        self.rested()
        self.assertAlmostEqual(self.rig(plate)["lights"][0]["spread"]["aim"][0], before["aim"][0] - 0.05, places=3)

    def test_a_depth_picture_is_loaded_for_a_lamp(self) -> None:
        plate = self.bring_in("depth")
        self.add("Lamp")
        self.rested()
        flat = self.picture()
        path = self.folder / "far.png"
        _, x = np.mgrid[0:200, 0:300]
        Image.fromarray((127 + 120 * np.sin(x / 9)).astype(np.uint8)).save(path)
        self.choose("Surface", "Depth map")
        self.rested()
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name="Choose a file…").click()
        chooser.value.set_files(path)
        expect(self.page.get_by_text("far.png", exact=True)).to_be_visible()
        self.page.wait_for_timeout(400)
        self.rested()
        self.assertRegex(self.rig(plate)["lights"][0]["source"]["file"], "^[0-9a-f]{64}$")
        self.assertGreater(np.abs(self.picture() - flat).mean(), 1.5)

    def test_copies_share_their_settings_but_not_place_and_mask(self) -> None:
        plate = self.bring_in("group")
        self.add("Lamp")
        self.rested()
        self.page.get_by_role("button", name="More for Lamp", exact=True).click()
        self.page.get_by_role("menuitem", name="Four copies with offset").click()
        expect(self.page.get_by_role("group", name="Lamp 5", exact=True)).to_be_visible()
        self.rested()
        lamps = self.rig(plate)["lights"]
        self.assertEqual(len(lamps), 5)
        self.assertEqual(len({lamp["spread"]["position"][0] for lamp in lamps}), 5)
        self.type_value("Temperature, value", "2500")
        self.assertEqual({lamp["colour"]["temperature"] for lamp in self.rig(plate)["lights"]}, {2500})
        self.page.get_by_role("slider", name="Position", exact=True).focus()
        self.page.keyboard.press("ArrowUp")
        self.rested()
        moved = [lamp["spread"]["position"][1] for lamp in self.rig(plate)["lights"]]
        self.assertEqual(sum(abs(y - 0.5) > 0.001 for y in moved), 1)
        self.add_part("Linear gradient")
        self.assertEqual([len(lamp["mask"]["parts"]) for lamp in self.rig(plate)["lights"]], [0, 0, 0, 0, 1])
        self.page.get_by_role("button", name="More for Lamp 5", exact=True).click()
        self.page.get_by_role("menuitem", name="Leave its group").click()
        self.rested()
        self.page.keyboard.press("Escape")
        self.type_value("Gloss, value", "3")
        self.assertEqual(sorted(lamp["spread"]["gloss"] for lamp in self.rig(plate)["lights"])[-2:], [FIRST_GLOSS, 3.0])

    def test_light_is_painted_on_the_picture_and_smeared(self) -> None:
        plate = self.bring_in("paint")
        self.add("Strokes")
        self.rested()
        before = len(self.rig(plate)["lights"][0]["source"]["strokes"])
        self.drag((0.2, 0.2), (0.4, 0.3), (0.6, 0.2))
        strokes = self.rig(plate)["lights"][0]["source"]["strokes"]
        self.assertEqual(len(strokes), before + 1)
        self.assertGreater(len(strokes[-1]["points"]), 9)
        self.page.keyboard.press("Escape")
        self.choose("Smear", "Away")
        self.rested()
        expect(self.page.get_by_role("slider", name="Position", exact=True)).to_be_visible()
        # With Shift a stroke runs straight toward the point.
        self.page.get_by_role("button", name="Paint", exact=True).click()
        self.page.keyboard.down("Shift")
        self.drag((0.5, 0.6), (0.7, 0.9))
        self.page.keyboard.up("Shift")
        points = self.rig(plate)["lights"][0]["source"]["strokes"][-1]["points"]
        self.assertEqual(len(points), 6)
        np.testing.assert_allclose((points[0], points[3]), (0.5, 0.5), atol=0.01)

    def test_a_box_that_was_turned_keeps_its_angle_and_takes_the_point_of_the_smear_along(self) -> None:
        plate = self.bring_in("turned")
        self.add("Strokes")
        self.rested()
        self.drag((0.4, 0.5), (0.6, 0.5))
        self.page.keyboard.press("Escape")
        self.choose("Smear", "Away")
        self.rested()
        before = self.rig(plate)["lights"][0]
        box = self.page.get_by_role("group", name="Box round")

        def tilt() -> float:
            numbers = [float(v) for v in re.findall(r"-?[\d.]+", box.locator(".frame").get_attribute("d") or "")]
            return float(np.degrees(np.arctan2(numbers[3] - numbers[1], numbers[2] - numbers[0])))

        self.assertAlmostEqual(tilt(), 0, places=3)
        grip, frame = (box.locator(part).bounding_box() for part in (".dot >> nth=0", ".frame"))
        assert grip is not None
        assert frame is not None
        x, y = grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 60, y + 40, steps=6)
        self.page.mouse.up()
        self.rested()
        turned = tilt()
        self.assertGreater(turned, 10)
        after = self.rig(plate)["lights"][0]

        def of(light: Any) -> tuple[Any, Any]:
            places = np.array(light["source"]["strokes"][0]["points"]).reshape(-1, 3)[:, :2] * self.size
            return places, np.array(light["spread"]["position"]) * self.size

        (strokes, point), (strokes_after, point_after) = of(before), of(after)
        # The stroke turned by the box's angle, and the point with it: all distances are as they were.
        way, way_after = strokes[-1] - strokes[0], strokes_after[-1] - strokes_after[0]
        angle = np.degrees(np.arctan2(*way_after[::-1]) - np.arctan2(*way[::-1]))
        self.assertAlmostEqual(float(angle), turned, delta=1.5)
        for end in (0, -1):
            self.assertAlmostEqual(
                float(np.hypot(*(strokes_after[end] - point_after))), float(np.hypot(*(strokes[end] - point))), delta=1.5
            )
        self.assertGreater(float(np.hypot(*(point_after - point))), 5)

    def test_a_scene_is_begun_on_a_blank_plate(self) -> None:
        self.page.goto(self.service.url)
        self.page.get_by_role("button", name="New blank plate…").click()
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_role("textbox", name="Name").fill("Fog bank")
        for label, text in (("Width, value", "600"), ("Height, value", "400")):
            field = dialog.get_by_role("textbox", name=label)
            field.fill(text)
            field.press("Enter")
        dialog.get_by_role("button", name="Create").click()
        self.page.wait_for_url("**/plates/*")
        self.rested()
        plate = int(self.page.url.rsplit("/", 1)[1])
        record = self.api(f"/plates/{plate}/bench")["plate"]
        self.assertEqual((record["name"], record["width"], record["height"]), ("Fog bank", 600, 400))
        dark = self.picture().mean()
        self.add("Fan")
        self.rested()
        self.assertGreater(self.picture().mean(), dark + 2)

    def test_a_light_pass_from_a_file_shows_once_it_is_chosen(self) -> None:
        plate = self.bring_in("pass")
        self.add("Picture")
        self.rested()
        expect(self.page.get_by_role("button", name=re.compile("^Picture: There is no picture yet"))).to_be_visible()
        path = self.folder / "tall-pass.png"
        Image.fromarray(np.full((300, 100, 3), (200, 120, 40), np.uint8)).save(path)
        before = self.picture()
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name="Choose a file…").click()
        chooser.value.set_files(path)
        expect(self.page.get_by_text("tall-pass.png", exact=True)).to_be_visible()
        self.page.wait_for_timeout(400)
        self.rested()
        self.assertGreater(np.abs(self.picture() - before).mean(), 1)
        self.assertTrue(self.rig(plate)["lights"][0]["source"]["file"])
