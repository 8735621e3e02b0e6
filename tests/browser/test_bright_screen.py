"""The bench on a screen of high dynamic range: what is brighter than white is shown so."""

from __future__ import annotations

import base64

import colour
import cv2
import numpy as np
from playwright.sync_api import expect

from tests.browser.window import FLAGS, BrowserTest

WHITE = 203.0  # cd/m² (ITU-R BT.2408)
KEPT = """
const made = URL.createObjectURL;
window.blobs = {};
URL.createObjectURL = (blob) => {
  const address = made.call(URL, blob);
  window.blobs[address] = blob;
  return address;
};
"""
BYTES = """async (image) => {
  const data = new Uint8Array(await window.blobs[image.src].arrayBuffer());
  return btoa(data.reduce((text, byte) => text + String.fromCharCode(byte), ""));
}"""


class OnABrightScreen(BrowserTest):
    home = False

    flags = (*FLAGS, "--force-color-profile=hdr10")

    def test_an_exact_picture_is_as_bright_as_its_light_and_a_dragged_one_gives_way_to_it(self) -> None:
        self.page.add_init_script(KEPT)
        self.page.reload()
        self.open_plate("Harbour at dusk")
        self.page.get_by_role("button", name="Plate prepare").click()
        bright = self.page.locator(".bright")
        self.type_value("Exposure, value", "2")
        self.rested()
        expect(bright).to_have_css("visibility", "visible")
        data = base64.b64decode(bright.evaluate(BYTES))
        self.assertIn(b"cICP" + bytes((9, 16, 0, 1)), data)
        codes = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
        assert codes is not None
        self.assertEqual(codes.dtype, np.uint16)
        light = colour.models.eotf_ST2084(codes / 65535) / WHITE
        self.assertGreater(float(light.max()), 2)
        self.assertLess(float(np.median(light)), 1)
        # It lies just over the canvas, which has the same picture as far as white.
        canvas = self.page.get_by_role("img", name="Harbour at dusk, lit")
        self.assertEqual(bright.bounding_box(), canvas.bounding_box())
        # While the picture changes under the hand the canvas alone is seen.
        slider = self.page.get_by_role("slider", name="Exposure", exact=True)
        slider.focus()
        self.page.evaluate("""() => {
            const image = document.querySelector(".bright");
            window.seen = [];
            new MutationObserver(() => window.seen.push(image.style.visibility)).observe(image, { attributes: true });
        }""")
        self.page.keyboard.press("ArrowRight")
        self.rested()
        expect(bright).to_have_css("visibility", "visible")
        self.assertIn("hidden", self.page.evaluate("window.seen"))
        # Where nothing is brighter than white there is nothing more to show.
        self.type_value("Exposure, value", "-5")
        expect(bright).to_have_css("visibility", "hidden")


class OnAUsualScreen(BrowserTest):
    home = False

    def test_nothing_more_is_asked_for_than_it_shows(self) -> None:
        self.open_plate("Harbour at dusk")
        self.page.get_by_role("button", name="Plate prepare").click()
        self.type_value("Exposure, value", "2")
        expect(self.page.locator(".bright")).to_have_css("visibility", "hidden")
        self.assertIsNone(self.page.locator(".bright").get_attribute("src"))
