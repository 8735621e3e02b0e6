"""A rig on many plates, as an artist has it done: ticked, laid, mended on one, exported, and nothing lost by leaving the page."""

from __future__ import annotations

import re
import time
import zipfile

import numpy as np
from PIL import Image
from playwright.sync_api import Locator, expect

from tests.browser.window import BrowserTest, free_port
from tests.pictures import scene

FOLDER = """
  // A real folder that a page may write to, where a person would choose one.
  window.showDirectoryPicker = () => navigator.storage.getDirectory();
"""
WRITTEN = """async () => {
  const found = [];
  const folder = await navigator.storage.getDirectory();
  for await (const [name, file] of folder.entries()) found.push([name, (await file.getFile()).size]);
  return found.sort();
}"""


NOWHERE = f"tcp://127.0.0.1:{free_port()}"


class Runs(BrowserTest):
    words = ("--cluster", f"studio={NOWHERE}")

    def bring_many(self, *names: str) -> None:
        paths = []
        for number, name in enumerate(names):
            picture = np.roll(scene(480, 320), 30 * number, axis=1)
            paths.append(self.folder / f"{name}.png")
            Image.fromarray((np.clip(picture, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)).save(paths[-1])
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name="Bring in a picture…").click()
        chooser.value.set_files(paths)
        for name in names:
            expect(self.page.get_by_role("button", name=f"Open {name}", exact=True)).to_be_visible()

    def tick(self, *names: str) -> None:
        for name in names:
            box = self.page.get_by_role("checkbox", name=f"Tick {name}", exact=True)
            box.click(force=True)
            expect(box).to_be_checked(checked=True)

    def card(self, name: str) -> Locator:
        return self.page.get_by_role("region", name=name)

    def test_a_rig_is_laid_on_four_plates_one_mended_and_all_exported(self) -> None:
        self.page.add_init_script(FOLDER)
        self.page.reload()
        names = ["cove", "quay", "slip", "strand"]
        self.bring_many(*names)
        plates = {one["name"]: one["id"] for one in self.api("/plates")}
        self.tick(*names)
        self.page.get_by_role("button", name="Apply a rig…").click()
        dialog = self.page.get_by_role("dialog", name="Start a run")
        expect(dialog.get_by_text("4 plates ticked")).to_be_visible()
        start = dialog.get_by_role("button", name="Start", exact=True)
        expect(start).to_be_disabled()
        self.choose("Rig", "That of Headland at dawn")
        expect(dialog.get_by_role("button", name="Where the rig has them Lights")).to_be_visible()
        start.click()
        self.page.wait_for_url("**/runs/*")
        laid = self.card("“Headland at dawn” on 4 plates")
        expect(laid.get_by_text("4 of 4 done")).to_be_visible()
        source = self.rig(plates["Headland at dawn"])
        for name in names:
            self.assertEqual(self.rig(plates[name])["lights"], source["lights"])
        # One is opened and mended: its first light off.
        laid.get_by_role("button", name="Open slip on the bench").click()
        self.rested()
        self.page.get_by_role("button", name=source["lights"][0]["name"], exact=True).first.click()
        self.page.keyboard.press("Delete")
        self.rested()
        mended = self.rig(plates["slip"])
        self.assertEqual(len(mended["lights"]), len(source["lights"]) - 1)
        # All are exported, as they now stand; the page is left meanwhile.
        self.page.goto(self.service.url)
        self.tick(*names)
        self.page.get_by_role("button", name="Export…", exact=True).click()
        self.choose("Format", "PNG")
        expect(dialog.get_by_role("note").filter(has_text="Here:")).to_have_text(re.compile(r"Here: .*worker.* of memory"))
        start.click()
        self.page.wait_for_url("**/runs/*")
        run = self.page.url.rsplit("/", 1)[1]
        self.page.goto("about:blank")
        began = time.monotonic()
        while self.api(f"/runs/{run}")["run"]["state"] != "done":
            self.assertLess(time.monotonic() - began, 90)
            time.sleep(0.2)
        self.page.goto(f"{self.service.url}/runs")
        result = self.card("Export of 4 plates")
        expect(result.get_by_text("4 of 4 done · 4 files")).to_be_visible()
        with self.page.expect_download() as archive:
            result.get_by_role("button", name="Save as archive").click()
        with zipfile.ZipFile(archive.value.path()) as files:
            self.assertEqual(sorted(files.namelist()), [f"{name}-lit.png" for name in names])
            sizes = [[info.filename, info.file_size] for info in sorted(files.infolist(), key=lambda info: info.filename)]
        result.get_by_role("button", name="Save to a folder…").click()
        expect(self.page.get_by_text("4 files are in the folder.")).to_be_visible()
        self.assertEqual(self.page.evaluate(WRITTEN), sizes)
        with self.page.expect_download() as one:
            result.get_by_role("link", name="slip-lit.png").click()
        self.assertEqual(Image.open(one.value.path()).size, (480, 320))

    def test_a_run_is_paused_gone_on_with_cancelled_and_deleted(self) -> None:
        names = [f"pier {letter}" for letter in "abcdef"]
        self.bring_many(*names)
        self.tick(*names)
        self.page.get_by_role("button", name="Export…", exact=True).click()
        dialog = self.page.get_by_role("dialog", name="Start a run")
        box = dialog.get_by_role("checkbox", name="pier d", exact=True)
        box.click(force=True)
        expect(box).to_be_checked(checked=False)
        expect(dialog.get_by_text("5 plates ticked")).to_be_visible()
        dialog.get_by_role("button", name="Start", exact=True).click()
        result = self.card("Export of 5 plates")
        result.get_by_role("button", name="Pause").click()
        expect(result.get_by_text("paused")).to_be_visible()
        result.get_by_role("button", name="Go on").click()
        expect(result.get_by_text("5 of 5 done")).to_be_visible()
        result.get_by_role("button", name="Delete", exact=True).click()
        result.get_by_role("button", name="Delete its files too").click()
        expect(result).to_have_count(0)

    def test_what_cannot_be_made_is_named_and_the_sheet_of_rigs_leads_to_a_run(self) -> None:
        self.bring_in("mole")
        self.add_shafts()
        self.page.keyboard.press("r")
        self.page.get_by_role("button", name="Save", exact=True).click()
        expect(self.page.get_by_text("mole was saved.")).to_be_visible()
        expect(self.page.get_by_role("dialog")).to_have_count(0)
        self.page.keyboard.press("r")
        self.page.get_by_role("button", name="More for mole").click()
        self.page.get_by_role("menuitem", name=re.compile("Apply to several plates…")).click()
        dialog = self.page.get_by_role("dialog", name="Start a run")
        expect(dialog.get_by_role("button", name="mole Rig")).to_be_visible()
        self.choose("Lights", "Found anew in each picture")
        self.choose("Made by", "Cluster studio")
        dialog.get_by_role("button", name="Start", exact=True).click()
        card = self.card("“mole” on 1 plate")
        expect(card.get_by_role("alert")).to_have_text(re.compile(f"no cluster answers at {NOWHERE}"))
        expect(card.get_by_text("0 of 1 done · paused")).to_be_visible()
