"""Light that is asked for by a sketch, copies on other plates, and typed faders, in the real interface."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.browser.test_masks import OnThePicture


class ShowMeWhere(OnThePicture):
    def paint(self, *places: tuple[float, float], keys: str = "") -> None:
        if keys:
            self.page.keyboard.down(keys)
        self.page.mouse.move(*self.place(*places[0]))
        self.page.mouse.down()
        for place in places[1:]:
            self.page.mouse.move(*self.place(*place), steps=5)
        self.page.mouse.up()
        if keys:
            self.page.keyboard.up(keys)

    def test_a_sketch_is_answered_tried_taken_and_undone_as_one_step(self) -> None:
        plate = self.bring_in("sketch")
        self.add("Fan")
        self.rested()
        before = self.rig(plate)["lights"][0]
        self.page.keyboard.press("l")
        strip = self.page.get_by_role("region", name="Show me where")
        expect(strip.get_by_role("status")).to_contain_text("Paint roughly where light should fall")
        self.paint((0.3, 0.3), (0.6, 0.75))
        self.paint((0.85, 0.2), (0.9, 0.8), keys="Alt")
        answers = strip.get_by_role("group", name="Lights that fall there").get_by_role("button")
        expect(answers.first).to_be_visible()
        expect(strip.get_by_role("progressbar")).to_have_count(0)
        self.assertGreater(answers.count(), 1)
        self.assertEqual(self.rig(plate)["lights"], [before])
        plain = self.picture()
        answers.nth(1).hover()
        self.page.wait_for_timeout(300)
        self.rested()
        self.assertGreater(int(abs(self.picture() - plain).max()), 10)
        answers.first.click()
        expect(strip).to_have_count(0)
        self.rested()
        taken = self.rig(plate)["lights"]
        self.assertEqual([one["id"] for one in taken], [before["id"]])
        self.assertNotEqual(taken[0]["spread"], before["spread"])
        self.page.keyboard.press("Control+z")
        self.rested()
        self.assertEqual(self.rig(plate)["lights"], [before])
        # The sketch is kept, and asked again; the last stroke goes by the key that undoes.
        self.page.keyboard.press("l")
        self.assertEqual(self.page.locator(".marks path").count(), 2)
        expect(answers.first).to_be_visible()
        self.page.keyboard.press("Control+z")
        expect(self.page.locator(".marks path")).to_have_count(1)
        self.page.keyboard.press("Escape")
        expect(strip).to_have_count(0)

    def test_without_a_light_a_new_one_is_found_and_a_dot_is_answered_by_a_sentence(self) -> None:
        plate = self.bring_in("dot")
        self.page.get_by_role("button", name="Show me where…").click()
        strip = self.page.get_by_role("region", name="Show me where")
        self.page.mouse.move(*self.place(0.5, 0.5))
        for _ in range(16):
            self.page.keyboard.press(",")
        self.page.mouse.down()
        self.page.mouse.up()
        expect(strip.get_by_role("alert")).to_contain_text("one dot does not say")
        strip.get_by_role("button", name="Clear").click()
        for _ in range(14):
            self.page.keyboard.press(".")
        self.paint((0.2, 0.2), (0.5, 0.7))
        answers = strip.get_by_role("group", name="Lights that fall there").get_by_role("button")
        expect(answers.first).to_be_visible()
        answers.first.focus()
        self.page.keyboard.press("ArrowRight")
        self.page.keyboard.press("Enter")
        self.rested()
        self.assertEqual(len(self.rig(plate)["lights"]), 1)


class Elsewhere(OnThePicture):
    def test_a_light_is_copied_to_another_plate_without_leaving_the_bench(self) -> None:
        plate = self.bring_in("here")
        self.add("Lamp")
        self.rested()
        self.page.get_by_role("button", name="More for Lamp").click()
        self.page.get_by_role("menuitem", name=re.compile("^Copy to other plates")).click()
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_role("textbox", name="Find a plate").fill("head")
        expect(dialog.get_by_role("checkbox")).to_have_count(1)
        dialog.get_by_text("Headland").click()
        dialog.get_by_role("button", name="Copy", exact=True).click()
        expect(dialog).to_have_count(0)
        expect(self.page.get_by_text("Lamp is on Headland at dawn now.")).to_be_visible()
        self.assertIn(f"plates/{plate}", self.page.url)
        headland = next(one["id"] for one in self.api("/plates") if one["name"] == "Headland at dawn")
        self.assertEqual(self.rig(headland)["lights"][-1]["kind"], "lamp")

    def test_a_fader_on_the_desk_takes_what_is_typed(self) -> None:
        plate = self.bring_in("typed")
        self.add("Lamp")
        self.rested()
        self.type_value("Intensity of Lamp, value", "1,37")
        self.assertEqual(self.rig(plate)["lights"][0]["merge"]["intensity"], 1.37)
        self.type_value("Intensity of Lamp, value", "99")
        self.assertEqual(self.rig(plate)["lights"][0]["merge"]["intensity"], 8)
