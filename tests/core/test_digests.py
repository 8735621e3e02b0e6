"""What is kept is found by what it was made from: a change of any input of any node gives it another name."""

from __future__ import annotations

import unittest
from dataclasses import replace
from typing import Any
from unittest import mock

from aurelon.core import Plate, Rig
from aurelon.core.graph import resolve as resolving
from aurelon.core.graph.resolve import Graph, resolve
from aurelon.core.rig.patch import Change, patched
from tests.pictures import light, plate_of, rig_of, scene

SQUARE = {"part": "polygon", "corners": [[0.1, 0.1], [0.6, 0.1], [0.6, 0.6], [0.1, 0.6]]}
RIG = rig_of(
    light("bloom", id="under"),
    light(
        "shafts",
        id="light",
        look_at="below",
        source={"open_by": "area", "area": "door"},
        spread={"evolution": 0.5},
        mask={"start": "nothing", "parts": [SQUARE, {"part": "tones", "low": 0.2}, {"part": "matte", "matte": "door"}]},
        behind={"matte": "post", "spill": 0.2},
    ),
    prepare={"exposure": 0.5, "headroom": 1.0},
    house={"level": 0.8, "mask": {"start": "nothing", "parts": [SQUARE]}},
    mattes=[
        {"id": "door", "name": "Door", "mask": {"start": "nothing", "parts": [SQUARE]}},
        {"id": "post", "name": "Post", "mask": {"start": "nothing", "parts": [SQUARE]}},
    ],
)
LIGHT = "/lights/1"
EVERY_STAGE = ("source", "field", "spread", "unlevelled", "colour", "merged", "alone")
OTHER_CORNERS = [[0.2, 0.1], [0.6, 0.1], [0.6, 0.6]]
# What is changed of the rig, and the nodes whose name must change with it; all others must keep theirs.
CHANGES: tuple[tuple[str, Any, set[str]], ...] = (
    (f"{LIGHT}/source/knee", 0.5, {*EVERY_STAGE}),
    (f"{LIGHT}/spread/reach", 0.7, {*EVERY_STAGE} - {"source"}),
    (f"{LIGHT}/colour/temperature", 3000, {"unlevelled", "colour", "merged", "alone"}),
    (f"{LIGHT}/merge/opacity", 0.4, {"merged", "alone"}),
    (f"{LIGHT}/merge/mode", "screen", {"merged", "alone"}),
    (f"{LIGHT}/mask/parts/0/feather", 0.05, {"mask", "merged", "alone"}),
    (f"{LIGHT}/behind/spill", 0.6, {"mask", "merged", "alone"}),
    ("/mattes/1/mask/parts/0/corners", OTHER_CORNERS, {"mask", "merged", "alone"}),
    ("/mattes/0/mask/parts/0/corners", OTHER_CORNERS, {*EVERY_STAGE, "mask"}),
    ("/lights/0/merge/opacity", 0.3, {*EVERY_STAGE, "below"}),
    ("/prepare/exposure", 1.0, {*EVERY_STAGE, "mask", "below", "prepared", "base"}),
    ("/prepare/headroom", 2.0, {*EVERY_STAGE, "mask", "below", "prepared", "base"}),
    ("/house/level", 0.5, {*EVERY_STAGE, "below", "base"}),
    ("/house/mask/parts/0/corners", OTHER_CORNERS, {*EVERY_STAGE, "below", "base"}),
    ("/prepare/straighten", 3.0, set()),
    ("/lights/1/name", "Dawn", set()),
)


def names_in(graph: Graph) -> dict[str, str | None]:
    nodes = graph.all_lights[1]
    stages = {name: getattr(nodes, name) for name in (*EVERY_STAGE, "mask", "below")}
    whole = {"original": graph.original, "prepared": graph.prepared, "base": graph.base, "result": graph.result}
    return {name: node and node.digest for name, node in (stages | whole).items()}


class Names(unittest.TestCase):
    def setUp(self) -> None:
        self.plate = plate_of(scene(300, 200))

    def changed(self, rig: Rig, plate: Plate | None = None, *, draft: bool = False) -> set[str]:
        """The nodes that have another name than before."""
        before, after = names_in(resolve(self.plate, RIG)), names_in(resolve(plate or self.plate, rig, draft=draft))
        return {name for name in before if before[name] != after[name]}

    def test_a_change_of_the_rig_gives_other_names_to_what_it_reaches_and_to_nothing_else(self) -> None:
        for path, value, reached in CHANGES:
            with self.subTest(path):
                rig = patched(RIG, [Change(op="replace", path=path, value=value)])
                self.assertEqual(self.changed(rig) - {"result"}, reached)
                self.assertEqual("result" in self.changed(rig), bool(reached))

    def test_another_picture_or_another_frame_of_a_reel_is_another_name(self) -> None:
        everything = {*names_in(resolve(self.plate, RIG))}
        self.assertEqual(self.changed(RIG, replace(self.plate, key="another")), everything)
        self.assertEqual(self.changed(RIG, replace(self.plate, frame=7)), everything)

    def test_what_drifts_is_another_at_another_time(self) -> None:
        reached = {*EVERY_STAGE, "result"}
        self.assertEqual(self.changed(RIG, replace(self.plate, seconds=1.5)), reached)
        still = patched(RIG, [Change(op="replace", path=f"{LIGHT}/spread/evolution", value=0.0)])
        at_rest = names_in(resolve(self.plate, still))
        self.assertEqual(at_rest, names_in(resolve(replace(self.plate, seconds=1.5), still)))

    def test_a_draft_on_a_coarser_grid_is_another_name(self) -> None:
        # The plate is smaller than what a draft reads, so that the grid alone differs.
        self.assertEqual(self.changed(RIG, draft=True), {*EVERY_STAGE, "below", "result"})
        with mock.patch.object(resolving, "DRAFT_EDGE", resolving.WORKING_EDGE):
            self.assertEqual(self.changed(RIG, draft=True), set())

    def test_a_picture_that_is_read_smaller_is_another_name(self) -> None:
        edges = mock.patch.multiple(resolving, DRAFT_EDGE=resolving.WORKING_EDGE, DRAFT_READING_EDGE=150)
        with edges:
            reached = self.changed(RIG, draft=True)
        self.assertEqual(reached, {*names_in(resolve(self.plate, RIG))} - {"original"})
        bare = rig_of(light("bloom", id="a"), light("shafts", id="b"))
        with edges:
            small, full = (names_in(resolve(self.plate, bare, draft=draft)) for draft in (True, False))
        self.assertNotEqual(small["source"], full["source"])
        self.assertEqual(small["prepared"], full["prepared"])
