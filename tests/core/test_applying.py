"""Saved rigs on other plates, and strokes that are being drawn."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from aurelon.core import Rig, RigError, render
from aurelon.core.rig.owner import HouseOwner, LightOwner, MatteOwner, Owner
from aurelon.core.rig.painting import Painting, painted_rig
from aurelon.core.rig.transfer import apply_rig
from aurelon.core.settings import Stroke
from tests.pictures import MATTE, light, masked_rig, plate_of, rig_of, scene, stroke


def named(identity: str, kind: str = "bloom", **stages: Any) -> dict[str, Any]:
    return {**light(kind, **stages), "id": identity, "name": identity.capitalize()}


class Applying(unittest.TestCase):
    def test_all_of_a_rig_replaces_the_lights_and_keeps_how_the_picture_is_cut(self) -> None:
        saved = rig_of(named("sun"), prepare={"exposure": -1, "straighten": 3, "crop": {"x1": 0.5}}, house={"level": 0.5})
        onto = rig_of(named("old"), prepare={"exposure": 2, "straighten": -2})
        result = apply_rig(saved, onto).rig
        self.assertEqual([one.id for one in result.stack], ["sun"])
        self.assertEqual((result.prepare.exposure, result.prepare.straighten, result.prepare.crop), (-1, -2, None))
        self.assertEqual(result.house.level, 0.5)

    def test_single_lights_are_added_on_top_under_ids_of_their_own(self) -> None:
        saved = rig_of(named("sun"), named("glow", "velvet"), house={"level": 0.5})
        result = apply_rig(saved, rig_of(named("sun", "edge")), ["sun", "glow"]).rig
        self.assertEqual([(one.id, one.kind) for one in result.stack], [("sun", "edge"), ("sun-2", "bloom"), ("glow", "velvet")])
        self.assertEqual(result.house.level, 1.0)
        with self.assertRaisesRegex(RigError, "no light with the id 'gone'"):
            apply_rig(saved, Rig(), ["gone"])

    def test_a_matte_of_the_plate_with_the_same_name_is_used(self) -> None:
        saved = masked_rig({"part": "matte", "matte": "shape"}, start="everything")
        saved = saved.model_copy(update={"mattes": tuple(m.model_copy(update={"name": "Tower"}) for m in saved.mattes)})
        onto = Rig.model_validate({"mattes": [{"id": "matte-7", "name": "tower"}]})
        applied = apply_rig(saved, onto)
        self.assertEqual(applied.rig.stack[0].mask.mattes(), ["matte-7"])
        self.assertEqual((len(applied.rig.mattes), applied.notes), (1, []))

    def test_a_matte_that_makes_sense_anywhere_comes_along_with_what_it_uses(self) -> None:
        above = {"id": "sky", "mask": {"parts": [{"part": "tones"}, {"part": "matte", "matte": "shape"}]}}
        rig = rig_of(light("bloom", mask={"parts": [{"part": "matte", "matte": "sky"}]}), mattes=[MATTE, above])
        applied = apply_rig(rig, Rig())
        self.assertEqual([m.id for m in applied.rig.mattes], ["shape", "sky"])
        self.assertEqual(applied.notes, [])

    def test_a_matte_of_another_picture_is_left_out_with_a_note(self) -> None:
        cut = {"id": "tower", "name": "Tower", "mask": {"parts": [{"part": "subject", "box": [0, 0, 1, 1]}]}}
        rig = rig_of(light("bloom", mask={"parts": [{"part": "matte", "matte": "tower"}]}), mattes=[cut])
        applied = apply_rig(rig, Rig())
        self.assertEqual(applied.rig.mattes, ())
        self.assertIn("“Tower”, which was made on another picture", applied.notes[0])
        render(plate_of(scene(60, 40)), applied.rig)

    def test_a_light_keeps_its_size_and_place_on_a_plate_of_another_shape(self) -> None:
        lamp = named("lamp", "shafts", spread={"position": [0.25, 0.5], "disc_size": 0.05, "disc_strength": 3, "reach": 0.1})
        rig = apply_rig(rig_of(lamp), Rig()).rig
        for width, height in ((480, 320), (320, 480), (600, 200)):
            glow = render(plate_of(np.full((height, width, 3), 0.9)), rig, show="light:lamp").sum(axis=2)
            _, column = np.unravel_index(int(np.argmax(glow)), glow.shape)
            self.assertLess(abs(column / width - 0.25), 0.06)
            across = float(np.sqrt((glow > 0.5 * glow.max()).sum() / np.pi)) / float(np.hypot(width, height))
            self.assertAlmostEqual(across, 0.05, delta=0.02)


class Painted(unittest.TestCase):
    def setUp(self) -> None:
        self.rig = masked_rig({"part": "strokes"}, {"part": "linear"}, house={"mask": {"parts": [{"part": "strokes"}]}})
        self.stroke = Stroke.model_validate(stroke((0.2, 0.2), (0.8, 0.8)))

    def test_a_stroke_is_laid_on_a_light_on_the_house_light_and_on_a_matte(self) -> None:
        matte = {**MATTE, "mask": {"parts": [{"part": "strokes"}]}}
        rig = Rig.model_validate({**self.rig.model_dump(), "mattes": [matte]})
        owners: tuple[Owner, ...] = (LightOwner(id="under-test"), HouseOwner(), MatteOwner(id="shape"))
        for owner in owners:
            result = painted_rig(rig, Painting(owner=owner, part=0, stroke=self.stroke))
            mask = {"light": result.stack[0].mask, "house": result.house.mask, "matte": result.mattes[0].mask}[owner.of]
            self.assertEqual(mask.stack[0].model_dump()["strokes"], (self.stroke.model_dump(),))
            self.assertNotEqual(result, rig)

    def test_a_stroke_of_a_light_that_is_painted_is_seen_as_if_it_had_been_kept(self) -> None:
        rig = rig_of(light("strokes", source={"strokes": [stroke((0.1, 0.8), (0.4, 0.7))]}))
        result = painted_rig(rig, Painting(owner=LightOwner(id="under-test"), stroke=self.stroke))
        kept = rig_of(light("strokes", source={"strokes": [stroke((0.1, 0.8), (0.4, 0.7)), self.stroke.model_dump()]}))
        plate = plate_of(scene(120, 80))
        np.testing.assert_array_equal(render(plate, result), render(plate, kept))
        self.assertGreater(float(np.abs(render(plate, result) - render(plate, rig)).max()), 0.05)

    def test_what_was_worked_out_before_does_not_stay(self) -> None:
        before = self.rig.stack[0].mask.digest
        result = painted_rig(self.rig, Painting(owner=LightOwner(id="under-test"), part=0, stroke=self.stroke))
        self.assertNotEqual(result.stack[0].mask.digest, before)
        whole = Rig.model_validate(result.model_dump())
        self.assertEqual(whole.stack[0].mask.digest, result.stack[0].mask.digest)

    def test_where_there_is_nothing_to_paint_on_it_is_said(self) -> None:
        cases: tuple[tuple[Owner, int | None, str], ...] = (
            (LightOwner(id="under-test"), 1, "is not a brush"),
            (LightOwner(id="under-test"), 9, "is not a brush"),
            (LightOwner(id="gone"), 0, "no light"),
            (MatteOwner(id="gone"), 0, "no matte"),
            (LightOwner(id="under-test"), None, "is not a painted light"),
            (HouseOwner(), None, "only a light"),
        )
        for owner, part, sentence in cases:
            with self.assertRaisesRegex(RigError, sentence):
                painted_rig(self.rig, Painting(owner=owner, part=part, stroke=self.stroke))
