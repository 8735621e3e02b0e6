"""What the page does while the service is away, and beside other windows: nothing that was done is lost."""

from __future__ import annotations

import io
import re
from typing import Any

from PIL import Image
from playwright.sync_api import expect

from tests.browser.window import BrowserTest


class Offline(BrowserTest):
    home = False

    def edit(self, exposure: str) -> None:
        """Changes the plate's exposure and waits for nothing."""
        self.page.get_by_role("button", name=re.compile("^Plate")).first.click()
        field = self.page.get_by_role("textbox", name="Exposure, value", exact=True)
        field.fill(exposure)
        field.press("Enter")


class Away(Offline):
    def test_an_edit_outlives_the_service_and_then_the_page(self) -> None:
        with self.page.expect_response(re.compile("/assets/Home-.*[.]js")):  # fetched while there is a service
            plate = self.open_plate("Boatshed")
        self.service.stop()
        self.edit("0.7")
        expect(self.page.get_by_label("Save state")).to_contain_text("Not saved")
        # Leaving asks.
        self.page.get_by_role("button", name="Back to the plates").click()
        dialog = self.page.get_by_role("dialog", name="Not saved yet")
        dialog.get_by_role("button", name="Stay").click()
        expect(dialog).to_have_count(0)
        self.page.get_by_role("button", name="Back to the plates").click()
        self.page.get_by_role("dialog").get_by_role("button", name="Leave").click()
        # The list waits for the service.
        expect(self.page.get_by_text("The service does not answer")).to_be_visible()
        self.service.start()
        expect(self.page.get_by_role("button", name="Open Boatshed", exact=True)).to_be_visible()
        self.page.get_by_role("button", name="Open Boatshed", exact=True).click()
        self.rested()
        self.assertEqual(self.rig(plate)["prepare"]["exposure"], 0.7)
        # The browser keeps an edit for a page that is closed before the service is back.
        self.service.stop()
        self.edit("0.2")
        expect(self.page.get_by_label("Save state")).to_contain_text("Not saved")
        self.page.close()
        self.service.start()
        self.assertEqual(self.rig(plate)["prepare"]["exposure"], 0.7)
        self.page = self.context.new_page()
        self.go_to(plate)
        self.assertEqual(self.rig(plate)["prepare"]["exposure"], 0.2)
        # It is kept until then, and no longer.
        self.edit("0.4")
        self.rested()
        self.page.reload()
        self.rested()
        self.assertEqual(self.rig(plate)["prepare"]["exposure"], 0.4)

    def test_a_press_that_gets_no_answer_says_so_in_a_sentence(self) -> None:
        self.open_plate("Brass lens")
        self.page.get_by_role("button", name="Takes").click()
        field = self.page.get_by_role("dialog").get_by_role("textbox").first
        field.fill("Warm")
        self.service.stop()
        try:
            self.page.get_by_role("dialog").get_by_role("button", name=re.compile("^Keep")).click()
            expect(self.page.get_by_text("Aurelon's service does not answer; start it again.").first).to_be_visible()
            expect(self.page.get_by_text("Failed to fetch")).to_have_count(0)
        finally:
            self.service.start()


class KeepsNothing(Offline):
    """A browser that keeps nothing, as a private window may."""

    def test_the_page_says_that_it_must_stay_open_and_saves_when_the_service_is_back(self) -> None:
        self.page.add_init_script("IDBFactory.prototype.open = () => { throw new DOMException('none', 'SecurityError') }")
        plate = self.open_plate("Boatshed")
        self.service.stop()
        self.edit("0.7")
        expect(self.page.get_by_label("Save state")).to_contain_text("Leave this page open")
        self.page.get_by_role("button", name="Back to the plates").click()
        dialog = self.page.get_by_role("dialog", name="Not saved yet")
        expect(dialog).to_contain_text("leave, and they are lost")
        dialog.get_by_role("button", name="Stay").click()
        self.service.start()
        self.rested()
        self.assertEqual(self.rig(plate)["prepare"]["exposure"], 0.7)


class Beside(BrowserTest):
    home = False

    def saved_elsewhere(self, plate: int, exposure: float) -> None:
        """Another window saves a change to a plate."""
        now = self.api(f"/plates/{plate}/bench")
        rig = {**now["rig"], "prepare": {**now["rig"]["prepare"], "exposure": exposure}}
        save: Any = {"base": now["revision"], "label": "elsewhere", "rig": rig, "lead": None}
        answer = self.context.request.post(f"{self.service.url}/api/plates/{plate}/revisions", data=save)
        self.assertTrue(answer.ok)

    def test_a_window_without_changes_takes_what_another_saves(self) -> None:
        plate = self.open_plate("Boatshed")
        self.page.get_by_role("button", name=re.compile("^Plate")).first.click()
        self.saved_elsewhere(plate, 0.4)
        self.page.evaluate("window.dispatchEvent(new Event('focus'))")
        field = self.page.get_by_role("textbox", name="Exposure, value", exact=True)
        expect(field).to_have_value(re.compile("0.4"))
        # Its own next change follows that one.
        self.type_value("Contrast, value", "10")
        expect(self.page.get_by_role("alertdialog")).to_have_count(0)
        self.assertEqual(self.rig(plate)["prepare"]["exposure"], 0.4)

    def test_a_window_without_the_keyboard_follows_what_another_saves(self) -> None:
        self.page.add_init_script("Document.prototype.hasFocus = () => false")
        plate = self.open_plate("Boatshed")
        self.page.get_by_role("button", name=re.compile("^Plate")).first.click()
        self.saved_elsewhere(plate, 0.55)
        expect(self.page.get_by_role("textbox", name="Exposure, value", exact=True)).to_have_value("0.55")

    def test_what_gives_way_to_another_window_becomes_a_take(self) -> None:
        plate = self.open_plate("Boatshed")
        self.page.get_by_role("button", name=re.compile("^Plate")).first.click()
        self.saved_elsewhere(plate, 0.3)
        field = self.page.get_by_role("textbox", name="Exposure, value", exact=True)
        field.fill("-0.5")
        field.press("Enter")
        self.page.get_by_role("button", name="Show the other window's").click()
        self.rested()
        self.assertEqual(self.rig(plate)["prepare"]["exposure"], 0.3)
        (take,) = (one for one in self.api(f"/plates/{plate}/takes")["takes"] if one["name"].startswith("From this window"))
        self.assertEqual(take["rig"]["prepare"]["exposure"], -0.5)


class LongList(BrowserTest):
    def test_the_last_of_many_plates_is_ticked_where_it_stands(self) -> None:
        for number in range(17):
            data = io.BytesIO()
            Image.new("RGB", (30, 20), (number * 9, 60, 90)).save(data, "png")
            file: Any = {"name": f"small {number}.png", "mimeType": "image/png", "buffer": data.getvalue()}
            self.assertTrue(self.context.request.post(f"{self.service.url}/api/plates", multipart={"file": file}).ok)
        self.page.reload()
        self.page.get_by_role("textbox", name="Find a plate by its name").wait_for()
        cards = self.page.get_by_role("article")
        cards.last.scroll_into_view_if_needed()
        cards.last.locator("label").last.click()
        expect(self.page.get_by_role("toolbar", name="Ticked plates")).to_be_visible()
        self.assertEqual(self.page.evaluate("[document.documentElement.scrollTop, document.body.scrollTop]"), [0, 0])
        expect(self.page.get_by_role("heading", name="Aurelon")).to_be_in_viewport()
        expect(cards.last).to_be_in_viewport()
