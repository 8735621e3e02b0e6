"""Copies of lights, blank plates and the directions of edges."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from aurelon.core import RigError, read_plate
from aurelon.core.catalogue.catalogue import catalogue
from aurelon.core.finding.edge_directions import edge_directions
from aurelon.core.imaging.perspective import next_in_row
from aurelon.core.masks.shared.mask import Mask
from aurelon.core.plates.blank import Blank, blank_picture
from aurelon.core.rig.copies import following, with_copies
from aurelon.core.settings import Quad
from tests.pictures import every_kind, grey_file, light, rig_of, stroke


class Copies(unittest.TestCase):
    def test_copies_are_moved_share_their_settings_and_are_a_group(self) -> None:
        lamp = {**light("lamp", spread={"position": [0.2, 0.3], "aim": [0.4, 0.5], "range": 0.7}), "name": "Lamp"}
        rig, ids = with_copies(rig_of(lamp, {**light("bloom"), "id": "above"}), "under-test", 4, (0.1, 0.05))
        lights = rig.stack
        self.assertEqual([one.id for one in lights], ["under-test", *ids, "above"])
        for n, one in enumerate(lights[:5]):
            spread = one.spread.model_dump()
            np.testing.assert_allclose(spread["position"], np.array([0.2 + 0.1 * n, 0.3 + 0.05 * n]))
            np.testing.assert_allclose(spread["aim"], np.array([0.4 + 0.1 * n, 0.5 + 0.05 * n]))
            self.assertEqual((spread["range"], one.group), (0.7, "under-test"))
        self.assertEqual(lights[-1].group, "")

    def test_copies_of_a_copy_stay_in_its_group_under_ids_of_their_own(self) -> None:
        rig, (first,) = with_copies(rig_of({**light("beam"), "id": "beam-1"}), "beam-1", 1, (0.1, 0))
        rig, (second,) = with_copies(rig, first, 1, (0.1, 0))
        self.assertEqual({one.group for one in rig.stack}, {"beam-1"})
        self.assertEqual(len({one.id for one in rig.stack}), 3)
        self.assertNotEqual(first, second)

    def test_whatever_says_where_a_light_is_moves(self) -> None:
        cases: dict[str, dict[str, Any]] = {
            "line": {"source": {"path": [[0.1, 0.1], [0.5, 0.5]]}},
            "strokes": {"source": {"strokes": [stroke((0.1, 0.2), (0.3, 0.4, 0.5))]}},
            "beam": {"source": {"beams": [[[0.1, 0.1], [0.2, 0.1], [0.3, 0.9], [0.1, 0.9]]]}},
        }
        for kind, stages in cases.items():
            rig, (copy,) = with_copies(rig_of(light(kind, **stages)), "under-test", 1, (0.25, 0.5))
            before, after = (next(one for one in rig.stack if one.id == name).source.model_dump() for name in ("under-test", copy))
            moved = np.array(str(after))
            self.assertNotEqual(str(before), str(moved), kind)
        self.assertEqual(after["beams"][0][0], (0.35, 0.6))

    def test_one_more_opening_is_where_a_camera_would_see_it(self) -> None:
        # Openings and what they light, evenly along a wall that runs aslant into depth, through a pinhole.
        def seen(n: int, step: tuple[float, float, float]) -> Quad:
            corners = np.array([(0.0, 0.0, 4.0), (0.5, 0.05, 4.2), (1.2, 1.4, 3.6), (0.3, 1.5, 3.4)]) + n * np.array(step)
            a, b, c, d = ((float(x), float(y)) for x, y in 0.5 + 0.6 * corners[:, :2] / corners[:, 2:])
            return a, b, c, d

        for step in ((0.7, 0.0, 1.1), (0.9, -0.1, -0.5), (0.8, 0.0, 0.0)):
            result = next_in_row([seen(0, step), seen(1, step)], seen(0, step))
            np.testing.assert_allclose(result, seen(2, step), atol=2e-4, err_msg=str(step))

    def test_openings_laid_by_hand_go_on_by_the_same_step_where_they_have_no_vanishing_point(self) -> None:
        first = ((0.1, 0.1), (0.2, 0.1), (0.3, 0.6), (0.2, 0.6))
        self.assertEqual(next_in_row([], first), first)
        np.testing.assert_allclose(np.subtract(next_in_row([first], first), first), [[0.12, 0]] * 4, atol=1e-9)
        rough: Quad = ((0.2, 0.1), (0.3, 0.13), (0.39, 0.58), (0.32, 0.65))
        result = next_in_row([first, rough], first)
        np.testing.assert_allclose(result, 2 * np.array(rough) - np.array(first), atol=1e-4)
        self.assertEqual(next_in_row([first, first], first), first)

    def test_a_light_that_is_not_there_is_named(self) -> None:
        with self.assertRaisesRegex(RigError, "no light with the id 'gone'"):
            with_copies(rig_of(), "gone", 1, (0, 0))

    def test_the_catalogue_tells_which_settings_each_copy_has_for_itself(self) -> None:
        self.assertEqual([k.name for k in catalogue()], every_kind())
        where = {"place", "places", "path", "quads", "strokes"}
        for kind in catalogue():
            for group in kind.groups:
                for s in group.settings:
                    self.assertEqual(s.own, s.type in where, f"{kind.name} {s.name}")

    def test_a_group_follows_one_of_it_but_for_place_and_mask(self) -> None:
        lamp = light("lamp", spread={"position": [0.2, 0.3]}, mask={"start": "nothing"})
        rig, (copy,) = with_copies(rig_of(lamp, {**light("lamp"), "id": "alone"}), "under-test", 1, (0.1, 0))
        first = rig.light("under-test")
        spread = first.spread.model_copy(update={"range": 0.7, "position": (0.9, 0.9), "aim": (0.1, 0.1)})
        merge = first.merge.model_copy(update={"intensity": 3.0})
        changed = first.model_copy(update={"spread": spread, "merge": merge, "mask": Mask()})
        result = following(rig.with_light(changed), "under-test")
        other = result.light(copy)
        own = other.spread.model_dump()
        self.assertEqual((own["range"], other.merge.intensity), (0.7, 3.0))
        self.assertEqual(own["position"], rig.light(copy).spread.model_dump()["position"])
        self.assertEqual(other.mask.start, "nothing")
        self.assertEqual(result.light("alone"), rig.light("alone"))
        self.assertIs(following(rig, "alone"), rig)
        self.assertIs(following(rig, None), rig)


class BlankPlates(unittest.TestCase):
    def test_the_gradient_runs_from_one_colour_to_the_other_along_its_angle(self) -> None:
        for angle, begin, end in ((0, (10, 0), (10, 59)), (90, (39, 30), (0, 30)), (180, (10, 59), (10, 0))):
            result = blank_picture(Blank(width=60, height=40, begin="#000000", end="#ffffff", angle=angle))
            plate = read_plate(result, "blank.png")
            self.assertEqual((plate.size, plate.depth), ((60, 40), "16"))
            self.assertLess(float(plate.pixels[begin].max()), 0.001)
            self.assertGreater(float(plate.pixels[end].min()), 0.95)

    def test_its_steps_are_finer_than_eight_bits_show(self) -> None:
        result = read_plate(blank_picture(Blank(width=16, height=3000)), "blank.png").pixels[:, 8, 2]
        self.assertGreater(len(np.unique(result)), 2000)


class Edges(unittest.TestCase):
    def test_directions_of_drawn_edges_are_found(self) -> None:
        y, x = np.mgrid[0:400, 0:600]
        tone = np.where(y - 200 > -0.3 * (x - 300), 0.8, 0.2)
        tone[:, 500:] = 0.5
        found = edge_directions(tone.astype(np.float32))
        for wanted in (np.rad2deg(np.arctan(0.3)), 90.0):
            self.assertTrue(any(abs((d - wanted + 90) % 180 - 90) < 1 for d in found), f"{wanted} in {found}")

    def test_an_even_picture_has_none(self) -> None:
        self.assertEqual(edge_directions(np.full((300, 400), 0.5, np.float32)), [])


class Carried(unittest.TestCase):
    def test_a_rig_knows_the_pictures_of_its_lights(self) -> None:
        name, data = grey_file(np.zeros((4, 6), np.float32))
        rig = rig_of(light("lamp", source={"surface": "depth", "file": name}), files={name: data})
        self.assertEqual(rig.file_names(), [name])
