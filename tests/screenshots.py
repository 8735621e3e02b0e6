"""Takes the pictures of docs/screenshots anew, from the demo data: python -m tests.screenshots."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

from tests.browser.window import FLAGS, ROOT, Service

OUT = ROOT / "docs/screenshots"


def rested(page: Page) -> None:
    expect(page.get_by_label("Save state")).to_have_text("Saved", timeout=30000)
    expect(page.locator('[data-testid="picture"][data-exact="yes"]')).to_be_visible(timeout=90000)
    page.wait_for_timeout(1500)


class Camera:
    def __init__(self, page: Page, url: str) -> None:
        self.page, self.url = page, url

    def shoot(self, name: str) -> None:
        self.page.mouse.move(4, 60)
        self.page.wait_for_timeout(300)
        self.page.screenshot(path=OUT / f"{name}.png")

    def open(self, plate: str, light: str | None = None) -> None:
        self.page.goto(self.url)
        self.page.get_by_role("button", name=f"Open {plate}", exact=True).click()
        rested(self.page)
        if light:
            self.page.get_by_role("button", name=light, exact=True).first.click()
            rested(self.page)

    def scroll_to(self, label: str) -> None:
        self.page.get_by_label(label, exact=True).first.evaluate("(place) => place.scrollIntoView({ block: 'center' })")
        self.page.wait_for_timeout(200)

    def press(self, name: str) -> None:
        self.page.get_by_role("button", name=name, exact=True).first.click()


def take(camera: Camera) -> None:
    page = camera.page
    page.goto(camera.url)
    page.wait_for_timeout(1500)
    camera.shoot("plates")
    camera.press("New blank plate…")
    page.wait_for_timeout(400)
    camera.shoot("blank")
    camera.open("Headland at dawn", "Low sun")
    camera.shoot("bench")
    page.keyboard.press("a")
    page.wait_for_timeout(7000)
    camera.shoot("kinds")
    page.keyboard.press("Escape")
    page.keyboard.press("r")
    page.wait_for_timeout(9000)
    camera.shoot("rigs")
    page.keyboard.press("Escape")
    camera.press("Test strip of Reach")
    page.wait_for_timeout(3000)
    camera.shoot("strip")
    page.keyboard.press("Escape")
    camera.scroll_to("Levels of the light")
    camera.shoot("levels")
    camera.press("Find the light")
    page.wait_for_timeout(2500)
    camera.shoot("finder")
    page.keyboard.press("Escape")
    page.keyboard.press("f")
    page.keyboard.press("m")
    page.keyboard.press("n")
    rested(page)
    page.mouse.move(300, 330)
    page.mouse.down()
    page.mouse.move(620, 300, steps=10)
    page.mouse.up()
    rested(page)
    camera.shoot("masks")
    camera.press("Undo")
    page.wait_for_timeout(500)
    camera.press("Undo")
    rested(page)
    page.keyboard.press("m")
    page.get_by_role("button", name="Plate prepare").click()
    camera.press("Crop")
    page.wait_for_timeout(800)
    camera.shoot("crop")
    camera.press("Crop")
    camera.press("Lighthouse")
    page.keyboard.press("m")
    rested(page)
    camera.shoot("matte")
    page.keyboard.press("m")
    page.keyboard.press("t")
    page.wait_for_timeout(1500)
    page.get_by_role("dialog").get_by_role("button", name="Compare").first.click()
    page.wait_for_timeout(2500)
    camera.shoot("takes")
    camera.open("Harbour at dusk", "Stars on the lamps")
    page.wait_for_timeout(1500)
    camera.shoot("points")
    camera.open("Boatshed", "Through the hatch")
    camera.shoot("beams")
    camera.open("Brass lens", "Lamp, true depth")
    camera.shoot("brasslens")
    camera.open("Harbour at dusk")
    page.get_by_role("button", name=re.compile("^House light")).click()
    page.get_by_role("textbox", name="Level, value", exact=True).fill("0.45")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Add a light").click()
    page.get_by_role("dialog").get_by_role("button", name=re.compile("^Lamp")).click()
    page.wait_for_timeout(500)
    rested(page)
    camera.shoot("lamps")
    camera.open("Headland at dawn")
    page.get_by_role("button", name="Add a light").click()
    page.get_by_role("dialog").get_by_role("button", name=re.compile("^Line")).click()
    page.wait_for_timeout(500)
    rested(page)
    camera.shoot("line")
    camera.open("Night over Merrow Point")
    camera.shoot("night")


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        service = Service(Path(folder) / "data")
        service.start()
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
                page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
                page.set_default_timeout(30000)
                take(Camera(page, service.url))
                browser.close()
        finally:
            service.stop()


if __name__ == "__main__":
    main()
