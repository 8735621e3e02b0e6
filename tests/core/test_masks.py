"""Masks: every part by enumeration, each against a closed form, and what is awkward."""

from __future__ import annotations

import os
import subprocess
import sys
import unittest
from typing import Any

import cv2
import numpy as np
from PIL import Image

from aurelon.core import Plate, PlateError, Renderer, Rig, RigError, check_rig, render
from aurelon.core.graph.cache import Cache
from aurelon.core.imaging.frame import Frame
from aurelon.core.lights import kinds
from aurelon.core.masks import parts
from aurelon.core.masks.strokes import Strokes as StrokesPart
from aurelon.core.masks.strokes import dabs_of
from aurelon.core.masks.subject import _grained
from aurelon.core.settings import Stroke
from tests.pictures import (
    MATTE,
    PARTS,
    RAMP,
    Floats,
    every_part,
    grey_file,
    light,
    masked_rig,
    plate_of,
    psnr,
    rig_of,
    scene,
    stroke,
)


def mask_of(*mask_parts: dict[str, Any], plate: Plate | None = None, start: str = "nothing", **rest: Any) -> Floats:
    """The mask (h, w) at the plate's own size, or as `rest` says."""
    shown = render(plate or plate_of(scene()), masked_rig(*mask_parts, start=start), show="mask:under-test", **rest)
    return shown[:, :, 0]


MASK_TWICE = """
import hashlib, sys, numba
from tests.pictures import every_part, masked_rig, plate_of, scene
from aurelon.core import render
numba.set_num_threads(int(sys.argv[1]))
rig = masked_rig(*({**part, "feather": 0.004, "fit": 0.01} for part in every_part()))
print(hashlib.sha256(render(plate_of(scene()), rig, show="mask:under-test").tobytes()).hexdigest())
"""


def variants_of(part: dict[str, Any]) -> dict[str, dict[str, Any]]:
    return {
        "as it is": part,
        "inverted": {**part, "invert": True},
        "thin": {**part, "density": 0.4},
        "feathered": {**part, "feather": 0.01},
        "fitted": {**part, "fit": 0.01},
    }


class EveryPart(unittest.TestCase):
    def test_there_is_an_example_of_every_part_and_it_covers_some_and_leaves_some(self) -> None:
        self.assertEqual(set(PARTS), set(parts()))
        for part in every_part():
            result = mask_of(part)
            self.assertGreater(float(result.max()), 0.5, part["part"])
            self.assertLess(float(result.min()), 0.1 + part.get("spill", 0), part["part"])

    def test_2_quarter_size_matches_full_size_reduced(self) -> None:
        plate, cache = plate_of(scene(1920, 640)), Cache(1 << 30)
        for part in every_part():
            for name, variant in variants_of(part).items():
                full = mask_of(variant, plate=plate, cache=cache)
                reduced = full.reshape(160, 4, 480, 4).mean(axis=(1, 3))
                small = mask_of(variant, plate=plate, size=(480, 160), cache=cache)
                self.assertGreater(psnr(small, reduced), 40, f"{part['part']} {name}")

    def test_2_a_region_is_the_same_part_of_the_whole(self) -> None:
        plate, cache = plate_of(scene(900, 600)), Cache(1 << 30)
        for part in every_part():
            for name, variant in variants_of(part).items():
                whole = mask_of(variant, plate=plate, size=(700, 467), cache=cache)
                region = mask_of(variant, plate=plate, size=(700, 467), region=(123, 45, 400, 300), cache=cache)
                np.testing.assert_allclose(region, whole[45:300, 123:400], atol=3e-5, err_msg=f"{part['part']} {name}")

    def test_3_same_bits_whatever_the_number_of_threads(self) -> None:
        sums = {
            subprocess.run(
                [sys.executable, "-c", MASK_TWICE, str(threads)],
                capture_output=True,
                text=True,
                check=True,
                env={**os.environ, "NUMBA_NUM_THREADS": "2"},
            ).stdout
            for threads in (1, 2)
        }
        self.assertEqual(len(sums), 1)

    def test_7_a_wider_feather_takes_no_more_cells(self) -> None:
        def cells(feather: float) -> int:
            cache = Cache(1 << 30)
            mask_of({"part": "radial", "feather": feather}, plate=plate_of(scene(1200, 800)), cache=cache)
            return cache.nbytes

        self.assertLessEqual(cells(0.25), cells(0.02))
        self.assertLessEqual(cells(0.02), cells(0.002))

    def test_4_within_0_to_1_on_every_kind_of_picture(self) -> None:
        plates: dict[str, Any] = {
            "black": np.zeros((40, 60, 3)),
            "white": np.ones((40, 60, 3)),
            "one pixel": np.ones((1, 1, 3)),
            "thin": scene(900, 1),
            "hdr": scene(90, 60) * 30,
        }
        for name, pixels in plates.items():
            plate, cache = plate_of(pixels), Cache(1 << 29)
            for part in every_part():
                for way in ("add", "subtract", "intersect"):
                    variant = {**part, "combine": way, "feather": 0.02, "fit": 0.02}
                    result = mask_of(variant, plate=plate, start="everything", cache=cache)
                    self.assertTrue(np.isfinite(result).all() and result.min() >= 0 and result.max() <= 1, f"{part} on {name}")

    def test_6_a_light_shows_only_where_its_mask_is(self) -> None:
        plate = plate_of(scene())
        for part in every_part():
            bare = masked_rig(part, start="nothing")
            mask = mask_of(part)
            out = render(plate, bare)
            np.testing.assert_array_equal(out[mask == 0], plate.pixels[mask == 0], part["part"])
            lit = render(plate, rig_of(light("bloom")))
            full = mask >= 1
            np.testing.assert_allclose(out[full], lit[full], atol=1e-6, err_msg=part["part"])

    def test_a_mask_does_not_move_or_change_the_light_itself(self) -> None:
        plate = plate_of(scene())
        for kind in kinds():
            bare, held = (
                render(plate, rig_of(light(kind, mask={"start": "nothing", "parts": p})), show="stage:under-test:colour")
                for p in ([], [{"part": "linear"}])
            )
            np.testing.assert_array_equal(bare, held, kind)

    def test_inverting_a_mask_gives_what_it_left_with_every_part_and_way(self) -> None:
        plate, cache = plate_of(scene()), Cache(1 << 29)
        base = {"part": "linear", "combine": "subtract"}
        for part in every_part():
            for way in ("add", "subtract", "intersect"):
                for start in ("everything", "nothing"):
                    chain = [{**base, "combine": "add"}, {**part, "combine": way, "density": 0.7}]
                    rig = masked_rig(*chain, start=start)
                    mask = rig.stack[0].mask
                    turned = rig.stack[0].model_copy(update={"mask": mask.inverted()})
                    once, other = (
                        render(plate, r, show="mask:under-test", cache=cache)
                        for r in (rig, rig.model_copy(update={"lights": [turned]}))
                    )
                    np.testing.assert_allclose(once + other, 1, atol=1e-5, err_msg=f"{part['part']} {way} {start}")
                    self.assertEqual(mask.inverted().inverted().start, mask.start)

    def test_density_0_does_nothing_whichever_way_a_part_works(self) -> None:
        for way in ("add", "subtract", "intersect"):
            for start, level in (("everything", 1.0), ("nothing", 0.0)):
                result = mask_of({"part": "radial", "combine": way, "density": 0.0}, start=start)
                np.testing.assert_allclose(result, level)

    def test_a_part_that_is_switched_off_does_nothing(self) -> None:
        np.testing.assert_array_equal(mask_of({"part": "radial", "on": False}), 0)


class Strokes(unittest.TestCase):
    def test_a_stroke_leaves_its_flow_along_its_middle_and_a_second_adds_to_it(self) -> None:
        across = stroke((0.1, 0.5), (0.9, 0.5), size=0.05, hardness=0.4, flow=0.3)
        for times, wanted in ((1, 0.3), (2, 1 - 0.7**2), (4, 1 - 0.7**4)):
            result = mask_of({"part": "strokes", "strokes": [across] * times})
            middle = result[159:161, 150:330]
            np.testing.assert_allclose(middle, wanted, atol=0.02)

    def test_one_point_is_a_dab_of_the_brush_and_its_flow(self) -> None:
        result = mask_of({"part": "strokes", "strokes": [stroke((0.5, 0.5), size=0.1, hardness=1.0, flow=0.5)]})
        # The area of a disc of this radius.
        self.assertAlmostEqual(float(result.sum()), 0.5 * np.pi * (0.1 * np.hypot(480, 320)) ** 2, delta=30)
        self.assertAlmostEqual(float(result.max()), 0.5, places=3)

    def test_erasing_takes_away_what_lies_below_and_painting_brings_it_back(self) -> None:
        paint = stroke((0.2, 0.5), (0.8, 0.5), size=0.08, hardness=0.8, flow=1.0)
        rub = stroke((0.5, 0.2), (0.5, 0.8), size=0.05, hardness=0.8, flow=1.0, erase=True)
        once = mask_of({"part": "strokes", "strokes": [paint, rub]})
        self.assertLess(float(once[160, 240]), 0.01)
        self.assertGreater(float(once[160, 130]), 0.99)
        again = mask_of({"part": "strokes", "strokes": [paint, rub, paint]})
        self.assertGreater(float(again[160, 240]), 0.99)

    def test_a_hard_stroke_is_the_capsule_that_another_library_draws(self) -> None:
        plate = plate_of(np.zeros((400, 600, 3)))
        radius = 0.04 * float(np.hypot(600, 400))
        result = mask_of(
            {"part": "strokes", "strokes": [stroke((0.2, 0.3), (0.7, 0.6), size=0.04, hardness=1, flow=1)]}, plate=plate
        )
        drawn = np.zeros((3200, 4800), np.uint8)
        cv2.line(drawn, (960, 960), (3360, 1920), 255, round(radius * 16))
        wanted = drawn.reshape(400, 8, 600, 8).mean(axis=(1, 3), dtype=np.float32) / 255
        self.assertGreater(psnr(result, wanted), 30)

    def test_pressure_thins_and_lightens(self) -> None:
        result = mask_of({"part": "strokes", "strokes": [stroke((0.1, 0.5, 0.1), (0.9, 0.5, 1.0), size=0.06, flow=0.6)]})
        self.assertLess(float(result[160, 80]), 0.6 * float(result[160, 400]))
        self.assertLess((result[:, 80] > 0.01).sum(), (result[:, 400] > 0.01).sum())

    def test_a_brush_larger_than_the_plate_and_a_stroke_outside_it_work(self) -> None:
        result = mask_of({"part": "strokes", "strokes": [stroke((0.5, 0.5), size=1.0, flow=1.0, hardness=1.0)]})
        self.assertGreater(float(result.min()), 0.99)
        far = mask_of({"part": "strokes", "strokes": [stroke((-3, -3), (-2, -3), size=0.02)]})
        np.testing.assert_array_equal(far, 0)

    def test_a_stroke_goes_on_where_it_was_painted_and_gives_the_same_as_all_at_once(self) -> None:
        plate, cache = plate_of(scene()), Cache(1 << 28)
        strokes = [stroke((0.1 * k, 0.2), (0.1 * k + 0.1, 0.8), size=0.04, erase=k % 3 == 2) for k in range(8)]
        for n in range(1, 9):
            rig = masked_rig({"part": "strokes", "strokes": strokes[:n]})
            grown = render(plate, rig, show="mask:under-test", cache=cache)
        np.testing.assert_array_equal(grown, render(plate, rig, show="mask:under-test"))

    def test_one_more_stroke_lays_down_its_own_dabs_alone(self) -> None:
        plate, cache = plate_of(scene(240, 160)), Cache(1 << 28)
        laid: list[int] = []

        def show(n: int) -> None:
            strokes = [stroke((0.1, 0.1 + 0.001 * k), (0.9, 0.9)) for k in range(n)]
            rig = masked_rig({"part": "strokes", "strokes": strokes})
            part = rig.stack[0].mask.stack[0]
            assert isinstance(part, StrokesPart)
            frame = Frame.whole(plate.size)
            before = sum(cache.peek((key, frame)) is None for key in part.after[1:])
            Renderer(plate, cache).part(rig, frame, show="mask:under-test")
            laid.append(before)

        show(200)
        show(201)
        self.assertEqual(laid[1], 199)  # only what 200 strokes left is kept, and it is found
        self.assertIsNotNone(cache)

    def test_dabs_lie_at_even_distances_along_the_curve(self) -> None:
        result = Stroke.model_validate(stroke((0.1, 0.5), (0.3, 0.1), (0.6, 0.8), (0.9, 0.4), size=0.02))
        dabs = dabs_of(result, (0.8, 0.6))
        steps = np.hypot(*np.diff(dabs[:, :2], axis=0).T)
        np.testing.assert_allclose(steps, 0.02 / 6, rtol=0.03)
        np.testing.assert_allclose(dabs[0, :2], (0.08, 0.3))


class GivingBack(unittest.TestCase):
    """What restoring strokes of a part that takes light away do to what came before it."""

    def brush(self, *strokes: dict[str, Any], **rest: Any) -> dict[str, Any]:
        return {"part": "strokes", "combine": "subtract", "strokes": list(strokes), **rest}

    def test_light_comes_back_where_a_gradient_had_taken_it(self) -> None:
        gradient = {"part": "linear", "combine": "subtract", "begin": [0.5, 0.5], "end": [0.5, 0.9]}
        across = stroke((0.2, 0.3), (0.8, 0.3), size=0.08, hardness=1.0, flow=1.0)
        back = {**across, "erase": True}
        plain = mask_of(gradient, start="everything")
        given = mask_of(gradient, self.brush(back), start="everything")
        rows, columns = plain.shape
        middle, ground = (int(0.3 * rows), columns // 2), (int(0.95 * rows), columns // 2)
        self.assertLess(plain[middle], 0.01)
        self.assertGreater(given[middle], 0.99)
        self.assertEqual(given[ground], plain[ground])
        # The stroke that restores covers just what the same stroke would paint in.
        painted = mask_of({"part": "strokes", "strokes": [across]})
        np.testing.assert_allclose(given, plain + painted * (1 - plain), atol=1e-5)

    def test_a_brush_alone_is_what_it_was_and_undoing_in_what_was_added_takes_light_away(self) -> None:
        over = stroke((0.2, 0.3), (0.8, 0.3), size=0.08, hardness=0.3, flow=0.5)
        back = {**stroke((0.4, 0.3), (0.6, 0.3), size=0.05, hardness=0.3, flow=0.6), "erase": True}
        painted = mask_of({"part": "strokes", "strokes": [over, back]})
        np.testing.assert_allclose(mask_of(self.brush(over, back), start="everything"), 1 - painted, atol=1e-6)
        gradient = {"part": "linear", "begin": [0.5, 0.5], "end": [0.5, 0.9]}
        added = mask_of(gradient, {**self.brush(over, back), "combine": "add"})
        rows, columns = added.shape
        self.assertLess(added[int(0.3 * rows), columns // 2], 0.8)  # the gradient's own light, which was all of it
        self.assertGreater(added[int(0.3 * rows), int(0.1 * columns)], 0.99)

    def test_what_the_hand_does_last_wins(self) -> None:
        gradient = {"part": "linear", "combine": "subtract", "begin": [0.5, 0.5], "end": [0.5, 0.9]}
        over = stroke((0.2, 0.3), (0.8, 0.3), size=0.08, hardness=1.0, flow=1.0)
        back = {**over, "erase": True}
        plain = mask_of(gradient, start="everything")
        middle = int(0.3 * plain.shape[0]), plain.shape[1] // 2
        self.assertLess(mask_of(gradient, self.brush(back, over), start="everything")[middle], 0.01)
        self.assertGreater(mask_of(gradient, self.brush(over, back), start="everything")[middle], 0.99)

    def test_half_the_density_gives_half_of_it_back(self) -> None:
        everything = {"part": "linear", "combine": "subtract", "begin": [0.5, 2.0], "end": [0.5, 3.0]}
        back = {**stroke((0.2, 0.3), (0.8, 0.3), size=0.08, hardness=1.0, flow=1.0), "erase": True}
        half = mask_of(everything, self.brush(back, density=0.5), start="everything")
        self.assertAlmostEqual(float(half.max()), 0.5, places=3)


class Shapes(unittest.TestCase):
    def test_a_linear_gradient_is_half_way_in_the_middle_and_alike_across(self) -> None:
        result = mask_of({"part": "linear", "begin": [0.5, 0.25], "end": [0.5, 0.75]})
        np.testing.assert_allclose(result[159:161].mean(), 0.5, atol=0.01)
        np.testing.assert_allclose(result[:79], 1)
        np.testing.assert_allclose(result[241:], 0)
        np.testing.assert_allclose(result, np.repeat(result[:, :1], 480, axis=1), atol=1e-6)

    def test_a_gradient_between_two_places_that_are_one_is_a_hard_edge(self) -> None:
        result = mask_of({"part": "linear", "begin": [0.5, 0.5], "end": [0.5, 0.5]})
        self.assertTrue(np.isin(result, (0, 1)).all())

    def test_a_radial_gradient_covers_the_area_of_its_ellipse(self) -> None:
        diagonal = float(np.hypot(480, 320))
        result = mask_of({"part": "radial", "radius": 0.2, "roundness": 0.5, "angle": 40, "softness": 0.0})
        self.assertAlmostEqual(float(result.sum()), np.pi * 0.2 * 0.1 * diagonal**2, delta=40)
        # Angles go as everywhere: 90 is up.
        upright = mask_of({"part": "radial", "radius": 0.2, "roundness": 0.3, "angle": 90, "softness": 0.0})
        self.assertGreater(upright[:, 240].sum(), 2 * upright[160].sum())

    def test_a_polygon_is_filled_as_another_library_fills_it(self) -> None:
        corners = [(0.1, 0.2), (0.85, 0.3), (0.7, 0.9), (0.3, 0.6)]
        result = mask_of({"part": "polygon", "corners": [list(c) for c in corners]})
        drawn = np.zeros((320 * 8, 480 * 8), np.uint8)
        cv2.fillPoly(drawn, [np.round(np.array(corners) * (3840, 2560) - 0.5).astype(np.int32)], 1)
        np.testing.assert_allclose(result, drawn.reshape(320, 8, 480, 8).mean(axis=(1, 3)), atol=0.15)
        self.assertAlmostEqual(float(result.sum()), float(drawn.sum()) / 64, delta=60)

    def test_a_polygon_that_crosses_itself_stays_filled_and_one_of_two_corners_is_nothing(self) -> None:
        star = [[0.5, 0.1], [0.7, 0.9], [0.2, 0.4], [0.8, 0.4], [0.3, 0.9]]
        result = mask_of({"part": "polygon", "corners": star})
        self.assertEqual(float(result[160, 240]), 1.0)
        np.testing.assert_array_equal(mask_of({"part": "polygon", "corners": star[:2]}), 0)

    def test_feather_is_the_gaussian_of_another_library(self) -> None:
        plate = plate_of(np.zeros((600, 900, 3)))
        corners = [[0.3, 0.3], [0.7, 0.3], [0.7, 0.7], [0.3, 0.7]]
        hard = mask_of({"part": "polygon", "corners": corners}, plate=plate)
        for feather in (0.004, 0.02, 0.08):
            soft = mask_of({"part": "polygon", "corners": corners, "feather": feather}, plate=plate)
            wanted = cv2.GaussianBlur(hard, (0, 0), feather * float(np.hypot(900, 600)), borderType=cv2.BORDER_REPLICATE)
            self.assertGreater(psnr(soft, wanted), 40, feather)


class FromThePicture(unittest.TestCase):
    def test_a_tonal_range_covers_tones_within_it_and_fades_beyond(self) -> None:
        codes = np.tile(np.linspace(0, 1, 1000), (8, 1))
        linear = np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4)
        plate = plate_of(np.repeat(linear[:, :, None], 3, axis=2))
        result = mask_of({"part": "tones", "low": 0.3, "high": 0.6, "softness": 0.1}, plate=plate)[0]
        np.testing.assert_allclose(result[305:595], 1, atol=1e-3)
        np.testing.assert_allclose(result[:195], 0, atol=1e-3)
        np.testing.assert_allclose(result[[250, 650]], 0.5, atol=0.02)

    def test_a_tonal_range_is_measured_at_full_size(self) -> None:
        pixels = np.zeros((400, 600, 3))
        pixels[::4, ::4] = 1.0
        result = mask_of({"part": "tones", "low": 0.9}, plate=plate_of(pixels), size=(150, 100))
        np.testing.assert_allclose(result, 1 / 16, atol=1e-3)

    def test_a_colour_range_takes_its_colour_from_the_spot_and_stays_contiguous_when_asked(self) -> None:
        pixels = np.full((200, 300, 3), (0.05, 0.3, 0.05))
        pixels[40:80, 40:80] = pixels[120:160, 200:260] = (0.6, 0.1, 0.05)
        plate = plate_of(pixels)
        red = {"part": "colours", "spot": [60 / 300, 60 / 200], "tolerance": 0.2}
        everywhere = mask_of(red, plate=plate)
        self.assertAlmostEqual(float(everywhere.sum()), 40 * 40 + 40 * 60, delta=1)
        near = mask_of({**red, "reach": "contiguous"}, plate=plate)
        self.assertAlmostEqual(float(near.sum()), 40 * 40, delta=1)

    def test_lightness_counts_as_much_as_it_is_told_to(self) -> None:
        pixels = np.full((60, 90, 3), (0.6, 0.2, 0.1))
        pixels[:, 45:] *= 0.4
        picked = {"part": "colours", "spot": [0.2, 0.5], "tolerance": 0.25}
        shade = mask_of({**picked, "lightness": 0.0}, plate=plate_of(pixels))[30, 70]
        strict = mask_of({**picked, "lightness": 1.0}, plate=plate_of(pixels))[30, 70]
        self.assertGreater(shade, strict + 0.3)

    def test_a_subject_drawn_in_even_tones_is_cut_along_its_rim_and_a_photograph_gets_no_grain(self) -> None:
        rows, columns = np.mgrid[0:400, 0:600]
        disc = np.hypot(rows - 200, columns - 280) < 90
        plate = plate_of(np.where(disc[:, :, None], (0.7, 0.2, 0.1), (0.4, 0.4, 0.4)).astype(np.float32))
        result = mask_of({"part": "subject", "box": [0.25, 0.2, 0.7, 0.8]}, plate=plate) > 0.5
        self.assertGreater((result & disc).sum() / (result | disc).sum(), 0.98)
        even = np.full((40, 60, 3), 100, np.uint8)
        self.assertEqual(set(np.unique(_grained(even))), {99, 100, 101})
        photograph = np.round(scene(60, 40) * 255).astype(np.uint8)
        self.assertIs(_grained(photograph), photograph)

    def test_fitting_draws_a_rough_edge_to_the_pictures_own(self) -> None:
        pixels = np.full((300, 450, 3), 0.02)
        pixels[:, 225:] = 0.6
        rough = {"part": "linear", "begin": [0.46, 0.5], "end": [0.5, 0.5]}  # off by a few pixels, and soft
        plate = plate_of(pixels)
        wanted = np.zeros((300, 450))
        wanted[:, :225] = 1
        before, after = (mask_of({**rough, **more}, plate=plate) for more in ({}, {"fit": 0.03}))
        self.assertGreater(psnr(after, wanted), psnr(before, wanted) + 6)

    def test_a_grey_picture_of_another_size_lies_over_the_whole_plate(self) -> None:
        result = mask_of({"part": "grey", "file": RAMP[0]})
        np.testing.assert_allclose(result[100], (np.arange(480) + 0.5) / 480, atol=0.006)
        levelled = mask_of({"part": "grey", "file": RAMP[0], "low": 0.5, "high": 0.5001})
        self.assertAlmostEqual(float(levelled.mean()), 0.5, delta=0.01)

    def test_depths_beyond_0_to_1_are_brought_there_and_what_is_no_number_is_refused(self) -> None:
        import io

        import tifffile

        from aurelon.core.plate import read_grey

        depth = np.tile(np.linspace(2, 10, 40, dtype=np.float32), (30, 1))
        data = io.BytesIO()
        tifffile.imwrite(data, depth)
        np.testing.assert_allclose(read_grey(data.getvalue(), "depth.tif")[20], np.linspace(0, 1, 40), atol=1e-5)
        depth[5:10, 5:10] = np.nan
        data = io.BytesIO()
        tifffile.imwrite(data, depth)
        with self.assertRaisesRegex(PlateError, "depth.tif contains NaN or infinite samples"):
            read_grey(data.getvalue(), "depth.tif")


class Mattes(unittest.TestCase):
    def rig(self, **use: Any) -> Rig:
        return masked_rig({"part": "matte", "matte": "shape", **use}, start="everything")

    def test_behind_and_within_and_what_spills(self) -> None:
        plate = plate_of(scene())
        area = render(plate, self.rig(), show="matte:shape")[:, :, 0]
        for side, spill in (("behind", 0.0), ("behind", 0.3), ("within", 0.0), ("within", 0.3)):
            result = render(plate, self.rig(side=side, spill=spill), show="mask:under-test")[:, :, 0]
            covered = 1 - area if side == "behind" else area
            np.testing.assert_allclose(result, covered + spill * (1 - covered), atol=1e-5)

    def test_a_matte_that_is_gone_is_named_with_its_users_and_the_rest_goes_on(self) -> None:
        plate = plate_of(scene())
        rig = self.rig().model_copy(update={"mattes": ()})
        self.assertEqual(rig.missing_mattes(), {"shape": ["under-test"]})
        np.testing.assert_array_equal(render(plate, rig), render(plate, rig_of(light("bloom"))))

    def test_a_change_of_a_matte_is_seen_in_the_lights_that_use_it(self) -> None:
        plate, cache = plate_of(scene()), Cache(1 << 28)
        first = render(plate, self.rig(), cache=cache)
        wider = {**MATTE, "mask": {"start": "nothing", "parts": [{"part": "radial", "radius": 0.5}]}}
        rig = Rig.model_validate({**self.rig().model_dump(), "mattes": [wider]})
        self.assertGreater(float(np.abs(render(plate, rig, cache=cache) - first).max()), 0.05)

    def test_mattes_that_use_one_another_must_be_in_order(self) -> None:
        def matte(name: str, uses: str) -> dict[str, Any]:
            return {"id": name, "mask": {"parts": [{"part": "matte", "matte": uses}]}}

        check_rig({"mattes": [matte("a", "gone"), matte("b", "a")]})
        for mattes in ([matte("a", "b"), matte("b", "gone")], [matte("a", "a")]):
            with self.assertRaisesRegex(RigError, "move it up or leave it out"):
                check_rig({"mattes": mattes})

    def test_a_carried_file_must_be_the_file_it_is_called(self) -> None:
        name, data = grey_file(np.zeros((4, 4), np.float32))
        check_rig({"files": {name: data}})
        for pictures, sentence in (({name: "%%%"}, "not valid base64"), ({RAMP[0]: data}, "is not the one")):
            with self.assertRaisesRegex(RigError, sentence):
                check_rig({"files": pictures})


class HouseLight(unittest.TestCase):
    def test_the_house_light_has_its_own_mask_and_a_lights_mask_never_changes_it(self) -> None:
        plate = plate_of(scene())
        house = {"level": 0.3, "mask": {"start": "nothing", "parts": [{"part": "linear"}]}}
        out = render(plate, rig_of(house=house))
        mask = render(plate, rig_of(house=house), show="house-mask")[:, :, :1]
        np.testing.assert_allclose(out, plate.pixels * (1 - 0.7 * mask), rtol=1e-5, atol=1e-6)
        shut = light("bloom", mask={"start": "nothing", "parts": []})
        np.testing.assert_array_equal(render(plate, rig_of(shut, house=house)), out)


class Awkward(unittest.TestCase):
    def test_what_is_wrong_with_a_part_is_said_with_its_path(self) -> None:
        wrong: list[tuple[dict[str, Any], str]] = [
            ({"part": "cloud"}, r"lights\[0\]\.mask\.parts\[0\]\.part: 'cloud' is not a mask part; the parts are: strokes"),
            ({}, r"parts\[0\]\.part is missing"),
            ({"part": "radial", "radius": 9}, r"parts\[0\]\.radius is 9, but must be at most 2"),
            ({"part": "strokes", "strokes": [stroke((0.5, 0.5, 3.0))]}, r"strokes\[0\]\.points: the pressure"),
            ({"part": "strokes", "strokes": [{"points": [0, 0, 1, 2]}]}, r"strokes\[0\]\.points: a stroke has three numbers"),
            ({"part": "strokes", "strokes": [{"points": []}]}, r"strokes\[0\]\.points"),
        ]
        for part, sentence in wrong:
            with self.assertRaisesRegex(RigError, sentence):
                check_rig({"lights": [light("bloom", mask={"parts": [part]})]})

    def test_a_subject_without_a_hint_and_a_missing_picture_do_nothing(self) -> None:
        for part in ({"part": "subject"}, {"part": "grey", "file": "0" * 64}, {"part": "matte", "matte": "gone"}):
            np.testing.assert_array_equal(mask_of(part), 0)

    def test_the_cut_is_the_same_every_time(self) -> None:
        part = {"part": "subject", **PARTS["subject"]}
        np.testing.assert_array_equal(mask_of(part), mask_of(part))

    def test_pictures_of_any_depth_are_read_as_grey(self) -> None:
        import io

        from aurelon.core.plate import read_grey

        ramp = np.tile(np.arange(256, dtype=np.uint8), (4, 1))
        for mode in ("L", "RGB"):
            data = io.BytesIO()
            Image.fromarray(ramp).convert(mode).save(data, "PNG")
            np.testing.assert_allclose(read_grey(data.getvalue(), "m.png"), ramp / 255, atol=1e-6)
