"""What is asked for in a hurry is done in order: saves, undo, refusals, and frames that come late."""

from __future__ import annotations

import time

import numpy as np
from playwright.sync_api import Route, expect

from tests.browser.window import BrowserTest

SLOW_DECODING = """() => {
  const decode = self.createImageBitmap;
  self.slowly = 0;
  self.createImageBitmap = async (...given) => {
    const slow = self.slowly;
    const made = await decode(...given);
    if (slow) await new Promise((resolve) => setTimeout(resolve, slow));
    return made;
  };
}"""


class InOrder(BrowserTest):
    home = False

    def typed(self, label: str, text: str) -> None:
        """Types a value and waits for nothing."""
        field = self.page.get_by_role("textbox", name=label, exact=True)
        field.fill(text)
        field.press("Enter")

    def hold_the_next_save(self) -> list[Route]:
        """What will hold the next save that is sent, until it is let go; those after it pass. The light that was added is kept
        before, which on a busy machine comes some time after the bench looks at rest."""
        expect(self.page.get_by_role("button", name="Undo", exact=True)).to_be_enabled()
        held: list[Route] = []

        def hold(route: Route) -> None:
            if held:
                route.continue_()
            else:
                held.append(route)

        self.page.route("**/revisions", hold)
        return held

    def test_undo_that_is_pressed_while_a_save_is_on_its_way_is_done_after_it(self) -> None:
        plate = self.bring_in("hurry")
        self.add("Bloom")
        self.rested()
        held = self.hold_the_next_save()
        self.typed("Radius, value", "20")
        while not held:
            self.page.wait_for_timeout(20)
        expect(self.page.get_by_label("Save state")).to_have_text("Saving…")
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="Undo", exact=True).click()
        held[0].continue_()
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][0]["spread"]["radius"], 0.05)
        expect(self.page.get_by_role("textbox", name="Radius, value", exact=True)).to_have_value("5.0")
        self.page.get_by_role("button", name="Redo", exact=True).click()
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][0]["spread"]["radius"], 0.2)

    def test_what_follows_a_refused_save_is_still_kept(self) -> None:
        plate = self.bring_in("refused")
        self.add("Bloom")
        self.rested()
        held = self.hold_the_next_save()
        self.typed("Radius, value", "20")
        while not held:
            self.page.wait_for_timeout(20)
        # A second edit waits behind the first, which is refused.
        self.typed("Falloff, value", "90")
        held[0].fulfill(status=422, json={"error": "The rig was refused for a test."})
        self.rested()
        kept = self.rig(plate)["lights"][0]["spread"]
        self.assertEqual((kept["radius"], kept["falloff"]), (0.2, 0.9))

    def test_a_refusal_is_said_and_the_next_edit_is_kept(self) -> None:
        plate = self.bring_in("said")
        self.add("Bloom")
        self.rested()
        refuse = {"error": "The rig was refused for a test."}
        self.page.route("**/revisions", lambda route: route.fulfill(status=422, json=refuse))
        self.typed("Radius, value", "20")
        expect(self.page.get_by_label("Save state")).to_contain_text("The rig was refused for a test.")
        self.page.unroute("**/revisions")
        self.type_value("Falloff, value", "90")
        self.assertEqual(self.rig(plate)["lights"][0]["spread"]["falloff"], 0.9)

    def test_a_frame_that_is_late_never_replaces_a_newer_one(self) -> None:
        self.bring_in("late")
        self.add("Bloom")
        self.rested()
        self.in_link(SLOW_DECODING)
        self.in_link("self.slowly = 1500")
        self.typed("Intensity, value", "8")
        self.page.wait_for_timeout(700)
        self.in_link("self.slowly = 0")
        self.type_value("Intensity, value", "0")
        newest = self.picture()
        late = time.monotonic() + 2.5
        while time.monotonic() < late:
            self.page.wait_for_timeout(250)
        np.testing.assert_array_equal(self.picture(), newest)
