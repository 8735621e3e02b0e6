"""What docs/extending.md shows works as it stands there."""

from __future__ import annotations

import json
import re
import sys
import tempfile
import tomllib
import unittest
from pathlib import Path
from types import ModuleType
from typing import Any, cast
from unittest import mock

import numpy as np

from aurelon.core import OutputError, check_rig, open_plate, render
from aurelon.core.imaging.frame import Frame
from aurelon.core.lights import _checked
from aurelon.core.lights.shared.fields import WhiteField
from aurelon.core.lights.shared.kind import AnyKind, Scene
from aurelon.core.plate import Plate
from tests.pictures import plate_of, scene

PAGE_FOLDER = Path(__file__).resolve().parents[2] / "docs"
PAGE = (PAGE_FOLDER / "extending.md").read_text("utf-8")
RIG_PAGE = (PAGE_FOLDER / "rig.md").read_text("utf-8")


class ExampleRig(unittest.TestCase):
    def test_it_has_an_example_of_each_thing_and_is_valid(self) -> None:
        (text,) = re.findall(r"## One of everything.*?```json\n(.*?)```", RIG_PAGE, re.DOTALL)
        rig = check_rig(json.loads(text))
        self.assertEqual(rig.notices, [])
        for word in ("crop", "mattes", "box", "hints", "strokes", "file", "path", "beams", "corners", "behind", "keys"):
            self.assertIn(f'"{word}"', text)


class ExampleInPython(unittest.TestCase):
    def test_what_the_page_shows_works_as_it_stands_there(self) -> None:
        page = (PAGE_FOLDER / "python.md").read_text("utf-8")
        code = "\n".join(re.findall(r"```python\n(.*?)```", page, re.DOTALL))
        names: dict[str, Any] = {}
        with tempfile.TemporaryDirectory() as folder:
            exec(compile(code.replace('"lit.tif"', repr(f"{folder}/lit.tif")), "docs/python.md", "exec", dont_inherit=True), names)
            self.assertEqual(open_plate(Path(folder, "lit.tif")).size, names["plate"].size)
        self.assertEqual([names[name].shape for name in ("pixels", "source")], [(400, 600, 3), (200, 300, 3)])
        self.assertTrue(names["for_screens"].startswith(b"\x89PNG"))
        self.assertRegex(repr(names["plate"]), r"^Plate\('headland.jpg', \d+ x \d+, 8 bits, sRGB\)$")
        self.assertEqual(repr(names["rig"]), "Rig(sun: shafts)")
        with self.assertRaisesRegex(OutputError, "has other proportions than the picture"):
            render(names["plate"], names["rig"], size=(600, 100))


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
