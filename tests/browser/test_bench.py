"""The real interface, driven in headless Chromium against a real service."""

from __future__ import annotations

import json
import re
import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from PIL import Image
from playwright.sync_api import Browser, Page, expect, sync_playwright

from tests.pictures import scene

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync"]  # fmt: skip
ROOT = Path(__file__).resolve().parents[2]
AURELON = [sys.executable, "-m", "aurelon.cli"]


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


class Service:
    """`aurelon serve --demo` on a data folder of its own."""

    def __init__(self, data: Path) -> None:
        self.data, self.port = data, free_port()
        self.url = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        command = [*AURELON, "serve", "--demo", "--port", str(self.port), "--data", str(self.data)]
        self.process = subprocess.Popen(command, cwd=ROOT, stdout=subprocess.DEVNULL)
        for _ in range(600):
            try:
                urllib.request.urlopen(f"{self.url}/api/catalogue").close()
                return
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the service did not start")

    def stop(self, how: signal.Signals = signal.SIGTERM) -> None:
        if self.process is not None:
            self.process.send_signal(how)
            self.process.wait()


class BrowserTest(unittest.TestCase):
    service: Service
    page: Page
    browser: Browser
    folder: Path

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        cls.service = Service(cls.folder / "data")
        cls.service.start()
        cls.addClassCleanup(cls.service.stop)
        playwright = cls.enterClassContext(sync_playwright())
        cls.browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        cls.addClassCleanup(cls.browser.close)

    def setUp(self) -> None:
        context = self.browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
        self.addCleanup(context.close)
        self.page = context.new_page()
        self.page.set_default_timeout(12000)
        self.faults: list[str] = []
        self.page.on("pageerror", lambda error: self.faults.append(str(error)))
        self.page.goto(self.service.url)

    def tearDown(self) -> None:
        self.assertEqual(self.faults, [])

    def api(self, path: str) -> Any:
        with urllib.request.urlopen(f"{self.service.url}/api{path}") as answer:
            return json.load(answer)

    def open_plate(self, name: str) -> int:
        self.page.get_by_role("button", name=f"Open {name}", exact=True).click()
        self.rested()
        return int(self.page.url.rsplit("/", 1)[1])

    def rested(self) -> None:
        """Waits until the exact picture is there and everything is saved."""
        expect(self.page.locator('[data-testid="picture"][data-exact="yes"]')).to_be_visible(timeout=60000)
        expect(self.page.get_by_label("Save state")).to_have_text("Saved")

    def rig(self, plate: int) -> Any:
        return self.api(f"/plates/{plate}/bench")["rig"]

    def picture(self) -> np.ndarray[Any, Any]:
        return np.asarray(Image.open(self.shot()).convert("RGB")).astype(int)

    def shot(self) -> Path:
        path = self.folder / "shot.png"
        self.page.locator("canvas").first.screenshot(path=path)
        return path

    def type_value(self, label: str, text: str) -> None:
        field = self.page.get_by_role("textbox", name=label, exact=True)
        field.fill(text)
        field.press("Enter")
        self.rested()

    def choose(self, label: str, option: str) -> None:
        self.page.get_by_role("button", name=re.compile(f"{label}$")).click()
        self.page.get_by_role("option", name=option, exact=True).click()

    def add_shafts(self) -> None:
        self.page.get_by_role("button", name="Add a light").click()
        self.page.get_by_role("menuitem", name="Shafts").click()
        self.rested()

    def bring_in(self, name: str) -> int:
        path = self.folder / f"{name}.png"
        Image.fromarray((np.clip(scene(600, 400), 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)).save(path)
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name="Bring in a picture…").click()
        chooser.value.set_files(path)
        self.page.wait_for_url("**/plates/*")
        self.rested()
        return int(self.page.url.rsplit("/", 1)[1])


class WholeWay(BrowserTest):
    def test_from_a_demo_plate_to_a_16_bit_file_that_render_agrees_with(self) -> None:
        plate = self.open_plate("Headland at dawn")
        self.assertEqual(len(self.rig(plate)["lights"]), 1)
        self.add_shafts()
        light = self.rig(plate)["lights"][1]
        self.assertEqual(light["kind"], "shafts")

        # The source is dragged far outside the frame; a pointer shows where it went, and brings it back.
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
        self.assertLess(self.rig(plate)["lights"][1]["spread"]["position"][1], -0.3)
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
        stored = self.rig(plate)["lights"][1]
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
        self.assertEqual(self.rig(plate)["lights"][1]["merge"]["mode"], "expose")
        self.page.reload()
        self.rested()
        self.assertEqual(len(self.rig(plate)["lights"]), 2)
        self.page.get_by_role("button", name="Redo").click()
        self.page.wait_for_timeout(300)
        self.rested()
        self.assertEqual(self.rig(plate)["lights"][1]["merge"]["mode"], "screen")

        # The export, against the command line on the same rig.
        self.page.get_by_role("button", name="Export…").click()
        dialog = self.page.get_by_role("dialog")
        self.choose("Format", "TIFF")
        self.choose("Depth", "16 bits")
        with self.page.expect_download(timeout=120000) as download:
            dialog.get_by_role("button", name="Export").click()
        exported = tifffile.imread(download.value.path())
        rig = self.folder / "rig.json"
        rig.write_text(json.dumps(self.rig(plate)))
        out = self.folder / "cli.png"
        subprocess.run([*AURELON, "render", str(ROOT / "demo/plates/headland.jpg"), "--rig", str(rig), "-o", str(out)], check=True)
        self.assertEqual((exported.dtype, exported.shape), (np.uint16, (1600, 2400, 3)))
        eight = np.asarray(Image.open(out)).astype(float)
        self.assertLess(np.abs(exported / 257.0 - eight).max(), 1.01)


class Desk(BrowserTest):
    def test_duplicate_reorder_switch_solo_fade_and_remove(self) -> None:
        plate = self.bring_in("desk")
        self.add_shafts()
        self.page.keyboard.press("Control+d")
        self.rested()
        self.assertEqual([light["id"] for light in self.rig(plate)["lights"]], ["shafts-1", "shafts-2"])
        self.page.keyboard.press("Alt+ArrowLeft")
        self.rested()
        self.assertEqual([light["id"] for light in self.rig(plate)["lights"]], ["shafts-2", "shafts-1"])
        self.page.get_by_role("group", name="Shafts", exact=True).drag_to(
            self.page.get_by_role("group", name="Shafts copy", exact=True),
            source_position={"x": 60, "y": 12}, target_position={"x": 60, "y": 12},
        )  # fmt: skip
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
        self.page.get_by_role("button", name="Undo").click()
        self.page.wait_for_timeout(200)
        self.rested()
        self.assertEqual(len(self.rig(plate)["lights"]), 2)

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
    def test_two_windows_and_a_clear_choice(self) -> None:
        plate = self.bring_in("two")
        other = self.page.context.new_page()
        other.goto(self.page.url)
        other.get_by_role("button", name="Add a light").wait_for()
        self.add_shafts()
        other.get_by_role("button", name="Add a light").click()
        other.get_by_role("menuitem", name="Shafts").click()
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
