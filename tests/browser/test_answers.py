"""The bench answers the hand: keys go where the hand expects them, and what is done on the picture does what it says."""

from __future__ import annotations

import re

import numpy as np
import psutil
from playwright.sync_api import expect

from tests.browser.test_masks import OnThePicture
from tests.browser.window import BrowserTest


class Keys(BrowserTest):
    home = False

    def test_enter_in_a_field_gives_the_keys_back_to_the_bench(self) -> None:
        plate = self.bring_in("keys back")
        self.add_shafts()
        self.type_value("Reach, value", "80")
        self.page.keyboard.press("h")
        expect(self.page.get_by_role("slider", name="Position", exact=True)).to_have_count(0)
        self.page.keyboard.press("1")
        expect(self.page.get_by_label("Zoom", exact=True)).to_have_text("100 %")
        self.page.keyboard.press("Control+z")
        self.page.wait_for_timeout(200)
        self.rested()
        light = self.rig(plate)["lights"][0]
        self.assertEqual((light["spread"]["reach"], light["merge"]["opacity"]), (0.5, 1.0))

    def test_a_dropdown_that_was_used_swallows_no_shortcut(self) -> None:
        plate = self.bring_in("dropdown")
        self.add("Bloom")
        self.rested()
        self.choose("Blend mode", "Screen")
        self.rested()
        for key in ("m", "s", "d", "o"):
            self.page.keyboard.press(key)
        self.page.wait_for_timeout(300)
        self.rested()
        light = self.rig(plate)["lights"][0]
        self.assertEqual((light["merge"]["mode"], light["on"]), ("screen", False))
        self.page.keyboard.press("a")
        expect(self.page.get_by_role("dialog", name="Add a light")).to_be_visible()

    def test_escape_closes_the_dialog_after_an_export(self) -> None:
        self.bring_in("escape")
        self.page.keyboard.press("Control+e")
        dialog = self.page.get_by_role("dialog")
        with self.page.expect_download():
            dialog.get_by_role("button", name="Export", exact=True).click()
        expect(dialog.get_by_text("is ready")).to_be_visible()
        self.page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)

    def test_a_number_that_is_too_much_is_held_and_said(self) -> None:
        plate = self.bring_in("too much")
        self.add_shafts()
        self.type_value("Count, value", "999")
        expect(self.page.get_by_label("Help")).to_contain_text("999 is too much: at most 240 here.")
        self.assertEqual(self.rig(plate)["lights"][0]["spread"]["count"], 240)

    def test_a_slider_is_dragged_finely_with_shift_and_turned_by_the_wheel_while_it_has_the_keyboard(self) -> None:
        plate = self.bring_in("finely")
        self.add("Bloom")
        self.rested()
        slider = self.page.get_by_role("slider", name="Intensity", exact=True)
        slider.scroll_into_view_if_needed()
        track = self.page.locator('[data-setting="intensity"] [role=group]')
        box, thumb = track.bounding_box(), slider.bounding_box()
        assert box is not None
        assert thumb is not None
        self.assertGreaterEqual(box["width"], 180)
        x, y = thumb["x"] + thumb["width"] / 2, thumb["y"] + thumb["height"] / 2
        moved = []
        for fine in (False, True):
            self.page.mouse.move(x, y)
            self.page.mouse.down()
            if fine:
                self.page.keyboard.down("Shift")
            self.page.mouse.move(x + 60, y, steps=6)
            self.page.mouse.up()
            self.page.keyboard.up("Shift")
            self.rested()
            moved.append(self.rig(plate)["lights"][0]["merge"]["intensity"] - 1)
            self.page.keyboard.press("Control+z")
            self.page.wait_for_timeout(200)
            self.rested()
        self.assertGreater(moved[0], 5 * moved[1])
        self.assertGreater(moved[1], 0)
        slider.focus()
        self.page.mouse.move(x, y)
        self.page.mouse.wheel(0, -100)
        self.page.wait_for_timeout(600)
        self.rested()
        self.assertAlmostEqual(self.rig(plate)["lights"][0]["merge"]["intensity"], 1.01)

    def test_with_shift_a_place_stays_level_or_plumb_and_the_middle_catches_it(self) -> None:
        plate = self.bring_in("level")
        self.add("Fan")
        self.rested()
        grip = self.page.get_by_role("slider", name="Position", exact=True).locator(".grip")

        def drag(across: float, down: float, key: str) -> tuple[float, float]:
            box = grip.bounding_box()
            assert box is not None
            x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
            self.page.mouse.move(x, y)
            self.page.mouse.down()
            self.page.keyboard.down(key)
            self.page.mouse.move(x + across, y + down, steps=8)
            if key == "Shift":
                expect(self.page.get_by_text("Held level or plumb.")).to_be_visible()
            self.page.mouse.up()
            self.page.keyboard.up(key)
            self.page.wait_for_timeout(80)
            self.rested()
            x, y = self.rig(plate)["lights"][0]["spread"]["position"]
            return float(x), float(y)

        before = self.rig(plate)["lights"][0]["spread"]["position"]
        level = drag(120, 25, "Shift")
        self.assertEqual(level[1], before[1])
        self.assertGreater(level[0], before[0] + 0.05)
        plumb = drag(-20, 90, "Shift")
        self.assertEqual(plumb[0], level[0])
        self.assertGreater(plumb[1], level[1] + 0.05)
        width = 120 / (level[0] - before[0])  # CSS pixels of the plate
        caught = drag((0.5 - plumb[0]) * width + 5, 3, "Shift")
        self.assertEqual(caught, (0.5, plumb[1]))
        fine = drag(100, 0, "Control")
        self.assertAlmostEqual(fine[0], 0.5 + 10 / width, delta=0.004)

    def test_the_column_stands_at_its_top_when_another_light_is_selected_and_eight_lights_fit_on_the_desk(self) -> None:
        plate = self.bring_in("eight")
        self.add("Bloom")
        self.rested()
        for _ in range(7):
            self.page.keyboard.press("Control+d")
            self.page.wait_for_timeout(250)
            self.rested()
        desk = self.page.get_by_role("toolbar", name="Desk")
        self.assertLessEqual(desk.evaluate("(row) => row.scrollWidth - row.clientWidth"), 0)
        house = self.page.get_by_role("button", name=re.compile("^House light")).bounding_box()
        chip = desk.get_by_role("group", name="Bloom", exact=True).bounding_box()
        assert house is not None
        assert chip is not None
        self.assertGreaterEqual(chip["x"], house["x"] + house["width"])  # nothing lies under another
        last = self.rig(plate)["lights"][-1]["name"]
        for name in ("Bloom", last):
            expect(self.page.get_by_role("group", name=name, exact=True)).to_be_in_viewport(ratio=1)
        region = self.page.get_by_role("region", name=f"The path of {last}")
        region.evaluate("(column) => column.scrollTo(0, 400)")
        self.page.get_by_role("group", name="Bloom", exact=True).click(position={"x": 20, "y": 12})
        self.assertEqual(self.page.get_by_role("region", name="The path of Bloom", exact=True).evaluate("(c) => c.scrollTop"), 0)

    def test_a_strip_is_stepped_by_the_arrow_keys_shown_full_size_and_taken_with_enter(self) -> None:
        plate = self.bring_in("stepped")
        self.add("Bloom")
        self.rested()
        before = self.picture()
        self.page.get_by_role("button", name="Test strip of Radius").click()
        cells = self.page.get_by_role("group", name="Test strip").get_by_role("button")
        expect(cells).to_have_count(7)
        width = cells.first.locator("img").evaluate("(picture) => picture.getBoundingClientRect().width")
        self.assertGreaterEqual(width, 380)
        for _ in range(6):
            self.page.keyboard.press("ArrowRight")
        self.page.keyboard.press("Space")
        for _ in range(100):  # it is exact until the page has taken the key in
            self.rested()
            self.page.wait_for_timeout(200)
            if np.abs(self.picture() - before).mean() > 0.2:
                break
        self.assertGreater(np.abs(self.picture() - before).mean(), 0.2)
        self.assertEqual(self.rig(plate)["lights"][0]["spread"]["radius"], 0.05)  # only looked at
        self.page.keyboard.press("Enter")
        self.page.wait_for_timeout(200)
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][0]["spread"]["radius"], 0.3)
        expect(self.page.get_by_role("group", name="Test strip")).to_have_count(0)


class OnIt(OnThePicture):
    def test_a_selected_part_keeps_the_lights_handles_and_a_drag_on_the_source_never_pans(self) -> None:
        plate = self.bring_in("both")
        self.add_shafts()
        self.add_part("Linear gradient")
        for name in ("Begin", "End", "Position"):
            expect(self.page.get_by_role("slider", name=name, exact=True)).to_be_visible()
        at = self.rig(plate)["lights"][0]["spread"]["position"]
        style = self.page.locator(".moving").get_attribute("style")
        self.drag((at[0], at[1]), (at[0] + 0.1, at[1] + 0.05))
        self.assertEqual(self.page.locator(".moving").get_attribute("style"), style)
        self.assertAlmostEqual(self.rig(plate)["lights"][0]["spread"]["position"][0], at[0] + 0.1, delta=0.01)

    def test_a_linear_gradient_keeps_the_sky_and_takes_the_ground(self) -> None:
        self.bring_in("gradient")
        self.add("Bloom")
        self.rested()
        self.add_part("Linear gradient")
        self.show_mask("Mask only, in grey")
        self.assertGreater(self.at(0.3, 0.1).min(), 240)
        self.assertLess(self.at(0.3, 0.9).max(), 15)

    def test_a_colour_range_is_picked_by_a_click_and_shown_at_once_with_a_line_that_says_so(self) -> None:
        plate = self.bring_in("picked")
        self.add("Bloom")
        self.rested()
        self.add_part("Colour range")
        expect(self.page.get_by_text("Click a spot of the colour that you want")).to_be_visible()
        self.page.mouse.click(*self.place(0.2, 0.8))
        self.page.wait_for_timeout(200)
        self.rested()
        np.testing.assert_allclose(self.mask(plate)["parts"][0]["spot"], (0.2, 0.8), atol=0.01)
        expect(self.page.get_by_role("button", name=re.compile("Overlay on the picture.*Mask shown"))).to_be_visible()

    def test_a_polygon_counts_from_three_corners_on_and_a_whole_line_is_dragged(self) -> None:
        plate = self.bring_in("whole")
        self.add("Line")
        self.rested()
        before = self.rig(plate)["lights"][0]["source"]["path"]
        middle = np.mean(before, axis=0)
        # Beside the sign in its middle that adds a corner.
        begin = (float(middle[0] + 0.1), float(middle[1]))
        self.drag(begin, (begin[0] + 0.05, begin[1] + 0.2))
        after = self.rig(plate)["lights"][0]["source"]["path"]
        np.testing.assert_allclose(np.subtract(after, before), [[0.05, 0.2]] * len(before), atol=0.01)
        self.add_part("Polygon")
        expect(self.page.get_by_text("closes it")).to_be_visible()
        for count, corner in enumerate(((0.2, 0.2), (0.4, 0.2), (0.4, 0.5), (0.2, 0.5)), 1):
            self.page.mouse.click(*self.place(*corner))
            self.page.wait_for_timeout(150)
            self.rested()
            self.assertEqual(len(self.mask(plate)["parts"][0]["corners"]), count if count >= 3 else 0)
        self.page.mouse.click(*self.place(0.2, 0.2))  # the first one closes it
        expect(self.page.get_by_role("button", name="Corner 4", exact=True)).to_be_visible()

    def test_a_click_beside_the_picture_never_paints_and_a_stroke_loses_no_point(self) -> None:
        plate = self.bring_in("beside")
        self.add("Bloom")
        self.rested()
        self.page.keyboard.press("n")
        self.page.wait_for_timeout(300)
        self.rested()
        self.page.keyboard.press("f")  # with a margin beside the picture
        self.rested()
        self.page.mouse.click(*self.place(-0.08, 0.5))
        self.page.wait_for_timeout(200)
        self.rested()
        self.assertEqual(self.mask(plate)["parts"][0]["strokes"], [])
        # As fast as input comes, without waiting for the service.
        self.page.mouse.move(*self.place(0.2, 0.5))
        self.page.mouse.down()
        for k in range(60):
            self.page.mouse.move(*self.place(0.2 + 0.01 * k, 0.5 + 0.2 * np.sin(k / 5)))
        self.page.mouse.up()
        self.rested()
        points = np.array(self.mask(plate)["parts"][0]["strokes"][0]["points"]).reshape(-1, 3)
        self.assertGreater(len(points), 50)
        np.testing.assert_allclose(points[:, 1], 0.5 + 0.2 * np.sin((points[:, 0] - 0.2) / 0.05), atol=0.02)

    def test_a_pen_paints_with_its_pressure(self) -> None:
        plate = self.bring_in("pen")
        self.add("Bloom")
        self.rested()
        self.page.keyboard.press("n")
        self.page.wait_for_timeout(300)
        self.rested()
        session = self.page.context.new_cdp_session(self.page)

        def pen(kind: str, share: float, force: float) -> None:
            x, y = self.place(0.2 + 0.6 * share, 0.5)
            where = {"type": kind, "x": x, "y": y, "pointerType": "pen", "force": force, "tiltX": 20}
            session.send("Input.dispatchMouseEvent", {**where, "button": "left", "buttons": 0 if kind == "mouseReleased" else 1})

        pen("mousePressed", 0, 0.2)
        for k in range(1, 31):
            pen("mouseMoved", k / 30, 0.2 + 0.7 * k / 30)
        pen("mouseReleased", 1, 0)
        self.page.wait_for_timeout(300)
        self.rested()
        (stroke,) = self.mask(plate)["parts"][0]["strokes"]
        points = np.array(stroke["points"]).reshape(-1, 3)
        self.assertGreater(len(points), 10)
        # Pressed ever harder along the way, as the pen was.
        np.testing.assert_allclose(points[:, 2], 0.2 + 0.7 * (points[:, 0] - 0.2) / 0.6, atol=0.05)

    def test_strokes_begin_empty_with_the_brush_up_and_say_so(self) -> None:
        plate = self.bring_in("empty")
        self.add("Strokes")
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][0]["source"]["strokes"], [])
        expect(self.page.get_by_role("application", name="Paint light")).to_have_count(1)
        expect(self.page.get_by_text("Paint where light is to fall")).to_be_visible()
        self.drag((0.2, 0.3), (0.6, 0.4))
        self.assertEqual(len(self.rig(plate)["lights"][0]["source"]["strokes"]), 1)


class Trouble(BrowserTest):
    home = False

    def test_the_socket_gone_in_the_middle_of_a_drag_loses_nothing_and_comes_back(self) -> None:
        plate = self.bring_in("gone")
        self.add_shafts()
        self.in_link(
            """() => {
              const send = WebSocket.prototype.send;
              WebSocket.prototype.send = function (...given) { self.socket = this; return send.apply(this, given); };
            }"""
        )
        handle = self.page.get_by_role("slider", name="Position", exact=True).locator(".grip")
        box = handle.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 40, y, steps=4)
        self.in_link("self.socket.close()")
        self.page.mouse.move(x + 80, y, steps=4)
        self.page.mouse.up()
        self.rested()
        moved = self.rig(plate)["lights"][0]["spread"]["position"][0]
        self.assertGreater(moved, 0.1)
        self.page.mouse.move(5, 5)
        expect(self.page.get_by_text("Waiting for the service")).to_have_count(0)

    def test_what_is_done_while_nothing_can_be_written_is_kept_in_the_page_until_it_can_be(self) -> None:
        plate = self.bring_in("no room")
        self.add("Bloom")
        self.rested()
        assert self.service.process is not None
        service = psutil.Process(self.service.process.pid)
        _, most = service.rlimit(psutil.RLIMIT_FSIZE)
        service.rlimit(psutil.RLIMIT_FSIZE, (1, most))  # from here on every write of its fails
        self.addCleanup(service.rlimit, psutil.RLIMIT_FSIZE, (most, most))
        field, state = self.page.get_by_role("textbox", name="Opacity, value"), self.page.get_by_label("Save state")
        field.fill("40")
        field.press("Enter")
        expect(state).to_contain_text("Not saved: the data file cannot be written")
        expect(state).to_contain_text("Until then this page keeps it")
        field.fill("70")
        field.press("Enter")
        self.assertEqual(self.rig(plate)["lights"][0]["merge"]["opacity"], 1.0)
        service.rlimit(psutil.RLIMIT_FSIZE, (most, most))
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][0]["merge"]["opacity"], 0.7)
        # Both are steps of their own.
        self.page.keyboard.press("Control+z")
        self.page.wait_for_timeout(200)
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][0]["merge"]["opacity"], 0.4)

    def test_names_in_german_and_japanese_and_a_small_window(self) -> None:
        self.page.set_viewport_size({"width": 900, "height": 600})
        self.bring_in("Große Küstenwächterhaus-Außenansicht im Nebel")
        self.add("Bloom")
        self.rested()
        self.page.get_by_role("group", name="Bloom", exact=True).click(button="right", position={"x": 30, "y": 12})
        self.page.get_by_role("menuitem", name="Rename").click()
        self.page.get_by_role("textbox", name="Name of the light").fill("灯台のやわらかな夕方の光")
        self.page.keyboard.press("Enter")
        self.rested()
        expect(self.page.get_by_role("region", name="The path of 灯台のやわらかな夕方の光")).to_be_visible()
        for name in ("Add a light", "Export…"):
            expect(self.page.get_by_role("button", name=name)).to_be_in_viewport(ratio=1)

    def test_two_fingers_zoom_and_leave_no_stroke(self) -> None:
        plate = self.bring_in("pinch")
        self.add("Bloom")
        self.rested()
        self.page.keyboard.press("n")
        self.page.wait_for_timeout(300)
        self.rested()
        before = int(self.page.get_by_label("Zoom", exact=True).inner_text().split()[0])
        session = self.page.context.new_cdp_session(self.page)

        def touch(kind: str, apart: float, fingers: int = 2) -> None:
            points = [{"x": 470 - apart, "y": 380, "id": 1}, {"x": 470 + apart, "y": 380, "id": 2}][:fingers]
            session.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

        touch("touchStart", 40, 1)
        touch("touchStart", 40)
        for apart in (60, 90, 120):
            touch("touchMove", apart)
        session.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})
        self.page.wait_for_timeout(200)
        self.rested()
        after = int(self.page.get_by_label("Zoom", exact=True).inner_text().split()[0])
        self.assertGreater(after, 1.5 * before)
        self.assertEqual(self.rig(plate)["lights"][0]["mask"]["parts"][0]["strokes"], [])


class Many(BrowserTest):
    home = False

    def put(self, plate: int, rig: object) -> None:
        """Gives the plate a rig, past the screen, and opens it anew."""
        self.page.evaluate(
            """async ([plate, rig]) => {
              const { revision } = await (await fetch(`/api/plates/${plate}/bench`)).json();
              const headers = { "content-type": "application/json" };
              const body = JSON.stringify({ base: revision, label: "many", rig, lead: null });
              const kept = await fetch(`/api/plates/${plate}/revisions`, { method: "POST", headers, body });
              if (!kept.ok) throw new Error(await kept.text());
            }""",
            [plate, rig],
        )
        self.page.reload()
        self.rested()

    def test_a_rig_of_64_lights_is_worked_on(self) -> None:
        plate = self.bring_in("sixty-four")
        lights = [{"id": f"b{k}", "name": f"Line {k}", "kind": "line", "merge": {"intensity": 0.1}} for k in range(64)]
        self.put(plate, {"lights": lights})
        expect(self.page.get_by_role("group", name="Line 63", exact=True)).to_be_in_viewport(ratio=1)
        for name in ("Plate prepare", "House light level 1.00", "Add a light"):
            expect(self.page.get_by_role("button", name=name)).to_be_in_viewport(ratio=1)
        self.type_value("Intensity, value", "2")
        self.assertEqual(self.rig(plate)["lights"][63]["merge"]["intensity"], 2)

    def test_a_mask_of_2000_strokes_is_painted_on(self) -> None:
        plate = self.bring_in("two thousand")
        strokes = [
            {
                "size": 0.01,
                "points": [0.001 * (k % 900) + 0.01 * j if i == 0 else 0.5 if i == 1 else 1 for j in range(40) for i in range(3)],
            }
            for k in range(2000)
        ]
        mask = {"start": "nothing", "parts": [{"part": "strokes", "strokes": strokes}]}
        self.put(plate, {"lights": [{"id": "bloom-1", "name": "Bloom", "kind": "bloom", "mask": mask}]})
        self.page.get_by_role("button", name="Brush", exact=True).click()
        area = self.page.get_by_test_id("area").bounding_box()
        assert area is not None
        self.page.mouse.move(area["x"] + 300, area["y"] + 200)
        self.page.mouse.down()
        self.page.mouse.move(area["x"] + 420, area["y"] + 260, steps=8)
        self.page.mouse.up()
        self.page.wait_for_timeout(200)
        self.rested()
        self.assertEqual(len(self.rig(plate)["lights"][0]["mask"]["parts"][0]["strokes"]), 2001)
