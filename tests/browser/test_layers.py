"""Files that hold several pictures, and the exposure of the view, at the screen."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import expect

from tests.browser.window import BrowserTest
from tests.core.test_formats import exr, exr_file, planes
from tests.pictures import scene


class Layers(BrowserTest):
    def bring_layers_in(self) -> None:
        path = self.folder / "cove.exr"
        glow = np.zeros((200, 300, 3), np.float32)
        glow[80:120, 100:200] = 0.8
        path.write_bytes(exr_file(exr(planes(scene(300, 200) * 2), "beauty"), exr(planes(glow), "glow")))
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name="Bring in a picture…").click()
        chooser.value.set_files(path)
        self.page.wait_for_url("**/plates/*")

    def test_what_was_taken_is_said_and_the_other_layers_become_plates(self) -> None:
        self.bring_layers_in()
        expect(self.page.get_by_text("cove.exr holds 2 layers; “beauty” was taken")).to_be_visible()
        self.rested()
        self.page.goto(self.service.url)
        self.page.get_by_role("button", name="More for cove", exact=True).first.click()
        self.page.get_by_role("menuitem", name="Other layers of its file…").click()
        dialog = self.page.get_by_role("dialog", name="Layers of cove.exr")
        dialog.get_by_role("button", name="glow", exact=True).click()
        expect(self.page.get_by_role("article", name="cove - glow").first).to_be_visible()
        dialog.get_by_role("button", name="Close").click()
        # A file that holds one picture offers no others.
        self.page.get_by_role("button", name="More for Boatshed").click()
        expect(self.page.get_by_role("menuitem", name="Rename")).to_be_visible()
        expect(self.page.get_by_role("menuitem", name="Other layers of its file…")).to_have_count(0)

    def test_a_layer_is_chosen_for_a_light_pass(self) -> None:
        self.bring_layers_in()
        self.rested()
        self.add("Picture")
        self.rested()
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name="Choose a file…").first.click()
        chooser.value.set_files(self.folder / "cove.exr")
        dialog = self.page.get_by_role("dialog", name="Layers of cove.exr")
        dialog.get_by_role("button", name="glow", exact=True).click()
        expect(dialog).to_have_count(0)
        expect(self.page.get_by_text("cove - glow.exr")).to_be_visible()
        self.rested()
        plate = int(self.page.url.rsplit("/", 1)[1])
        names = self.api(f"/plates/{plate}/files")["names"]
        self.assertEqual(names[self.rig(plate)["lights"][-1]["source"]["file"]], "cove - glow.exr")

    def test_the_view_is_darkened_and_the_rig_stays_as_it_is(self) -> None:
        self.bring_layers_in()
        self.rested()
        plate = int(self.page.url.rsplit("/", 1)[1])
        before, revision = self.picture(), self.api(f"/plates/{plate}/bench")["revision"]
        figure = self.page.get_by_role("figure", name="Histogram, Before")
        expect(figure).to_have_text(re.compile(r"clipped, up to \+\d\.\d EV"))
        self.type_value("View exposure, value", "-2")
        shown = self.page.get_by_role("button", name=re.compile("Shown at −2.0 EV"))
        expect(shown).to_be_visible()
        middle = np.s_[200:400, 300:600]
        self.assertLess(self.picture()[middle].mean(), before[middle].mean() - 20)
        shown.click()
        expect(shown).to_have_count(0)
        self.rested()
        self.assertLess(abs(self.picture()[middle] - before[middle]).mean(), 1)
        self.assertEqual(self.api(f"/plates/{plate}/bench")["revision"], revision)
