"""Every screen, every hand, long lists: the keyboard's ways, small and large windows, long names, many plates and lights."""

from __future__ import annotations

import io
import json
import re
import urllib.request
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import Locator, Route, expect

from tests.browser.window import BrowserTest

FOCUSED = "() => (e => e === document.body ? '' : (e.getAttribute('aria-label') || e.textContent))(document.activeElement)"
CLIPPED = """
() => [...document.querySelectorAll('header button, footer button, aside h2, main button')].filter((e) => {
  const b = e.getBoundingClientRect();
  return b.width > 0 && (b.left < -1 || b.right > innerWidth + 1) && !e.closest('[role=toolbar]');
}).map((e) => e.textContent)
"""
RIGHT_TO_LEFT = "מגדלור " * 11
UNBROKEN = "Lighthouse" * 8


def many_lights(count: int) -> list[dict[str, Any]]:
    return [{"id": f"light-{k}", "name": f"Light {k}", "kind": "bloom", "on": k == 0} for k in range(count)]


class Hand(BrowserTest):
    home = False

    def focused(self) -> str:
        return str(self.page.evaluate(FOCUSED))

    def save(self, plate: int, rig: dict[str, Any]) -> None:
        """Saves a rig as another window would."""
        base = self.api(f"/plates/{plate}/bench")["revision"]
        self.send("POST", f"/plates/{plate}/revisions", {"base": base, "label": "By a test", "rig": rig, "lead": None})

    def send(self, method: str, path: str, body: dict[str, Any]) -> None:
        url, kind = f"{self.service.url}/api{path}", {"Content-Type": "application/json"}
        urllib.request.urlopen(urllib.request.Request(url, json.dumps(body).encode(), kind, method=method)).close()

    def tabs_until(self, wanted: str, most: int) -> int:
        """How many presses of Tab bring the keyboard to what is called so."""
        for presses in range(most + 1):
            if self.focused() == wanted:
                return presses
            self.page.keyboard.press("Tab")
        raise AssertionError(f"{wanted} is not reached by {most} presses of Tab")


class WaysOfTheKeyboard(Hand):
    def test_the_desk_is_one_stop_with_arrows_inside(self) -> None:
        plate = self.bring_in("desk")
        self.save(plate, {"format": "aurelon-rig", "version": 2, "lights": many_lights(3)})
        self.go_to(plate)
        self.page.get_by_role("group", name="Light 0", exact=True).get_by_role("button", name="Light 0", exact=True).click()
        self.page.keyboard.press("3")
        self.page.keyboard.press("0")
        first = self.focused()
        self.assertEqual(first, "Light 0")  # what is selected
        for key, name in (("ArrowRight", "Light 1"), ("ArrowDown", "Light 1 on"), ("ArrowDown", "Solo Light 1")):
            self.page.keyboard.press(key)
            self.assertEqual(self.focused(), name)
        self.page.keyboard.press("Tab")
        inside = "() => document.activeElement.closest('[role=toolbar][aria-label=Desk]') !== null"
        self.assertFalse(self.page.evaluate(inside))
        self.page.keyboard.press("Shift+Tab")
        self.assertEqual(self.focused(), "Solo Light 1")
        self.page.keyboard.press("ArrowRight")
        self.assertEqual(self.focused(), "Light 2")
        self.page.keyboard.press("Shift+Tab")
        self.assertFalse(self.page.evaluate(inside))

    def test_each_stage_has_a_key_that_goes_to_its_first_control_and_reach_is_near(self) -> None:
        self.bring_in("stages")
        self.add_shafts()
        expect(self.page.locator('[data-stage="merge"]')).to_be_visible()
        for key, stage in zip("23456", ("source", "spread", "colour", "mask", "merge"), strict=True):
            self.page.keyboard.press(key)
            at = self.page.evaluate("() => document.activeElement.closest('[data-stage]')?.dataset.stage")
            self.assertEqual(at, stage)
        self.page.keyboard.press("3")
        self.assertLessEqual(self.tabs_until("Reach", 12), 12)
        self.page.keyboard.press("6")
        self.assertLessEqual(self.tabs_until("Opacity", 12), 12)

    def test_enter_in_a_number_gives_the_keyboard_to_its_slider_and_a_left_strip_to_its_button(self) -> None:
        self.bring_in("numbers")
        self.add_shafts()
        field = self.page.get_by_role("textbox", name="Reach, value", exact=True)
        field.fill("40")
        field.press("Enter")
        self.rested()
        self.page.wait_for_timeout(120)
        self.assertEqual(self.focused(), "Reach")
        strip = self.page.get_by_role("button", name="Test strip of Reach")
        strip.focus()
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_role("group", name="Test strip").get_by_role("button")).to_have_count(7)
        self.page.keyboard.press("Escape")
        self.page.wait_for_timeout(200)
        self.assertEqual(self.focused(), "Test strip of Reach")

    def test_a_new_part_of_a_mask_takes_the_keyboard(self) -> None:
        self.bring_in("part")
        self.add("Bloom")
        self.rested()
        self.page.keyboard.press("5")
        self.page.get_by_role("button", name="Add a part").focus()
        self.page.keyboard.press("Enter")
        self.page.get_by_role("menuitem", name=re.compile("^Linear gradient")).wait_for()
        self.page.keyboard.press("Enter")
        expect(self.page.locator("[data-part]")).to_be_visible()
        self.page.wait_for_timeout(250)
        self.assertTrue(self.page.evaluate("() => document.activeElement.closest('[data-part]') !== null"))

    def test_coming_going_and_steps_back_are_said(self) -> None:
        self.bring_in("said")
        said = self.page.get_by_role("status", name="Announcements")
        self.add("Bloom")
        self.rested()
        expect(said).to_have_text("Added: Bloom")
        self.page.keyboard.press("Delete")
        expect(said).to_have_text("Removed: Bloom")
        self.page.keyboard.press("Control+z")
        expect(said).to_have_text(re.compile("^Undone: .+|^Added: Bloom"))
        self.rested()


class WindowsOfAnySize(Hand):
    def test_small_windows_keep_the_name_and_clip_nothing(self) -> None:
        self.bring_in("small")
        self.add("Bloom")
        self.rested()
        for width, height in ((640, 400), (853, 533)):
            self.page.set_viewport_size({"width": width, "height": height})
            self.page.wait_for_timeout(200)
            self.assertEqual(self.page.evaluate(CLIPPED), [], width)
            expect(self.page.get_by_role("heading", name="small", exact=True)).to_be_in_viewport()
            for name in ("Export…", "Takes", "Without this light", "Add a light"):
                expect(self.page.get_by_role("button", name=name)).to_be_in_viewport(ratio=1)
            self.page.get_by_role("slider", name="Radius", exact=True).scroll_into_view_if_needed()
            expect(self.page.get_by_role("slider", name="Radius", exact=True)).to_be_in_viewport()
            area = self.page.get_by_test_id("area").bounding_box()
            assert area is not None
            self.assertGreater(area["width"], width * 0.5)
            self.assertGreater(area["height"], height * 0.5)
        self.page.set_viewport_size({"width": 1280, "height": 800})

    def test_a_wide_screen_gets_a_larger_interface_and_the_choice_is_kept(self) -> None:
        plate = self.bring_in("wide")
        self.page.set_viewport_size({"width": 3840, "height": 2160})
        self.addCleanup(self.page.set_viewport_size, {"width": 1280, "height": 800})
        export = self.page.get_by_role("button", name="Export…")
        expect(export).to_have_css("zoom", "1")
        tall = export.bounding_box()
        assert tall is not None
        self.assertGreater(tall["height"], 48)
        self.page.set_viewport_size({"width": 1280, "height": 800})
        self.page.get_by_role("button", name="Plate prepare").click()
        self.choose("Size of the interface", "125 %")
        self.go_to(plate)
        larger = export.bounding_box()
        assert larger is not None
        self.assertAlmostEqual(larger["height"], 26 * 1.25, delta=1.5)
        self.add("Bloom")
        self.rested()
        # A slider's thumb stays under the pointer, however large all is drawn.
        thumb = self.page.get_by_role("slider", name="Radius", exact=True)
        thumb.scroll_into_view_if_needed()
        before = thumb.bounding_box()
        self.drag_by(thumb, 40, 0)
        after = thumb.bounding_box()
        assert before is not None
        assert after is not None
        self.assertAlmostEqual(after["x"] - before["x"], 40, delta=3)

    def test_the_column_is_made_wider_by_hand_and_by_keys_and_stays_so(self) -> None:
        plate = self.bring_in("column")
        column = self.page.get_by_role("complementary", name="Settings")
        edge = self.page.get_by_role("separator", name="Width of the settings")

        def width() -> float:
            box = column.bounding_box()
            assert box is not None
            return box["width"]

        usual = width()
        self.drag_by(edge, -90, 0)
        self.assertAlmostEqual(width(), usual + 90, delta=2)
        edge.focus()
        self.page.keyboard.press("ArrowRight")
        self.assertAlmostEqual(width(), usual + 82, delta=2)
        self.go_to(plate)
        self.assertAlmostEqual(width(), usual + 82, delta=2)
        edge.dblclick()
        self.assertAlmostEqual(width(), usual, delta=1)

    def test_a_source_that_goes_out_of_sight_gets_room_unless_the_view_was_chosen_by_hand(self) -> None:
        self.bring_in("room")
        self.add_shafts()
        place = self.page.get_by_role("slider", name="Position", exact=True)
        self.drag_by(place, 200, 150)
        self.page.keyboard.press("f")
        close = self.page.get_by_label("Zoom", exact=True).inner_text()
        self.drag_by(place, -700, 0)
        self.page.wait_for_timeout(150)
        expect(place).to_be_in_viewport()
        area, at = self.page.get_by_test_id("area").bounding_box(), place.bounding_box()
        assert area is not None
        assert at is not None
        self.assertGreater(at["x"], area["x"])
        self.assertLess(int(self.page.get_by_label("Zoom", exact=True).inner_text().split()[0]), int(close.split()[0]))

    def test_corners_of_a_new_light_are_within_reach(self) -> None:
        self.bring_in("corners")
        self.add("Water")
        self.rested()
        area = self.page.get_by_test_id("area").bounding_box()
        assert area is not None
        corners = self.page.get_by_role("group", name="Quads 1", exact=True).get_by_role("button", name=re.compile("^Corner"))
        expect(corners).to_have_count(4)
        for k in range(4):
            box = corners.nth(k).bounding_box()
            assert box is not None
            self.assertGreaterEqual(box["x"], area["x"])
            self.assertLessEqual(box["y"] + box["height"], area["y"] + area["height"])


class FingersAndNewcomers(Hand):
    def test_what_is_pressed_is_large_enough_for_a_finger(self) -> None:
        self.bring_in("finger")
        self.add_shafts()
        small = """() => [...document.querySelectorAll('button, input:not([type=hidden]), [role=slider]')].filter((e) => {
          const b = e.getBoundingClientRect();
          const whole = getComputedStyle(e, '::after').position === 'absolute' || e.closest('label, svg, [aria-hidden=true]');
          return b.width > 1 && !whole && (b.width < 24 || b.height < 24);
        }).map((e) => (e.getAttribute('aria-label') || e.textContent) + JSON.stringify(e.getBoundingClientRect()))"""
        self.assertEqual(self.page.evaluate(small), [])

    def test_a_finger_that_rests_on_a_chip_opens_its_menu(self) -> None:
        self.bring_in("rests")
        self.add("Bloom")
        self.rested()
        chip = self.page.get_by_role("group", name="Bloom", exact=True)
        where = {"pointerType": "touch", "bubbles": True, "clientX": 300, "clientY": 740}
        chip.dispatch_event("pointerdown", where)
        self.page.wait_for_timeout(700)
        expect(self.page.get_by_role("menuitem", name="Rename")).to_be_visible()
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("menu")).to_have_count(0)
        # One that moves on does not.
        chip.dispatch_event("pointerdown", where)
        chip.dispatch_event("pointermove", {**where, "clientX": 340})
        self.page.wait_for_timeout(700)
        self.assertEqual(self.page.get_by_role("menu").count(), 0)

    def test_a_newcomer_is_told_of_test_strips_until_one_is_opened(self) -> None:
        plate = self.bring_in("newcomer")
        foot = self.page.get_by_label("Help", exact=True)
        expect(foot).to_have_text("")
        self.page.add_init_script("localStorage.setItem('aurelon.hinted-openings', '0')")
        self.go_to(plate)
        self.page.mouse.move(4, 300)
        expect(foot).to_contain_text("the small strip of pictures")
        self.add("Bloom")
        self.rested()
        self.page.get_by_role("button", name="Test strip of Radius").click()
        self.page.keyboard.press("Escape")
        self.page.mouse.move(4, 300)
        expect(foot).not_to_contain_text("small strip")

    def test_help_comes_and_goes_without_moving_or_covering_what_is_under_the_pointer(self) -> None:
        self.bring_in("foot")
        self.add("Bloom")
        self.rested()
        foot = self.page.get_by_label("Help", exact=True)
        row = self.page.get_by_role("textbox", name="Opacity, value", exact=True)
        self.page.mouse.move(400, 300)
        expect(foot).to_have_text("")
        for bottom in (780, 600):
            at = row.bounding_box()
            assert at is not None
            column = self.page.locator("aside > div").last
            column.evaluate("(e, by) => (e.scrollTop += by)", at["y"] + at["height"] - bottom)
            before = row.bounding_box()
            assert before is not None
            self.page.mouse.move(before["x"] + 20, before["y"] + 10)
            expect(foot).to_contain_text("How much of the blended result is shown")
            self.assertEqual(row.bounding_box(), before)
            helped = foot.bounding_box()
            assert helped is not None
            free = helped["y"] + helped["height"] <= before["y"] or helped["y"] >= before["y"] + before["height"]
            self.assertTrue(free, (helped, before))
            self.page.mouse.move(400, 300)
            expect(foot).to_have_text("")
            self.assertEqual(row.bounding_box(), before)

    def test_the_finish_is_chosen_at_the_plate_and_seen_at_once(self) -> None:
        plate = self.bring_in("finish")
        self.type_value("Exposure, value", "1.5")
        cut = self.picture()
        self.choose("Above white", "Rolled off, as on film")
        self.page.wait_for_timeout(150)
        self.rested()
        self.assertEqual(self.rig(plate)["finish"]["above_white"], "roll_off")
        rolled = self.picture()
        flat = (cut == 255).all(axis=2)
        self.assertGreater(int(flat.sum()), 5000)
        self.assertGreater(len(np.unique(rolled[flat])), 4)  # where the one is flat white the other tells how bright it was
        self.page.keyboard.press("Control+z")
        self.page.wait_for_timeout(150)
        self.rested()
        np.testing.assert_array_equal(self.picture(), cut)


class LongNames(Hand):
    def inside(self, what: Locator, outer: Locator | None = None) -> None:
        """Holds something to lie within its place across the window."""
        box = what.bounding_box()
        around = outer.bounding_box() if outer else {"x": 0, "width": 1280}
        assert box is not None
        assert around is not None
        self.assertGreaterEqual(box["x"], around["x"] - 1)
        self.assertLessEqual(box["x"] + box["width"], around["x"] + around["width"] + 1)

    def test_names_of_any_length_and_script_keep_to_their_places(self) -> None:
        for name in (UNBROKEN, RIGHT_TO_LEFT.strip()):
            plate = self.bring_in("named")
            self.send("PATCH", f"/plates/{plate}", {"name": name})
            mattes = [{"id": "m", "name": name, "mask": {"start": "everything", "parts": []}}]
            light = {"id": "a", "name": name, "kind": "bloom", "behind": {"matte": "m"}}
            self.save(plate, {"format": "aurelon-rig", "version": 2, "mattes": mattes, "lights": [light]})
            self.go_to(plate)
            self.page.get_by_role("group", name=name).get_by_role("button", name=name, exact=True).click()
            column = self.page.get_by_role("complementary", name="Settings")
            self.inside(column.get_by_role("group", name="Behind").get_by_role("button", name=name), column)
            self.inside(self.page.get_by_role("heading", name=name, level=1))
            self.inside(self.page.get_by_role("button", name="Export…"))
            self.assertEqual(self.page.evaluate("() => document.documentElement.scrollWidth"), 1280)
            self.assertEqual(column.evaluate("e => e.scrollWidth - e.clientWidth"), 0)
            self.page.keyboard.press("Control+e")
            dialog = self.page.get_by_role("dialog")
            self.inside(dialog.get_by_role("heading"), dialog)
            self.page.keyboard.press("Escape")
            self.page.goto(self.service.url)
            card = self.page.get_by_role("article", name=name)
            self.inside(card.get_by_role("heading"), card)

    def test_a_name_that_is_too_long_is_cut_with_a_word(self) -> None:
        plate = self.bring_in("limit")
        self.add("Bloom")
        self.rested()
        self.page.get_by_role("group", name="Bloom", exact=True).get_by_role("button", name="Bloom", exact=True).dblclick()
        field = self.page.get_by_role("textbox", name="Name of the light")
        field.fill("x" * 300)
        field.press("Enter")
        expect(self.page.get_by_text(re.compile("A name has at most 80 characters"))).to_be_visible()
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][0]["name"], "x" * 80)


class LongLists(Hand):
    def test_many_lights_are_few_chips_and_a_list_finds_one(self) -> None:
        plate = self.bring_in("forty")
        self.save(plate, {"format": "aurelon-rig", "version": 2, "lights": many_lights(40)})
        self.go_to(plate)
        desk = self.page.get_by_role("toolbar", name="Desk")
        expect(desk.locator('[data-stop][aria-pressed="true"]')).to_be_in_viewport()
        self.assertLess(desk.get_by_role("group", name=re.compile("^Light")).count(), 24)
        self.page.keyboard.press("y")
        self.page.keyboard.type("light 37")
        self.page.keyboard.press("Enter")
        chip = desk.get_by_role("group", name="Light 37", exact=True)
        expect(chip).to_be_in_viewport(ratio=0.9)
        expect(chip.get_by_role("button", name="Light 37", exact=True)).to_have_attribute("aria-pressed", "true")
        at = chip.bounding_box()
        assert at is not None
        self.page.mouse.move(at["x"] + 20, at["y"] + 20)
        self.page.mouse.wheel(0, -6000)
        expect(desk.get_by_role("group", name="Light 0", exact=True)).to_be_in_viewport()
        # The arrows go on to chips that were not drawn.
        desk.get_by_role("group", name="Light 0", exact=True).get_by_role("button", name="Light 0", exact=True).focus()
        for _ in range(20):
            self.page.keyboard.press("ArrowRight")
            self.page.wait_for_timeout(30)
        self.assertEqual(self.focused(), "Light 20")

    def test_two_hundred_plates_are_few_cards_and_the_list_is_as_it_was_on_the_way_back(self) -> None:
        data = io.BytesIO()
        Image.new("RGB", (30, 20), (90, 60, 40)).save(data, "png")
        for number in range(200):
            file: Any = {"name": f"shore {number}.png", "mimeType": "image/png", "buffer": data.getvalue()}
            self.assertTrue(self.context.request.post(f"{self.service.url}/api/plates", multipart={"file": file}).ok)
        self.page.goto(self.service.url)
        find = self.page.get_by_role("textbox", name="Find a plate by its name")
        find.wait_for()
        cards = self.page.get_by_role("article")
        expect(cards.first).to_be_visible()
        self.assertLess(cards.count(), 50)
        scroller = self.page.get_by_role("main", name="Plates")
        scroller.evaluate("e => (e.scrollTop = e.scrollHeight)")
        expect(self.page.get_by_role("button", name="Open shore 0", exact=True)).to_be_in_viewport()
        find.fill("shore 17")
        expect(cards).to_have_count(11)
        self.page.get_by_role("button", name="Open shore 17", exact=True).click()
        self.rested()
        self.page.get_by_role("button", name="Back to the plates").click()
        expect(find).to_have_value("shore 17")
        expect(cards).to_have_count(11)
        find.fill("")


class FirstScreen(BrowserTest):
    def test_an_empty_folder_says_what_can_be_done_and_brings_a_demo_plate_with_one_press(self) -> None:
        for plate in self.api("/plates"):
            request = urllib.request.Request(f"{self.service.url}/api/plates/{plate['id']}", method="DELETE")
            urllib.request.urlopen(request).close()
        self.page.reload()
        expect(self.page.get_by_role("heading", name="No plates yet")).to_be_visible()
        pictures = self.page.get_by_role("main", name="Plates").locator("img")
        expect(pictures).to_have_count(3)
        for k in range(3):
            self.assertGreater(pictures.nth(k).evaluate("async e => (await e.decode(), e.naturalWidth)"), 200)
        self.page.get_by_role("button", name="Try it on a demo plate").click()
        self.rested()
        plate = int(self.page.url.rsplit("/", 1)[1])
        self.assertEqual([light["kind"] for light in self.rig(plate)["lights"]], ["shafts", "flare", "velvet"])


class Exports(Hand):
    def start(self) -> None:
        self.page.keyboard.press("Control+e")
        self.page.get_by_role("dialog").get_by_role("button", name="Export", exact=True).click()

    def hold_news(self) -> list[Any]:
        """Keeps the first news of an export from the page until they are let go, however soon the export is made."""
        held: list[Any] = []

        def hold(route: Route) -> None:
            if held:
                route.continue_()
            else:
                held.append(route)

        def answer(route: Route) -> None:
            response = route.fetch()
            route.fulfill(response=response, json={**response.json(), "state": "waiting"})

        self.page.route(re.compile("/api/jobs/.*/news"), hold)
        self.page.route(re.compile("/api/plates/.*/exports"), answer)
        return held

    def test_an_export_goes_on_while_its_dialog_is_shut_and_comes_when_it_is_made(self) -> None:
        self.bring_in("shut")
        held = self.hold_news()
        self.start()
        expect(self.page.get_by_role("dialog").get_by_role("button", name="Cancel")).to_be_visible()
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("dialog")).to_have_count(0)
        expect(self.page.get_by_role("button", name=re.compile("^Exporting"))).to_be_visible()
        with self.page.expect_download() as download:
            held[0].continue_()
        self.assertEqual(download.value.suggested_filename, "shut-lit.jpg")
        expect(self.page.get_by_text("shut-lit.jpg is ready.")).to_be_visible()

    def test_a_page_that_is_loaded_anew_finds_its_export_with_its_file(self) -> None:
        plate = self.bring_in("anew")
        self.hold_news()
        self.start()
        expect(self.page.get_by_role("dialog").get_by_role("button", name="Cancel")).to_be_visible()
        self.go_to(plate)
        with self.page.expect_download() as download:
            self.page.get_by_role("button", name="Save it").click()
        self.assertEqual(download.value.suggested_filename, "anew-lit.jpg")

    def test_one_that_never_began_says_so_and_one_that_was_cancelled_is_gone(self) -> None:
        self.bring_in("refused")
        self.page.route(re.compile("/api/plates/.*/exports"), lambda route: route.abort())
        self.start()
        expect(self.page.get_by_role("alert").filter(has_text="The export did not begin.")).to_be_visible()
        self.page.unroute_all(behavior="ignoreErrors")
        held = self.hold_news()
        self.page.get_by_role("dialog").get_by_role("button", name="Export", exact=True).click()
        self.page.get_by_role("dialog").get_by_role("button", name="Cancel").click()
        held[0].continue_()
        expect(self.page.get_by_role("dialog").get_by_role("button", name="Cancel")).to_have_count(0)
        # The keyboard stays in the dialog.
        self.assertTrue(self.page.evaluate("() => document.activeElement.closest('[role=dialog]') !== null"))
