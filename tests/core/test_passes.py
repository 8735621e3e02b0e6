"""Passes put together again by the rules that their files name, with nothing of Aurelon's own: sums by NumPy, layers by the W3C
formulae, files by OpenEXR, zipfile and OpenCV, tifffile and Pillow."""

from __future__ import annotations

import errno
import io
import json
import tempfile
import time
import unittest
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock
from xml.etree import ElementTree

import cv2
import numpy as np
import OpenEXR
import tifffile
from PIL import Image

from aurelon.core import OutputError, Plate, Rig, read_plate, render
from aurelon.core.codecs.shared.exr_writing import PartsWriter
from aurelon.core.export import targets
from aurelon.core.export.passes import PassesExport
from aurelon.core.imaging.rgb_space import DISPLAY_P3, SRGB
from tests.copied import run_command
from tests.pictures import Floats, light, plate_of, psnr, rig_of, scene
from tests.pictures import exported as picture

THEN = time.gmtime(2e9)  # another time than now
MODES = ("expose", "screen", "multiply", "add", "soft-light", "lighten", "color-dodge", "luminosity")


def many_modes() -> Rig:
    lights = [
        {**light("bloom", merge={"mode": mode, "opacity": 0.7, "intensity": 0.8}), "id": f"light-{k}", "name": f"Glow, {mode}"}
        for k, mode in enumerate(MODES)
    ]
    matte = {"id": "shore", "name": "Shore", "mask": {"start": "nothing", "parts": [{"part": "tones", "low": 0.0, "high": 0.3}]}}
    return rig_of(*lights, mattes=[matte], house={"level": 0.7}, prepare={"exposure": 0.2})


def passes(plate: Plate, rig: Rig, form: str, depth: str, **more: Any) -> bytes:
    target = targets()["passes"]
    return target.run(plate, rig, PassesExport(format=form, depth=depth, **more), lambda share: None, lambda: False).whole()


def parts_of(data: bytes) -> dict[str, tuple[dict[str, Any], Floats]]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "passes.exr"
        path.write_bytes(data)
        with OpenEXR.File(str(path), separate_channels=True) as file:
            return {
                part.name(): (dict(part.header), np.stack([np.array(part.channels[c].pixels, np.float64) for c in "RGB"], axis=2))
                for part in file.parts
            }


def over(below: Any, layer: Any, alpha: Any, operator: str, opacity: float) -> Any:
    blended = {
        "svg:src-over": lambda: layer,
        "svg:screen": lambda: below + layer - below * layer,
        "svg:lighten": lambda: np.maximum(below, layer),
        "svg:color-dodge": lambda: np.where(
            below == 0, 0, np.where(layer >= 1, 1, np.minimum(1, below / np.maximum(1 - layer, 1e-9)))
        ),
    }[operator]()
    share = (alpha * opacity)[:, :, None]
    return (1 - share) * below + share * blended


def merged(data: bytes) -> tuple[Any, Any, list[dict[str, str]]]:
    """An OpenRaster file's layers put together, its own merged picture, and what it says of its layers."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert archive.namelist()[0] == "mimetype"
        assert archive.read("mimetype") == b"image/openraster"
        layers = ElementTree.fromstring(archive.read("stack.xml")).findall("stack/layer")

        def read(name: str) -> Any:
            pixels: Any = cv2.imdecode(np.frombuffer(archive.read(name), np.uint8), cv2.IMREAD_UNCHANGED)
            assert pixels is not None
            return pixels / np.iinfo(pixels.dtype).max

        below: Any = None
        for layer in reversed(layers):
            if layer.get("visibility") == "hidden":
                continue
            pixels = read(layer.attrib["src"])
            colour, alpha = pixels[:, :, :3], pixels[:, :, 3] if pixels.shape[2] == 4 else np.ones(pixels.shape[:2])
            if below is None:
                below = colour
            else:
                below = over(below, colour, alpha, layer.attrib["composite-op"], float(layer.attrib["opacity"]))
        return below, read("mergedimage.png"), [dict(layer.attrib) for layer in layers]


class Sums(unittest.TestCase):
    def setUp(self) -> None:
        self.plate, self.rig = plate_of(scene(240, 160)), many_modes()
        self.result = render(self.plate, self.rig)

    def test_the_parts_add_up_to_the_result(self) -> None:
        for depth in ("half", "float"):
            parts = parts_of(passes(self.plate, self.rig, "exr", depth))
            total = sum(pixels for header, pixels in parts.values() if header["aurelon:rule"] in ("first", "add"))
            self.assertLess(float(np.abs(total - self.result).max()), 1 / 1024, depth)
            np.testing.assert_allclose(parts["result"][1], self.result, atol=1 / 1024)

    def test_every_light_is_a_part_in_its_place_with_its_name_mode_and_opacity(self) -> None:
        parts = parts_of(passes(self.plate, self.rig, "exr", "half"))
        self.assertEqual(list(parts), ["result", "plate", "picture", *(f"Glow, {mode}" for mode in MODES), "Shore"])
        header = parts["Glow, screen"][0]
        self.assertEqual((header["aurelon:mode"], header["aurelon:opacity"], header["aurelon:kind"]), ("screen", "0.7", "bloom"))
        np.testing.assert_allclose(parts["plate"][1], self.plate.pixels, atol=1 / 1024)
        np.testing.assert_allclose(parts["Shore"][1], render(self.plate, self.rig, show="matte:shore"), atol=1 / 1024)
        self.assertEqual(Rig.model_validate_json(parts["result"][0]["aurelon:rig"]), self.rig)

    def test_light_above_white_is_kept(self) -> None:
        rig = rig_of(light("bloom", merge={"mode": "add", "intensity": 8}))
        parts = parts_of(passes(self.plate, rig, "exr", "half"))
        self.assertGreater(float(parts["result"][1].max()), 1.5)

    def test_the_file_comes_in_again_as_the_result(self) -> None:
        back = read_plate(passes(self.plate, self.rig, "exr", "float"), "passes.exr")
        np.testing.assert_allclose(back.pixels, np.maximum(self.result, 0), atol=1e-6)

    def test_a_chosen_profile_gives_its_primaries(self) -> None:
        data = passes(self.plate, self.rig, "exr", "float", profile="display-p3")
        stated = np.ravel(parts_of(data)["result"][0]["chromaticities"])
        np.testing.assert_allclose(stated, (0.68, 0.32, 0.265, 0.69, 0.15, 0.06, 0.3127, 0.329), atol=1e-3)


class Overs(unittest.TestCase):
    def setUp(self) -> None:
        self.plate, self.rig = plate_of(scene(240, 160)), many_modes()

    def test_open_raster_layers_merge_to_the_result(self) -> None:
        for depth in ("8", "16"):
            below, stated, listed = merged(passes(self.plate, self.rig, "ora", depth))
            wanted: Any = cv2.imdecode(np.frombuffer(picture(self.plate, self.rig, "png", depth), np.uint8), cv2.IMREAD_UNCHANGED)
            assert wanted is not None
            exact = wanted / np.iinfo(wanted.dtype).max
            np.testing.assert_array_equal(stated, exact)
            if depth == "8":
                self.assertLessEqual(float(np.abs(below - exact).max()), 1.5 / 255)  # half a step of dither, and one of rounding
            else:
                self.assertGreater(psnr(below, exact), 65)
            names = [entry["name"] for entry in listed]
            self.assertEqual(names, ["Shore", *(f"Glow, {mode}" for mode in reversed(MODES)), "picture"])
            modes = {entry["name"]: (entry["composite-op"], entry["opacity"]) for entry in listed}
            self.assertEqual(modes["Glow, screen"], ("svg:screen", "0.7"))
            self.assertEqual(modes["Glow, expose"], ("svg:src-over", "1"))

    def test_its_rig_travels_in_the_file(self) -> None:
        with zipfile.ZipFile(io.BytesIO(passes(self.plate, self.rig, "ora", "8"))) as archive:
            self.assertEqual(Rig.model_validate_json(archive.read("aurelon/rig.json")), self.rig)

    def test_pages_of_a_tiff_laid_over_one_another_are_the_result(self) -> None:
        with tifffile.TiffFile(io.BytesIO(passes(self.plate, self.rig, "tiff", "16"))) as file:
            pages = [(page.tags[285].value, page.asarray() / 65535) for page in file.pages if isinstance(page, tifffile.TiffPage)]
            sentence = json.loads(file.pages.first.description)
        self.assertEqual([name for name, _ in pages], ["result", *(entry["name"] for entry in sentence["layers"])])
        below = pages[1][1]
        for (_, pixels), entry in zip(pages[2:], sentence["layers"][1:], strict=True):
            if not entry["hidden"]:
                below = over(below, pixels[:, :, :3], pixels[:, :, 3], "svg:src-over", entry["opacity"])
        self.assertGreater(psnr(below, pages[0][1]), 65)

    def test_png_files_by_pillow_are_the_result(self) -> None:
        with zipfile.ZipFile(io.BytesIO(passes(self.plate, self.rig, "zip", "8"))) as archive:
            sentence = json.loads(archive.read("layers.json"))
            below: Image.Image | None = None
            for entry in sentence["layers"]:
                if entry["hidden"]:
                    continue
                top = Image.open(io.BytesIO(archive.read(entry["file"]))).convert("RGBA")
                below = top if below is None else Image.alpha_composite(below, top)
            assert below is not None
            result = np.asarray(Image.open(io.BytesIO(archive.read("result.png"))), int)
        # Pillow rounds to a step after each of the nine layers.
        self.assertLessEqual(int(np.abs(np.asarray(below, int)[:, :, :3] - result).max()), 5)

    def test_the_list_of_png_files_is_all_that_laying_them_needs(self) -> None:
        with zipfile.ZipFile(io.BytesIO(passes(self.plate, self.rig, "zip", "16"))) as archive:
            listing = json.loads(archive.read("layers.json"))

            def codes(name: str) -> Any:
                found = cv2.imdecode(np.frombuffer(archive.read(name), np.uint8), cv2.IMREAD_UNCHANGED)
                assert found is not None
                self.assertEqual(found.shape[1::-1], tuple(listing["size"]))
                return found / (2 ** listing["bits"] - 1)

            self.assertEqual((listing["order"], {layer["mode"] for layer in listing["layers"]}), ("lowest first", {"normal"}))
            below: Any = 0.0
            for layer in listing["layers"]:
                if not layer["hidden"]:
                    self.assertEqual(layer["place"], [0, 0])
                    top = codes(layer["file"])
                    alpha = layer["opacity"] * (top[:, :, 3:] if layer["alpha"] == "straight" else 1)
                    below = below * (1 - alpha) + top[:, :, :3] * alpha
            self.assertGreater(psnr(below, codes(listing["result"])), 65)
            self.assertEqual(Rig.model_validate_json(archive.read(listing["rig"])), self.rig)

    def test_every_container_of_passes_has_the_same_bytes_twice(self) -> None:
        for container, depth in (("zip", "8"), ("ora", "8"), ("tiff", "8"), ("exr", "half")):
            one = passes(self.plate, self.rig, container, depth)
            # At another time: archives count seconds by twos.
            with mock.patch("time.time", return_value=2e9), mock.patch("time.localtime", return_value=THEN):
                self.assertEqual(passes(self.plate, self.rig, container, depth), one, container)

    def test_in_a_wide_gamut_every_layer_is_laid_over_plainly(self) -> None:
        plate = Plate(self.plate.pixels, DISPLAY_P3)
        below, stated, listed = merged(passes(plate, self.rig, "ora", "16", profile="srgb"))
        self.assertEqual({entry["composite-op"] for entry in listed}, {"svg:src-over"})
        self.assertGreater(psnr(below, stated), 65)

    def test_light_in_thin_air_is_laid_over_as_it_came_out(self) -> None:
        rig = rig_of(light("fan", spread={"air": 0.2}, merge={"mode": "screen"}), distance={"origin": "horizon", "horizon": 0.3})
        below, stated, listed = merged(passes(self.plate, rig, "ora", "16"))
        self.assertEqual({entry["composite-op"] for entry in listed}, {"svg:src-over"})
        self.assertGreater(psnr(below, stated), 65)

    def test_a_transparent_plate_lies_on_white_paper(self) -> None:
        alpha = np.ones((160, 240), np.float32)
        alpha[:, :60] = 0
        plate = Plate(self.plate.pixels, SRGB, alpha=alpha)
        below, stated, _ = merged(passes(plate, self.rig, "ora", "8"))
        self.assertEqual(float(stated[:, :60].min()), 1.0)
        self.assertLessEqual(float(np.abs(below - stated).max()), 1.5 / 255)


class Asking(unittest.TestCase):
    def test_what_passes_cannot_be_written_as_is_refused_in_a_sentence(self) -> None:
        plate = plate_of(scene(60, 40))
        for form, depth, sentence in (("jpeg", "8", "passes cannot"), ("exr", "8", "8 bits"), ("ora", "float", "float bits")):
            with self.assertRaisesRegex(OutputError, sentence):
                passes(plate, many_modes(), form, depth)

    def test_a_full_disk_is_one_sentence(self) -> None:
        full = OSError(errno.ENOSPC, "No space left on device")
        with mock.patch.object(PartsWriter, "put", side_effect=full), self.assertRaisesRegex(OutputError, "make room in"):
            passes(plate_of(scene(60, 40)), rig_of(), "exr", "half")

    def test_without_lights_there_is_the_picture_alone(self) -> None:
        parts = parts_of(passes(plate_of(scene(60, 40)), Rig(), "exr", "float"))
        self.assertEqual(list(parts), ["result", "plate", "picture"])

    def test_the_command_writes_them(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "plate.png").write_bytes(picture(plate_of(scene(90, 60)), Rig(), "png", "8"))
            (folder / "rig.json").write_text(many_modes().model_dump_json())
            for ending in (".exr", ".ora", ".tif", ".zip"):
                done = run_command("render", "plate.png", "--rig", "rig.json", "--passes", "-o", f"out{ending}", folder=folder)
                self.assertEqual((done.returncode, done.stderr), (0, ""), ending)
                self.assertGreater((folder / f"out{ending}").stat().st_size, 1000)
            done = run_command("render", "plate.png", "--rig", "rig.json", "--passes", "-o", "out.jpg", folder=folder)
            self.assertEqual(done.returncode, 2)
            self.assertIn("no ending that passes can be written to", done.stderr)
            self.assertFalse((folder / "out.jpg").exists())


if __name__ == "__main__":
    unittest.main()
