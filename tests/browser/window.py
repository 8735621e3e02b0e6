"""A window of the real interface in headless Chromium, against a real service on a data folder of its own."""

from __future__ import annotations

import json
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import Browser, BrowserContext, Locator, Page, expect, sync_playwright

from tests.copied import Copied, can_copy, demo_data
from tests.pictures import scene

FLAGS = (
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--force-prefers-reduced-motion",
    # Two pages of the browser's own in every window, which no test sees, take as long as the bench takes to load.
    "--disable-features=WebUIOmniboxPopup,WebUIOmniboxAimPopup",
)
# A wait ends as soon as what it waits for is there, so this is not how long a test takes: it is how slow a machine may be.
PATIENCE = int(os.environ.get("PATIENCE", "240")) * 1000  # ms; less while a test is written
expect.set_options(timeout=PATIENCE)
ROOT = Path(__file__).resolve().parents[2]
AURELON = [sys.executable, "-m", "aurelon"]


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


class Service:
    """`aurelon serve --demo` on a data folder of its own, with more of an environment where it is given."""

    def __init__(self, data: Path, more: Sequence[str] = (), *, small: bool = True, **environment: str) -> None:
        self.data, self.port = data, free_port()
        self.small = small  # whether its demo plates are
        self.environment = environment
        self.more = more  # words of the command line
        self.log: int | None = None  # where what it says of faults goes
        self.url = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[bytes] | Copied | None = None

    def start(self) -> None:
        words = ["serve", "--demo", "--port", str(self.port), "--data", str(self.data), *self.more]
        if not (self.data / "aurelon.sqlite").exists():
            shutil.copytree(demo_data(small=self.small), self.data, dirs_exist_ok=True)
        if can_copy() and self.log is None and not self.environment:
            self.process = Copied(words)
        else:
            environment = {**os.environ, **self.environment}
            quiet = subprocess.DEVNULL
            self.process = subprocess.Popen([*AURELON, *words], cwd=ROOT, stdout=quiet, stderr=self.log, env=environment)
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


@contextmanager
def demo_window(script: str = "") -> Iterator[tuple[Page, str, Path]]:
    """A window on a service of its own with the demo data, for programs that are no tests: the page, the service's
    address, a folder. `script` runs in the page before anything else."""
    with tempfile.TemporaryDirectory() as folder:
        service = Service(Path(folder) / "data", small=False)
        service.start()
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=list(FLAGS))
                page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
                page.set_default_timeout(PATIENCE)
                page.add_init_script(script or "0")
                yield page, service.url, Path(folder)
                browser.close()
        finally:
            service.stop()


def spot_of(page: Page, size: tuple[int, int], place: tuple[float, float]) -> tuple[float, float]:
    """Where a place (fractions) of a plate of `size` (width, height) is in the window, however the plate lies there."""
    style = page.evaluate("document.querySelector('.moving').style.transform")
    x, y = (float(v) for v in re.findall(r"-?[\d.]+", style)[:2])
    scale = float(page.locator(".moving").get_attribute("data-scale") or 0)
    area = page.get_by_test_id("area").bounding_box()
    assert area is not None
    return area["x"] + x + place[0] * size[0] * scale, area["y"] + y + place[1] * size[1] * scale


# What the last input began shows in the page a frame later, so that rest is what two frames in a row have.
REST = """(most) => new Promise((done) => {
  const end = performance.now() + most;
  let frames = 0;
  const look = () => {
    const picture = document.querySelector('[data-testid="picture"][data-exact="yes"]');
    const saved = document.querySelector('[aria-label="Save state"]')?.textContent === "Saved";
    const drawn = document.querySelector('[aria-label="Settings"]')?.getAttribute("aria-busy") === "false";
    frames = saved && drawn && picture?.getClientRects().length ? frames + 1 : 0;
    if (frames > 2 || performance.now() > end) done(frames > 2);
    else setTimeout(() => requestAnimationFrame(look), frames ? 0 : 20);
  };
  requestAnimationFrame(look);
})"""


def rested(page: Page, settle: int = 0) -> None:
    """Waits until all is saved, the column is that of what is selected and the exact picture is there, and then for `settle` ms."""
    if not page.evaluate(REST, PATIENCE):
        raise AssertionError(f"the bench did not come to rest: {page.get_by_label('Save state').all_inner_texts()}")
    page.wait_for_timeout(settle)


def add_light(page: Page, kind: str, settle: int) -> None:
    page.get_by_role("button", name="Add a light").click()
    page.get_by_role("dialog").get_by_role("button", name=re.compile(f"^{kind}")).click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.wait_for_timeout(500)
    rested(page, settle)


class BrowserTest(unittest.TestCase):
    flags: tuple[str, ...] = FLAGS
    home = True  # whether a test begins with the list of plates; else it goes to its plate
    words: tuple[str, ...] = ()  # of the service's command line
    service: Service
    page: Page
    browser: Browser
    context: BrowserContext
    folder: Path

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        cls.service = Service(cls.folder / "data", more=cls.words)
        cls.service.start()
        cls.addClassCleanup(cls.service.stop)
        playwright = cls.enterClassContext(sync_playwright())
        cls.browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=list(cls.flags))
        cls.addClassCleanup(cls.browser.close)
        cls.context = cls.browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
        cls.context.set_default_timeout(PATIENCE)
        # The hint for newcomers has a test of its own.
        cls.context.add_init_script("if (location.protocol === 'http:') localStorage.setItem('aurelon.hinted-openings', '3')")

    def setUp(self) -> None:
        # The context of the class keeps the page's compiled scripts; what the page remembers is cleared.
        self.page = self.context.new_page()
        self.addCleanup(self.close_pages)
        self.context.new_cdp_session(self.page).send(
            "Storage.clearDataForOrigin", {"origin": self.service.url, "storageTypes": "local_storage"}
        )
        self.faults: list[str] = []
        self.page.on("pageerror", lambda error: self.faults.append(str(error)))
        if self.home:
            self.page.goto(self.service.url)

    def tearDown(self) -> None:
        self.assertEqual(self.faults, [])

    def close_pages(self) -> None:
        for page in self.context.pages:
            page.close()

    def api(self, path: str) -> Any:
        with urllib.request.urlopen(f"{self.service.url}/api{path}") as answer:
            return json.load(answer)

    def open_plate(self, name: str) -> int:
        if self.home:
            self.page.get_by_role("button", name=f"Open {name}", exact=True).click()
            self.rested()
            return int(self.page.url.rsplit("/", 1)[1])
        return self.go_to(next(plate["id"] for plate in self.api("/plates") if plate["name"] == name))

    def go_to(self, plate: int) -> int:
        """Opens the bench of a plate by its address."""
        self.page.goto(f"{self.service.url}/plates/{plate}")
        self.rested()
        return plate

    def rested(self) -> None:
        """Waits until the exact picture is there and everything is saved."""
        rested(self.page)

    def drag_by(self, what: Locator, across: float, down: float) -> None:
        """Drags something by a number of pixels, from its middle."""
        box = what.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + across, y + down, steps=6)
        self.page.mouse.up()
        self.page.wait_for_timeout(80)
        self.rested()

    def in_link(self, script: str) -> None:
        """Runs a script on the thread that speaks with the service."""
        self.assertTrue(self.page.workers)
        for worker in self.page.workers:
            worker.evaluate(script)

    def rig(self, plate: int) -> Any:
        return self.api(f"/plates/{plate}/bench")["rig"]

    def placing(self) -> str:
        """How the plate lies in the area, as the style of it."""
        return str(self.page.evaluate("document.querySelector('.moving').style.transform"))

    def picture(self) -> np.ndarray[Any, Any]:
        return np.asarray(Image.open(self.shot()).convert("RGB")).astype(int)

    def shot(self) -> Path:
        path = self.folder / "shot.png"
        self.page.get_by_test_id("area").screenshot(path=path)
        return path

    def type_value(self, label: str, text: str) -> None:
        field = self.page.get_by_role("textbox", name=label, exact=True)
        field.fill(text)
        field.press("Enter")
        self.rested()

    def choose(self, label: str, option: str) -> None:
        self.page.get_by_role("button", name=re.compile(f"^(?!Test strip).*{label}$")).click()
        self.page.get_by_role("option", name=option, exact=True).click()

    def add(self, kind: str, page: Page | None = None) -> None:
        page = page or self.page
        page.get_by_role("button", name="Add a light").click()
        page.get_by_role("dialog").get_by_role("button", name=re.compile(f"^{kind}")).click()

    def add_shafts(self) -> None:
        self.add("Shafts")
        self.rested()

    def bring_in(self, name: str) -> int:
        path = self.folder / f"{name}.png"
        Image.fromarray((np.clip(scene(600, 400), 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)).save(path)
        return self.bring_file_in(path)

    def bring_file_in(self, path: Path) -> int:
        """Brings a file in by the button, or sends it where the list of plates is not shown, and waits for its bench."""
        if not self.home:
            file: Any = {"name": path.name, "mimeType": "application/octet-stream", "buffer": path.read_bytes()}
            answer = self.context.request.post(f"{self.service.url}/api/plates", multipart={"file": file})
            return self.go_to(answer.json()["id"])
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name="Bring in a picture…").click()
        chooser.value.set_files(path)
        self.page.wait_for_url("**/plates/*")
        self.rested()
        return int(self.page.url.rsplit("/", 1)[1])
