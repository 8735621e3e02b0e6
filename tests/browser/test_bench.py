"""The real interface: the whole way, the desk, choosing, the home view, and what can be trusted."""

from __future__ import annotations

import json
import re
import signal
from typing import Any

import numpy as np
import tifffile
from PIL import Image
from playwright.sync_api import expect

from tests.browser.window import BrowserTest
from tests.copied import run_command, small_demo


class WholeWay(BrowserTest):
    def test_from_a_demo_plate_to_a_16_bit_file_that_render_agrees_with(self) -> None:
        plate = self.open_plate("Headland at dawn")
        lights = len(self.rig(plate)["lights"])
        self.add_shafts()
        light = self.rig(plate)["lights"][-1]
        self.assertEqual(light["kind"], "shafts")

        # The source is dragged far outside the frame, and gets room there. Where the hand chose the view, a pointer shows where it
        # went, and brings it back.
        handle = self.page.get_by_role("slider", name="Position", exact=True)
        box = handle.bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        self.page.mouse.down()
        self.page.mouse.move(500, 300, steps=4)
        self.page.mouse.move(430, 44, steps=6)
        self.page.mouse.move(430, -200, steps=4)
        self.page.mouse.up()
        self.rested()
        self.assertLess(self.rig(plate)["lights"][-1]["spread"]["position"][1], -0.3)
        expect(handle).to_be_in_viewport()
        self.page.keyboard.press("f")
        self.page.get_by_role("button", name="Position is out of sight; show it").click()
        self.rested()
        box = handle.bounding_box()
        assert box is not None
        self.assertGreater(box["y"], 40)

        # Reach, blocking and mode.
        self.type_value("Reach, value", "80")
        self.type_value("Blocking, value", "25")
        self.choose("Blend mode", "Screen")
        self.rested()
        stored = self.rig(plate)["lights"][-1]
        self.assertEqual((stored["spread"]["reach"], stored["spread"]["blocking"], stored["merge"]["mode"]), (0.8, 0.25, "screen"))

        # Held comparisons change the picture and give it back.
        self.page.get_by_role("button", name="Fit").click()
        self.rested()
        lit = self.picture()
        for button in ("Before", "Without this light"):
            spot = self.page.get_by_role("button", name=button, exact=True).bounding_box()
            assert spot is not None
            self.page.mouse.move(spot["x"] + 10, spot["y"] + 10)
            self.page.mouse.down()
            self.page.wait_for_timeout(150)
            self.rested()
            self.page.wait_for_timeout(150)
            self.assertGreater(np.abs(self.picture() - lit).mean(), 0.3, button)
            self.page.mouse.up()
            self.page.wait_for_timeout(150)
            self.rested()
        self.page.wait_for_timeout(150)
        self.assertLess(np.abs(self.picture() - lit).mean(), 0.05)

        # Undo, and what is stored after a reload.
        self.page.keyboard.press("Control+z")
        self.page.wait_for_timeout(300)
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][-1]["merge"]["mode"], "expose")
        self.page.reload()
        self.rested()
        self.assertEqual(len(self.rig(plate)["lights"]), lights + 1)
        self.page.get_by_role("button", name="Redo").click()
        self.page.wait_for_timeout(300)
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][-1]["merge"]["mode"], "screen")

        # The export, against the command line on the same rig.
        self.page.get_by_role("button", name="Export…").click()
        dialog = self.page.get_by_role("dialog")
        self.choose("Format", "TIFF")
        self.choose("Depth", "16 bits")
        with self.page.expect_download() as download:
            dialog.get_by_role("button", name="Export").click()
        exported = tifffile.imread(download.value.path())
        rig = self.folder / "rig.json"
        rig.write_text(json.dumps(self.rig(plate)))
        out = self.folder / "cli.png"
        run_command("render", small_demo() / "plates/headland.jpg", "--rig", rig, "-o", out).check_returncode()
        self.assertEqual((exported.dtype, exported.shape), (np.uint16, (800, 1200, 3)))
        eight = np.asarray(Image.open(out)).astype(float)
        self.assertLess(np.abs(exported / 257.0 - eight).max(), 1.01)


class Desk(BrowserTest):
    home = False

    def test_duplicate_reorder_switch_solo_fade_and_remove(self) -> None:
        plate = self.bring_in("desk")
        self.add_shafts()
        self.page.keyboard.press("Control+d")
        expect(self.page.get_by_role("group", name="Shafts copy", exact=True)).to_be_visible()
        self.rested()
        self.assertEqual([light["id"] for light in self.rig(plate)["lights"]], ["shafts-1", "shafts-2"])
        self.page.keyboard.press("Alt+ArrowLeft")
        self.rested()
        self.assertEqual([light["id"] for light in self.rig(plate)["lights"]], ["shafts-2", "shafts-1"])
        self.page.get_by_role("group", name="Shafts", exact=True).drag_to(
            self.page.get_by_role("group", name="Shafts copy", exact=True),
            source_position={"x": 60, "y": 12},
            target_position={"x": 60, "y": 12},
        )
        self.page.wait_for_timeout(200)
        self.rested()
        self.assertEqual([light["id"] for light in self.rig(plate)["lights"]], ["shafts-1", "shafts-2"])
        self.page.get_by_role("button", name="Shafts on", exact=True).click()
        self.rested()
        self.assertFalse(self.rig(plate)["lights"][0]["on"])
        self.page.get_by_role("button", name="Solo Shafts copy").click()
        self.rested()
        self.assertFalse(self.rig(plate)["lights"][0]["on"])
        fader = self.page.get_by_role("slider", name="Intensity of Shafts copy")
        fader.focus()
        self.page.keyboard.press("ArrowRight")
        self.rested()
        self.assertAlmostEqual(self.rig(plate)["lights"][1]["merge"]["intensity"], 1.01)
        self.page.get_by_role("group", name="Shafts copy", exact=True).click(button="right", position={"x": 60, "y": 12})
        self.page.get_by_role("menuitem", name="Remove").click()
        self.rested()
        self.assertEqual(len(self.rig(plate)["lights"]), 1)
        self.page.get_by_role("group", name="Shafts", exact=True).click(position={"x": 60, "y": 12})
        self.page.keyboard.press("Control+m")
        expect(self.page.get_by_role("group", name="Shafts mirrored", exact=True)).to_be_visible()
        self.rested()
        (x, y), (across, down) = (light["spread"]["position"] for light in self.rig(plate)["lights"])
        np.testing.assert_allclose((across, down), (1 - x, y))
        for left in (1, 2):  # the mirrored one goes, then the removed one is back
            self.page.get_by_role("button", name="Undo").click()
            self.page.wait_for_timeout(200)
            self.rested()
            self.assertEqual(len(self.rig(plate)["lights"]), left)

    def test_a_light_that_is_being_prepared_says_so_and_holds_up_nothing(self) -> None:
        left = {"shafts": 12.4}
        self.page.route("**/api/preparing", lambda route: route.fulfill(json={"seconds": left}))
        self.bring_in("preparing")
        plain, fitted = self.picture(), self.placing()
        self.page.get_by_role("button", name="Add a light").click()
        choice = self.page.get_by_role("dialog").get_by_role("button", name="Shafts", exact=False)
        expect(choice).to_contain_text("Being prepared, 13 s")
        choice.click()
        chip = self.page.get_by_role("group", name="Shafts", exact=True)
        expect(chip).to_contain_text("Being prepared, 13 s")
        self.rested()
        for _ in range(2):  # without the room that the source may have been given
            if self.placing() != fitted:
                self.page.keyboard.press("f")
                self.rested()
        self.assertLess(np.abs(self.picture() - plain).mean(), 0.5)  # a handle is there
        left.clear()
        expect(chip.get_by_role("slider", name="Intensity of Shafts")).to_be_visible()
        self.rested()
        self.page.wait_for_timeout(150)
        self.assertGreater(np.abs(self.picture() - plain).mean(), 1)

    def test_kinds_keep_their_order_and_are_found_by_what_they_are_for(self) -> None:
        self.bring_in("kinds")

        def listed() -> list[str]:
            self.page.get_by_role("button", name="Add a light").click()
            cards = self.page.get_by_role("dialog").locator("b")
            expect(cards.first).to_be_visible()
            return cards.all_text_contents()

        order = listed()
        self.page.get_by_role("dialog").get_by_role("button", name=re.compile("^Lamp")).click()
        self.rested()
        self.assertEqual(listed(), order)
        field = self.page.get_by_role("textbox", name="Find a kind of light")
        for word, some in (("sun", {"Shafts", "Fan", "Flare"}), ("window", {"Beam", "Shafts"}), ("glow", {"Bloom", "Halation"})):
            field.fill(word)
            self.page.wait_for_timeout(100)
            found = set(self.page.get_by_role("dialog").locator("b").all_text_contents())
            self.assertLessEqual(some, found, word)
            self.assertLess(len(found), len(order))
        self.page.keyboard.press("Escape")

    def test_a_stage_is_shown_large_and_left_again(self) -> None:
        self.bring_in("stages")
        self.add_shafts()
        lit = self.picture()
        self.page.get_by_role("button", name="Show Source large").click()
        self.rested()
        self.page.wait_for_timeout(150)
        self.assertGreater(np.abs(self.picture() - lit).mean(), 2)
        self.page.get_by_role("button", name="Show Source large").click()
        self.rested()
        self.page.wait_for_timeout(150)
        self.assertLess(np.abs(self.picture() - lit).mean(), 0.05)

    def test_keys_double_click_reset_and_handles(self) -> None:
        plate = self.bring_in("keys")
        self.add_shafts()
        self.type_value("Reach, value", "120")
        self.page.get_by_role("button", name="Reach: How far", exact=False).dblclick()
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][0]["spread"]["reach"], 0.5)
        start = self.rig(plate)["lights"][0]["spread"]["position"]
        self.page.get_by_role("slider", name="Position", exact=True).focus()
        self.page.keyboard.press("Shift+ArrowRight")
        self.rested()
        self.assertAlmostEqual(self.rig(plate)["lights"][0]["spread"]["position"][0], start[0] + 0.05, places=3)
        self.page.keyboard.press("h")
        expect(self.page.get_by_role("slider", name="Position", exact=True)).to_have_count(0)
        self.page.keyboard.press("1")
        expect(self.page.get_by_label("Zoom", exact=True)).to_have_text("100 %")
        self.page.keyboard.press("f")
        self.page.keyboard.press("?")
        expect(self.page.get_by_role("dialog", name="Keys")).to_be_visible()

    def test_parallel_rays_have_a_direction_handle(self) -> None:
        plate = self.bring_in("parallel")
        self.add_shafts()
        self.choose("Rays from", "Parallel")
        self.rested()
        self.page.get_by_role("slider", name="Angle on the picture").focus()
        self.page.keyboard.press("ArrowRight")
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][0]["spread"]["angle"], -59)


class Choosing(BrowserTest):
    home = False

    def shown(self) -> np.ndarray[Any, Any]:
        self.page.wait_for_timeout(300)
        self.rested()
        self.page.wait_for_timeout(150)
        return self.picture()

    def test_the_sheet_shows_every_kind_and_adds_the_one_that_is_picked(self) -> None:
        plate = self.bring_in("sheet")
        self.page.keyboard.press("a")
        sheet = self.page.get_by_role("dialog", name="Add a light")
        expect(sheet.get_by_role("img")).to_have_count(0)  # the pictures are told by their titles
        kinds = [kind["title"] for kind in self.api("/catalogue")["kinds"]]
        for title in kinds:
            expect(sheet.get_by_role("button", name=re.compile(f"^{title}"))).to_be_visible()
        sheet.get_by_role("button", name=re.compile("^Bloom")).click()
        self.rested()
        self.assertEqual([light["kind"] for light in self.rig(plate)["lights"]], ["bloom"])

    def test_a_strip_on_radius_is_recentred_on_the_pick_and_is_one_step_to_undo(self) -> None:
        plate = self.bring_in("strip")
        self.add("Bloom")
        before = self.shown()
        self.page.get_by_role("button", name="Test strip of Radius").click()
        strip = self.page.get_by_role("group", name="Test strip")
        cells = strip.get_by_role("button")
        expect(cells).to_have_count(7)
        expect(cells.last).to_have_text("30.0 %")
        cells.last.click()
        expect(cells.first).not_to_have_text("0.2 %")
        self.assertEqual(self.rig(plate)["lights"][0]["spread"]["radius"], 0.3)
        self.page.get_by_role("button", name="Done").click()
        self.assertGreater(np.abs(self.shown() - before).mean(), 0.2)
        self.page.keyboard.press("Control+z")
        self.shown()
        self.assertEqual(self.rig(plate)["lights"][0]["spread"]["radius"], 0.05)

    def test_a_strip_of_all_blend_modes(self) -> None:
        plate = self.bring_in("modes")
        self.add("Bloom")
        self.shown()
        self.page.get_by_role("button", name="Test strip of Blend mode").click()
        cells = self.page.get_by_role("group", name="Test strip").get_by_role("button")
        bloom = next(kind for kind in self.api("/catalogue")["kinds"] if kind["name"] == "bloom")
        mode = next(one for one in bloom["groups"][-1]["settings"] if one["name"] == "mode")
        expect(cells).to_have_count(len(mode["options"]))
        self.page.get_by_role("button", name="Soft light", exact=True).click()
        self.shown()
        self.assertEqual(self.rig(plate)["lights"][0]["merge"]["mode"], "soft-light")

    def test_match_takes_the_warmth_at_the_source_and_at_a_spot(self) -> None:
        plate = self.open_plate("Harbour at dusk")
        self.page.get_by_role("button", name="Near lamp", exact=True).click()
        self.rested()
        self.page.get_by_role("button", name="Match the picture").click()
        self.shown()
        at_lamp = self.rig(plate)["lights"][0]["colour"]
        self.assertEqual(at_lamp["origin"], "temperature")
        self.assertLess(at_lamp["temperature"], 5500)
        self.page.get_by_role("button", name="at a spot…").click()
        box = self.page.get_by_test_id("area").bounding_box()
        assert box is not None
        self.page.mouse.click(box["x"] + 0.55 * box["width"], box["y"] + 0.25 * box["height"])  # the blue of the sky
        self.shown()
        self.assertGreater(self.rig(plate)["lights"][0]["colour"]["temperature"], at_lamp["temperature"] + 1500)

    def test_a_crop_is_set_and_lifted_and_lights_stay_where_they_were(self) -> None:
        plate = self.bring_in("crop")
        self.add_shafts()
        before = self.shown()
        position = self.rig(plate)["lights"][0]["spread"]["position"]
        self.page.get_by_role("button", name="Plate prepare").click()
        self.page.get_by_role("button", name="Crop", exact=True).click()
        edge = self.page.get_by_role("slider", name="Left edge of the crop")
        box = edge.bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 190, box["y"] + box["height"] / 2, steps=5)
        self.page.mouse.up()
        self.rested()
        crop = self.rig(plate)["prepare"]["crop"]
        self.assertTrue(0.15 < crop["x0"] < 0.35 and crop["x1"] == 1.0, crop)
        self.page.get_by_role("button", name="Crop", exact=True).click()
        self.assertGreater(np.abs(self.shown() - before).mean(), 2)
        self.assertEqual(self.rig(plate)["lights"][0]["spread"]["position"], position)
        self.page.get_by_role("button", name="Remove the crop").click()
        self.assertIsNone(self.rig(plate)["prepare"]["crop"] if self.shown() is not None else crop)
        # The handles of the light are gone, 0.15; on a busy machine 0.48 was seen, and a crop that stays is above 2.
        self.assertLess(np.abs(self.picture() - before).mean(), 0.7)

    def test_a_drawn_horizon_straightens_the_picture(self) -> None:
        plate = self.bring_in("horizon")
        self.page.get_by_role("button", name="Plate prepare").click()
        self.page.get_by_role("button", name="Draw the horizon").click()
        expect(self.page.get_by_label("Draw along the horizon")).to_be_visible()
        self.page.mouse.move(250, 400)
        self.page.mouse.down()
        self.page.mouse.move(650, 421, steps=4)
        self.page.mouse.up()
        expect(self.page.get_by_role("textbox", name="Straighten, value")).not_to_have_value("0.00")
        self.shown()
        self.assertAlmostEqual(self.rig(plate)["prepare"]["straighten"], 3.0, delta=0.1)

    def test_a_point_of_light_is_switched_off_and_another_is_placed(self) -> None:
        plate = self.bring_in("points")
        self.add("Starburst")
        self.shown()
        point = self.page.get_by_role("button", name=re.compile("^Point of light 1,"))
        expect(point).to_be_visible()
        point.focus()
        self.page.keyboard.press("Enter")
        self.shown()
        self.assertEqual(len(self.rig(plate)["lights"][0]["source"]["switched_off"]), 1)
        self.page.get_by_role("button", name="Add a point").click()
        self.shown()
        placed = self.rig(plate)["lights"][0]["source"]["placed"]
        self.assertEqual(len(placed), 1)
        np.testing.assert_allclose(placed[0], (0.5, 0.5), atol=0.01)
        self.page.get_by_role("button", name="None but these").click()
        self.shown()
        expect(self.page.get_by_role("button", name=re.compile("^Point of light"))).to_have_count(0)
        expect(self.page.get_by_role("button", name="Placed point 1")).to_be_visible()

    def test_levels_are_dragged_on_the_lights_own_histogram(self) -> None:
        plate = self.bring_in("levels")
        self.add("Bloom")
        self.shown()
        handle = self.page.get_by_role("slider", name="Black of the light")
        handle.focus()
        for _ in range(3):
            self.page.keyboard.press("Shift+ArrowRight")
        self.shown()
        self.assertAlmostEqual(self.rig(plate)["lights"][0]["colour"]["black"], 0.15, places=3)


class Home(BrowserTest):
    def test_drop_rename_delete_and_undo(self) -> None:
        path = self.folder / "dropped.png"
        Image.new("RGB", (60, 40), (90, 120, 160)).save(path)
        self.page.get_by_role("button", name="Open Boatshed", exact=True).wait_for()
        devtools = self.page.context.new_cdp_session(self.page)
        for kind in ("dragEnter", "dragOver", "drop"):
            data = {"items": [], "files": [str(path)], "dragOperationsMask": 1}
            devtools.send("Input.dispatchDragEvent", {"type": kind, "x": 400, "y": 600, "data": data})
        self.page.wait_for_url("**/plates/*")
        self.rested()
        self.page.get_by_role("button", name="Back to the plates").click()
        card = self.page.get_by_role("article", name="dropped")
        card.get_by_role("button", name="More for dropped").click()
        self.page.get_by_role("menuitem", name="Rename").click()
        self.page.get_by_role("textbox", name="Name of the plate").fill("Slipway")
        self.page.keyboard.press("Enter")
        card = self.page.get_by_role("article", name="Slipway")
        card.get_by_role("button", name="More for Slipway").click()
        self.page.get_by_role("menuitem", name="Delete").click()
        expect(card).to_have_count(0)
        self.page.get_by_role("button", name="Undo").click()
        expect(card).to_have_count(1)

    def test_a_file_that_is_no_picture_is_refused_in_a_sentence(self) -> None:
        path = self.folder / "notes.png"
        path.write_text("Merrow Point opens in spring")
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name="Bring in a picture…").click()
        chooser.value.set_files(path)
        expect(self.page.get_by_role("alert")).to_contain_text("notes.png is not a picture")


class Trust(BrowserTest):
    home = False

    def test_two_windows_and_a_clear_choice(self) -> None:
        plate = self.bring_in("two")
        other = self.page.context.new_page()
        other.goto(self.page.url)
        other.get_by_role("button", name="Add a light").wait_for()
        self.add_shafts()
        self.add("Shafts", other)
        expect(other.get_by_role("alertdialog")).to_be_visible()
        self.assertEqual(len(self.rig(plate)["lights"]), 1)
        other.get_by_role("button", name="Show the other window's").click()
        expect(other.get_by_label("Save state")).to_have_text("Saved")

    def test_nothing_shown_as_saved_is_lost_when_the_service_is_killed(self) -> None:
        plate = self.bring_in("killed")
        self.add_shafts()
        self.type_value("Reach, value", "90")
        self.service.stop(signal.SIGKILL)
        field = self.page.get_by_role("textbox", name="Blocking, value", exact=True)
        field.fill("11")
        field.press("Enter")
        expect(self.page.get_by_label("Save state")).to_contain_text("Not saved")
        self.service.start()
        self.rested()
        spread = self.rig(plate)["lights"][0]["spread"]
        self.assertEqual((spread["reach"], spread["blocking"]), (0.9, 0.11))
