"""The rig as an open format, and the command line."""

from __future__ import annotations

import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from PIL import Image

from aurelon.cli import main
from aurelon.core import Rig, RigError, check_rig, open_plate, parse_rig, render
from aurelon.core.rig.migrate import PARTS, RENAMED
from tests.core.test_files import bad_files
from tests.pictures import RAMP, every_kind, light, masked_rig, plate_of, psnr, rig_of, scene


def lights(**stages: Any) -> dict[str, Any]:
    return {"lights": [light("shafts", **stages)]}


DATA = Path(__file__).resolve().parents[1] / "store" / "data"


class RigFormat(unittest.TestCase):
    def test_left_out_settings_take_their_defaults_and_a_rig_round_trips(self) -> None:
        for kind in every_kind():
            rig = check_rig({"lights": [light(kind)]})
            self.assertEqual(parse_rig(rig.model_dump_json()), rig)

    def test_what_is_wrong_is_said_with_its_path(self) -> None:
        cases = [
            ({"lights": [{"id": "a", "kind": "lava"}]}, "lights[0].kind", "shafts"),
            ({"lights": [{"id": "a"}]}, "lights[0].kind", ""),
            (lights(spread={"reech": 1}), "lights[0].spread.reech", "not a setting"),
            (lights(spread={"reach": 9}), "lights[0].spread.reach", "at most 2"),
            (lights(spread={"position": [0, 99]}), "lights[0].spread.position[1]", "at most 11"),
            (lights(merge={"mode": "glow"}), "lights[0].merge.mode", "screen"),
            (lights(colour={"temperature": 20}), "lights[0].colour.temperature", "at least 1000"),
            ({"prepare": {"exposure": "up"}}, "prepare.exposure", "number"),
            ({"surprise": 1}, "surprise", "not a setting"),
            ({"version": 3}, "", "later than this Aurelon reads"),
            ({"version": "x"}, "version", "2"),
            ({"lights": [light("shafts"), light("shafts")]}, "", "under-test"),
        ]
        for data, path, what in cases:
            with self.assertRaises(RigError) as caught:
                check_rig(data)
            self.assertEqual(caught.exception.problems[0][0], path)
            self.assertIn(what, caught.exception.problems[0][1])

    def test_every_renamed_setting_of_version_1_is_read(self) -> None:
        old = json.loads((DATA / "version-1.json").read_text())
        rig = check_rig(old)
        star, lens, sparkle, spot, light_pass, painted = rig.stack
        (name,) = rig.files
        read: list[tuple[Any, dict[str, Any]]] = [
            (star.source, {"max_points": 5, "min_spacing": 0.05}),
            (lens.source, {"max_points": 2, "min_spacing": 0.04}),
            (sparkle.source, {"scatter": "everywhere"}),
            (sparkle.spread, {"rotation": 30, "rotation_spread": 0.4}),
            (spot.source, {"file": name}),
            (spot.spread, {"inner_cone": 12, "outer_cone": 25}),
            (light_pass.source, {"file": name}),
            (light_pass.spread, {"rotation": 15}),
            (painted.mask.stack[1], {"part": "grey", "file": name, "high": 0.9}),
            (rig.house.mask.stack[0], {"part": "grey", "file": name, "low": 0.1}),
            (rig.mattes[0].mask.stack[0], {"part": "grey", "file": name}),
        ]
        for settings, wanted in read:
            self.assertEqual({key: getattr(settings, key) for key in wanted}, wanted)
        renamed = {key for names in RENAMED.values() for key in names} | {key for _, names in PARTS.values() for key in names}
        for key in renamed:
            self.assertIn(f'"{key}":', json.dumps(old), "the rig of version 1 here lacks a setting that was renamed")
        self.assertEqual(check_rig(rig.model_dump(mode="json")), rig)
        self.assertEqual(rig.version, 2)

    def test_old_names_are_refused_in_a_rig_of_today(self) -> None:
        with self.assertRaises(RigError) as caught:
            check_rig({"version": 2, "lights": [light("lamp", spread={"inner": 3})]})
        self.assertEqual(caught.exception.problems[0][0], "lights[0].spread.inner")

    def test_a_lamps_relief_from_brightness_is_read_and_so_are_its_keys(self) -> None:
        keys = {"lamp": {"source.relief": {"at": [[0, 0.2], [9, 0.8]]}}}
        old = Rig.model_validate({"lights": [{"id": "lamp", "kind": "lamp", "source": {"relief": 1.2}}], "keys": keys})
        self.assertEqual(old.stack[0].source.model_dump()["fine_relief"], 1.2)
        self.assertEqual(old.at(9).stack[0].source.model_dump()["fine_relief"], 0.8)
        mapped = {"relief": 1.2, "surface": "normals", "file": "0" * 64}
        kept = Rig.model_validate({"lights": [{"id": "lamp", "kind": "lamp", "source": mapped}]})
        self.assertEqual(kept.stack[0].source.model_dump()["fine_relief"], 0.5)

    def test_what_is_no_rig_at_all_is_refused_whatever_version_it_claims(self) -> None:
        for data in ({"version": 1, "lights": 7}, {"version": 1, "lights": ["a"]}, {"version": 1, "mattes": {"a": 1}, "house": 3}):
            with self.assertRaises(RigError):
                check_rig(data)

    def test_no_number_that_is_none(self) -> None:
        with self.assertRaises(RigError):
            parse_rig('{"prepare": {"exposure": NaN}}')

    def test_look_at_below_reads_the_lit_picture_and_prepared_does_not(self) -> None:
        plate = plate_of(scene() * 0.4)
        first = {**light("shafts", source={"threshold": 0.2}, merge={"mode": "add", "intensity": 4}), "id": "first"}

        def second(look_at: str) -> Any:
            rig = rig_of(first, {**light("shafts", source={"threshold": 0.8}), "look_at": look_at})
            return render(plate, rig, show="stage:under-test:source")

        self.assertEqual(float(second("prepared").max()), 0.0)
        self.assertGreater(float(second("below").max()), 0.5)

    def test_preparation_and_house_light_against_their_definitions(self) -> None:
        plate = plate_of(scene())
        np.testing.assert_allclose(render(plate, rig_of(prepare={"exposure": 1.5})), plate.pixels * 2**1.5, rtol=1e-5)
        np.testing.assert_allclose(render(plate, rig_of(house={"level": 0.3})), plate.pixels * 0.3, rtol=1e-5)
        grey = render(plate, rig_of(prepare={"saturation": -1}))
        np.testing.assert_allclose(grey, np.repeat((plate.pixels @ plate.space.luminance)[:, :, None], 3, 2), atol=1e-6)
        warm = render(plate, rig_of(house={"temperature": 3000})).mean((0, 1)) / plate.pixels.mean((0, 1))
        self.assertGreater(warm[0], warm[2])
        mid = plate_of(np.full((4, 4, 3), 0.18))
        np.testing.assert_allclose(render(mid, rig_of(prepare={"contrast": 0.7})), 0.18, rtol=1e-4)


class CommandLine(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        codes = np.clip(scene(300, 200) ** (1 / 2.2) * 255, 0, 255).astype(np.uint8)
        Image.fromarray(codes).save(self.folder / "plate.png")
        (self.folder / "rig.json").write_text(json.dumps(lights()))

    def run_cli(self, *words: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main([w.replace("@", f"{self.folder}/") for w in words])
        return code, out.getvalue(), err.getvalue()

    def test_render_writes_what_render_computes(self) -> None:
        self.assertEqual(self.run_cli("render", "@plate.png", "--rig", "@rig.json", "-o", "@out.tif")[0], 0)
        plate = open_plate(self.folder / "plate.png")
        wanted = render(plate, rig_of(light("shafts")))
        self.assertGreater(psnr(open_plate(self.folder / "out.tif").pixels, np.minimum(wanted, 1)), 45)

    def test_render_shows_before_stages_and_masks_at_a_size(self) -> None:
        for show in ("before", "stage:under-test:spread", "mask:under-test"):
            code = self.run_cli("render", "@plate.png", "--rig", "@rig.json", "-o", "@s.tif", "--size", "90x60", "--show", show)[0]
            self.assertEqual((code, tifffile.imread(self.folder / "s.tif").shape), (0, (60, 90, 3)))

    def test_masks_mattes_and_lights_alone_are_rendered_from_a_file_that_carries_its_pictures(self) -> None:
        part = {"part": "grey", "file": RAMP[0]}
        rig = masked_rig(part, {"part": "matte", "matte": "shape"}, start="nothing")
        (self.folder / "carried.json").write_text(rig.model_dump_json())
        for show in ("mask:under-test", "matte:shape", "over:mask:under-test", "light:under-test", "house-mask"):
            call = ("render", "@plate.png", "--rig", "@carried.json", "-o", "@m.tif", "--size", "90x60", "--show", show)
            code, _, sentence = self.run_cli(*call)
            self.assertEqual((code, sentence), (0, ""), show)
        self.assertEqual(tifffile.imread(self.folder / "m.tif").shape, (60, 90, 3))

    def test_check_names_a_matte_that_is_gone_and_what_used_it(self) -> None:
        rig = masked_rig({"part": "matte", "matte": "tower"})
        (self.folder / "gone.json").write_text(rig.model_dump_json())
        code, out, _ = self.run_cli("check", "@gone.json")
        self.assertEqual(code, 0)
        self.assertIn("the matte 'tower' is missing; under-test used it and goes on without it", out)

    def test_bad_input_exits_2_with_one_line_and_no_file(self) -> None:
        (self.folder / "bad.json").write_text('{"lights": [{"id": "a", "kind": "lava"}]}')
        (self.folder / "torn.json").write_text('{"lights": ')
        for name, (data, _) in bad_files().items():
            (self.folder / name).write_bytes(data)
        calls: list[tuple[str, ...]] = [("render", f"@{name}", "--rig", "@rig.json", "-o", "@out.png") for name in bad_files()]
        calls += [
            ("render", "@plate.png", "--rig", "@bad.json", "-o", "@out.png"),
            ("render", "@plate.png", "--rig", "@torn.json", "-o", "@out.png"),
            ("render", "@plate.png", "--rig", "@absent.json", "-o", "@out.png"),
            ("render", "@plate.png", "--rig", "@rig.json", "-o", "@nowhere/out.png"),
            ("render", "@plate.png", "--rig", "@rig.json", "-o", "@out.xyz"),
            ("render", "@plate.png", "--rig", "@rig.json", "-o", "@out.png", "--show", "stage:none:spread"),
            ("render", "@plate.png", "--rig", "@rig.json", "-o", "@out.png", "--show", "moon"),
            ("check", "@bad.json"),
        ]
        before = sorted(p.name for p in self.folder.iterdir())
        for call in calls:
            code, _, err = self.run_cli(*call)
            self.assertEqual(code, 2, call)
            self.assertEqual(err.count("\n"), 1, err)
        self.assertEqual(sorted(p.name for p in self.folder.iterdir()), before)

    def test_kinds_and_check(self) -> None:
        listed = json.loads(self.run_cli("kinds", "--json")[1])
        self.assertEqual([k["name"] for k in listed], every_kind())
        for kind in listed:
            for group in kind["groups"]:
                for s in group["settings"]:
                    self.assertTrue(s["help"], s)
                    if s["type"] in ("number", "whole"):
                        self.assertTrue(s["low"] <= s["default"] <= s["high"] and s["step"] > 0, s)
        self.assertIn("reach", self.run_cli("kinds")[1])
        self.assertEqual(self.run_cli("check", "@rig.json")[0], 0)
