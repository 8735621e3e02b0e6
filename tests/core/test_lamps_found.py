"""Lamps told from other bright things."""

from __future__ import annotations

import unittest
from typing import Any

import cv2
import numpy as np

from aurelon.core import Rig, render
from aurelon.core.finding.lamps import lamps_in
from aurelon.core.graph.new_light import new_light
from aurelon.core.imaging.rgb_space import SRGB
from tests.pictures import Floats, plate_of

WIDTH, HEIGHT = 900, 600


def night() -> Floats:
    """A dark picture with a lamp, a post, a ghost, a cloud and a wall; linear light."""
    picture: Floats = np.full((HEIGHT, WIDTH), 0.05, np.float32)
    cv2.circle(picture, (150, 150), 7, 1.0, -1, cv2.LINE_AA)  # a lamp
    cv2.rectangle(picture, (300, 120), (308, 220), 0.95, -1)  # a post
    cv2.circle(picture, (450, 150), 22, 0.3, -1, cv2.LINE_AA)  # a ghost
    cloud = np.zeros_like(picture)
    cv2.ellipse(cloud, (680, 150), (140, 60), 0, 0, 360, 0.9, -1)
    picture += cv2.GaussianBlur(cloud, (0, 0), 60)
    cv2.rectangle(picture, (500, 400), (899, 599), 0.9, -1)  # a wall
    picture = np.asarray(cv2.GaussianBlur(picture, (0, 0), 1.0), np.float32)
    return np.repeat(picture[:, :, None], 3, axis=2)


def at(mask: Any, places: list[tuple[int, int]]) -> list[bool]:
    return [bool(mask[y, x]) for x, y in places]


class LampsFound(unittest.TestCase):
    def test_a_lamp_is_one_and_a_post_a_ghost_a_cloud_and_a_wall_are_none(self) -> None:
        places = [(150, 150), (304, 170), (450, 150), (680, 150), (700, 500)]
        self.assertEqual(at(lamps_in(night(), SRGB.luminance), places), [True, False, False, False, False])

    def test_a_lamp_at_the_rim_of_the_frame_and_a_sun_are_lamps(self) -> None:
        picture = np.full((HEIGHT, WIDTH, 3), 0.2, np.float32)
        cv2.circle(picture, (4, 300), 6, (1, 1, 1), -1, cv2.LINE_AA)
        cv2.circle(picture, (500, 200), 20, (1, 1, 1), -1, cv2.LINE_AA)
        places = [(4, 300), (500, 200)]
        self.assertEqual(at(lamps_in(picture, SRGB.luminance), places), [True, True])

    def test_a_new_flare_comes_from_the_lamp_alone(self) -> None:
        plate = plate_of(night())
        flare = new_light("flare", plate, Rig()).model_dump()
        flare["id"] = "f"
        shown = render(plate, Rig(lights=[flare]), show="stage:f:source")[:, :, 1]
        y, x = np.unravel_index(int(np.argmax(shown)), shown.shape)
        self.assertLess(float(np.hypot(x - 150, y - 150)), 4)
        shown[110:190, 110:190] = 0
        self.assertEqual(float(shown.max()), 0.0)
