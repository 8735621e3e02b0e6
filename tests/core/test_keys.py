"""Settings that change over frames: what lies between keys, by closed forms, and what a rig does with them."""

from __future__ import annotations

import unittest
from dataclasses import replace
from typing import Any

import numpy as np

from aurelon.core import Rig, RigError, check_rig, render
from aurelon.core.rig.edits.duplicate import Duplicate
from aurelon.core.rig.edits.follow_crop import FollowCrop
from aurelon.core.rig.edits.key import Key
from aurelon.core.rig.edits.move_keys import MoveKeys
from aurelon.core.rig.edits.set_keys import SetKeys
from aurelon.core.rig.keyed import keyed_anew, keyed_at, track_of, with_value_at
from aurelon.core.rig.patch import Change, patched
from aurelon.core.rig.transfer import apply_rig
from aurelon.core.settings.tracks import Track, setting_at
from tests.pictures import light, plate_of, rig_of, scene

SUN = light("shafts") | {"id": "sun"}


def keyed(path: str, *at: Any, between: str = "linear", owner: str = "sun", lights: Any = (SUN,)) -> Rig:
    return check_rig({"lights": list(lights), "keys": {owner: {path: {"between": between, "at": list(at)}}}})


class Between(unittest.TestCase):
    def values(self, between: str, *at: Any, path: str = "merge.intensity") -> list[Any]:
        rig = keyed(path, *at, between=between)
        return [keyed_at(rig, frame)["sun"][path] for frame in range(at[-1][0] + 3)]

    def test_hold_and_steady(self) -> None:
        self.assertEqual(self.values("hold", (1, 1.0), (3, 2.0)), [1, 1, 1, 2, 2, 2])
        np.testing.assert_allclose(self.values("linear", (1, 1.0), (5, 3.0)), [1, 1, 1.5, 2, 2.5, 3, 3, 3])

    def test_smooth_goes_through_its_keys_and_never_beyond_them(self) -> None:
        at = ((0, 1.0), (10, 1.0), (14, 4.0), (24, 4.0), (30, 0.5))
        values = np.array(self.values("smooth", *at))
        for frame, value in at:
            self.assertAlmostEqual(values[frame], value)
        self.assertTrue((values >= 0.5 - 1e-9).all())
        self.assertTrue((values <= 4 + 1e-9).all())
        np.testing.assert_allclose(values[:11], 1)
        # Between two flat ends it is Hermite's 3 t² - 2 t³.
        t = np.arange(5) / 4
        np.testing.assert_allclose(values[10:15], 1 + 3 * (3 * t**2 - 2 * t**3), atol=1e-9)

    def test_places_paths_and_colours(self) -> None:
        places = self.values("linear", (0, (0.0, 1.0)), (4, (1.0, 0.0)), path="spread.position")
        np.testing.assert_allclose(places[1], (0.25, 0.75))
        colour = keyed("colour.picked", (0, "#000000"), (2, "#ffffff"))
        # Half the light of white is 0.7354 of the sRGB code values.
        self.assertEqual(keyed_at(colour, 1)["sun"]["colour.picked"], "#bcbcbc")
        track = Track.model_validate({"at": [[0, [[0.0, 0.0]]], [4, [[1.0, 1.0], [0.5, 0.5]]]]})
        line = check_rig({"lights": [light("line") | {"id": "l"}]}).stack[0]
        path = "source.path" if "path" in type(line.source).model_fields else None
        self.assertIsNotNone(path)
        # Of different numbers of points there is nothing between: the earlier one holds.
        self.assertEqual(track.value(2, setting_at(line, str(path))), ((0.0, 0.0),))

    def test_a_whole_number_stays_whole(self) -> None:
        self.assertEqual(self.values("linear", (0, 10), (4, 13), path="spread.count"), [10, 11, 12, 12, 13, 13, 13])


class InARig(unittest.TestCase):
    def test_a_frame_is_rendered_as_the_rig_with_the_values_that_it_has_there(self) -> None:
        plate = plate_of(scene(120, 80))
        rig = check_rig(
            {
                "lights": [SUN],
                "keys": {
                    "sun": {"spread.position": {"at": [[0, [0.2, 0.2]], [10, [0.8, 0.4]]]}},
                    "plate": {"exposure": {"at": [[0, 0.0], [10, 1.0]]}},
                    "house": {"level": {"at": [[0, 1.0], [10, 0.5]]}},
                },
            }
        )
        still = rig_of(
            light("shafts", spread={"position": (0.5, 0.3)}) | {"id": "sun"}, prepare={"exposure": 0.5}, house={"level": 0.75}
        )
        np.testing.assert_array_equal(render(replace(plate, frame=5), rig), render(plate, still))
        self.assertGreater(np.abs(render(replace(plate, frame=9), rig) - render(plate, still)).max(), 0.01)

    def test_what_is_wrong_is_said_with_its_path(self) -> None:
        wrong: dict[str, Any] = {
            "there is no setting 'spread.wobble'": {"spread.wobble": {"at": [[0, 1]]}},
            "'spread.seed' is the same at all frames": {"spread.seed": {"at": [[0, 1]]}},
            "'spread.mode' is the same at all frames": {"spread.mode": {"at": [[0, "point"]]}},
            "'merge.opacity' at frame 4 is 3, but must be at most 1": {"merge.opacity": {"at": [[0, 1], [4, 3]]}},
            "keys must be in the order of their frames": {"merge.opacity": {"at": [[4, 1], [2, 1]]}},
            "there is no setting 'mask.parts.0.feather'": {"mask.parts.0.feather": {"at": [[0, 0.1]]}},
        }
        for sentence, tracks in wrong.items():
            with self.assertRaises(RigError) as caught:
                check_rig({"lights": [SUN], "keys": {"sun": tracks}})
            self.assertIn(sentence, str(caught.exception))
            self.assertIn("keys", str(caught.exception))

    def test_keys_of_a_light_that_is_gone_change_nothing_and_keys_beyond_the_end_hold(self) -> None:
        rig = keyed("merge.intensity", (0, 1.0), owner="gone")
        self.assertEqual(rig.unused_keys(), ["gone"])
        self.assertEqual(rig.at(3).stack, rig.stack)
        far = keyed("merge.intensity", (0, 0.0), (100_000, 2.0))
        self.assertAlmostEqual(keyed_at(far, 50_000)["sun"]["merge.intensity"], 1.0)

    def test_a_light_that_is_called_plate_takes_no_keys_of_the_plate(self) -> None:
        rig = Rig.model_validate(
            {"lights": [{**SUN, "id": "plate"}], "keys": {"plate": {"exposure": {"at": [[0, 0.0], [4, 2.0]]}}}}
        )
        self.assertEqual((rig.at(2).prepare.exposure, rig.at(2).stack), (1.0, rig.stack))

    def test_a_change_of_a_keyed_setting_is_a_key(self) -> None:
        rig = keyed("merge.intensity", (0, 1.0), (10, 2.0))
        sun = rig.stack[0]
        changed = rig.with_light(sun.model_copy(update={"merge": sun.merge.model_copy(update={"intensity": 0.25})}))
        track = keyed_anew(changed, rig, 5).keys["sun"]["merge.intensity"]
        self.assertEqual(track.at, ((0, 1.0), (5, 0.25), (10, 2.0)))
        self.assertIs(keyed_anew(rig, rig, 5), rig)

    def test_patches_reach_keys(self) -> None:
        rig = keyed("merge.intensity", (0, 1.0), (10, 2.0))
        change = Change(op="replace", path="/keys/sun/merge.intensity/at", value=[[0, 3.0]])
        self.assertEqual(patched(rig, [change]).at(7).stack[0].merge.intensity, 3.0)
        with self.assertRaises(RigError):
            patched(rig, [Change(op="replace", path="/keys/sun/merge.intensity/at", value=[[0, 300.0]])])


class PartsOfMasks(unittest.TestCase):
    SQUARE = ((0.1, 0.1), (0.3, 0.1), (0.3, 0.4), (0.1, 0.4))

    def mask(self, shift: float = 0.0, **more: Any) -> dict[str, Any]:
        corners = [[x + shift, y] for x, y in self.SQUARE]
        feathered = {"part": "linear", "combine": "subtract", "density": 0.5}
        return {"start": "nothing", "parts": [feathered, {"part": "polygon", "combine": "add", "corners": corners, **more}]}

    def moving(self) -> dict[str, Any]:
        """The polygon, half the picture to the right in ten frames."""
        shifted = [[x + 0.5, y] for x, y in self.SQUARE]
        return {"keys": {"corners": {"between": "linear", "at": [[0, list(self.SQUARE)], [10, shifted]]}}}

    def rig(self, mask: Any) -> Rig:
        matte = {"id": "door", "name": "Door", "mask": mask}
        behind = {"part": "matte", "combine": "add", "matte": "door"}
        sun = light("bloom", mask=mask) | {"id": "sun"}
        moon = light("bloom", mask={"start": "nothing", "parts": [behind]}) | {"id": "moon"}
        return Rig.model_validate({"house": {"mask": mask, "level": 0.5}, "mattes": [matte], "lights": [sun, moon]})

    def test_a_part_is_at_each_frame_where_its_keys_say_in_every_mask(self) -> None:
        keyed, plate = self.rig(self.mask(**self.moving())), plate_of(scene(96, 64))
        for frame in (0, 4, 10, 20):
            still = self.rig(self.mask(shift=0.05 * min(frame, 10)))
            self.assertEqual(len(keyed_at(keyed, frame)), 3)
            for shown in ("mask:sun", "mask:moon", "result"):
                at = replace(plate, frame=frame)
                np.testing.assert_allclose(render(at, keyed, show=shown), render(at, still, show=shown), atol=2e-3)

    def test_keys_go_with_a_part_that_is_moved_up(self) -> None:
        rig = self.rig(self.mask(**self.moving()))
        first, second = rig.house.mask.stack
        mask = rig.house.mask.model_copy(update={"parts": (second, first)})
        turned = rig.model_copy(update={"house": rig.house.model_copy(update={"mask": mask})})
        self.assertIn("mask.parts.0.corners", keyed_at(turned, 3)["house"])

    def test_they_are_set_moved_and_removed_like_all_others(self) -> None:
        path = "mask.parts.1.feather"
        for owner in ("sun", "house", "matte:door"):
            rig = Key(act="set", owner=owner, path=path, frame=4).apply(self.rig(self.mask(feather=0.1))).rig
            self.assertEqual(track_of(rig, owner, path), Track(at=((4, 0.1),)))
            followed = SetKeys(owner=owner, path=path, at=((0, 0.0), (8, 0.2))).apply(rig).rig
            self.assertAlmostEqual(keyed_at(followed, 2)[owner][path], 0.05)
            moved = MoveKeys(owner=owner, frame=8, to=16).apply(followed).rig
            self.assertAlmostEqual(keyed_at(moved, 8)[owner][path], 0.1)
            bare = Key(act="clear", owner=owner, path=path, frame=8).apply(moved).rig
            self.assertEqual((track_of(bare, owner, path), keyed_at(bare, 0)), (None, {}))
            # A change of what is keyed is a key at that frame.
            changed = with_value_at(moved, owner, path, 0.25)
            track = track_of(keyed_anew(changed, moved, 5), owner, path)
            assert track is not None
            self.assertEqual(dict(track.at)[5], 0.25)

    def test_what_cannot_be_is_said(self) -> None:
        rig = self.rig(self.mask())
        for owner, path in (
            ("sun", "mask.parts.7.feather"),
            ("sun", "mask.parts.1.combine"),
            ("matte:gone", "mask.parts.0.feather"),
        ):
            with self.assertRaises(RigError):
                Key(act="set", owner=owner, path=path).apply(rig)
        with self.assertRaises(RigError) as caught:
            check_rig({"house": {"mask": self.mask(keys={"feather": {"at": [[0, 9]]}})}})
        self.assertIn("feather", str(caught.exception))


class Crops(unittest.TestCase):
    def test_a_crop_goes_with_a_place_however_the_picture_is_straightened(self) -> None:
        size, box = (300, 200), {"x0": 0.4, "y0": 0.4, "x1": 0.6, "y1": 0.6}
        seen = [(0, (0.5, 0.5)), (1, (0.53, 0.5)), (2, (0.55, 0.44)), (9, (0.9, 0.5))]
        for straighten in (0.0, 12.0, -30.0):
            rig = Rig.model_validate({"prepare": {"straighten": straighten, "crop": box}})
            result = FollowCrop(frame=0, at=tuple(seen), size=size).apply(rig).rig
            turn = np.exp(1j * np.deg2rad(straighten))  # y runs down, so that the picture is turned counter-clockwise
            for frame, (x, y) in seen[:3]:
                crop = result.at(frame).prepare.crop
                assert crop is not None
                middle = complex((crop.x0 + crop.x1) / 2 * size[0] - 150, (crop.y0 + crop.y1) / 2 * size[1] - 100)
                self.assertAlmostEqual(middle * turn, complex(x * size[0] - 150, y * size[1] - 100), delta=1e-6)
                self.assertAlmostEqual(crop.x1 - crop.x0, 0.2)
            # As far as the picture goes, and as large as before.
            far = result.at(9).prepare.crop
            assert far is not None
            self.assertLessEqual(far.x1, 1)
            self.assertAlmostEqual(far.x1 - far.x0, 0.2)
        self.assertEqual(apply_rig(result, Rig()).rig.keys, {})
        with self.assertRaisesRegex(RigError, "crop the picture first"):
            FollowCrop(frame=0, at=tuple(seen), size=size).apply(Rig())

    def test_a_crop_between_two_keys_lies_between_them_and_none_is_all_of_it(self) -> None:
        keys = {"plate": {"crop": {"at": [[0, None], [4, {"x0": 0.2, "y0": 0, "x1": 0.6, "y1": 1}], [8, {"x0": 0.4}]]}}}
        rig = Rig.model_validate({"keys": keys})
        self.assertIsNone(rig.at(2).prepare.crop)
        crop = rig.at(6).prepare.crop
        assert crop is not None
        np.testing.assert_allclose([crop.x0, crop.y0, crop.x1, crop.y1], [0.3, 0, 0.8, 1])
        with self.assertRaises(RigError):
            check_rig({"keys": {"plate": {"crop": {"at": [[0, {"x0": 0.5, "x1": 0.5}]]}}}})


class Edits(unittest.TestCase):
    def test_keys_are_set_moved_and_removed(self) -> None:
        rig = rig_of(light("shafts", merge={"intensity": 0.7}) | {"id": "sun"})
        one = Key(act="set", owner="sun", path="merge.intensity", frame=4).apply(rig)
        self.assertEqual(one.rig.keys["sun"]["merge.intensity"].at, ((4, 0.7),))
        self.assertEqual(one.label, "Intensity: set a key")
        two = SetKeys(owner="sun", path="merge.intensity", at=((0, 0.0), (8, 1.0))).apply(one.rig).rig
        # A key between two has the value that there is.
        three = Key(act="set", owner="sun", path="merge.intensity", frame=2).apply(two).rig
        self.assertEqual(three.keys["sun"]["merge.intensity"].at[1], (2, 0.25))
        moved = MoveKeys(owner="sun", frame=2, to=6).apply(three).rig
        self.assertEqual(moved.keys["sun"]["merge.intensity"].at, ((0, 0.0), (6, 0.25), (8, 1.0)))
        smooth = Key(act="between", owner="sun", path="merge.intensity", between="smooth").apply(moved).rig
        self.assertEqual(smooth.keys["sun"]["merge.intensity"].between, "smooth")
        reset = Key(act="reset", owner="sun", path="merge.intensity", frame=6).apply(smooth).rig
        self.assertEqual((reset.keys, reset.stack[0].merge.intensity), ({}, 1.0))
        bare = Key(act="clear", owner="sun", path="merge.intensity", frame=6).apply(smooth).rig
        self.assertEqual((bare.keys, bare.stack[0].merge.intensity), ({}, 0.25))

    def test_edits_that_cannot_be(self) -> None:
        rig = rig_of(SUN)
        for edit in (
            Key(act="set", owner="moon", path="merge.intensity"),
            Key(act="set", owner="sun", path="merge.mode"),
            Key(act="remove", owner="sun", path="merge.intensity"),
            SetKeys(owner="sun", path="merge.opacity", at=((0, 7.0),)),
        ):
            with self.assertRaises(RigError):
                edit.apply(rig)

    def test_keys_go_with_their_light(self) -> None:
        rig = keyed("merge.intensity", (0, 1.0), (10, 2.0))
        doubled = Duplicate(light="sun").apply(rig).rig
        self.assertEqual(len(doubled.keys), 2)
        other = rig_of(SUN)
        added = apply_rig(rig, other, ["sun"]).rig
        self.assertEqual(list(added.keys), [added.stack[1].id])
        straight = rig.model_copy(
            update={"keys": {"plate": {"straighten": Track(at=((0, 1.0),)), "exposure": Track(at=((0, 1.0),))}}}
        )
        self.assertEqual(list(apply_rig(straight, other).rig.keys["plate"]), ["exposure"])


if __name__ == "__main__":
    unittest.main()
