"""Light that is asked for by a sketch."""

from __future__ import annotations

import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import Any
from unittest import mock

import numpy as np

from aurelon.core import Rig, RigError
from aurelon.core.analysis.asked_for import asked_for, search, sketch_of
from aurelon.core.analysis.asked_for.search import ONE_WAY, _best_starts, _Drafts, _starts, _unlike
from aurelon.core.analysis.asked_for.unknowns import light_of, unknowns_of, vector_of
from aurelon.core.graph.new_light import untempered
from aurelon.core.lights import kinds
from aurelon.core.settings import Stroke
from tests.asked import Asked
from tests.pictures import light, plate_of, rig_of, scene

SIZE = (480, 320)


def stroke(*points: float, erase: bool = False, size: float = 0.05) -> Stroke:
    """A hard stroke through places (x, y in turn)."""
    threes = [value for x, y in zip(points[0::2], points[1::2], strict=True) for value in (x, y, 1.0)]
    return Stroke(size=size, hardness=1.0, flow=0.4, erase=erase, points=tuple(threes))


class Sketches(unittest.TestCase):
    def refused(self, *strokes: Stroke) -> str:
        with self.assertRaises(RigError) as caught:
            sketch_of(strokes, SIZE)
        return str(caught.exception)

    def test_what_cannot_be_read_as_a_sketch_is_answered_by_a_sentence(self) -> None:
        everything = stroke(0.0, 0.2, 1.0, 0.2, 1.0, 0.8, 0.0, 0.8, size=0.5)
        there = stroke(0.2, 0.5, 0.6, 0.5)
        self.assertIn("nothing is painted yet", self.refused())
        self.assertIn("nothing is painted yet", self.refused(stroke(0.2, 0.2, 0.4, 0.4, erase=True)))
        self.assertIn("one dot", self.refused(stroke(0.5, 0.5, size=0.005)))
        self.assertIn("all of the picture", self.refused(everything))
        self.assertIn("also painted as dark", self.refused(there, stroke(0.2, 0.5, 0.6, 0.5, erase=True)))
        self.assertIn("also painted as dark", self.refused(stroke(0.2, 0.5, 0.6, 0.5, erase=True), there))

    def test_a_mark_is_where_it_was_drawn_and_counts_in_full_however_light_the_hand(self) -> None:
        sketch = sketch_of((stroke(0.25, 0.5, 0.75, 0.5), stroke(0.5, 0.9, 0.6, 0.9, erase=True)), SIZE)
        rows, columns = sketch.wanted.shape
        self.assertGreater(float(sketch.wanted[rows // 2, columns // 2]), 0.75)
        self.assertLess(float(sketch.wanted[rows // 8, columns // 2]), 0.01)
        self.assertEqual(float(sketch.weight[rows // 2, columns // 2]), float(sketch.weight[int(rows * 0.9), int(columns * 0.55)]))
        self.assertLess(float(sketch.weight[rows // 8, columns // 2]), float(sketch.weight.max()))
        np.testing.assert_allclose(sketch.places.mean(axis=0), (0.5, 0.5), atol=0.02)

    def test_agreement_is_the_same_for_light_of_any_strength_and_falls_with_distance(self) -> None:
        sketch = sketch_of((stroke(0.3, 0.5, 0.5, 0.5),), SIZE)
        y, x = np.mgrid[0 : sketch.frame.height, 0 : sketch.frame.width]

        def spot(at: float) -> Any:
            across, down = x / sketch.frame.width - at, (y / sketch.frame.height - 0.5) / 1.5
            return np.exp(-(across**2 + (2 * down) ** 2) / 0.02).astype(np.float32)

        self.assertAlmostEqual(sketch.agreement(spot(0.4)), sketch.agreement(250 * spot(0.4)), places=4)
        agreements = [sketch.agreement(spot(at)) for at in (0.4, 0.55, 0.7, 0.9)]
        self.assertEqual(agreements, sorted(agreements, reverse=True))
        self.assertGreater(agreements[0], 2 * agreements[-1])
        self.assertEqual(sketch.agreement(np.zeros(sketch.frame.shape, np.float32)), 0.0)


class Unknowns(unittest.TestCase):
    def test_a_vector_stands_for_the_light_that_it_was_made_of_within_every_bound(self) -> None:
        for name, kind in kinds().items():
            for way in kind.sought:
                one = rig_of(light(name, **{stage: dict(values) for stage, values in way.fixed.items()})).stack[0]
                unknowns = unknowns_of(one, (way.where, *way.free))
                vector = vector_of(one, unknowns)
                with self.subTest(kind=name, where=way.where):
                    again = light_of(one, unknowns, vector)
                    np.testing.assert_allclose(vector_of(again, unknowns), vector, atol=0.02)
                    for far in (vector + 30, vector - 30):
                        Rig.model_validate({"lights": [light_of(one, unknowns, far).model_dump()]})

    def test_a_direction_goes_round(self) -> None:
        one = rig_of(light("shafts", spread={"mode": "parallel", "angle": 170.0})).stack[0]
        unknowns = unknowns_of(one, ("spread.angle",))
        turned: Any = light_of(one, unknowns, vector_of(one, unknowns) + 20 / 180)
        self.assertEqual(turned.spread.angle, -170.0)
        self.assertAlmostEqual(unknowns[0].between(unknowns[0].of(one), unknowns[0].of(turned)), 20 / 180)


class Answers(unittest.TestCase):
    def test_the_source_of_a_sketched_light_is_found_again(self) -> None:
        asked = Asked(plate_of(scene(480, 320)))
        for number, kind in enumerate(("shafts", "parallel", "lamp", "line")):
            with self.subTest(kind=kind):
                case = asked.case(kind, seed=number)
                self.assertLess(min(case.misses), case.allowed, case)

    def test_answers_come_best_first_differ_and_keep_what_was_not_asked(self) -> None:
        sketch = sketch_of((stroke(0.3, 0.3, 0.6, 0.8), stroke(0.35, 0.3, 0.7, 0.75)), SIZE)
        rig = rig_of(
            {**light("fan"), "id": "f", "name": "Mine", "colour": {"temperature": 3000}, "mask": {"parts": [{"part": "linear"}]}}
        )
        answers = list(asked_for(plate_of(scene(480, 320)), rig, sketch, "f"))
        self.assertTrue(2 <= len(answers) <= 6)
        self.assertEqual([one.agreement for one in answers], sorted((one.agreement for one in answers), reverse=True))
        self.assertEqual({(one.light.id, one.light.name, one.light.kind) for one in answers}, {("f", "Mine", "fan")})
        self.assertEqual({one.light.colour.temperature for one in answers}, {3000})
        self.assertEqual({len(one.light.mask.parts) for one in answers}, {1})
        places = np.array([one.light.model_dump()["spread"]["position"] for one in answers])
        apart = np.abs(places[:, None] - places[None]).max(axis=2) + np.eye(len(places))
        self.assertGreater(float(apart.min()), 0.05)

    def test_starts_that_are_not_drawn_could_not_have_been_chosen(self) -> None:
        plate = plate_of(scene(480, 320))
        begun = untempered("fan", plate, Rig())
        # Rays from a place above the frame, painted along them.
        strokes = tuple(stroke(0.5 + 0.3 * x, 0.2, 0.5 + 0.9 * x, 0.9, size=0.03) for x in (-0.4, -0.2, 0, 0.2, 0.4))
        drafts = _Drafts(plate, Rig(lights=[begun]), sketch_of(strokes, plate.size), lambda: False, None)
        (way,) = kinds()["fan"].sought
        unknowns = unknowns_of(begun, (way.where, *way.free))
        starts = list(_starts(begun, unknowns[0], way, drafts.sketch, ONE_WAY))
        tries = sorted((drafts.of(one, unknowns) for one in starts), key=lambda one: -one.agreement)
        for one in tries:
            self.assertLessEqual(one.agreement, max(drafts.most(one.light, unknowns[0]), 0.0))
        one_by_one = mock.patch.object(search, "AT_ONCE", 1)
        with one_by_one, ThreadPoolExecutor(2) as threads, mock.patch.object(drafts, "of", wraps=drafts.of) as drawn:
            chosen = _best_starts(drafts, starts, unknowns, 1, 0.3, threads)
        self.assertLess(drawn.call_count, 0.7 * len(starts))
        self.assertEqual([one.light for one in chosen], [one.light for one in _unlike(tries, 1, 0.3)])

    def test_no_two_answers_stand_in_one_place_though_many_tries_end_there(self) -> None:
        sketch = sketch_of((stroke(0.45, 0.45, 0.55, 0.45, size=0.08), stroke(0.45, 0.55, 0.55, 0.55, size=0.08)), SIZE)
        for kind in ("starburst", "lamp"):
            answers = list(asked_for(plate_of(scene(480, 320)), rig_of({**light(kind), "id": "l"}), sketch, "l"))
            stages = [one.light.model_dump() for one in answers]
            if kind == "lamp":
                places = [one["spread"]["position"] for one in stages if one["spread"]["lamp"] == "point"]
            else:
                places = [one["source"]["placed"][0] for one in stages]
            apart = np.abs(np.array(places)[:, None] - np.array(places)[None]).max(axis=2) + np.eye(len(places))
            self.assertGreater(float(apart.min()), 0.05, kind)

    def test_without_a_light_several_kinds_answer_with_ids_of_their_own(self) -> None:
        sketch = sketch_of((stroke(0.2, 0.2, 0.5, 0.8), stroke(0.25, 0.2, 0.6, 0.8)), SIZE)
        rig = rig_of({**light("shafts"), "id": "shafts-1"})
        answers = list(asked_for(plate_of(scene(480, 320)), rig, sketch))
        self.assertGreater(len({one.light.kind for one in answers}), 1)
        self.assertNotIn("shafts-1", [one.light.id for one in answers])
        for one in answers:
            Rig.model_validate({"lights": [one.light.model_dump()]})

    def test_a_kind_that_shines_from_the_picture_itself_is_refused_by_name(self) -> None:
        sketch = sketch_of((stroke(0.3, 0.3, 0.6, 0.6),), SIZE)
        with self.assertRaisesRegex(RigError, "Bloom shines from the picture itself"):
            list(asked_for(plate_of(scene(480, 320)), rig_of({**light("bloom"), "id": "b"}), sketch, "b"))
