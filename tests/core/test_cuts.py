"""Cuts of a reel, and what goes over frames ending with its shot: clips whose cuts, motion and cover are known."""

from __future__ import annotations

import json
import unittest
from collections.abc import Callable
from typing import Any
from unittest import mock

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from aurelon.core import Rig, open_reel
from aurelon.core.analysis.carried_matte import carried, frame_of_mattes
from aurelon.core.analysis.cuts import cuts_of
from aurelon.core.analysis.follow import follow
from aurelon.core.codecs.shared.raster import UnreadableError
from aurelon.core.errors import Cancelled, RigError
from aurelon.core.rig.edits.give_to_shot import GiveToShot
from aurelon.core.rig.edits.set_keys import SetKeys
from aurelon.core.rig.edits.turn_cut import TurnCut
from aurelon.core.rig.reading import parse_rig
from aurelon.core.rig.shots import Shots
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

    def test_the_cut_of_the_demos_second_reel_between_two_views_of_one_place(self) -> None:
        reel = open_reel(DEMO / "reels" / "passing.webm")
        self.addCleanup(reel.close)
        self.assertEqual(cuts_of(reel).all(), [48])

    def test_one_frame_and_plain_frames(self) -> None:
        self.assertEqual(cuts_of(self.reel(panned("coffee", 1, 0))).all(), [])
        plain = [np.full((TALL, WIDE, 3), level, np.uint8) for level in [40] * 6 + [200] * 6]
        self.assertEqual(cuts_of(self.reel(plain)).all(), [6])

    def test_a_shot_is_found_without_looking_farther_than_it_goes(self) -> None:
        reel = self.reel(panned("coffee", 6, 2) + panned("rocket", 6, 2) + panned("chelsea", 30, 2))
        cuts = cuts_of(reel)
        self.assertEqual(cuts.shot(8, (0, len(reel))), (6, 12))
        self.assertEqual(cuts.shot(8, (7, 10)), (7, 10))
        self.assertLess(max(cuts._found._known), 14)
        with self.assertRaises(Cancelled):
            cuts.all(cancelled=lambda: True)

    def test_a_dissolve_is_a_cut_at_its_middle_and_a_fade_through_black_after_it(self) -> None:
        for length in (10, 20, 40):
            first, second = panned("coffee", 30 + length, 0.2), panned("astronaut", 30 + length, -0.3)
            share = np.linspace(0, 1, length + 2)[1:-1]
            mixed = [
                np.round(a * (1 - s) + b * s).astype(np.uint8) for a, b, s in zip(first[30:], second[:length], share, strict=True)
            ]
            reel = self.reel(first[:30] + mixed + second[length:])
            found = cuts_of(reel).all()
            self.assertEqual(len(found), 1, found)
            self.assertAlmostEqual(found[0], 30 + length / 2, delta=1)
        shares = np.linspace(1, 0, 11)
        fading = [np.round(picture * s).astype(np.uint8) for picture, s in zip(first[:11], shares, strict=True)]
        rising = [np.round(picture * s).astype(np.uint8) for picture, s in zip(second[:11], shares[::-1], strict=True)]
        through = cuts_of(self.reel(first[:10] + fading + rising + second[10:20])).all()
        self.assertEqual(len(through), 1)
        self.assertAlmostEqual(through[0], 22, delta=2)
        # The lights go out and on again in one shot.
        self.assertEqual(cuts_of(self.reel(first[:10] + fading + fading[::-1] + first[:10])).all(), [])

    def test_what_passes_pans_and_turns_is_no_dissolve(self) -> None:
        pictures = panned("chelsea", 70, 6)
        for number, picture in enumerate(pictures):
            left = 12 * number - 200
            picture[80:300, max(left, 0) : max(left + 160, 0)] = (70, 40, 30)
        self.assertEqual(cuts_of(self.reel(pictures)).all(), [])
        self.assertEqual(cuts_of(self.reel(panned("coffee", 60, 0, turn=2))).all(), [])
        self.assertEqual(cuts_of(self.reel(panned("rocket", 60, 0, grow=0.02))).all(), [])

    def test_cuts_by_hand_win_over_those_that_are_found(self) -> None:
        reel = self.reel(panned("coffee", 6, 2) + panned("rocket", 6, 2))
        shots = Shots().said(6, begins=False).said(9, begins=True).said(3, begins=True).said(3, begins=False)
        self.assertEqual(cuts_of(reel).all(), [6])
        cuts = cuts_of(reel, shots.by_hand)
        self.assertEqual((cuts.all(), cuts.shot(7, (0, 12))), ([9], (0, 9)))
        self.assertEqual([one.frame for one in follow(reel, 10, (0.5, 0.5), by_hand=shots.by_hand)], [9, 10, 11])
        # A matte is carried where the picture goes on, as far as the cut that is set.
        alike = self.reel(panned("coffee", 12, 2))
        known = np.ones(frame_of_mattes(alike).shape, np.float32)
        mattes = carried(alike, {7: known}, by_hand=shots.by_hand)
        self.assertEqual([bool(codes.max()) for codes in mattes], [True] * 9 + [False] * 3)

    def test_frames_that_cannot_be_read_are_told_and_passed_over(self) -> None:
        pictures = panned("coffee", 8, 2) + moving(8)
        reel = self.reel(pictures)
        broken = (3, 8, 12)

        def breaking(how: Callable[..., Any]) -> Callable[..., Any]:
            def read(number: int, *more: int) -> Any:
                if number in broken:
                    raise UnreadableError("is damaged here")
                return how(number, *more)

            return read

        raster, glimpse = breaking(reel.footage.raster), breaking(reel.footage.glimpse)
        with mock.patch.object(reel.footage, "raster", raster), mock.patch.object(reel.footage, "glimpse", glimpse):
            cuts = cuts_of(reel)
            self.assertEqual(cuts.all(), [9])
            self.assertEqual(cuts.damaged, list(broken))
            x, y = disc_at(2)
            seen = follow(reel, 10, ((x + 0.5) / WIDE, (y + 0.5) / TALL))
            self.assertEqual([one.sure > 0 for one in seen], [True, True, True, False, True, True, True])
            for one in seen:
                wanted = disc_at(one.frame - 8)
                off = np.hypot(one.place[0] * WIDE - 0.5 - wanted[0], one.place[1] * TALL - 0.5 - wanted[1])
                self.assertLess(off, 0.6 if one.sure else 4)
            known = np.zeros(frame_of_mattes(reel).shape, np.float32)
            cv2.circle(known, (round(x), round(y)), 56, 1.0, -1)
            mattes = list(carried(reel, {10: known}))
            np.testing.assert_array_equal(mattes[12], mattes[11])
            self.assertGreater(float(mattes[14].max()), 0)


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

    def test_cuts_are_said_in_the_rig_and_undo_each_other(self) -> None:
        rig = TurnCut(frame=7, begins=True).apply(Rig()).rig
        self.assertEqual(rig.shots.by_hand, {7: True})
        rig = TurnCut(frame=7, begins=False).apply(TurnCut(frame=4, begins=True).apply(rig).rig).rig
        self.assertEqual(rig.shots.by_hand, {4: True, 7: False})
        self.assertEqual(parse_rig(rig.model_dump_json()).shots, rig.shots)
        with self.assertRaises(RigError):
            parse_rig('{"shots": {"begin": [0]}}')


class Shining(unittest.TestCase):
    """A light given to shots, by keys of whether it shines."""

    def shines(self, *steps: tuple[str, int, int | None], on: bool = True, count: int = 12) -> str:
        rig = Rig.model_validate({"lights": [{"id": "a", "kind": "bloom", "on": on}]})
        for how, first, last in steps:
            rig = GiveToShot.model_validate({"owner": "a", "how": how, "within": (first, last)}).apply(rig).rig
        self.rig = parse_rig(rig.model_dump_json())
        return "".join("x" if self.rig.at(frame).stack[0].on else "." for frame in range(count))

    def test_it_shines_in_the_shots_that_it_is_given_to(self) -> None:
        self.assertEqual(self.shines(("only", 3, 7)), "...xxxx.....")
        self.assertEqual(self.shines(("only", 0, 7)), "xxxxxxx.....")
        self.assertEqual(self.shines(("not", 3, 7)), "xxx....xxxxx")
        self.assertEqual(self.shines(("only", 3, 7), ("too", 9, 12)), "...xxxx..xxx")
        self.assertEqual(self.shines(("only", 3, 9), ("not", 5, 7)), "...xx..xx...")
        self.assertEqual(self.shines(("only", 5, None)), ".....xxxxxxx")
        self.assertEqual(self.rig.keys["a"]["on"].frames, [0, 5])
        self.assertEqual(self.shines(("too", 3, 7), on=False), "...xxxx.....")
        self.assertEqual(len(self.rig.keys["a"]["on"].at), 3)

    def test_in_all_shots_it_has_no_keys(self) -> None:
        self.assertEqual(self.shines(("only", 3, 7), ("all", 3, 7)), "x" * 12)
        self.assertEqual(self.rig.keys, {})
        self.assertEqual(self.shines(("too", 3, 7)), "x" * 12)
        self.assertEqual(self.rig.keys, {})

    def test_a_part_of_a_matte_counts_in_the_shots_that_it_is_given_to(self) -> None:
        part = {"part": "polygon", "corners": [[0, 0], [1, 0], [1, 1]]}
        rig = Rig.model_validate({"mattes": [{"id": "sign", "mask": {"start": "nothing", "parts": [part, part]}}]})
        asked = {"owner": "matte:sign", "path": "mask.parts.1.on", "how": "only", "within": (3, 7)}
        edited = GiveToShot.model_validate(asked).apply(rig)
        self.assertEqual(edited.label, "Polygon: in this shot only")
        for frame in range(10):
            (matte,) = edited.rig.at(frame).mattes
            self.assertEqual([one.on for one in matte.mask.stack], [True, 3 <= frame < 7])
