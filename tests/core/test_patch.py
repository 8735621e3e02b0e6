"""Changes of a rig, against the rig that they are the changes to."""

from __future__ import annotations

import copy
import unittest
from typing import Any

from aurelon.core.errors import RigError
from aurelon.core.rig import check_rig
from aurelon.core.rig.patch import Change, patched
from tests.pictures import light, stroke

MASK = {"start": "nothing", "parts": [{"part": "strokes", "strokes": [stroke((0.1, 0.1), (0.2, 0.2))]}]}
LIGHTS = [light("shafts", mask=MASK), {**light("lamp"), "id": "lamp-1"}]
PLAIN: dict[str, Any] = check_rig({"lights": LIGHTS}).model_dump(mode="json")


def at(data: Any, path: str) -> tuple[Any, Any]:
    """The container and the key that a JSON Pointer leads to, walked by hand."""
    *way, last = path[1:].split("/")
    for key in way:
        data = data[int(key)] if isinstance(data, list) else data[key]
    return data, int(last) if isinstance(data, list) and last != "-" else last


def by_hand(changes: list[dict[str, Any]]) -> Any:
    data = copy.deepcopy(PLAIN)
    for change in changes:
        holder, key = at(data, change["path"])
        if change["op"] == "remove":
            del holder[key]
        elif key == "-":
            holder.append(change["value"])
        elif change["op"] == "add" and isinstance(holder, list):
            holder.insert(key, change["value"])
        else:
            holder[key] = change["value"]
    return data


class Patching(unittest.TestCase):
    def test_a_patched_rig_is_the_rig_that_the_changes_were_taken_of(self) -> None:
        cases: list[list[dict[str, Any]]] = [
            [{"op": "replace", "path": "/lights/0/spread/reach", "value": 1.25}],
            [{"op": "replace", "path": "/prepare/crop", "value": {"x0": 0.1, "y0": 0.0, "x1": 0.9, "y1": 1.0}}],
            [{"op": "add", "path": "/lights/0/mask/parts/0/strokes/-", "value": stroke((0.4, 0.4), (0.6, 0.5))}],
            [{"op": "replace", "path": "/lights/1/spread/position", "value": [0.25, 0.75]}],
            [{"op": "remove", "path": "/lights/0"}, {"op": "replace", "path": "/lights/0/on", "value": False}],
            [{"op": "add", "path": "/lights/1", "value": {**light("bloom"), "id": "between"}}],
            [
                {"op": "replace", "path": "/lights/0/source/threshold", "value": 0.2},
                {"op": "replace", "path": "/house/level", "value": 0.3},
            ],
            [{"op": "add", "path": "/mattes/-", "value": {"id": "post", "name": "Post", "mask": MASK}}],
        ]
        rig = check_rig(PLAIN)
        for changes in cases:
            with self.subTest(changes=changes):
                result = patched(rig, [Change.model_validate(one) for one in changes])
                self.assertEqual(result, check_rig(by_hand(changes)))
                self.assertEqual(result.digest, check_rig(by_hand(changes)).digest)
        self.assertEqual(rig, check_rig(PLAIN))

    def test_what_did_not_change_is_shared_and_keeps_what_was_worked_out_of_it(self) -> None:
        rig = check_rig(PLAIN)
        digest = rig.stack[0].mask.digest
        result = patched(rig, [Change(op="replace", path="/lights/0/spread/reach", value=0.7)])
        self.assertIs(result.stack[0].mask, rig.stack[0].mask)
        self.assertIs(result.stack[1], rig.stack[1])
        self.assertEqual(result.stack[0].mask.digest, digest)
        self.assertNotEqual(result.stack[0].spread.digest, rig.stack[0].spread.digest)

    def test_bad_changes_are_refused_by_a_sentence_with_their_path(self) -> None:
        rig = check_rig(PLAIN)
        cases = [
            ({"op": "replace", "path": "/lights/0/spread/reach", "value": 99}, "at most 2"),
            ({"op": "replace", "path": "/lights/7/on", "value": True}, "there is no item 7"),
            ({"op": "replace", "path": "/lights/x/on", "value": True}, "there is no item x"),
            ({"op": "replace", "path": "/lights/0/spread/rech", "value": 1}, "there is no 'rech' here"),
            ({"op": "replace", "path": "lights", "value": []}, "begins with a slash"),
            ({"op": "replace", "path": "/house/level/x", "value": 1}, "into a single value"),
            ({"op": "replace", "path": "/lights/1/id", "value": "under-test"}, "each needs its own"),
        ]
        for change, sentence in cases:
            with self.subTest(change=change), self.assertRaises(RigError) as refused:
                patched(rig, [Change.model_validate(change)])
            self.assertIn(sentence, str(refused.exception))
