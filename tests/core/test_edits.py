"""Edits of a rig, each against the rig that it should leave."""

from __future__ import annotations

import math
import unittest
from typing import Any

import numpy as np

from aurelon.core import Rig, RigError, check_rig, render
from aurelon.core.graph.show import parse_show
from aurelon.core.rig.copies import following
from aurelon.core.rig.edits.add_part import AddPart
from aurelon.core.rig.edits.follow_turning import FollowTurning
from aurelon.core.rig.edits.mirror import Mirror
from aurelon.core.rig.edits.move_keys import MoveKeys
from aurelon.core.rig.edits.new_matte import NewMatte
from aurelon.core.rig.edits.only_placed_points import EditOnlyPlacedPoints
from aurelon.core.rig.edits.points import EditPoint
from aurelon.core.rig.edits.remove_matte import RemoveMatte
from aurelon.core.rig.edits.take_proposal import TakeProposal
from aurelon.core.rig.migrate import HEADROOM
from aurelon.core.rig.owner import HouseOwner, LightOwner, MatteOwner
from aurelon.core.rig.patch import Change, patched
from aurelon.core.rig.transfer import apply_rig
from aurelon.core.settings import number, settings_of
from aurelon.core.settings.base import Setting, Settings
from aurelon.core.settings.slider import Slider
from aurelon.core.settings.types.crop import Crop
from tests.pictures import RAMP, light, plate_of, rig_of, stroke

STAR = light("starburst", id="star", source={"placed": [[0.2, 0.2], [0.8, 0.8]], "switched_off": [[0.5, 0.5]]})


class FollowedAndTurned(unittest.TestCase):
    SIZE = (800, 400)

    def followed(self, settings: dict[str, Any]) -> Any:
        """The light at frame 3, where its thing lies a quarter of a turn on, twice as large, 80 pixels to the right and 40 down."""
        rig = rig_of(settings)
        at = ((0, (0.5, 0.5), 0.0, 1.0), (3, (0.6, 0.6), 90.0, 2.0))
        edit = FollowTurning(owner=settings["id"], path="spread.position", frame=0, at=at, size=self.SIZE)
        return edit.apply(rig).rig.at(3).light(settings["id"]).spread

    def test_a_picture_turns_and_grows_with_its_thing(self) -> None:
        values = {"position": (0.5, 0.5), "rotation": 120.0, "size": 0.2, "fading": 0.1}
        spread = self.followed(light("picture", id="pass", spread=values))
        self.assertEqual((spread.position, spread.rotation, spread.size, spread.fading), ((0.6, 0.6), -150.0, 0.4, 0.1))

    def test_what_a_spot_points_at_goes_round_it(self) -> None:
        values = {"lamp": "spot", "position": (0.5, 0.5), "aim": (0.6, 0.5), "range": 3.0, "angle": 60.0}
        spread = self.followed(light("lamp", id="spot", spread=values))
        # 80 pixels to the right of it became 160 above it.
        np.testing.assert_allclose(spread.aim, (0.6, 0.6 - 160 / 400), atol=1e-9)
        self.assertEqual((spread.range, spread.angle), (4.0, 60.0))  # as far as it goes; the side is another lamp's

    def test_a_fan_that_aims_at_the_middle_turns_with_its_thing(self) -> None:
        values = {"position": (0.25, 0.5), "aim": "middle", "turn": 30.0}
        spread = self.followed(light("fan", id="fan", spread=values))
        # It lies at 80 pixels right and 40 below the middle now, and looked 30 degrees up from the right before.
        toward = math.degrees(math.atan2(40, -80))
        self.assertAlmostEqual((spread.turn + toward - (30 + 90) + 180) % 360 - 180, 0, places=4)

    def test_only_a_place_has_something_round_it(self) -> None:
        edit = FollowTurning(owner="pass", path="spread.size", frame=0, at=((0, (0.5, 0.5), 0.0, 1.0),), size=self.SIZE)
        with self.assertRaisesRegex(RigError, "is not a place"):
            edit.apply(rig_of(light("picture", id="pass")))


class Points(unittest.TestCase):
    def after(self, **edit: Any) -> tuple[list[list[float]], list[list[float]]]:
        """The placed points and the switched-off ones after an edit."""
        source: Any = EditPoint(light="star", **edit).apply(rig_of(STAR)).rig.light("star").source
        return [list(place) for place in source.placed], [list(place) for place in source.switched_off]

    def test_a_point_is_added(self) -> None:
        self.assertEqual(self.after(act="add", place=(0.4, 0.3)), ([[0.2, 0.2], [0.8, 0.8], [0.4, 0.3]], [[0.5, 0.5]]))

    def test_a_placed_point_is_removed_and_the_others_stay(self) -> None:
        self.assertEqual(self.after(act="toggle", place=(0.79, 0.81)), ([[0.2, 0.2]], [[0.5, 0.5]]))

    def test_a_found_point_is_switched_off_and_on(self) -> None:
        off = self.after(act="toggle", place=(0.6, 0.1), found=True)
        self.assertEqual(off, ([[0.2, 0.2], [0.8, 0.8]], [[0.5, 0.5], [0.6, 0.1]]))
        on = self.after(act="toggle", place=(0.51, 0.5), found=True, on=False)
        self.assertEqual(on, ([[0.2, 0.2], [0.8, 0.8]], []))

    def test_a_point_is_moved_to_where_it_is_let_go(self) -> None:
        placed = self.after(act="move", place=(0.2, 0.2), to=(0.3, 0.1))
        self.assertEqual(placed, ([[0.8, 0.8], [0.3, 0.1]], [[0.5, 0.5]]))
        found = self.after(act="move", place=(0.6, 0.1), to=(0.3, 0.1), found=True)
        self.assertEqual(found, ([[0.2, 0.2], [0.8, 0.8], [0.3, 0.1]], [[0.5, 0.5], [0.6, 0.1]]))

    def test_only_those_placed_by_hand_are_left(self) -> None:
        left: Any = EditOnlyPlacedPoints(light="star").apply(rig_of(STAR)).rig.light("star").source
        self.assertEqual((left.max_points, left.placed, left.switched_off), (0, ((0.2, 0.2), (0.8, 0.8)), ()))
        with self.assertRaisesRegex(RigError, "fan does not shine from points"):
            EditOnlyPlacedPoints(light="fan").apply(rig_of(light("fan", id="fan")))

    def test_the_last_point_can_go(self) -> None:
        rig = rig_of(light("starburst", id="star"))
        edited = EditPoint(light="star", act="toggle", place=(0.5, 0.5)).apply(rig).rig
        self.assertEqual(edited, rig)

    def test_a_light_without_points_is_refused(self) -> None:
        with self.assertRaisesRegex(RigError, "fan does not shine from points"):
            EditPoint(light="fan", act="add", place=(0.5, 0.5)).apply(rig_of(light("fan", id="fan")))


class Masks(unittest.TestCase):
    RIG = rig_of(light("bloom", id="glow", mask={"start": "everything", "parts": []}))

    def test_a_new_part_works_as_the_start_of_the_mask_suggests(self) -> None:
        paints = rig_of(light("bloom", id="glow", mask={"start": "nothing", "parts": []}))
        for rig, combine in ((self.RIG, "subtract"), (paints, "add")):
            edited = AddPart(owner=LightOwner(id="glow"), part="polygon").apply(rig)
            (part,) = edited.rig.light("glow").mask.stack
            self.assertEqual((part.part, part.combine, edited.part), ("polygon", combine, 0))
        on_house = AddPart(owner=HouseOwner(), part="tones").apply(self.RIG).rig
        self.assertEqual([part.part for part in on_house.house.mask.stack], ["tones"])
        with self.assertRaisesRegex(RigError, "'fog' is not a mask part; the parts are: "):
            AddPart(owner=HouseOwner(), part="fog").apply(self.RIG)

    def test_a_part_that_refers_to_a_matte_takes_the_newest_except_in_a_matte(self) -> None:
        first = NewMatte(part="subject").apply(self.RIG)
        second = NewMatte(part="linear").apply(first.rig)
        self.assertEqual(
            [(m.id, m.name) for m in second.rig.mattes], [("matte-1", "Subject"), ("matte-2", "Linear gradient matte")]
        )
        self.assertEqual((second.owner, second.part), (MatteOwner(id="matte-2"), 0))
        taken: Any = AddPart(owner=LightOwner(id="glow"), part="matte").apply(second.rig).rig.light("glow").mask.stack[0]
        self.assertEqual(taken.matte, "matte-2")
        changed: Any = AddPart(owner=MatteOwner(id="matte-1"), part="matte").apply(second.rig).rig.mattes[0].mask.stack[-1]
        self.assertEqual(changed.matte, "")

    def test_a_proposal_sets_the_place_and_the_warmth(self) -> None:
        rig = rig_of(light("shafts", id="sun"), STAR)
        sun: Any = TakeProposal(light="sun", place=(0.7, 0.2), temperature=3400, tint=0.1).apply(rig).rig.light("sun")
        self.assertEqual((sun.spread.position, sun.colour.origin), ((0.7, 0.2), "temperature"))
        self.assertEqual((sun.colour.temperature, sun.colour.tint), (3400, 0.1))
        star: Any = TakeProposal(light="star", place=(0.7, 0.2), temperature=3400, tint=0).apply(rig).rig.light("star")
        self.assertEqual(star.source.placed[-1], (0.7, 0.2))
        self.assertEqual(len(star.source.placed), 3)


class KeysMoved(unittest.TestCase):
    def setUp(self) -> None:
        keys = {"spread.reach": {"at": [[4, 0.2], [9, 0.8]]}, "merge.opacity": {"at": [[4, 1.0]]}}
        self.rig = check_rig({"lights": [light("shafts", id="sun")], "keys": {"sun": keys}})

    def test_all_keys_of_a_frame_go_together_and_take_the_place_of_what_is_there(self) -> None:
        edited = MoveKeys(owner="sun", frame=4, to=9).apply(self.rig)
        self.assertEqual(edited.rig.keys["sun"]["spread.reach"].at, ((9, 0.2),))
        self.assertEqual(edited.rig.keys["sun"]["merge.opacity"].at, ((9, 1.0),))
        self.assertEqual(edited.label, "Move keys to frame 9")
        self.assertEqual(MoveKeys(owner="sun", frame=9, to=2).apply(self.rig).label, "Move a key to frame 2")

    def test_a_key_goes_no_further_back_than_the_first_frame(self) -> None:
        edited = MoveKeys(owner="sun", frame=9, to=-5).apply(self.rig)
        self.assertEqual(edited.rig.keys["sun"]["spread.reach"].frames, [0, 4])

    def test_two_keys_at_one_frame_are_refused(self) -> None:
        with self.assertRaisesRegex(RigError, "one a frame"):
            check_rig({"lights": [light("shafts", id="sun")], "keys": {"sun": {"spread.reach": {"at": [[4, 0.2], [4, 0.8]]}}}})


class MattesRemoved(unittest.TestCase):
    def removed(self, *lights: dict[str, Any]) -> list[str]:
        door = {"id": "door", "name": "Door", "mask": {"parts": []}}
        return RemoveMatte(matte="door").apply(rig_of(*lights, mattes=[door])).notes

    def behind(self, name: str) -> dict[str, Any]:
        return {**light("bloom", id=name.lower(), behind={"matte": "door"}), "name": name}

    def test_what_used_a_matte_is_named(self) -> None:
        apart = light("fan", id="apart")
        self.assertEqual(self.removed(apart), [])
        (one,) = self.removed(self.behind("Sun"), apart)
        self.assertIn("Door was used by Sun, which goes on without it", one)
        (two,) = self.removed(self.behind("Sun"), self.behind("Moon"))
        self.assertIn("used by Sun and Moon, which go on", two)

    def test_a_matte_that_uses_another_is_named_by_what_a_person_calls_it(self) -> None:
        part = {"part": "matte", "matte": "door"}
        mattes = [
            {"id": "door", "name": "Door", "mask": {"parts": []}},
            {"id": "post", "name": "Post", "mask": {"start": "nothing", "parts": [part]}},
        ]
        (note,) = RemoveMatte(matte="door").apply(rig_of(mattes=mattes)).notes
        self.assertIn("used by the matte Post", note)


class Mirrors(unittest.TestCase):
    def test_a_mirrored_light_is_the_picture_of_the_first_in_a_mirror(self) -> None:
        """On an even plate only the light is turned over."""
        plate = plate_of(np.full((120, 180, 3), 0.3, np.float32))
        mask = {
            "start": "nothing",
            "parts": [
                {"part": "linear", "begin": [0.2, 0.1], "end": [0.9, 0.8]},
                {"part": "radial", "middle": [0.3, 0.5], "roundness": 0.4, "angle": 35, "combine": "add"},
            ],
        }
        quad = [[0.1, 0.1], [0.3, 0.15], [0.5, 0.9], [0.2, 0.8]]
        painted = [stroke((0.2, 0.3), (0.4, 0.6), size=0.05, flow=0.8)]
        kinds: dict[str, dict[str, Any]] = {
            "shafts": {"spread": {"position": [0.2, 0.1], "variety": 0.0}},
            "beam": {"source": {"beams": [quad]}, "spread": {"dust": 0.0}},
            "line": {"source": {"path": [[0.1, 0.2], [0.6, 0.7]]}, "spread": {"haze": 0.0}},
            "strokes": {"source": {"strokes": painted}, "spread": {"angle": -20, "distance": 0.2}},
            "lamp": {"spread": {"position": [0.2, 0.3], "lamp": "spot", "aim": [0.5, 0.8]}},
        }
        for kind, stages in kinds.items():
            rig = rig_of(light(kind, id="one", mask=mask, **stages))
            both = Mirror(light="one").apply(rig)
            first, second = both.rig.stack
            self.assertEqual((first, both.owner), (rig.stack[0], LightOwner(id=second.id)))
            straight = render(plate, rig)
            turned = render(plate, both.rig.model_copy(update={"lights": [second]}))
            self.assertGreater(float(np.abs(straight - plate.pixels).max()), 0.02, kind)
            np.testing.assert_allclose(turned, straight[:, ::-1], atol=4e-3, err_msg=kind)

    def test_a_fan_turns_over_by_its_bearing_or_away_from_the_middle(self) -> None:
        rig = rig_of(light("fan", id="one", spread={"position": [0.2, 0.1], "bearing": -30, "turn": 10}))
        turned: Any = Mirror(light="one").apply(rig).rig.stack[1].spread
        self.assertEqual((turned.bearing, turned.turn, turned.position), (-150.0, -10.0, (0.8, 0.1)))

    def test_keys_are_mirrored_and_what_is_found_in_the_picture_stays(self) -> None:
        track = {"between": "linear", "at": [[0, [0.2, 0.3]], [10, [0.4, 0.3]]]}
        rig = Rig.model_validate(
            {
                "lights": [{"id": "sun", "kind": "shafts", "mask": {"parts": [{"part": "subject", "box": [0.1, 0.1, 0.4, 0.5]}]}}],
                "keys": {"sun": {"spread.position": track, "merge.intensity": {"at": [[0, 1.0], [10, 2.0]]}}},
            }
        )
        both = Mirror(light="sun").apply(rig).rig
        first, second = both.stack
        tracks = both.keys[second.id]
        np.testing.assert_allclose([value for _, value in tracks["spread.position"].at], [(0.8, 0.3), (0.6, 0.3)])
        self.assertEqual(tracks["merge.intensity"], both.keys["sun"]["merge.intensity"])
        self.assertEqual(second.mask, first.mask)
        again = Mirror(light=second.id).apply(both).rig
        lights: list[Any] = again.stack
        there = sorted(one.spread.position for one in lights)
        self.assertEqual(there[0], there[1])  # mirrored twice it is where it was


class Groups(unittest.TestCase):
    def test_only_lights_of_the_same_kind_follow(self) -> None:
        lead = {**light("bloom", id="a", merge={"opacity": 0.3}), "group": "g"}
        same, other = {**light("bloom", id="b"), "group": "g"}, {**light("fan", id="c"), "group": "g"}
        rig = rig_of(lead, same, other, light("bloom", id="d"))
        changed = following(rig, "a")
        self.assertEqual([one.merge.opacity for one in changed.stack], [0.3, 0.3, rig.light("c").merge.opacity, 1.0])


class Pointers(unittest.TestCase):
    def test_escapes_are_read_from_the_left(self) -> None:
        for path, keys in {"/keys/~01": ["keys", "~1"], "/keys/~10": ["keys", "/0"], "/keys/~00": ["keys", "~0"]}.items():
            self.assertEqual(Change(op="remove", path=path).keys, keys)

    def test_a_place_past_the_end_of_a_list_is_refused_in_a_sentence(self) -> None:
        rig = rig_of(light("bloom", id="a"))
        for op, path in (("replace", "/lights/1"), ("remove", "/lights/1"), ("add", "/lights/2"), ("add", "/lights/1/name")):
            with self.subTest(op=op, path=path), self.assertRaisesRegex(RigError, "there is no item"):
                patched(rig, [Change.model_validate({"op": op, "path": path, "value": "x"})])

    def test_what_is_removed_from_a_mapping_is_gone(self) -> None:
        track = {"at": [[0, 0.5]]}
        rig = check_rig({"lights": [light("bloom", id="a")], "keys": {"a": {"merge.opacity": track}}})
        self.assertEqual(patched(rig, [Change(op="remove", path="/keys/a")]).keys, {})


class Carried(unittest.TestCase):
    def test_the_files_of_a_saved_rig_come_along(self) -> None:
        name, content = RAMP
        saved = rig_of(light("picture", id="slide", source={"file": name}), files={name: content})
        for lights in (None, ["slide"]):
            applied = apply_rig(saved, Rig(), lights).rig
            self.assertEqual(applied.file(name), saved.file(name))


class Strips(unittest.TestCase):
    def setting(self, **rest: Any) -> Slider:
        class Group(Settings):
            value: float = number(0.5, "A number", low=0.0, high=1.0, step=0.01, **rest)

        ((_, setting),) = settings_of(Group)
        assert isinstance(setting, Slider)
        return setting

    def test_values_lie_evenly_about_the_present_one_as_far_as_the_range_goes(self) -> None:
        setting = self.setting()
        np.testing.assert_allclose(setting.steps(0.5, 0.4, 5), [0.3, 0.4, 0.5, 0.6, 0.7], atol=1e-9)
        # The present value is among them, and the ends stay.
        np.testing.assert_allclose(setting.steps(0.95, 0.4, 5), [0.6, 0.7, 0.8, 0.95, 1.0], atol=1e-9)
        np.testing.assert_allclose(setting.steps(0.02, 1.0, 5), [0.0, 0.02, 0.5, 0.75, 1.0], atol=1e-9)
        np.testing.assert_allclose(setting.steps(0.0, 0.4, 5), [0.0, 0.1, 0.2, 0.3, 0.4], atol=1e-9)

    def test_they_lie_evenly_in_the_travel_of_the_slider(self) -> None:
        np.testing.assert_allclose(self.setting(exponent=2.0).steps(0.25, 0.4, 3), [0.09, 0.25, 0.49], atol=1e-9)

    def test_a_setting_is_shown_where_all_that_it_depends_on_has_a_value_of_those_listed(self) -> None:
        setting = self.setting(when={"mode": ["point"], "on": [True]})
        self.assertTrue(setting.shown_in({"mode": "point", "on": True}))
        self.assertFalse(setting.shown_in({"mode": "point", "on": False}))
        self.assertFalse(setting.shown_in({"mode": "parallel", "on": True}))

    def test_a_type_of_setting_brings_its_bounds(self) -> None:
        class Share(Setting):
            low: float = 0.0
            high: float = 1.0

        class Group(Settings):
            value: float = Share(type="share", help="A share").field(0.5)

        self.assertEqual(Group(value=1.0).value, 1.0)
        for beyond in (-0.1, 3.0):
            with self.assertRaises(ValueError):
                Group(value=beyond)


class Crops(unittest.TestCase):
    def test_a_crop_is_moved_as_far_as_the_picture_goes_and_stays_as_large(self) -> None:
        crop = Crop(x0=0.2, y0=0.3, x1=0.6, y1=0.9)
        moves = {(0.1, 0.05): (0.3, 0.35), (9.0, 9.0): (0.6, 0.4), (-9.0, -9.0): (0.0, 0.0)}
        for by, (left, top) in moves.items():
            moved = crop.shifted(*by)
            expected = (left, top, left + 0.4, top + 0.6)
            np.testing.assert_allclose((moved.x0, moved.y0, moved.x1, moved.y1), expected, atol=1e-9)


class Earlier(unittest.TestCase):
    def test_headroom_that_a_star_had_of_its_own_becomes_its_intensity(self) -> None:
        usual = HEADROOM["starburst"]
        for stops in (usual - 1, usual, usual + 2):
            old = {**light("starburst", id="star", spread={"headroom": stops}), "merge": {"intensity": 0.5}}
            self.assertAlmostEqual(check_rig({"lights": [old]}).light("star").merge.intensity, 0.5 * 2.0 ** (stops - usual), 3)

    def test_a_streak_is_as_bright_as_it_was_also_where_it_is_keyed(self) -> None:
        old = {**light("flare", id="f"), "spread": {"streak": 3.0}}
        keys = {"f": {"spread.streak": {"at": [[0, 0.0], [9, 6.0]]}}}
        rig = check_rig({"lights": [old], "keys": keys})
        self.assertEqual(rig.light("f").model_dump()["spread"]["streak_strength"], 0.5)
        self.assertEqual([value for _, value in rig.keys["f"]["spread.streak_strength"].at], [0.0, 1.0])


class Shown(unittest.TestCase):
    def test_what_cannot_be_shown_is_refused_with_what_can(self) -> None:
        for word in ("over:nothing", "over:result", "mask", "stage:sun", "stage:sun:heat", ""):
            with self.subTest(word), self.assertRaisesRegex(RigError, "cannot be shown; ask for"):
                parse_show(word)
