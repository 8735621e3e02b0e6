"""Colour management at the screen: the view of a display, and the colour space of a plate's file."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import expect

from tests.browser.window import BrowserTest

FILMED = "sRGB - Display: ACES 1.0 - SDR Video"


class Managed(BrowserTest):
    home = False
    words = ("--ocio", "ocio://cg-config-v2.2.0_aces-v1.3_ocio-v2.4")

    def test_a_view_is_chosen_seen_undone_and_written(self) -> None:
        plate = self.bring_in("view")
        before = self.picture()
        self.choose("Display and view", FILMED)
        self.rested()
        self.assertEqual(self.rig(plate)["finish"]["view"], {"display": "sRGB - Display", "view": "ACES 1.0 - SDR Video"})
        filmed = self.picture()
        self.assertGreater(float(np.abs(filmed - before).mean()), 2)
        # A draft under the hand looks as what comes when it rests.
        exposure = self.page.get_by_role("slider", name="Exposure", exact=True)
        box = exposure.bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + box["width"] / 2 + 12, box["y"] + box["height"] / 2, steps=4)
        self.page.wait_for_timeout(800)
        draft = self.picture()
        self.page.mouse.up()
        self.page.wait_for_timeout(150)
        self.rested()
        self.assertLess(float(np.abs(self.picture() - draft).mean()), 2)
        for _ in range(2):
            self.page.keyboard.press("Control+z")
            self.page.wait_for_timeout(100)
            self.rested()
        np.testing.assert_array_equal(self.picture(), before)

    def test_the_space_of_the_file_is_said_by_hand(self) -> None:
        plate = self.bring_in("space")
        before = self.picture()
        self.choose("Colours of the file", "ACEScct")
        self.rested()
        self.assertEqual(self.rig(plate)["prepare"]["input_space"], "ACEScct")
        self.assertGreater(float(np.abs(self.picture() - before).mean()), 5)
        self.choose("Colours of the file", "As the file says")
        self.rested()
        np.testing.assert_array_equal(self.picture(), before)


class Unmanaged(BrowserTest):
    home = False

    def test_nothing_of_it_shows_and_a_rig_that_needs_it_says_so(self) -> None:
        plate = self.bring_in("without")
        expect(self.page.get_by_text("Above white", exact=True)).to_be_visible()
        self.assertEqual(self.page.get_by_text("Colours of the file").count(), 0)
        rig = {"format": "aurelon-rig", "version": 2, "finish": {"view": {"display": "A", "view": "B"}}}
        base = self.api(f"/plates/{plate}/bench")["revision"]
        save = {"base": base, "label": "By a test", "rig": rig, "lead": None}
        self.context.request.post(f"{self.service.url}/api/plates/{plate}/revisions", data=save)
        self.page.goto(f"{self.service.url}/plates/{plate}")
        expect(self.page.get_by_text(re.compile("none is chosen here; start with --ocio")).first).to_be_visible()
        # The way out that it names is there.
        self.choose("Display and view", "None")
        self.rested()
        self.assertIsNone(self.rig(plate)["finish"]["view"])
