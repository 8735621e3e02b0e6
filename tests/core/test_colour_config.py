"""Colour management by an OpenColorIO configuration, held to the library's own processors and to the published primaries."""

from __future__ import annotations

import io
import os
import tempfile
import unittest
import warnings
from contextlib import redirect_stderr
from pathlib import Path
from typing import Any
from unittest import mock

import cv2
import numpy as np
import PyOpenColorIO as Ocio
from PIL import Image, ImageCms

from aurelon.cli import main
from aurelon.core import Plate, PlateError, Renderer, Rig, RigError, open_reel, read_plate, render
from aurelon.core.analysis.measure import measure
from aurelon.core.export.passes import coded_space
from aurelon.core.export.picture import PictureExport, export
from aurelon.core.graph.small_pictures import small_jpeg
from aurelon.core.imaging import colour_config
from aurelon.core.imaging.colour_config import ConfigError, chosen
from aurelon.core.imaging.rgb_space import LINEAR_SRGB, SRGB, chromaticities_of
from aurelon.runs.tasks import build
from aurelon.web.preview import PreviewRequest, frames
from aurelon.web.view import View
from tests.copied import run_command
from tests.pictures import Floats, plate_of, scene
from tests.reels import frames as frames_of
from tests.reels import lit, write_video

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

NAME = "ocio://cg-config-v2.2.0_aces-v1.3_ocio-v2.4"
FILMED, PLAIN = "ACES 1.0 - SDR Video", "Un-tone-mapped"
ON_SRGB, ON_P3, ON_1886 = "sRGB - Display", "Display P3 - Display", "Rec.1886 Rec.709 - Display"


def by_library(pixels: Floats, transform: Any) -> Floats:
    """What the library itself makes of working light."""
    out = np.array(pixels, np.float32)
    Ocio.Config.CreateFromFile(NAME).getProcessor(transform).getDefaultCPUProcessor().applyRGB(out)
    return out


def on_display(display: str, view: str) -> Any:
    return Ocio.DisplayViewTransform(src="scene_linear", display=display, view=view)


def under(display: str, view: str, **more: Any) -> Rig:
    return Rig.model_validate({"finish": {"view": {"display": display, "view": view}}, **more})


def png16(codes: Floats) -> bytes:
    done, data = cv2.imencode(".png", np.round(codes[:, :, ::-1] * 65535).astype(np.uint16))
    assert done
    return data.tobytes()


def written(plate: Plate, rig: Rig) -> tuple[Floats, bytes]:
    """Code values of a PNG of 16 bits, and its profile."""
    data = export(plate, rig, PictureExport(format="png", depth="16"))
    codes: Any = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    return codes[:, :, ::-1] / 65535, Image.open(io.BytesIO(data)).info["icc_profile"]


class Configured(unittest.TestCase):
    def setUp(self) -> None:
        self.enterContext(mock.patch.dict(os.environ, OCIO=NAME))
        rng = np.random.default_rng(8)
        config = chosen()
        assert config is not None
        self.config = config
        # Ten thousand colours from black to two stops above white, most of them saturated.
        light = np.asarray(rng.random((100, 100, 3)) ** 3 * 4, np.float32)
        self.plate = Plate(light, config.working, depth="float")


class Views(Configured):
    def test_exports_have_the_code_values_of_the_library_to_a_thousandth(self) -> None:
        for display, title in ((ON_SRGB, "sRGB"), (ON_P3, "Display P3")):
            for view in (FILMED, PLAIN):
                codes, icc = written(self.plate, under(display, view))
                wanted = np.clip(by_library(self.plate.pixels, on_display(display, view)), 0, 1)
                self.assertLess(float(np.abs(codes - wanted).max()), 1 / 1024, (display, view))
                profile = ImageCms.ImageCmsProfile(io.BytesIO(icc))
                self.assertEqual(ImageCms.getProfileDescription(profile).strip(), title)

    def test_a_display_with_another_curve_shows_the_same_light(self) -> None:
        codes, _ = written(self.plate, under(ON_1886, FILMED))
        light = colour.cctf_decoding(codes, function="sRGB")
        wanted = np.clip(by_library(self.plate.pixels, on_display(ON_1886, FILMED)), 0, 1) ** 2.4  # ITU-R BT.1886
        np.testing.assert_allclose(light, wanted, atol=1 / 1024)

    def test_the_bench_its_export_and_small_pictures_agree(self) -> None:
        plate = plate_of(scene(150, 100))
        for view in (FILMED, PLAIN):
            rig = under(ON_SRGB, view)
            exact, draft = (self.shown(plate, rig, draft) for draft in (False, True))
            codes = np.asarray(Image.open(io.BytesIO(export(plate, rig, PictureExport(format="png", depth="8")))), int)
            self.assertLessEqual(int(np.abs(exact - codes).max()), 1)  # of dither
            self.assertLess(float(np.abs(draft - codes).mean()), 2.5)  # and of a JPEG
            small = np.asarray(Image.open(io.BytesIO(small_jpeg(Renderer(plate), rig))), int)
            self.assertLess(float(np.abs(small.mean(axis=(0, 1)) - codes.mean(axis=(0, 1))).max()), 2)
            # Untouched by a film's curve a picture is as it is without any management.
            off = float(np.abs(codes - self.shown(plate, Rig(), False)).mean())
            self.assertEqual(off < 0.1, view == PLAIN, off)

    def shown(self, plate: Plate, rig: Rig, draft: bool) -> np.ndarray[Any, Any]:
        width, height = plate.size
        request = PreviewRequest(seq=1, draft=draft, view=View(width=width, height=height, x0=0, y0=0, x1=width, y1=height))
        (frame,) = frames(Renderer(plate), request, rig, lambda: False)
        start = frame.index(b"\xff\xd8\xff" if draft else b"\x89PNG")
        return np.asarray(Image.open(io.BytesIO(frame[start:])).convert("RGB"), int)

    def test_a_cube_for_drafts_is_near_on_greys_and_on_soft_colours(self) -> None:
        for view in (FILMED, PLAIN):
            for tint in ((1, 1, 1), (1, 0.7, 0.4), (0.6, 0.8, 1)):
                light = (2.0 ** np.linspace(-8, 6, 3000)[:, None] * tint).astype(np.float32)[None]
                wanted = 255 * np.clip(by_library(light, on_display(ON_SRGB, view)), 0, 1)
                draft = self.config.draft(light, self.config.working, ON_SRGB, view)
                # Where light is cut off at white there is a corner, which a cell rounds.
                most = 5.0 if view == FILMED else 14.0
                self.assertLess(float(np.abs(draft - wanted).max()), most, (view, tint))
                self.assertLess(float(np.abs(draft - wanted).mean()), 1.0, (view, tint))

    def test_frames_are_written_as_pictures_are(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            reel = open_reel(write_video(folder / "in.mkv", frames_of(2)))
            for display in (ON_SRGB, ON_P3):
                rig = under(display, FILMED)
                lit_reel = open_reel(lit(reel, rig, folder / "out.mkv", "ffv1", depth="16"))
                codes, _ = written(reel[1], rig)
                stored = lit_reel.footage.raster(1).samples / 65535
                self.assertLess(float(np.abs(stored - codes).max()), 1e-4)
                self.assertEqual(lit_reel[1].space.name, "sRGB" if display == ON_SRGB else "Display P3")
                lit_reel.close()
            reel.close()

    def test_files_that_hold_light_above_white_do_not_need_a_view(self) -> None:
        plain, viewed = (
            export(self.plate, rig, PictureExport(format="exr", depth="float")) for rig in (Rig(), under(ON_SRGB, FILMED))
        )
        np.testing.assert_array_equal(read_plate(plain, "a.exr").pixels, read_plate(viewed, "a.exr").pixels)

    def test_what_is_clipped_is_counted_as_it_is_seen(self) -> None:
        bright = Plate(np.full((40, 40, 3), 1.5, np.float32), SRGB, depth="float")
        shares = [measure(Renderer(bright), rig, None).after.clipped for rig in (Rig(), under(ON_SRGB, FILMED))]
        self.assertEqual(shares, [1.0, 0.0])
        view = View(width=40, height=40, x0=0, y0=0, x1=40, y1=40)
        for rig, marked in ((Rig(), True), (under(ON_SRGB, FILMED), False)):
            pictures = []
            for clipping in (False, True):
                request = PreviewRequest.model_validate({"seq": 1, "view": view, "clipping": clipping})
                (frame,) = frames(Renderer(bright), request, rig, lambda: False)
                pictures.append(frame[frame.index(b"\x89PNG") :])
            self.assertEqual(pictures[0] != pictures[1], marked)
        rolled = Rig.model_validate({"finish": {"above_white": "roll_off"}})
        self.assertEqual(measure(Renderer(bright), rolled, None).after.clipped, 0.0)


class Inputs(Configured):
    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        rng = np.random.default_rng(9)
        self.codes = np.round(np.asarray(rng.random((40, 60, 3)) * 0.6 + 0.1, np.float32) * 65535) / np.float32(65535)
        to_scene = Ocio.ColorSpaceTransform(src="ACEScct", dst="scene_linear")
        self.wanted = np.maximum(by_library(np.asarray(self.codes, np.float32), to_scene), 0)

    def with_a_rule(self) -> Path:
        config = Ocio.Config.CreateFromFile(NAME)
        rules = Ocio.FileRules()
        rules.setDefaultRuleColorSpace("ACES2065-1")
        rules.insertRule(0, "logs", "ACEScct", "*_log", "png")
        config.setFileRules(rules)
        path = self.folder / "studio.ocio"
        path.write_text(config.serialize())
        return path

    def test_the_working_primaries_are_those_of_acescg(self) -> None:
        self.assertEqual(self.config.working.name, "ACEScg")
        published = colour.RGB_COLOURSPACES["ACEScg"]
        to_d65 = colour.adaptation.matrix_chromatic_adaptation_VonKries(
            colour.xy_to_XYZ(published.whitepoint), colour.xy_to_XYZ((0.3127, 0.3290)), transform="Bradford"
        )
        xyz = to_d65 @ published.matrix_RGB_to_XYZ
        stated = np.reshape(chromaticities_of(self.config.working)[:6], (3, 2))
        np.testing.assert_allclose(stated, (xyz[:2] / xyz.sum(axis=0)).T, atol=2e-4)

    def test_a_rule_for_names_brings_a_file_into_the_working_space_and_other_files_stay(self) -> None:
        data = png16(self.codes)
        plain = read_plate(data, "shore.png")
        with mock.patch.dict(os.environ, OCIO=str(self.with_a_rule())):
            ruled = read_plate(data, "shore_log.png")
            other = read_plate(data, "shore.png")
        np.testing.assert_allclose(ruled.pixels, self.wanted, rtol=2e-4, atol=1e-6)
        self.assertEqual((ruled.space.name, ruled.key), ("ACEScg", plain.key))
        self.assertTrue(any("is in “ACEScct”, by a rule of" in notice for notice in ruled.notices))
        np.testing.assert_array_equal(other.pixels, plain.pixels)
        self.assertIs(other.space, plain.space)

    def test_a_space_said_by_hand_is_the_rigs_and_comes_and_goes(self) -> None:
        plate = read_plate(png16(self.codes), "shore.png")
        rig = Rig.model_validate({"prepare": {"input_space": "ACEScct"}})
        for _ in range(2):
            by_hand = render(plate, rig)
            np.testing.assert_allclose(np.asarray(by_hand), self.wanted, rtol=2e-4, atol=1e-6)
            np.testing.assert_array_equal(np.asarray(render(plate, Rig())), plate.pixels)
        self.assertEqual(by_hand.space.name, "ACEScg")
        other = render(plate, Rig.model_validate({"prepare": {"input_space": "ACEScc"}}))
        self.assertGreater(float(np.abs(np.asarray(other) - self.wanted).max()), 0.01)
        # Whole numbers for people have primaries that people have.
        self.assertEqual(coded_space_of(plate, rig), "Display P3")

    def test_a_plate_in_the_working_space_lights_as_one_in_its_own(self) -> None:
        light = {"id": "a", "kind": "bloom", "merge": {"mode": "add"}}
        plate = plate_of(scene(120, 80))
        matrix = SRGB.matrix_to(self.config.working)
        assert matrix is not None
        working = Plate(np.asarray(plate.pixels @ matrix.T, np.float32), self.config.working)
        one, other = (render(p, Rig.model_validate({"lights": [light]})) for p in (plate, working))
        self.assertLess(float(np.abs(np.asarray(one) @ matrix.T - np.asarray(other)).mean()), 0.01)

    def test_from_the_command_line(self) -> None:
        (self.folder / "shore.png").write_bytes(png16(self.codes))
        (self.folder / "rig.json").write_text(under(ON_SRGB, FILMED).model_dump_json())
        out = self.folder / "out.png"
        words = ["render", str(self.folder / "shore.png"), "--rig", str(self.folder / "rig.json"), "-o", str(out), "--depth", "16"]
        with mock.patch.dict(os.environ):
            os.environ.pop("OCIO")
            done = run_command(*words)
            self.assertEqual(done.returncode, 2)
            self.assertIn("none is chosen here; start with --ocio", done.stderr)
            done = run_command(*words, "--ocio", NAME, "--input-space", "Odd")
            self.assertEqual((done.returncode, out.exists()), (2, False))
            self.assertIn("has no colour space “Odd”", done.stderr)
            done = run_command(*words, "--ocio", NAME, "--input-space", "ACEScct")
            self.assertEqual(done.returncode, 0, done.stderr)
        codes: Any = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)
        wanted = np.clip(by_library(self.wanted, on_display(ON_SRGB, FILMED)), 0, 1)
        self.assertLess(float(np.abs(codes[:, :, ::-1] / 65535 - wanted).max()), 1 / 1024)


def coded_space_of(plate: Plate, rig: Rig) -> str:
    from aurelon.core.export.passes import PassesExport

    return coded_space(Renderer(plate).for_input(rig).plate, PassesExport(format="tiff", depth="8")).name


class Off(unittest.TestCase):
    def setUp(self) -> None:
        self.enterContext(mock.patch.dict(os.environ))
        os.environ.pop("OCIO", None)

    def test_nothing_is_managed_unless_it_is_chosen(self) -> None:
        self.assertIsNone(chosen())
        for rig, where in (
            (under("A", "B"), "finish.view"),
            (Rig.model_validate({"prepare": {"input_space": "X"}}), "prepare.input"),
        ):
            with self.assertRaisesRegex(RigError, where):
                export(plate_of(scene(30, 20)), rig, PictureExport(format="png", depth="8"))

    def test_without_the_library_a_choice_is_said_and_the_environments_counts_for_nothing(self) -> None:
        with (
            mock.patch.object(colour_config, "_library_is_there", return_value=False),
            mock.patch.object(colour_config, "LIBRARY", "no_such_library"),
        ):
            os.environ["OCIO"] = NAME
            self.assertIsNone(chosen())
            with self.assertRaisesRegex(ConfigError, "install it with"):
                colour_config.choose("ocio://another")

    def test_a_configuration_that_cannot_be_used_is_said_with_its_name(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            bad = Path(folder) / "bad.ocio"
            for content in ("", "not: a config", "ocio_profile_version: 2\nroles: {}\n"):
                bad.write_text(content)
                with self.assertRaisesRegex(ConfigError, "bad.ocio"):
                    colour_config.choose(str(bad))
            with self.assertRaisesRegex(ConfigError, "gone.ocio cannot be used"):
                colour_config.choose(f"{folder}/gone.ocio")
        self.assertNotIn("OCIO", os.environ)

    def test_one_of_the_environments_that_cannot_be_used_ends_every_command_before_it_begins(self) -> None:
        os.environ["OCIO"] = "/nowhere.ocio"
        for words in (
            ("serve", "--data", "d"),
            ("render", "a.png", "--rig", "r", "-o", "b.png"),
            ("run", "a", "--rig", "r", "-o", "b"),
        ):
            said = io.StringIO()
            with redirect_stderr(said):
                self.assertEqual(main([*words]), 2)
            self.assertRegex(
                said.getvalue(), r"\Athe colour configuration /nowhere.ocio cannot be used: .*; correct it, or unset OCIO\n\Z"
            )

    def test_a_run_whose_view_is_not_there_ends(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "shore.png").write_bytes(png16(np.zeros((20, 30, 3), np.float32)))
            (folder / "rig.json").write_text(under(ON_SRGB, FILMED).model_dump_json())
            done = run_command("run", folder / "shore.png", "--rig", folder / "rig.json", "-o", folder / "{name} lit.png")
            self.assertEqual(done.returncode, 2)
            self.assertIn("shore.png: finish.view is a view of a colour configuration, and none is chosen here", done.stderr)

    def test_another_configuration_is_another_build_to_a_cluster(self) -> None:
        build.cache_clear()
        self.addCleanup(build.cache_clear)
        one = build()
        os.environ["OCIO"] = NAME
        build.cache_clear()
        self.assertNotEqual(build(), one)

    def test_a_view_that_is_not_there_is_said(self) -> None:
        os.environ["OCIO"] = NAME
        with self.assertRaisesRegex(RigError, "has no view “Odd” of a display “sRGB - Display”"):
            export(
                Plate(np.zeros((4, 4, 3), np.float32), LINEAR_SRGB), under(ON_SRGB, "Odd"), PictureExport(format="png", depth="8")
            )

    def test_a_rule_that_names_no_space_refuses_the_file(self) -> None:
        os.environ["OCIO"] = NAME
        config = chosen()
        assert config is not None
        odd = mock.patch.object(config, "space_by_rule", return_value="Odd")
        with odd, self.assertRaisesRegex(PlateError, "a.png is in no colour space that can be used"):
            read_plate(png16(np.zeros((4, 4, 3), np.float32)), "a.png")
