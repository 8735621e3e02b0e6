"""Small things that hands expect of the bench: zoom, pan, handles, typing, menus, remembered settings."""

from __future__ import annotations

import re
import zipfile
from xml.etree import ElementTree

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from tests.browser.window import BrowserTest


class Hands(BrowserTest):
    home = False

    def zoom(self) -> int:
        return int((self.page.get_by_label("Zoom", exact=True).inner_text()).split()[0])

    def test_the_wheel_zooms_to_the_pointer_and_dragging_pans(self) -> None:
        self.bring_in("zoom")
        close = self.zoom()
        self.page.keyboard.press("f")
        wide = self.zoom()
        self.assertAlmostEqual(wide / close, 0.8 / 0.96, delta=0.01)
        self.add_shafts()
        self.page.keyboard.press("f")  # close, whatever room the source was given
        self.page.keyboard.press("f")
        handle = self.page.get_by_role("slider", name="Position", exact=True)
        box = handle.bounding_box()
        assert box is not None
        at = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        fitted = self.zoom()
        self.page.mouse.move(at[0] + 30, at[1] + 30)
        self.page.mouse.wheel(0, -400)
        self.rested()
        self.assertGreater(self.zoom(), fitted * 1.5)
        near = handle.bounding_box()
        assert near is not None
        # What lay 30 pixels from the pointer now lies farther, in the same direction.
        self.assertLess(near["x"] + near["width"] / 2, at[0])
        self.page.mouse.move(300, 600)
        self.page.mouse.down()
        self.page.mouse.move(360, 640, steps=3)
        self.page.mouse.up()
        moved = handle.bounding_box()
        assert moved is not None
        self.assertAlmostEqual(moved["x"] - near["x"], 60, delta=1)
        self.assertAlmostEqual(moved["y"] - near["y"], 40, delta=1)
        self.page.keyboard.press("f")
        self.rested()
        self.assertEqual(self.zoom(), close)

    def test_a_ring_is_dragged_and_the_setting_follows(self) -> None:
        plate = self.bring_in("ring")
        self.add_shafts()
        before = self.rig(plate)["lights"][0]["spread"]["aureole_size"]
        box = self.page.get_by_role("slider", name="Aureole size on the picture").locator(".grip").bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x - 40, y - 60, steps=4)
        self.page.mouse.up()
        self.rested()
        self.assertNotEqual(self.rig(plate)["lights"][0]["spread"]["aureole_size"], before)

    def test_typed_values_take_a_comma_are_held_in_range_and_nonsense_is_let_go(self) -> None:
        plate = self.bring_in("typed")
        self.add_shafts()
        for text, wanted in (("33,5", 0.335), ("9999", 2.0), ("-5", 0.02)):
            self.type_value("Reach, value", text)
            self.assertAlmostEqual(self.rig(plate)["lights"][0]["spread"]["reach"], wanted)
        self.type_value("Reach, value", "moon")
        self.assertAlmostEqual(self.rig(plate)["lights"][0]["spread"]["reach"], 0.02)

    def test_a_colour_is_picked_by_its_number(self) -> None:
        plate = self.bring_in("colour")
        self.add_shafts()
        self.choose("Colour from", "A picked colour")
        self.page.get_by_role("button", name=re.compile("^Picked: #")).click()
        field = self.page.get_by_role("textbox", name="Picked, hexadecimal")
        field.fill("#3060ff")
        field.press("Enter")
        self.page.keyboard.press("Escape")
        self.page.wait_for_timeout(300)
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][0]["colour"]["picked"], "#3060ff")

    def test_what_a_light_looks_at_and_its_name_are_changed(self) -> None:
        plate = self.bring_in("named")
        self.add_shafts()
        self.choose("Looks at", "Everything below it")
        self.rested()
        self.page.get_by_role("group", name="Shafts", exact=True).click(button="right", position={"x": 60, "y": 12})
        self.page.get_by_role("menuitem", name="Rename").click()
        self.page.get_by_role("textbox", name="Name of the light").fill("Evening sun")
        self.page.keyboard.press("Enter")
        self.rested()
        light = self.rig(plate)["lights"][0]
        self.assertEqual((light["look_at"], light["name"]), ("below", "Evening sun"))

    def test_folded_stages_are_remembered(self) -> None:
        self.bring_in("folded")
        self.add_shafts()
        self.page.get_by_role("button", name="Fold Spread").click()
        expect(self.page.get_by_role("slider", name="Reach", exact=True)).to_have_count(0)
        self.page.reload()
        self.rested()
        expect(self.page.get_by_role("button", name="Unfold Spread")).to_be_visible()
        self.page.get_by_role("button", name="Unfold Spread").click()
        expect(self.page.get_by_role("slider", name="Reach", exact=True)).to_have_count(1)

    def test_a_light_that_lights_nothing_says_so_on_its_chip(self) -> None:
        self.bring_in("nothing")
        self.add("Bloom")
        self.rested()
        self.type_value("Threshold, value", "200")
        expect(self.page.get_by_role("button", name=re.compile("^Bloom: Nothing is bright enough"))).to_be_visible()

    def test_clipped_places_are_marked_and_unmarked(self) -> None:
        self.bring_in("clipped")
        self.page.get_by_role("button", name="Plate prepare").click()
        self.type_value("Exposure, value", "4")
        plain = self.picture()
        self.page.get_by_role("button", name="Clipping", exact=True).click()
        self.page.wait_for_timeout(200)
        self.rested()
        self.page.wait_for_timeout(150)
        self.assertGreater(np.abs(self.picture() - plain).mean(), 10)
        self.page.get_by_role("button", name="Reset Plate").click()
        self.rested()

    def test_the_picture_is_sharp_on_a_screen_of_twice_the_density(self) -> None:
        path = self.folder / "dense.png"
        chequers = (np.indices((300, 300)).sum(axis=0) % 2 * 255).astype(np.uint8)
        Image.fromarray(chequers).convert("RGB").save(path)
        page = self.browser.new_context(viewport={"width": 1280, "height": 800}, device_scale_factor=2).new_page()
        self.addCleanup(page.context.close)
        page.goto(self.service.url)
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Bring in a picture…").click()
        chooser.value.set_files(path)
        page.wait_for_url("**/plates/*")
        expect(page.locator('[data-testid="picture"][data-exact="yes"]')).to_be_visible()
        page.keyboard.press("1")
        page.wait_for_timeout(400)
        expect(page.get_by_label("Zoom", exact=True)).to_have_text("100 %")
        page.get_by_test_id("area").screenshot(path=self.folder / "dense-shot.png")
        seen = np.asarray(Image.open(self.folder / "dense-shot.png").convert("L")).astype(int)
        middle = seen[seen.shape[0] // 2 - 20 : seen.shape[0] // 2 + 20, seen.shape[1] // 2 - 20 : seen.shape[1] // 2 + 20]
        # One plate pixel to one screen pixel: every neighbour differs by all there is.
        self.assertGreater(np.abs(np.diff(middle, axis=1)).mean(), 230)


class Leaving(BrowserTest):
    def test_passes_are_ticked_in_the_export_and_come_as_layers(self) -> None:
        self.bring_in("passes")
        self.add("Bloom")
        self.rested()
        self.page.get_by_role("button", name="Export…").click()
        dialog = self.page.get_by_role("dialog")
        expect(dialog.get_by_label("Size of the picture")).to_contain_text("about")
        dialog.get_by_text("Passes: every light as a layer of its own").click()
        expect(dialog.get_by_label("Quality")).to_have_count(0)
        self.choose("Format", "OpenRaster")
        self.choose("Depth", "16 bits")
        with self.page.expect_download() as download:
            dialog.get_by_role("button", name="Export").click()
        with zipfile.ZipFile(download.value.path()) as archive:
            listed = ElementTree.fromstring(archive.read("stack.xml")).findall("stack/layer")
        self.assertEqual([layer.get("name") for layer in listed], ["Bloom", "picture"])
        # The choice is remembered, passes and all.
        dialog.get_by_role("button", name="Close").click()
        self.page.get_by_role("button", name="Export…").click()
        expect(self.page.get_by_role("dialog").get_by_role("checkbox")).to_be_checked()

    def test_an_export_that_is_cancelled_leaves_the_bench_as_it_was(self) -> None:
        plate = self.open_plate("Harbour at dusk")
        before = self.rig(plate)
        self.page.get_by_role("button", name="Export…").click()
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_role("textbox", name="Long edge in pixels").fill("99999")
        expect(dialog.get_by_role("alert")).to_contain_text("whole number from 1 to 4320")
        dialog.get_by_role("textbox", name="Long edge in pixels").fill("4320")
        dialog.get_by_role("button", name="Export", exact=True).click()
        dialog.get_by_role("button", name="Cancel").click()
        dialog.get_by_role("button", name="Close").click()
        expect(dialog).to_have_count(0)
        self.rested()
        self.assertEqual(self.rig(plate), before)

    def test_this_windows_state_can_be_kept_on_top_of_the_others(self) -> None:
        plate = self.bring_in("mine")
        other = self.page.context.new_page()
        other.goto(self.page.url)
        other.get_by_role("button", name="Add a light").wait_for()
        self.add_shafts()
        self.add("Bloom", other)
        expect(other.get_by_role("alertdialog")).to_be_visible()
        other.get_by_role("button", name="Keep this window's on top").click()
        expect(other.get_by_label("Save state")).to_have_text("Saved")
        self.assertEqual([light["kind"] for light in self.rig(plate)["lights"]], ["bloom"])
        # The other window's state stays in the history.
        other.get_by_role("button", name="Undo").click()
        other.wait_for_timeout(400)
        self.assertEqual([light["kind"] for light in self.rig(plate)["lights"]], ["shafts"])

    def test_a_plate_that_is_not_there_says_so_and_leads_back(self) -> None:
        self.page.goto(f"{self.service.url}/plates/999")
        expect(self.page.get_by_text("there is no plate number 999")).to_be_visible()
        self.page.get_by_role("button", name="Back to the plates").click()
        expect(self.page.get_by_role("button", name="Open Boatshed", exact=True)).to_be_visible()

    def test_a_card_has_its_menu_on_a_right_click(self) -> None:
        self.page.get_by_role("article", name="Boatshed").click(button="right", position={"x": 80, "y": 60})
        expect(self.page.get_by_role("menuitem", name="Delete")).to_be_visible()
        self.page.get_by_role("menuitem", name="Open on the bench").click()
        self.rested()
