"""What docs/extending.md shows works as it stands there."""

from __future__ import annotations

import json
import re
import sys
import tomllib
import unittest
from pathlib import Path
from types import ModuleType
from typing import cast
from unittest import mock

import numpy as np

from aurelon.core import check_rig
from aurelon.core.imaging.frame import Frame
from aurelon.core.lights import _checked
from aurelon.core.lights.shared.fields import WhiteField
from aurelon.core.lights.shared.kind import AnyKind, Scene
from aurelon.core.plate import Plate
from tests.pictures import plate_of, scene

PAGE = (Path(__file__).resolve().parents[2] / "docs/extending.md").read_text("utf-8")
RIG_PAGE = (Path(__file__).resolve().parents[2] / "docs/rig.md").read_text("utf-8")


class ExampleRig(unittest.TestCase):
    def test_it_has_an_example_of_each_thing_and_is_valid(self) -> None:
        (text,) = re.findall(r"## One of everything.*?```json\n(.*?)```", RIG_PAGE, re.DOTALL)
        rig = check_rig(json.loads(text))
        self.assertEqual(rig.notices, [])
        for word in ("crop", "mattes", "box", "hints", "strokes", "file", "path", "beams", "corners", "behind", "keys"):
            self.assertIn(f'"{word}"', text)


class ExampleKind(unittest.TestCase):
    def setUp(self) -> None:
        (code,) = re.findall(r"```python\n(.*?)```", PAGE, re.DOTALL)
        module = ModuleType("ring")
        self.enterContext(mock.patch.dict(sys.modules, ring=module))
        exec(compile(code, "docs/extending.md", "exec", dont_inherit=True), module.__dict__)
        self.kind: AnyKind = module.KIND

    def scene_of(self, plate: Plate) -> Scene[None]:
        whole = Frame.whole(plate.size)
        return Scene(plate.at, plate.at, None, plate.size, plate.space, 768, whole)

    def test_it_is_taken_as_a_kind_of_an_extension_is(self) -> None:
        self.assertEqual(_checked(self.kind), ("ring", self.kind))

    def test_its_light_is_a_ring(self) -> None:
        plate = plate_of(scene(300, 200))
        field = self.kind.spread(self.scene_of(plate), self.kind.source_settings(), self.kind.spread_settings())
        grid = cast(WhiteField, field).grid
        middle, radius = (150, 80), 0.15 * np.hypot(300, 200)
        self.assertGreater(float(grid[middle[1], round(middle[0] + radius)]), 0.95)
        self.assertLess(float(grid[middle[1], middle[0]]), 1e-6)

    def test_its_package_names_it_by_an_entry_point(self) -> None:
        (text,) = re.findall(r"```toml\n(.*?)```", PAGE, re.DOTALL)
        self.assertEqual(tomllib.loads(text)["project"]["entry-points"]["aurelon.kinds"], {"ring": "ring:KIND"})
