"""Cuts of a reel, and what goes over frames ending with its shot: clips whose cuts, motion and cover are known."""

from __future__ import annotations

import json
import unittest

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from aurelon.core import Rig, open_reel
from aurelon.core.analysis.carried_matte import carried, frame_of_mattes
from aurelon.core.analysis.cuts import cuts_of
from aurelon.core.analysis.follow import follow
from aurelon.core.errors import Cancelled
from aurelon.core.rig.edits.set_keys import SetKeys
from aurelon.core.settings.tracks import Track
from tests.core.test_over_frames import DEMO, OverFrames, disc_at, moving
from tests.reels import box_iou

Picture = NDArray[np.uint8]
WIDE, TALL = 480, 320


def photograph(name: str) -> Picture:
    return np.ascontiguousarray(getattr(data, name)()[:, :, :3])


def panned(name: str, count: int, step: float, turn: float = 0.0, grow: float = 0.0) -> list[Picture]:
    """A hand-held look over a photograph: to the right, turning, nearer."""
    large = cv2.resize(photograph(name), (960, 640))
    result = []
    for number in range(count):
        motion = np.asarray(cv2.getRotationMatrix2D((480.0, 320.0), turn * number, 1 + grow * number), np.float64)
        motion[:, 2] -= np.array([240 + step * (number - count / 2), 160.0])
        result.append(np.asarray(cv2.warpAffine(large, motion, (WIDE, TALL), borderMode=cv2.BORDER_REFLECT), np.uint8))
    return result


class Found(OverFrames):
    def test_cuts_between_shots_of_any_motion_are_found_and_no_others(self) -> None:
        shots = [
            panned("coffee", 8, 3),
            panned("astronaut", 7, -12, turn=1),
            panned("chelsea", 9, 0, grow=0.03),
            panned("rocket", 6, 25),
            panned("coffee", 5, 0)[::-1],
        ]
        reel = self.reel([picture for shot in shots for picture in shot])
        wanted = np.cumsum([len(shot) for shot in shots])[:-1].tolist()
        self.assertEqual(cuts_of(reel).all(), wanted)

    def test_flashes_cover_darkening_and_grain_are_no_cuts(self) -> None:
        pictures = panned("coffee", 16, 4)
        pictures[4] = np.full_like(pictures[4], 250)  # a flash
        pictures[8][:, 100:300] = (20, 30, 60)  # somebody passes before the lens
        pictures[9][:] = (20, 30, 60)
        rng = np.random.default_rng(2)
        for number in range(11, 16):
            dark = pictures[number] * 0.8 ** (number - 10) + rng.normal(0, 6, pictures[number].shape)
            pictures[number] = np.clip(dark, 0, 255).astype(np.uint8)
        self.assertEqual(cuts_of(self.reel(pictures)).all(), [])

    def test_the_demos_reel_is_one_shot(self) -> None:
        reel = open_reel(DEMO / "reels" / "ferry.webm")
        self.addCleanup(reel.close)
        self.assertEqual(cuts_of(reel).all(), [])

    def test_one_frame_and_plain_frames(self) -> None:
        self.assertEqual(cuts_of(self.reel(panned("coffee", 1, 0))).all(), [])
        plain = [np.full((TALL, WIDE, 3), level, np.uint8) for level in [40] * 6 + [200] * 6]
        self.assertEqual(cuts_of(self.reel(plain)).all(), [6])

    def test_a_shot_is_found_without_looking_farther_than_it_goes(self) -> None:
        reel = self.reel(panned("coffee", 6, 2) + panned("rocket", 6, 2) + panned("chelsea", 30, 2))
        cuts = cuts_of(reel)
        self.assertEqual(cuts.shot(8, (0, len(reel))), (6, 12))
        self.assertEqual(cuts.shot(8, (7, 10)), (7, 10))
        self.assertLess(max(cuts._known), 14)
        with self.assertRaises(Cancelled):
            cuts.all(cancelled=lambda: True)


class WithinAShot(OverFrames):
    def test_a_followed_place_ends_with_its_shot(self) -> None:
        reel = self.reel(panned("rocket", 6, 2) + moving(12) + panned("coffee", 6, 2))
        x, y = disc_at(4)
        seen = follow(reel, 10, ((x + 0.5) / WIDE, (y + 0.5) / TALL))
        self.assertEqual([one.frame for one in seen], list(range(6, 18)))
        for one in seen:
            wanted = disc_at(one.frame - 6)
            self.assertLess(np.hypot(one.place[0] * WIDE - 0.5 - wanted[0], one.place[1] * TALL - 0.5 - wanted[1]), 0.6)
        self.assertEqual([one.frame for one in follow(reel, 10, (0.5, 0.5), (8, 12))], [8, 9, 10, 11])

    def test_a_carried_matte_is_empty_in_other_shots_unless_it_is_known_there(self) -> None:
        reel = self.reel(panned("rocket", 5, 2) + moving(10) + panned("coffee", 5, 1))
        frame = frame_of_mattes(reel)
        known = np.zeros(frame.shape, np.float32)
        x, y = disc_at(5)
        cv2.circle(known, (round(x), round(y)), 56, 1.0, -1)
        mattes = [codes / 255 for codes in carried(reel, {10: known})]
        self.assertEqual(len(mattes), 20)
        self.assertEqual([float(matte.max()) > 0 for matte in mattes], [False] * 5 + [True] * 10 + [False] * 5)
        there = np.zeros(frame.shape, np.float32)
        x, y = disc_at(0)
        cv2.circle(there, (round(x), round(y)), 56, 1.0, -1)
        self.assertGreater(box_iou(mattes[5], there), 0.9)
        # What is known in another shot fills that one, up to the cut, and nothing is blended across it.
        both = [codes / 255 for codes in carried(reel, {10: known, 17: np.ones(frame.shape, np.float32)})]
        self.assertTrue(all(float(matte.min()) > 0.9 for matte in both[15:]))
        for one, other in zip(mattes[5:15], both[5:15], strict=True):
            np.testing.assert_array_equal(one, other)

    def test_only_the_frames_between_the_marks_are_made_anew(self) -> None:
        reel = self.reel(moving(10))
        frame = frame_of_mattes(reel)
        known = np.ones(frame.shape, np.float32)
        kept = np.full(frame.shape, 0.4, np.float32)
        mattes = list(carried(reel, {4: known}, (3, 6), lambda number: kept if number != 8 else None))
        self.assertEqual([int(codes.max()) for codes in mattes], [102] * 3 + [255] * 3 + [102, 102, 0, 102])

    def test_where_two_places_are_alike_it_says_that_it_does_not_know(self) -> None:
        # Rivets in a row on a plain plate: covered for three frames while the plate moves on by half of their distance.
        rng = np.random.default_rng(3)
        ground = np.full((TALL, WIDE + 200), 120, np.uint8)
        for at in range(30, WIDE + 200, 60):
            cv2.circle(ground, (at, 160), 12, 200, -1)
            cv2.circle(ground, (at - 3, 157), 4, 60, -1)
        ground = np.clip(ground + rng.normal(0, 2, ground.shape), 0, 255).astype(np.uint8)
        pictures = []
        for number in range(10):
            x = 10 * number
            pictures.append(np.repeat(ground[:, x : x + WIDE, None], 3, axis=2).copy())
        cover = rng.integers(0, 255, (120, WIDE, 3), np.uint8)
        for number in (4, 5, 6):
            pictures[number][100:220] = cover
        seen = follow(self.reel(pictures), 0, ((210 + 0.5) / WIDE, 160.5 / TALL))
        self.assertTrue(all(one.sure > 0 for one in seen[:4]))
        self.assertEqual([one.sure for one in seen[4:7]], [0.0] * 3)
        for one in seen[7:]:
            here = one.place[0] * WIDE - 0.5
            self.assertTrue(one.sure == 0 or abs(here - (210 - 10 * one.frame)) < 1, (one, here))


class Keys(unittest.TestCase):
    def test_keys_of_one_shot_leave_those_of_others(self) -> None:
        before = Track(between="smooth", at=((0, 0.1), (4, 0.2), (9, 0.3)))
        light = {"id": "a", "kind": "bloom"}
        rig = Rig.model_validate({"lights": [light], "keys": {"a": {"spread.radius": json.loads(before.model_dump_json())}}})
        edit = SetKeys(owner="a", path="spread.radius", at=((3, 0.05), (5, 0.06)), within=(3, 8))
        track = edit.apply(rig).rig.keys["a"]["spread.radius"]
        self.assertEqual((track.between, track.at), ("smooth", ((0, 0.1), (3, 0.05), (5, 0.06), (9, 0.3))))
        whole = SetKeys(owner="a", path="spread.radius", at=((3, 0.05),))
        self.assertEqual(whole.apply(rig).rig.keys["a"]["spread.radius"].at, ((3, 0.05),))
