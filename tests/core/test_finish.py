"""The finish: light above white as the bench shows it and as a file for a display holds it."""

from __future__ import annotations

import io
import unittest
import warnings

import numpy as np
from PIL import Image

from aurelon.core import Plate, Renderer, Rig
from aurelon.core.export.picture import PictureExport, export
from aurelon.core.graph.small_pictures import small_jpeg
from aurelon.core.imaging.rgb_space import DISPLAY_P3, LINEAR_SRGB, SRGB
from aurelon.core.imaging.roll_off import KNEE, rolled_off
from aurelon.web.preview import PreviewRequest, frames
from aurelon.web.view import View

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

ROLLED = Rig.model_validate({"finish": {"above_white": "roll_off"}})
CUT = Rig()


def hue(light: np.ndarray) -> np.ndarray:
    """The hue angle of CIECAM16 (Li et al., 2017) of linear sRGB, degrees."""
    xyz = colour.RGB_to_XYZ(np.clip(light, 0, None), "sRGB", apply_cctf_decoding=False) * 100
    found = colour.XYZ_to_CAM16(xyz, np.array([95.047, 100.0, 108.883]), 200, 20)
    return np.asarray(found.h)


class RollOff(unittest.TestCase):
    def test_light_below_the_knee_is_as_it_was_and_above_it_grows_to_white_without_a_corner(self) -> None:
        ramp = np.linspace(0, 64, 6401, dtype=np.float32)
        grey = rolled_off(np.repeat(ramp[None, :, None], 3, axis=2), SRGB)[0, :, 0]
        below = ramp <= KNEE
        np.testing.assert_array_equal(grey[below], ramp[below])
        # The hyperbola through the knee with slope 1 whose end is white.
        beyond = (ramp[~below] - 0.8) / 0.2
        np.testing.assert_allclose(grey[~below], 0.8 + 0.2 * beyond / (1 + beyond), rtol=2e-6)
        self.assertTrue((np.diff(grey) > 0).all())
        self.assertLess(float(grey.max()), 1.0)

    def test_greys_stay_grey_and_no_light_leaves_the_range(self) -> None:
        rng = np.random.default_rng(4)
        light = np.asarray(rng.exponential(2.0, (64, 64, 3)), np.float32)
        for space in (SRGB, LINEAR_SRGB, DISPLAY_P3):
            rolled = rolled_off(light, space)
            self.assertTrue(np.isfinite(rolled).all())
            self.assertGreaterEqual(float(rolled.min()), 0.0)
            self.assertLessEqual(float(rolled.max()), 1.0)
            grey = rolled_off(np.full((4, 4, 3), 5.0, np.float32), space)
            self.assertEqual(float(np.ptp(grey)), 0.0)

    def test_saturated_lamps_go_through_their_colour_to_white_and_keep_their_hue(self) -> None:
        lamps = {"sodium": (1.0, 0.45, 0.08), "red": (1.0, 0.12, 0.08), "green": (0.1, 1.0, 0.2), "sky": (0.2, 0.5, 1.0)}
        lamps |= {"blue": (0.08, 0.12, 1.0), "magenta": (1.0, 0.15, 0.8)}
        for name, lamp in lamps.items():
            levels = np.array([0.7, 1, 2, 4, 8, 16, 32, 64], np.float32)
            light = levels[:, None] * np.array(lamp, np.float32) / max(lamp)
            rolled = rolled_off(light[None], SRGB)[0]
            spread = np.ptp(rolled, axis=1) / rolled.max(axis=1)
            self.assertTrue((np.diff(spread) <= 1e-6).all(), name)  # ever less colour
            self.assertLess(float(spread[-1]), 0.35 * float(spread[0]), name)
            seen = spread > 0.2
            turn = np.abs((hue(rolled[seen]) - hue(light[:1]) + 180) % 360 - 180)
            self.assertLess(float(turn.max()), 12.0, f"{name}: {turn}")
            # Cutting each channel off at white turns it more.
            cut = np.abs((hue(np.minimum(light[3:4], 1)) - hue(light[:1]) + 180) % 360 - 180)
            if name in ("sodium", "magenta", "sky"):
                self.assertLess(float(turn.max()), float(cut[0]), name)


class OnTheBenchAndInFiles(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(5)
        light = np.asarray(rng.exponential(0.7, (60, 80, 3)), np.float32)
        self.plate = Plate(light, SRGB, depth="float")

    def written(self, rig: Rig, form: str, depth: str, **how: str) -> np.ndarray:
        data = export(self.plate, rig, PictureExport(format=form, depth=depth, **how))
        return np.asarray(Image.open(io.BytesIO(data)))

    def shown(self, rig: Rig) -> np.ndarray:
        request = PreviewRequest(seq=1, view=View(width=80, height=60, x0=0, y0=0, x1=80, y1=60))
        (frame,) = frames(Renderer(self.plate), request, rig, lambda: False)
        start = frame.index(b"\x89PNG")
        return np.asarray(Image.open(io.BytesIO(frame[start:])).convert("RGB"))

    def test_the_bench_shows_what_the_file_holds_with_either_finish(self) -> None:
        for rig in (CUT, ROLLED):
            off = np.abs(self.shown(rig).astype(int) - self.written(rig, "png", "8").astype(int))
            # Two encoders of one curve may round a value at the middle of two codes to either.
            self.assertLessEqual(int(off.max()), 1)
            self.assertLess(float((off > 0).mean()), 1e-3)
        self.assertGreater(int((self.shown(CUT) != self.shown(ROLLED)).sum()), 1000)

    def test_an_export_may_be_told_otherwise(self) -> None:
        np.testing.assert_array_equal(self.written(ROLLED, "png", "8", above_white="cut"), self.written(CUT, "png", "8"))
        np.testing.assert_array_equal(self.written(CUT, "png", "8", above_white="roll_off"), self.written(ROLLED, "png", "8"))

    def test_what_was_kept_under_the_former_name_is_read(self) -> None:
        for former, now in (("cut", "cut"), ("shoulder", "roll_off")):
            kept = {"target": "picture", "format": "png", "depth": "8", "highlights": former}
            self.assertEqual(PictureExport.model_validate(kept).above_white, now)

    def test_files_that_hold_light_above_white_keep_it(self) -> None:
        for form, depth in (("exr", "float"), ("tiff", "float"), ("hdr", "float")):
            how = PictureExport(format=form, depth=depth)
            self.assertEqual(export(self.plate, ROLLED, how), export(self.plate, CUT, how))

    def test_small_pictures_and_a_looked_into_view(self) -> None:
        renderer = Renderer(self.plate)
        self.assertNotEqual(small_jpeg(renderer, CUT), small_jpeg(renderer, ROLLED))
        view = View(width=80, height=60, x0=0, y0=0, x1=80, y1=60)
        request = PreviewRequest.model_validate({"seq": 1, "view": view, "viewing": {"exposure": -2}})
        one, other = (next(iter(frames(renderer, request, rig, lambda: False))) for rig in (CUT, ROLLED))
        start = one.index(b"\x89PNG")
        self.assertEqual(one[start:], other[other.index(b"\x89PNG") :])

    def test_clipping_is_marked_where_light_is_cut_off_and_not_where_it_is_rolled_off(self) -> None:
        view = View(width=80, height=60, x0=0, y0=0, x1=80, y1=60)
        for rig, marked in ((CUT, True), (ROLLED, False)):
            pictures = []
            for clipping in (False, True):
                request = PreviewRequest.model_validate({"seq": 1, "view": view, "clipping": clipping})
                (frame,) = frames(Renderer(self.plate), request, rig, lambda: False)
                pictures.append(frame[frame.index(b"\x89PNG") :])
            self.assertEqual(pictures[0] != pictures[1], marked)

    def test_a_picture_below_the_knee_is_the_same_under_both(self) -> None:
        dark = Plate(np.full((20, 30, 3), 0.5, np.float32), SRGB, depth="float")
        how = PictureExport(format="png", depth="16")
        self.assertEqual(export(dark, ROLLED, how), export(dark, CUT, how))
