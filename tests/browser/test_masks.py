"""Masks, mattes, takes, the finder and saved rigs in the real interface."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from tests.browser.window import BrowserTest, spot_of


class OnThePicture(BrowserTest):
    """What a hand does on the fitted plate."""

    home = False

    def place(self, x: float, y: float) -> tuple[float, float]:
        """Where a place of the plate (fractions) is in the window."""
        return spot_of(self.page, self.size, (x, y))

    def setUp(self) -> None:
        super().setUp()
        self.size = (600, 400)

    def drag(self, *places: tuple[float, float], steps: int = 6) -> None:
        self.page.mouse.move(*self.place(*places[0]))
        self.page.mouse.down()
        for to in places[1:]:
            self.page.mouse.move(*self.place(*to), steps=steps)
        self.page.mouse.up()
        self.page.wait_for_timeout(100)
        self.rested()

    def add_part(self, name: str) -> None:
        self.page.get_by_role("button", name="Add a part").click()
        self.page.get_by_role("menuitem", name=re.compile(f"^{name}")).click()
        self.page.wait_for_timeout(150)
        self.rested()

    def select(self, name: str) -> None:
        self.page.get_by_role("group", name=name, exact=True).click(position={"x": 60, "y": 12})
        self.rested()

    def mask(self, plate: int, light: int = 0) -> Any:
        return self.rig(plate)["lights"][light]["mask"]

    def at(self, x: float, y: float) -> np.ndarray[Any, Any]:
        """The colour on the canvas at a place of the plate."""
        self.page.mouse.move(5, 5)  # takes the pointer away
        pixels = self.picture()
        box = self.page.get_by_test_id("area").bounding_box()
        assert box is not None
        px, py = self.place(x, y)
        row, column = int(py - box["y"]), int(px - box["x"])
        return np.asarray(pixels[row - 2 : row + 3, column - 2 : column + 3].mean(axis=(0, 1)))

    def show_mask(self, how: str) -> None:
        self.page.get_by_role("button", name=re.compile("Mask shown$")).click()
        self.page.get_by_role("option", name=how).click()
        self.page.wait_for_timeout(150)
        self.rested()


class Handles(OnThePicture):
    def test_h_hides_those_of_masks_too_and_leaves_a_brush_up(self) -> None:
        self.bring_in("hidden")
        self.add("Bloom")
        self.rested()
        self.add_part("Linear")
        handles = self.page.get_by_label(re.compile("^Handles of "))
        expect(handles).to_be_visible()
        self.page.keyboard.press("h")
        expect(handles).to_have_count(0)
        self.page.keyboard.press("n")
        brush = self.page.get_by_role("application", name=re.compile("^Paint on "))
        expect(brush).to_be_visible()
        self.page.keyboard.press("h")
        expect(brush).to_be_visible()
        self.page.keyboard.press("h")
        expect(brush).to_be_visible()

    def test_1_keeps_what_is_under_the_pointer_or_the_selected_light(self) -> None:
        self.open_plate("Headland at dawn")
        area = self.page.get_by_test_id("area")
        moving = area.locator("[data-scale]")
        handle = self.page.get_by_role("slider", name="Position", exact=True).locator(".grip")
        box = area.bounding_box()
        assert box is not None
        self.page.get_by_role("toolbar", name="Desk").get_by_role("button", name="Plate").first.click()
        before = moving.evaluate("e => [e.getBoundingClientRect().x, e.getBoundingClientRect().y, Number(e.dataset.scale)]")
        at = (box["x"] + 0.3 * box["width"], box["y"] + 0.6 * box["height"])
        self.page.mouse.move(*at)
        self.page.keyboard.press("1")
        self.page.wait_for_timeout(150)
        after = moving.evaluate("e => [e.getBoundingClientRect().x, e.getBoundingClientRect().y, Number(e.dataset.scale)]")
        self.assertAlmostEqual(after[2], 1.0, delta=0.01)
        for axis in (0, 1):
            place = (at[axis] - before[axis]) / before[2]
            self.assertAlmostEqual(after[axis] + place * after[2], at[axis], delta=1.5)
        # With the pointer elsewhere the selected light stays where it is.
        self.page.keyboard.press("f")
        self.page.get_by_role("toolbar", name="Desk").get_by_role("button", name=re.compile("^Low sun")).first.click()
        self.rested()
        self.page.mouse.move(5, 5)
        self.page.wait_for_timeout(300)
        first = handle.bounding_box()
        self.page.keyboard.press("1")
        self.page.wait_for_timeout(300)
        second = handle.bounding_box()
        assert first is not None
        assert second is not None
        self.assertAlmostEqual(first["x"] + first["width"] / 2, second["x"] + second["width"] / 2, delta=1.5)
        self.assertAlmostEqual(first["y"] + first["height"] / 2, second["y"] + second["height"] / 2, delta=1.5)

    def test_a_brush_is_kept_for_each_purpose_and_its_size_for_one_plate(self) -> None:
        self.bring_in("purposes")
        self.add("Bloom")
        self.rested()
        self.add_part("Brush")
        self.type_value("Size, value", "20")
        self.type_value("Flow, value", "77")
        self.page.goto(self.service.url)
        self.bring_in("others")
        self.add("Bloom")
        self.rested()
        self.add_part("Brush")
        size = self.page.get_by_role("textbox", name="Size, value", exact=True)
        self.assertNotEqual(size.input_value(), "20")
        flow = self.page.get_by_role("textbox", name="Flow, value", exact=True)
        self.assertEqual(flow.input_value(), "77")
        # A matte is drawn with a brush of its own.
        self.page.get_by_role("toolbar", name="Desk").get_by_role("button", name="Plate").first.click()
        self.page.get_by_role("button", name="New matte").click()
        self.page.get_by_role("menuitem", name=re.compile("^Brush")).click()
        expect(self.page.get_by_role("region", name=re.compile("^Matte "))).to_be_visible()
        expect(flow).not_to_have_value("77")

    def test_a_light_changes_its_kind_and_stays_where_it_is(self) -> None:
        plate = self.open_plate("Headland at dawn")
        chip = self.page.get_by_role("toolbar", name="Desk").get_by_role("button", name=re.compile("^Low sun")).first
        chip.click()
        before = next(light for light in self.rig(plate)["lights"] if light["name"] == "Low sun")
        chip.click(button="right")
        self.page.get_by_role("menuitem", name=re.compile("^Change its kind")).click()
        dialog = self.page.get_by_role("dialog", name="Change Low sun into…")
        dialog.get_by_role("button", name=re.compile("^Fan")).click()
        expect(dialog).to_have_count(0)
        expect(self.page.get_by_role("region", name="The path of Low sun")).to_contain_text("noise")
        self.rested()
        after = next(light for light in self.rig(plate)["lights"] if light["name"] == "Low sun")
        self.assertEqual((before["kind"], after["kind"], after["id"]), ("shafts", "fan", before["id"]))
        self.assertEqual(after["spread"]["position"], before["spread"]["position"])
        self.assertEqual((after["mask"], after["colour"]), (before["mask"], before["colour"]))
        self.page.keyboard.press("Control+z")
        self.page.wait_for_timeout(150)
        self.rested()
        self.assertIn(before, self.rig(plate)["lights"])

    def test_the_foot_follows_the_value_and_is_not_left_over(self) -> None:
        self.bring_in("told")
        self.add("Bloom")
        self.rested()
        foot = self.page.get_by_label("Help", exact=True)
        radius = self.page.get_by_role("slider", name="Radius", exact=True)
        radius.focus()
        self.page.keyboard.press("Home")
        self.page.wait_for_timeout(80)
        low = foot.inner_text()
        self.page.keyboard.press("End")
        expect(foot).not_to_have_text(low)
        self.assertIn("px", foot.inner_text())
        # A setting that goes away under the pointer leaves nothing behind.
        self.add_part("Linear")
        gone = self.page.get_by_role("button", name=re.compile("^Feather:"))
        gone.hover()
        expect(foot).not_to_have_text("")
        self.page.keyboard.press("Control+z")
        expect(gone).to_have_count(0)
        expect(foot).to_have_text("")


class Painting(OnThePicture):
    def test_paint_erase_and_invert(self) -> None:
        plate = self.bring_in("painted")
        self.add("Bloom")
        self.rested()
        position = self.rig(plate)["lights"][0]["spread"]
        self.add_part("Brush")
        self.type_value("Flow, value", "100")
        self.drag((0.2, 0.3), (0.8, 0.3))
        self.show_mask("Mask only, in grey")
        # It begins with everything, so painting takes away.
        self.assertLess(self.at(0.5, 0.3).max(), 20)
        self.assertGreater(self.at(0.5, 0.8).min(), 240)
        self.page.keyboard.down("Alt")
        self.drag((0.5, 0.2), (0.5, 0.4))
        self.page.keyboard.up("Alt")
        self.assertGreater(self.at(0.5, 0.3).min(), 200)
        self.assertLess(self.at(0.3, 0.3).max(), 20)
        strokes = self.mask(plate)["parts"][0]["strokes"]
        self.assertEqual([s["erase"] for s in strokes], [False, True])
        self.page.keyboard.press("i")
        self.page.wait_for_timeout(300)
        self.rested()
        self.assertLess(self.at(0.5, 0.8).max(), 20)
        self.assertGreater(self.at(0.3, 0.3).min(), 230)
        self.assertEqual((self.mask(plate)["start"], self.mask(plate)["parts"][0]["combine"]), ("nothing", "add"))
        # Painting goes on, now paints in, and has never moved the light itself.
        self.drag((0.2, 0.8), (0.8, 0.8))
        self.assertGreater(self.at(0.5, 0.8).min(), 230)
        self.assertEqual(self.rig(plate)["lights"][0]["spread"], position)
        self.page.get_by_role("button", name="Undo").click()
        self.page.wait_for_timeout(300)
        self.rested()
        self.assertLess(self.at(0.5, 0.8).max(), 20)

    def test_a_stroke_may_begin_beside_the_picture_and_only_the_space_bar_moves_the_view(self) -> None:
        plate = self.bring_in("from beside")
        self.add("Bloom")
        self.rested()
        self.add_part("Brush")
        zoomed = self.place(0, 0)
        self.page.keyboard.press("f")  # with a margin beside the picture
        self.rested()
        self.drag((-0.06, 0.3), (0.4, 0.3))
        (stroke,) = self.mask(plate)["parts"][0]["strokes"]
        self.assertLess(stroke["points"][0], 0)
        self.assertGreater(stroke["points"][-3], 0.35)
        moved = self.page.get_by_test_id("area").locator(".moving")
        before = moved.get_attribute("style")
        self.page.mouse.move(*self.place(0.5, 0.6))
        self.page.keyboard.down("Space")
        self.page.mouse.down()
        self.page.mouse.move(zoomed[0] + 260, zoomed[1] + 190, steps=4)
        self.page.mouse.up()
        self.page.keyboard.up("Space")
        self.page.wait_for_timeout(200)
        self.rested()
        self.assertNotEqual(moved.get_attribute("style"), before)
        self.assertEqual(len(self.mask(plate)["parts"][0]["strokes"]), 1)

    def test_enter_in_the_name_of_a_rig_or_a_take_saves_it(self) -> None:
        self.bring_in("named")
        self.page.get_by_role("button", name="Takes").click()
        expect(self.page.get_by_role("textbox", name="Save the current state as")).to_be_focused()
        self.page.keyboard.type("By the hand")
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_role("listitem", name="By the hand")).to_be_visible()
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="Rigs").click()
        sheet = self.page.get_by_role("dialog")
        expect(self.page.get_by_role("textbox", name="Save this plate's rig as")).to_be_focused()
        first = sheet.bounding_box()
        expect(sheet.get_by_role("status")).to_have_count(0)
        # It stands still while it fills.
        self.assertEqual(sheet.bounding_box(), first)
        self.page.keyboard.type("Kept by Enter")
        self.page.keyboard.press("Enter")
        expect(sheet).to_have_count(0)
        self.assertIn("Kept by Enter", [rig["name"] for rig in self.api("/rigs")["rigs"]])

    def test_the_brush_taken_up_by_its_key_comes_into_view_in_the_column(self) -> None:
        plate = self.bring_in("key")
        self.add("Lamp")
        self.rested()
        self.page.keyboard.press("n")
        expect(self.page.get_by_role("button", name="Bring light back")).to_be_in_viewport()
        expect(self.page.get_by_role("textbox", name="Flow, value", exact=True)).to_be_in_viewport()
        self.drag((0.3, 0.3), (0.6, 0.3))
        self.assertEqual([p["part"] for p in self.mask(plate)["parts"]], ["strokes"])
        self.page.keyboard.press("n")
        expect(self.page.get_by_role("button", name="Bring light back")).to_have_count(0)

    def test_a_stroke_is_seen_while_it_is_drawn(self) -> None:
        self.bring_in("live")
        self.add("Bloom")
        self.rested()
        self.add_part("Brush")
        self.type_value("Flow, value", "100")
        self.show_mask("Mask only, in grey")
        self.page.mouse.move(*self.place(0.3, 0.5))
        self.page.mouse.down()
        self.page.mouse.move(*self.place(0.7, 0.5), steps=10)
        self.page.wait_for_timeout(400)
        px, py = self.place(0.4, 0.5)
        box = self.page.get_by_test_id("area").bounding_box()
        assert box is not None
        drawn = self.picture()[int(py - box["y"]), int(px - box["x"]) + 4]
        self.page.mouse.up()
        self.assertLess(drawn.max(), 120)

    def test_size_and_hardness_change_without_leaving_the_picture_and_are_remembered(self) -> None:
        self.bring_in("brush")
        self.add("Bloom")
        self.rested()
        self.add_part("Brush")
        size = self.page.get_by_role("textbox", name="Size, value")
        before = float(size.input_value())
        self.page.mouse.move(*self.place(0.5, 0.5))
        for key in (".", ".", ">"):
            self.page.keyboard.press(key)
        self.assertGreater(float(size.input_value()), before * 1.2)
        self.assertEqual(self.page.get_by_role("textbox", name="Hardness, value").input_value(), "30")
        self.page.keyboard.down("Shift")
        self.page.mouse.wheel(0, 300)
        self.page.keyboard.up("Shift")
        self.page.wait_for_timeout(100)
        smaller = float(size.input_value())
        self.assertLess(smaller, before * 1.2)
        self.page.reload()
        self.rested()
        self.page.get_by_role("button", name="Brush", exact=True).click()
        self.assertEqual(float(self.page.get_by_role("textbox", name="Size, value").input_value()), smaller)

    def test_a_straight_stroke_with_shift(self) -> None:
        plate = self.bring_in("straight")
        self.add("Bloom")
        self.rested()
        self.add_part("Brush")
        self.page.keyboard.down("Shift")
        self.drag((0.2, 0.2), (0.5, 0.7), (0.8, 0.2))
        self.page.keyboard.up("Shift")
        points = self.mask(plate)["parts"][0]["strokes"][0]["points"]
        self.assertEqual(len(points), 6)
        np.testing.assert_allclose(points, [0.2, 0.2, 1, 0.8, 0.2, 1], atol=0.01)

    def test_a_gradient_and_a_polygon_stay_editable(self) -> None:
        plate = self.bring_in("shapes")
        self.add("Bloom")
        self.rested()
        self.add_part("Linear gradient")
        self.page.get_by_role("slider", name="Begin", exact=True).focus()
        self.page.keyboard.press("Shift+ArrowRight")
        self.page.wait_for_timeout(200)
        self.rested()
        self.assertAlmostEqual(self.mask(plate)["parts"][0]["begin"][0], 0.55)
        self.add_part("Polygon")
        for corner in ((0.2, 0.2), (0.8, 0.2), (0.8, 0.8)):
            self.page.mouse.click(*self.place(*corner))
        self.page.mouse.dblclick(*self.place(0.2, 0.8))
        self.page.wait_for_timeout(200)
        self.rested()
        corners = self.mask(plate)["parts"][1]["corners"]
        np.testing.assert_allclose(corners[:3], [[0.2, 0.2], [0.8, 0.2], [0.8, 0.8]], atol=0.01)
        self.drag((0.8, 0.2), (0.9, 0.1))
        np.testing.assert_allclose(self.mask(plate)["parts"][1]["corners"][1], [0.9, 0.1], atol=0.01)
        count = len(self.mask(plate)["parts"][1]["corners"])
        self.page.get_by_role("button", name="Corner 1", exact=True).focus()
        self.page.keyboard.press("Delete")
        self.page.wait_for_timeout(200)
        self.rested()
        self.assertEqual(len(self.mask(plate)["parts"][1]["corners"]), count - 1)

    def test_a_mask_is_copied_to_another_light_and_the_house_light_has_its_own(self) -> None:
        plate = self.bring_in("copied")
        self.add("Bloom")
        self.rested()
        self.add("Edge")
        self.rested()
        self.add_part("Radial gradient")
        self.page.get_by_role("button", name="Mask…").click()
        self.page.get_by_role("menuitem", name="Copy to Bloom").click()
        self.rested()
        self.assertEqual(self.mask(plate, 0), self.mask(plate, 1))
        self.page.get_by_role("button", name=re.compile("^House light")).click()
        self.add_part("Linear gradient")
        house = self.rig(plate)["house"]["mask"]["parts"]
        self.assertEqual([p["part"] for p in house], ["linear"])
        self.assertEqual([p["part"] for p in self.mask(plate, 0)["parts"]], ["radial"])

    def test_a_subject_is_cut_out_and_shared_between_two_lights(self) -> None:
        plate = self.bring_in("subject")
        self.page.get_by_role("button", name="Plate prepare").click()
        self.page.get_by_role("button", name="New matte").click()
        self.page.get_by_role("menuitem", name=re.compile("^Subject")).click()
        self.rested()
        self.drag((0.33, 0.12), (0.47, 0.75))
        expect(self.page.get_by_role("button", name="Cancel")).to_have_count(0)
        # Strokes that are drawn one upon another, while a cut is still on its way, are all kept.
        self.page.get_by_role("button", name="Mark out").click()
        for across in (0.1, 0.6, 0.8):
            self.page.mouse.move(*self.place(across, 0.2))
            self.page.mouse.down()
            self.page.mouse.move(*self.place(across, 0.5), steps=4)
            self.page.mouse.up()
        expect(self.page.get_by_role("button", name="Cancel")).to_have_count(0)
        self.rested()
        self.assertEqual(len(self.rig(plate)["mattes"][0]["mask"]["parts"][0]["hints"]), 3)
        self.show_mask("Mask only, in grey")
        self.assertGreater(self.at(0.4, 0.4).min(), 200)  # the post
        self.assertLess(self.at(0.7, 0.3).max(), 20)
        self.page.get_by_role("textbox", name="Matte").fill("Post")
        self.page.keyboard.press("Enter")
        self.page.get_by_role("button", name="Done").click()
        self.rested()
        for kind in ("Bloom", "Edge"):
            self.add(kind)
            self.rested()
            self.add_part("Matte")  # the newest is taken
            expect(self.page.get_by_role("button", name=re.compile("^Post.*Matte$"))).to_be_visible()
        rig = self.rig(plate)
        self.assertEqual([m["name"] for m in rig["mattes"]], ["Post"])
        uses = [light["mask"]["parts"][0] for light in rig["lights"]]
        self.assertEqual([(u["matte"], u["side"]) for u in uses], [(rig["mattes"][0]["id"], "behind")] * 2)
        self.assertLess(self.at(0.4, 0.4).max(), 30)  # Edge's mask, still shown in grey
        # Deleted, it is named by the lights that used it, and they go on.
        self.page.get_by_role("button", name="Plate prepare").click()
        self.page.get_by_role("button", name="Remove the matte Post").click()
        self.rested()
        expect(self.page.get_by_role("button", name=re.compile("^Edge: It uses the matte"))).to_be_visible()

    def test_a_grey_picture_is_brought_in_as_a_matte(self) -> None:
        plate = self.bring_in("grey")
        path = self.folder / "depth.png"
        ramp = np.tile(np.linspace(0, 255, 300), (200, 1)).astype(np.uint8)
        Image.fromarray(ramp).save(path)
        tall = self.folder / "tall.png"
        Image.fromarray(ramp.T.copy()).save(tall)
        self.add("Bloom")
        self.rested()
        self.add_part("Grey file")
        for file in (tall, path):
            with self.page.expect_file_chooser() as chooser:
                self.page.get_by_role("button", name="Choose a file…").click()
            chooser.value.set_files(file)
            self.page.wait_for_timeout(500)
        expect(self.page.get_by_text("which is another shape than the plate's")).to_be_visible()
        expect(self.page.get_by_text("depth.png", exact=True)).to_be_visible()
        self.rested()
        self.show_mask("Mask only, in grey")
        self.assertGreater(self.at(0.1, 0.5).mean(), self.at(0.9, 0.5).mean() + 100)
        self.assertRegex(self.mask(plate)["parts"][0]["file"], "^[0-9a-f]{64}$")

    def test_two_windows_that_paint_on_one_plate_lose_nothing(self) -> None:
        plate = self.bring_in("twice")
        self.add("Bloom")
        self.rested()
        self.add_part("Brush")
        other = self.page.context.new_page()
        other.goto(self.page.url)
        other.get_by_role("button", name="Brush", exact=True).click()
        self.drag((0.2, 0.2), (0.4, 0.4))
        other.mouse.move(*self.place(0.6, 0.6))
        other.mouse.down()
        other.mouse.move(*self.place(0.8, 0.8), steps=5)
        other.mouse.up()
        dialog = other.get_by_role("alertdialog")
        expect(dialog).to_be_visible()
        dialog.get_by_role("button", name="Keep this window's on top").click()
        expect(other.get_by_label("Save state")).to_have_text("Saved")
        self.assertAlmostEqual(self.mask(plate)["parts"][0]["strokes"][0]["points"][0], 0.6, delta=0.02)
        other.get_by_role("button", name="Undo").click()
        other.wait_for_timeout(500)
        self.assertAlmostEqual(self.mask(plate)["parts"][0]["strokes"][0]["points"][0], 0.2, delta=0.02)


class Choosing(OnThePicture):
    def test_two_takes_are_compared_by_a_split_and_gone_back_to(self) -> None:
        plate = self.bring_in("takes")
        for name, exposure in (("Dark", "-3"), ("Bright", "2")):
            self.page.get_by_role("button", name="Plate prepare").click()
            self.type_value("Exposure, value", exposure)
            self.page.get_by_role("button", name="Takes").click()
            self.page.get_by_role("textbox", name="Save the current state as").fill(name)
            self.page.get_by_role("button", name="Keep", exact=True).click()
            expect(self.page.get_by_role("listitem", name=name)).to_be_visible()
            self.page.keyboard.press("Escape")
        self.page.keyboard.press("t")
        self.page.get_by_role("listitem", name="Dark").get_by_role("button", name="Compare").click()
        self.page.wait_for_timeout(800)
        line = self.page.get_by_role("slider", name="Split between the two")
        expect(line).to_be_visible()
        left, right = self.at(0.3, 0.15).mean(), self.at(0.7, 0.15).mean()
        self.assertGreater(right, left + 80)
        box = line.bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + 12, box["y"] + 300)
        self.page.mouse.down()
        self.page.mouse.move(*self.place(0.1, 0.5), steps=4)
        self.page.mouse.up()
        self.page.wait_for_timeout(200)
        self.assertGreater(self.at(0.3, 0.15).mean(), left + 80)
        self.choose("On the right", "Dark")
        self.page.wait_for_timeout(800)
        self.assertAlmostEqual(self.at(0.3, 0.15).mean(), left, delta=4)
        self.page.get_by_role("button", name="Side by side").click()
        self.page.wait_for_timeout(800)
        whole = self.picture()
        middle = whole[whole.shape[0] // 2 - 60]
        self.assertAlmostEqual(middle[200].mean(), middle[200 + whole.shape[1] // 2].mean(), delta=6)
        self.page.get_by_role("group", name="Compare").get_by_role("button", name="Done").click()
        self.page.get_by_role("button", name="Takes").click()
        self.page.get_by_role("listitem", name="Dark").get_by_role("button", name="Restore this take").click()
        self.rested()
        self.assertEqual(self.rig(plate)["prepare"]["exposure"], -3)
        # Deleted by mistake, it comes back; it was there after a reload as well.
        self.page.reload()
        self.rested()
        self.page.get_by_role("button", name="Takes").click()
        self.page.get_by_role("button", name="More for Bright").click()
        self.page.get_by_role("menuitem", name="Delete").click()
        expect(self.page.get_by_role("listitem", name="Bright")).to_have_count(0)
        self.assertEqual([t["name"] for t in self.api(f"/plates/{plate}/takes")["takes"]], ["Dark"])

    def test_the_finders_proposal_is_accepted_with_one_click(self) -> None:
        pixels = np.full((400, 600, 3), 0.03)
        pixels[115:125, 445:455] = (0.9, 0.65, 0.4)
        pixels[115:123, 330:338] = (0.7, 0.7, 0.7)  # whose words, not shown yet, lie over the first
        path = self.folder / "lamp.png"
        Image.fromarray((pixels ** (1 / 2.2) * 255).astype(np.uint8)).save(path)
        self.page.goto(self.service.url)
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name="Bring in a picture…").click()
        chooser.value.set_files(path)
        self.page.wait_for_url("**/plates/*")
        plate = int(self.page.url.rsplit("/", 1)[1])
        self.rested()
        self.add_shafts()
        self.page.get_by_role("button", name="Find the light").click()
        self.page.get_by_role("button", name=re.compile("^Set the light here: a bright spot")).first.locator(".ring").click()
        self.rested()
        light = self.rig(plate)["lights"][0]
        np.testing.assert_allclose(light["spread"]["position"], (0.75, 0.3), atol=0.01)
        self.assertEqual(light["colour"]["origin"], "temperature")
        self.assertLess(light["colour"]["temperature"], 5000)
        expect(self.page.get_by_text("Off the likeliest source")).to_be_visible()

    def test_a_saved_rig_is_applied_to_another_plate_and_exported(self) -> None:
        self.bring_in("made")
        self.add("Bloom")
        self.rested()
        self.page.get_by_role("button", name="Rigs").click()
        self.page.get_by_role("textbox", name="Save this plate's rig as").fill("Our glow")
        self.page.get_by_role("button", name="Save", exact=True).click()
        expect(self.page.get_by_role("dialog")).to_have_count(0)
        self.page.get_by_role("button", name="Back to the plates").click()
        other = self.bring_in("other")
        self.page.get_by_role("button", name="Rigs").click()
        self.page.get_by_role("button", name=re.compile("^Our glow")).click()
        expect(self.page.get_by_role("group", name="Bloom", exact=True)).to_be_visible()
        self.rested()
        self.assertEqual([light["kind"] for light in self.rig(other)["lights"]], ["bloom"])
        # One light of another saved rig, on top of it.
        self.page.keyboard.press("r")
        self.page.get_by_role("button", name="More for Lamp oil").click()
        self.page.get_by_role("menuitem", name=re.compile("^Add Fringe")).click()
        expect(self.page.get_by_role("group", name="Fringe", exact=True)).to_be_visible()
        self.rested()
        self.assertEqual([light["kind"] for light in self.rig(other)["lights"]], ["bloom", "halation"])
        self.page.get_by_role("button", name="Export…").click()
        with self.page.expect_download() as download:
            self.page.get_by_role("dialog").get_by_role("button", name="Export", exact=True).click()
        self.assertEqual(Image.open(download.value.path()).size, (600, 400))

    def test_a_rig_file_goes_out_and_comes_in_and_a_bad_one_is_refused(self) -> None:
        self.bring_in("file")
        self.add("Edge")
        self.rested()
        self.page.get_by_role("button", name="Rigs").click()
        with self.page.expect_download() as download:
            self.page.get_by_role("link", name="Save as file…").click()
        result = json.loads(Path(download.value.path()).read_text())
        self.assertEqual([light["kind"] for light in result["lights"]], ["edge"])
        good, bad = self.folder / "Harbour edge.json", self.folder / "bad.json"
        good.write_text(json.dumps(result))
        bad.write_text(json.dumps({**result, "lights": [{"id": "x", "kind": "cloud"}]}))
        for path in (bad, good):
            with self.page.expect_file_chooser() as chooser:
                self.page.get_by_role("button", name="Open a rig file…").click()
            chooser.value.set_files(path)
            self.page.wait_for_timeout(400)
        expect(self.page.get_by_text("is not a kind of light")).to_be_visible()
        expect(self.page.get_by_role("group", name="Harbour edge")).to_be_visible()
