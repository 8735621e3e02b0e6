"""A light that becomes one of another kind."""

from __future__ import annotations

import unittest
from typing import Any

from aurelon.core import Renderer, Rig, RigError
from aurelon.core.graph.other_kind import in_another_kind
from aurelon.core.lights import kinds
from tests.pictures import plate_of, scene

MASK = {"start": "nothing", "parts": [{"part": "linear"}]}
COLOUR = {"origin": "temperature", "temperature": 3100, "tint": 0.2, "strength": 0.4}


class OtherKind(unittest.TestCase):
    def setUp(self) -> None:
        self.renderer = Renderer(plate_of(scene(240, 160)))

    def changed(self, kind: str, to: str, spread: dict[str, Any], **rest: Any) -> Any:
        light = {"id": "one", "kind": kind, "spread": spread, "mask": MASK, "colour": COLOUR, **rest}
        rig = Rig.model_validate({"lights": [{"id": "low", "kind": "bloom"}, light, {"id": "top", "kind": "velvet"}]})
        return in_another_kind(rig, "one", to, self.renderer)

    def test_any_kind_becomes_any_other_and_keeps_its_place_in_the_stack_its_mask_and_its_colour(self) -> None:
        for name in kinds():
            for to in ("lamp", "shafts", "bloom", "beam"):
                result = self.changed(name, to, {}, on=False, look_at="original", merge={"opacity": 0.3})
                light = result.rig.stack[1]
                with self.subTest(kind=name, to=to):
                    self.assertEqual([one.id for one in result.rig.stack], ["low", "one", "top"])
                    self.assertEqual((light.kind, light.on, light.look_at, light.merge.opacity), (to, False, "original", 0.3))
                    self.assertEqual(light.mask.parts[0].part, "linear")
                    self.assertEqual((light.colour.temperature, light.colour.tint), (3100, 0.2))

    def test_a_sun_becomes_a_fan_and_a_lamp_where_it_stands(self) -> None:
        sun = {"position": [0.2, -0.3], "air": 0.2, "stands_at": 0.4}
        fan = self.changed("shafts", "fan", sun).rig.stack[1].spread
        self.assertEqual((list(fan.position), fan.air, fan.stands_at), ([0.2, -0.3], 0.2, 0.4))
        lamp = self.changed("shafts", "lamp", sun).rig.stack[1].spread
        self.assertEqual(list(lamp.position), [0.2, -0.3])

    def test_a_value_beyond_the_bounds_of_the_new_kind_is_brought_to_them(self) -> None:
        self.assertEqual(self.changed("bloom", "velvet", {"radius": 0.3}).rig.stack[1].spread.radius, 0.15)
        self.assertEqual(self.changed("velvet", "bloom", {"radius": 0.001}).rig.stack[1].spread.radius, 0.002)

    def test_what_only_has_the_same_name_is_not_carried(self) -> None:
        spread = kinds()["velvet"].spread_settings()
        self.assertNotEqual(spread.softness, 0.9)
        # Degrees there, a share here.
        self.assertEqual(self.changed("shafts", "velvet", {"softness": 0.9}).rig.stack[1].spread.softness, spread.softness)

    def test_a_name_of_ones_own_stays_and_a_usual_one_follows(self) -> None:
        self.assertEqual(self.changed("bloom", "lamp", {}, name="Porch").rig.stack[1].name, "Porch")
        self.assertEqual(self.changed("bloom", "lamp", {}, name="Bloom 2").rig.stack[1].name, "Lamp")

    def test_keys_that_the_new_kind_has_no_setting_for_are_dropped_and_named(self) -> None:
        keys = {"one": {path: {"at": [[0, v], [4, v]]} for path, v in KEYED.items()}}
        light = {"id": "one", "kind": "shafts", "name": "Sun", "spread": {"position": [0.2, 0.2]}}
        rig = Rig.model_validate({"lights": [light], "keys": keys})
        result = in_another_kind(rig, "one", "fan", self.renderer)
        self.assertEqual(set(result.rig.keys["one"]), {"spread.position", "colour.temperature"})
        self.assertEqual(result.notes, ["Sun: the keys of Blocking were dropped, as Fan has no such setting"])

    def test_a_light_or_kind_that_is_not_there_is_refused(self) -> None:
        rig = Rig.model_validate({"lights": [{"id": "one", "kind": "bloom"}]})
        for light, kind in (("two", "lamp"), ("one", "gloom")):
            with self.assertRaises(RigError):
                in_another_kind(rig, light, kind, self.renderer)


KEYED: dict[str, Any] = {"spread.position": [0.2, 0.2], "spread.blocking": 0.3, "colour.temperature": 3000}


if __name__ == "__main__":
    unittest.main()
