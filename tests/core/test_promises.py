"""The promises that the core keeps, for every kind in the registry."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import threading
import unittest
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PIL import Image

from aurelon.core import Plate, Rig, open_plate, read_plate, render
from aurelon.core.graph.cache import Cache
from aurelon.core.imaging.blend.modes import MODE_NAMES
from aurelon.core.lights import kinds
from aurelon.core.settings import settings_of
from aurelon.core.settings.slider import Slider
from tests.pictures import every_kind, exported, light, plate_of, psnr, renderer_of, rig_of, scene

RENDER_TWICE = """
import hashlib, sys, numba
from aurelon.core.settings import settings_of
from aurelon.core.settings.slider import Slider
from tests.pictures import every_kind, exported, light, plate_of, psnr, renderer_of, rig_of, scene
from aurelon.core import render
numba.set_num_threads(int(sys.argv[1]))
for kind in every_kind():
    print(kind, hashlib.sha256(render(plate_of(scene()), rig_of(light(kind))).tobytes()).hexdigest())
"""
BRIGHTENING = ("expose", "add", "screen", "relight", "lighten", "color-dodge")


class Promises(unittest.TestCase):
    def test_1_nothing_on_gives_back_identical_pixels_at_8_and_16_bits(self) -> None:
        rng = np.random.default_rng(4)
        for depth, kind in (("8", np.uint8), ("16", np.uint16)):
            samples: Any = rng.integers(0, np.iinfo(kind).max + 1, (257, 260, 3)).astype(kind)
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "a.png"
                cv2.imwrite(str(path), samples[:, :, ::-1])
                plate = open_plate(path)
                for form in ("png", "tiff"):
                    out = Path(folder) / f"b.{form}"
                    off = rig_of({**light("shafts"), "on": False})
                    out.write_bytes(exported(plate, off, form, depth))
                    back = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)
                    assert back is not None
                    np.testing.assert_array_equal(back[:, :, ::-1], samples, f"{form} {depth}")

    def test_2_quarter_size_render_matches_full_render(self) -> None:
        full = plate_of(scene(1920, 1280))
        for kind in every_kind():
            rig = rig_of(light(kind))
            large = render(full, rig)
            small = render(full, rig, size=(480, 320))
            reduced = large.reshape(320, 4, 480, 4, 3).mean(axis=(1, 3))
            self.assertGreater(psnr(small, reduced), 40, kind)

    def test_2_a_plate_at_a_quarter_of_the_size_matches_too(self) -> None:
        full = scene(1920, 1280)
        quarter = plate_of(full.reshape(320, 4, 480, 4, 3).mean(axis=(1, 3)))
        for kind in every_kind():
            if kinds()[kind].detect is not None:  # what is detected depends on the detail a plate has
                continue
            large = render(plate_of(full), rig_of(light(kind)), size=(480, 320))
            self.assertGreater(psnr(render(quarter, rig_of(light(kind))), large), 40, kind)

    def test_2_a_point_of_light_of_one_to_three_pixels_is_still_seen_by_the_source(self) -> None:
        for wide in (1, 2, 3):
            pixels = np.full((1200, 1600, 3), 0.01, np.float32)
            pixels[600 : 600 + wide, 803 : 803 + wide] = 1.0
            rig = rig_of(light("shafts"))
            full = render(plate_of(pixels), rig, show="stage:under-test:source")
            small = render(plate_of(pixels), rig, size=(400, 300), show="stage:under-test:source")
            self.assertAlmostEqual(float(small.sum()) * 16, float(full.sum()), delta=1e-3 * full.sum())

    def test_2_a_region_is_the_same_part_of_the_whole(self) -> None:
        plate = plate_of(scene(900, 600))
        for kind in every_kind():
            rig = rig_of(light(kind))
            whole = render(plate, rig, size=(700, 467))
            part = render(plate, rig, size=(700, 467), region=(123, 45, 400, 300))
            np.testing.assert_allclose(part, whole[45:300, 123:400], atol=2e-5)

    def test_3_same_bits_whatever_the_number_of_threads(self) -> None:
        one, two = (
            subprocess.run(
                [sys.executable, "-c", RENDER_TWICE, str(threads)],
                capture_output=True,
                text=True,
                check=True,
                env={**os.environ, "NUMBA_NUM_THREADS": "2"},
            ).stdout.splitlines()
            for threads in (1, 2)
        )
        self.assertEqual(len(one), len(every_kind()))
        self.assertEqual(one, two)

    def test_4_never_nan_never_negative(self) -> None:
        plates: dict[str, Any] = {
            "scene": scene(),
            "black": np.zeros((40, 60, 3)),
            "white": np.ones((40, 60, 3)),
            "one pixel": np.ones((1, 1, 3)),
            "thin": scene(4000, 1),
            "tall": scene(1, 400),
            "hdr": scene() * 30,
        }
        for kind in every_kind():
            for name, pixels in plates.items():
                plate, cache = plate_of(pixels), Cache(1 << 28)
                for mode in MODE_NAMES:
                    out = render(plate, rig_of(light(kind, merge={"mode": mode, "intensity": 3})), cache=cache)
                    self.assertTrue(np.isfinite(out).all() and (out >= 0).all(), f"{kind} on {name} in {mode}")

    def test_6_monotone_in_intensity(self) -> None:
        plate, cache = plate_of(scene()), Cache(1 << 28)
        for kind in every_kind():
            for mode in BRIGHTENING:
                last = render(plate, rig_of(light(kind, merge={"mode": mode, "intensity": 0})), cache=cache)
                for intensity in (0.3, 1.0, 2.5, 8.0):
                    now = render(plate, rig_of(light(kind, merge={"mode": mode, "intensity": intensity})), cache=cache)
                    self.assertGreaterEqual(float((now - last).min()), -2e-5, f"{kind} {mode}")
                    last = now

    def test_6_opacity_0_intensity_0_and_an_empty_mask_give_the_picture_below(self) -> None:
        plate, cache = plate_of(scene()), Cache(1 << 28)
        nothing = ({"merge": {"opacity": 0}}, {"merge": {"intensity": 0}}, {"mask": {"start": "nothing"}})
        for kind in every_kind():
            for stages in nothing:
                for mode in MODE_NAMES:
                    merged = {**stages, "merge": {**stages.get("merge", {}), "mode": mode}}
                    out = render(plate, rig_of(light(kind, **merged)), cache=cache)
                    np.testing.assert_array_equal(out, plate.pixels, f"{kind} {stages} {mode}")

    def test_7_the_work_does_not_grow_with_any_length(self) -> None:
        def cells(plate: Plate, kind: str, spread: dict[str, Any]) -> int:
            rig = rig_of(light(kind, spread=spread))
            with renderer_of(plate).working(rig) as now:
                return now.work.evaluate(now.graph.lights[0].field).nbytes

        plate = plate_of(scene())
        # Light travels on as many cells whatever its lengths; `make bench` has the times.
        for kind in every_kind():
            lengths = {
                name: s.high
                for name, s in settings_of(kinds()[kind].spread_settings)
                if isinstance(s, Slider) and s.unit == "diagonal"
            }
            for name, most in lengths.items():
                at_default = 1.05 * cells(plate, kind, {})
                # A light that is drawn at every frame may go over to a grid, but never one finer than the plate.
                self.assertLessEqual(cells(plate, kind, {name: most}), max(at_default, plate.pixels.nbytes), f"{kind} {name}")

    def test_a_rendering_that_was_cancelled_does_not_spoil_what_it_left_in_the_cache(self) -> None:
        plate, cache = plate_of(scene()), Cache(1 << 28)
        for kind in every_kind():
            rig, stopped = rig_of(light(kind)), threading.Event()
            render(plate, rig, cache=cache, cancelled=stopped.is_set)
            stopped.set()
            np.testing.assert_array_equal(render(plate, rig, size=(240, 160), cache=cache), render(plate, rig, size=(240, 160)))

    def test_adding_a_light_at_its_place_shows_and_never_darkens(self) -> None:
        plate = plate_of(scene())
        for kind in every_kind():
            if kinds()[kind].needs_file:
                continue
            placed = kinds()[kind].seen_by(plate)
            gain = render(plate, rig_of(light(kind, **placed))) - plate.pixels
            self.assertGreater(float(np.abs(gain).max()), 0.05, kind)
            if not kinds()[kind].opaque:  # a whole picture laid over another deepens as well
                self.assertGreaterEqual(float(gain.min()), -1e-5, kind)

    def test_grey_and_alpha_pictures_take_coloured_light(self) -> None:
        import io

        for mode, colour in (("L", 90), ("LA", (90, 128)), ("RGBA", (90, 80, 70, 255))):
            data = io.BytesIO()
            Image.new(mode, (60, 40), colour).save(data, "PNG")
            plate = read_plate(data.getvalue(), "grey.png")
            out = render(plate, Rig.model_validate({"lights": [light("shafts", source={"threshold": 0.1})]}))
            self.assertEqual(out.shape, (40, 60, 3))
            self.assertEqual(plate.alpha is not None, "A" in mode)
