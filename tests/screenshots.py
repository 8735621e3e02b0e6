"""Takes the pictures of docs/screenshots anew, from the demo data: python -m tests.screenshots."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.window import ROOT, add_light, demo_window, rested

OUT = ROOT / "docs/screenshots"
SETTLE = 1500  # ms


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
        rested(self.page, SETTLE)
        if light:
            self.page.get_by_role("button", name=light, exact=True).first.click()
            rested(self.page, SETTLE)

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
    for plate in ("Headland at dawn", "Boatshed", "Harbour at dusk"):
        page.get_by_role("checkbox", name=f"Tick {plate}", exact=True).check(force=True)
    camera.press("Export…")
    page.wait_for_timeout(1000)
    camera.press("Start")
    expect(page.get_by_text("3 of 3 done")).to_be_visible(timeout=90000)
    page.wait_for_timeout(1500)
    camera.shoot("runs")
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
    page.keyboard.press("l")
    page.wait_for_timeout(300)
    for begin, end in (((420, 230), (300, 420)), ((440, 240), (420, 520)), ((470, 230), (560, 500))):
        page.mouse.move(*begin)
        page.mouse.down()
        page.mouse.move(*end, steps=6)
        page.mouse.up()
    answers = page.get_by_role("group", name="Lights that fall there").get_by_role("button")
    expect(answers.first).to_be_visible(timeout=60000)
    expect(page.get_by_role("progressbar", name="Looking for lights")).to_have_count(0, timeout=60000)
    camera.shoot("sketch")
    camera.press("Done")
    rested(page, SETTLE)
    camera.press("Find the light")
    page.wait_for_timeout(2500)
    camera.shoot("finder")
    page.keyboard.press("Escape")
    page.keyboard.press("f")
    page.keyboard.press("m")
    page.keyboard.press("n")
    rested(page, SETTLE)
    page.mouse.move(300, 330)
    page.mouse.down()
    page.mouse.move(620, 300, steps=10)
    page.mouse.up()
    rested(page, SETTLE)
    camera.shoot("masks")
    camera.press("Undo")
    page.wait_for_timeout(500)
    camera.press("Undo")
    rested(page, SETTLE)
    page.keyboard.press("m")
    page.get_by_role("button", name="Plate prepare").click()
    camera.press("Crop")
    page.wait_for_timeout(800)
    camera.shoot("crop")
    camera.press("Crop")
    camera.press("Lighthouse")
    page.keyboard.press("m")
    rested(page, SETTLE)
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
    camera.open("Harbour at dusk")
    page.get_by_role("button", name=re.compile("^House light")).click()
    page.get_by_role("textbox", name="Level, value", exact=True).fill("0.45")
    page.keyboard.press("Enter")
    add_light(page, "Lamp", SETTLE)
    camera.shoot("lamps")
    camera.open("Harbour at dusk")
    add_light(page, "Shafts", SETTLE)
    page.get_by_role("group", name="Behind").get_by_role("button", name="Foreground").click()
    rested(page, SETTLE)
    camera.shoot("behind")
    camera.open("Headland at dawn")
    camera.press("Export…")
    page.get_by_text("Passes: every light").click()
    page.wait_for_timeout(800)
    camera.shoot("export")
    page.keyboard.press("Escape")
    add_light(page, "Line", SETTLE)
    camera.shoot("line")
    camera.open("Ferry at dusk", "Low sun")
    page.get_by_role("textbox", name="Frame", exact=True).fill("16")
    page.keyboard.press("Enter")
    rested(page, SETTLE)
    expect(page.locator(".ready").first).to_be_visible(timeout=60000)
    page.wait_for_timeout(9000)
    camera.shoot("frames")


def main() -> None:
    with demo_window() as (page, url, _):
        take(Camera(page, url))


if __name__ == "__main__":
    main()
