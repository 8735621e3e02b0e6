"""A part of a frame is the same as that part of the whole, and what little shapes cover is what geometry says."""

from __future__ import annotations

import unittest
from typing import Any, cast

import cv2
import numpy as np

from aurelon.core import Renderer, render
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.viewing import Viewing
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.rgb_space import SRGB
from aurelon.core.imaging.screen import PEAK_MARK, mark_from
from aurelon.core.masks.shared.part import Ground
from aurelon.core.masks.subject import Subject
from tests.pictures import Floats, light, masked_rig, plate_of, rig_of, scene, stroke

TRIANGLE = [[0.2, 0.2], [0.8, 0.3], [0.4, 0.9]]
DRAWN: tuple[dict[str, Any], ...] = (
    {"part": "polygon", "corners": TRIANGLE},
    {"part": "strokes", "strokes": [stroke((0.2, 0.3), (0.7, 0.8)) | {"flow": 1.0}]},
    {"part": "radial", "middle": [0.4, 0.6], "radius": 0.2, "angle": 30},
    {"part": "linear", "begin": [0.2, 0.3], "end": [0.7, 0.9]},
)
SIZE = (150, 100)


def mask_of(part: dict[str, Any], region: tuple[int, int, int, int] | None = None) -> Floats:
    return render(plate_of(scene(*SIZE)), masked_rig(part, start="nothing"), show="mask:under-test", region=region)[:, :, 0]


class Counting(unittest.TestCase):
    def test_a_subject_counts_once_something_says_that_it_is_in(self) -> None:
        ground = cast(Ground, None)  # what it lies on makes no difference
        inside, outside = stroke((0.4, 0.5), (0.5, 0.5)), stroke((0.1, 0.1), (0.2, 0.1)) | {"erase": True}
        for said, counts in (
            ({}, False),
            ({"hints": [outside]}, False),
            ({"hints": [outside, inside]}, True),
            ({"box": [0.2, 0.2, 0.8, 0.8]}, True),
            ({"box": [0.2, 0.2, 0.8, 0.8], "on": False}, False),
        ):
            self.assertEqual(Subject.model_validate({"part": "subject", **said}).counts(ground), counts, said)


class Regions(unittest.TestCase):
    def test_a_part_of_a_drawn_mask_is_that_part_of_the_whole(self) -> None:
        for part in DRAWN:
            with self.subTest(part["part"]):
                whole = mask_of(part)
                np.testing.assert_allclose(mask_of(part, (30, 20, 110, 90)), whole[20:90, 30:110], atol=1e-5)
                self.assertGreater(float(whole.max() - whole.min()), 0.8)
                self.assertTrue(float(whole.min()) >= 0 and float(whole.max()) <= 1)

    def test_a_part_of_a_lit_picture_is_that_part_of_the_whole_with_and_without_a_cache(self) -> None:
        plate, rig = plate_of(scene(*SIZE)), rig_of(light("bloom"), prepare={"straighten": 7.0})
        whole = render(plate, rig)
        for renderer in (Renderer(plate), Renderer(plate, Cache(1 << 26))):
            part = renderer.render(rig, region=(30, 20, 110, 80))
            np.testing.assert_allclose(part, whole[20:80, 30:110], atol=2e-5)

    def test_a_turned_part_reads_all_that_its_pixels_need(self) -> None:
        noise = np.random.default_rng(3).random((100, 150, 3)).astype(np.float32)
        plate, rig = plate_of(noise), rig_of(prepare={"straighten": 7.0})
        whole = render(plate, rig)
        for region in ((40, 30, 41, 31), (60, 20, 63, 70), (20, 50, 110, 52)):
            x0, y0, x1, y1 = region
            np.testing.assert_allclose(render(plate, rig, region=region), whole[y0:y1, x0:x1], atol=2e-5)


class Alone(unittest.TestCase):
    def test_a_light_by_itself_is_its_colour_through_its_mask_as_strong_as_it_is_laid(self) -> None:
        mask = {"start": "nothing", "parts": [DRAWN[3]]}
        rig = rig_of(light("bloom", mask=mask, merge={"intensity": 1.5, "opacity": 0.5}))
        plate = plate_of(scene(*SIZE))
        alone, colour, cover = (render(plate, rig, show=f"{what}:under-test{stage}") for what, stage in SHOWN)
        np.testing.assert_allclose(alone, colour * cover * 0.75, rtol=1e-4, atol=1e-6)


SHOWN = (("light", ""), ("stage", ":colour"), ("mask", ""))


class Geometry(unittest.TestCase):
    def test_a_triangle_is_filled(self) -> None:
        corners = (np.array(TRIANGLE) * SIZE * 16).astype(np.int32)
        drawn = np.zeros((SIZE[1], SIZE[0]), np.uint8)
        cv2.fillPoly(drawn, [corners - 8], 255, cv2.LINE_AA, 4)
        self.assertLess(float(np.abs(mask_of(DRAWN[0]) - drawn / 255).mean()), 0.02)

    def test_an_ellipse_is_full_in_its_middle_and_nothing_outside(self) -> None:
        mask = mask_of(DRAWN[2])
        self.assertGreater(float(mask[60, 60]), 0.999)
        self.assertEqual(float(mask[5, 5]), 0.0)


class Marks(unittest.TestCase):
    def test_what_is_brighter_than_the_peak_is_striped_and_nothing_else(self) -> None:
        pixels = np.full((40, 60, 3), 0.5, np.float32)
        pixels[:, 30:] = 3.0
        picture = np.zeros((40, 60, 3), np.uint8)
        Viewing(peak=1.0).mark(picture, pixels, SRGB)
        expected = np.zeros_like(picture)
        Viewing().mark(expected, pixels, SRGB)
        mark_from(expected, pixels, 2.0, PEAK_MARK)
        np.testing.assert_array_equal(picture, expected)
        self.assertFalse(np.array_equal(picture[:, 30:], np.zeros_like(picture[:, 30:])))
        self.assertEqual(int(picture[:, :30].max()), 0)
        at_rest = np.zeros_like(picture)
        Viewing(peak=1.0).mark(at_rest, np.full((40, 60, 3), 0.9, np.float32), SRGB)
        self.assertEqual(int(at_rest.max()), 0)


class Frames(unittest.TestCase):
    def test_the_part_near_a_place_holds_all_within_reach_and_nothing_of_what_is_outside(self) -> None:
        whole = Frame.whole((100, 80))
        self.assertEqual(whole.near((0.5, 0.5), 10.0), Frame(100, 80, 40, 30, 61, 51))
        self.assertEqual(whole.near((0.0, 1.0), 10.0), Frame(100, 80, 0, 70, 11, 80))
        self.assertIsNone(whole.near((-1.0, 0.5), 10.0))
        self.assertTrue(whole.is_whole)
        self.assertFalse(whole.rows(1, 80).is_whole)
