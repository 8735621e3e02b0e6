"""Everything by keyboard and to a screen reader: axe, the rules of WCAG as a program, on every view and dialog."""

from __future__ import annotations

import re
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from tests.browser.window import ROOT, BrowserTest

AXE = ROOT / "frontend/node_modules/axe-core/axe.min.js"


class Axe(BrowserTest):
    def check(self, where: str, *, forced: bool = False) -> None:
        """Holds the page, as it is, to axe; in forced colours but for contrast, which is the system's then and which axe takes from
        what the page would have."""
        self.page.wait_for_timeout(250)
        if not self.page.evaluate("typeof window.axe === 'object'"):
            # Not as a script of the page: the page may run the service's scripts alone.
            self.page.evaluate(AXE.read_text("utf-8"))
        found: Any = self.page.evaluate(
            "async (contrast) => (await axe.run({rules: {'color-contrast': {enabled: contrast}}})).violations"
            ".map(v => v.id + ': ' + v.help + ' '"
            " + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160) + ' ' + (n.failureSummary || '')).join(' | '))",
            not forced,
        )
        self.assertEqual(found, [], where)

    def press(self, key: str, dialog: str) -> None:
        self.page.keyboard.press(key)
        expect(self.page.get_by_role("dialog", name=dialog)).to_be_visible()

    def test_the_list_of_plates_and_its_dialogs(self) -> None:
        expect(self.page.get_by_role("button", name="Open Boatshed", exact=True)).to_be_visible()
        self.check("plates")
        self.page.get_by_role("button", name="New blank plate…").click()
        self.check("new blank plate")

    def test_the_bench_its_columns_and_its_dialogs(self) -> None:
        self.bring_in("access")
        self.add("Shafts")
        self.rested()
        self.check("a light")
        self.page.get_by_role("button", name="Plate prepare").click()
        self.check("the plate")
        self.page.get_by_role("button", name=re.compile("^House light")).click()
        self.check("the house light")
        self.press("a", "Add a light")
        self.check("add a light")
        self.page.keyboard.press("Escape")
        for key, dialog in (("t", "Takes"), ("r", "Rigs"), ("?", "Keys"), ("Control+e", "Export access")):
            self.press(key, dialog)
            self.check(dialog)
            self.page.keyboard.press("Escape")
            expect(self.page.get_by_role("dialog")).to_have_count(0)

    def test_forced_colours_and_the_list_of_lights(self) -> None:
        self.bring_in("forced")
        self.add("Bloom")
        self.rested()
        self.page.emulate_media(forced_colors="active")
        self.addCleanup(self.page.emulate_media, forced_colors="none")
        self.check("the bench in forced colours", forced=True)
        self.press("y", "Lights (1)")
        self.check("the list of lights", forced=True)
        self.page.keyboard.press("Escape")
        self.press("Control+e", "Export forced")
        self.check("export in forced colours", forced=True)

    def test_runs_and_the_dialog_that_starts_one(self) -> None:
        box = self.page.get_by_role("checkbox", name="Tick Boatshed", exact=True)
        box.click(force=True)
        expect(box).to_be_checked(checked=True)
        self.page.get_by_role("button", name="Export…", exact=True).click()
        self.choose("Rig", "That of Headland at dawn")
        self.check("start a run")
        self.page.get_by_role("button", name="Start", exact=True).click()
        expect(self.page.get_by_text("1 of 1 done")).to_be_visible()
        self.check("runs")

    def test_masks_and_strips(self) -> None:
        self.bring_in("masked")
        self.add("Bloom")
        self.rested()
        self.page.keyboard.press("n")
        expect(self.page.get_by_role("button", name="Bring light back")).to_be_visible()
        self.check("a brush")
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="Test strip of Radius").click()
        expect(self.page.get_by_role("group", name="Test strip").get_by_role("button")).to_have_count(7)
        self.check("a test strip")
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("l")
        expect(self.page.get_by_role("region", name="Show me where")).to_be_visible()
        self.check("a sketch")
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="More for Bloom").click()
        self.page.get_by_role("menuitem", name=re.compile("^Copy to other plates")).click()
        expect(self.page.get_by_role("dialog").get_by_role("checkbox").first).to_be_visible()
        self.check("copy to other plates")


class ByKeyboard(BrowserTest):
    home = False

    def focused(self) -> str:
        """The name of what has the keyboard; empty where it is the page's body."""
        script = "e = document.activeElement; e === document.body ? '' : (e.getAttribute('aria-label') || e.textContent)"
        return str(self.page.evaluate(script))

    def test_the_keyboard_has_a_place_after_lights_come_and_go(self) -> None:
        self.bring_in("kept")
        for _ in range(2):
            self.page.keyboard.press("a")
            self.page.get_by_role("dialog").get_by_role("textbox").fill("shafts")
            self.page.keyboard.press("Enter")
            expect(self.page.get_by_role("dialog")).to_have_count(0)
            self.rested()
            self.page.wait_for_timeout(200)
            self.assertEqual(self.focused(), "Position")
        self.page.get_by_role("button", name="More for Shafts 2").focus()
        self.page.keyboard.press("Delete")
        expect(self.page.get_by_role("group", name="Shafts 2", exact=True)).to_have_count(0)
        self.page.wait_for_timeout(200)
        self.assertEqual(self.focused(), "Shafts")

    def test_sliders_and_what_is_chosen_are_told_apart_in_forced_colours(self) -> None:
        self.bring_in("forced")
        self.add("Bloom")
        self.rested()
        self.page.emulate_media(forced_colors="active")
        self.addCleanup(self.page.emulate_media, forced_colors="none")
        thumb = self.page.get_by_role("slider", name="Radius", exact=True)
        thumb.scroll_into_view_if_needed()
        box = thumb.bounding_box()
        assert box is not None
        area = {"x": box["x"] - 20, "y": box["y"], "width": box["width"] + 40, "height": box["height"]}
        path = self.folder / "thumb.png"
        self.page.screenshot(path=path, clip=area)  # type: ignore[arg-type]
        grey = np.asarray(Image.open(path).convert("L")).astype(int)
        ground, middle = int(np.median(grey)), grey.shape[0] // 2
        self.assertGreater(abs(int(grey[middle, grey.shape[1] // 2]) - ground), 60)  # the thumb
        self.assertGreater(abs(int(grey[middle, 3]) - ground), 25)  # the track
        chosen = self.page.get_by_role("toolbar", name="Desk").locator('[aria-pressed="true"]').first
        self.assertEqual(chosen.evaluate("e => getComputedStyle(e).outlineStyle"), "solid")
