"""The form of things, and light that falls on them: planes in closed form, the demo's marched scenes, vector algebra."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR
from PIL import Image

from aurelon.cli import main
from aurelon.core import Plate, Rig, open_plate, render
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.new_light import new_light
from aurelon.core.imaging.blend.blending import blending
from aurelon.core.imaging.blend.modes import MODE_NAMES
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.merging import NO_LEVELS, Fall, LightSample, lay, merge
from aurelon.core.optics.depth import FOCAL
from aurelon.core.optics.facing import at_place, facing, toward
from aurelon.core.optics.shading import placement
from aurelon.core.space.form import normals_of, slopes_of
from aurelon.core.space.found import found_distance
from demo.render import BESIDE, PLATES, SCENES
from tests.pictures import Floats, grey_file, plate_of, psnr, scene

SIZE = (120, 80)
LENGTH = float(np.hypot(*SIZE))
PLAIN = np.full((*SIZE[::-1], 3), 0.4, np.float32)
LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


def grid() -> tuple[Floats, Floats]:
    """Columns and rows from the middle, in diagonals."""
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]].astype(np.float32) + np.float32(0.5)
    return (x - SIZE[0] / 2) / LENGTH, (y - SIZE[1] / 2) / LENGTH


def true_normals(nearness: Floats) -> Floats:
    """Normals (h, w, 3), to the right, upward and toward the eye, from the places in space that a pinhole sees."""
    height, width = nearness.shape
    length = np.hypot(height, width)
    x, y = np.meshgrid((np.arange(width) + 0.5 - width / 2) / length, (np.arange(height) + 0.5 - height / 2) / length)
    places = np.dstack([x, y, np.full_like(x, FOCAL)]) / np.maximum(nearness, 1e-3)[:, :, None]
    across = np.cross(np.gradient(places, axis=1), np.gradient(places, axis=0))
    across *= np.where((across * places).sum(axis=2, keepdims=True) > 0, -1, 1)
    across /= np.maximum(np.linalg.norm(across, axis=2, keepdims=True), 1e-12)
    return np.asarray(across * (1, -1, -1), np.float32)


class Planes(unittest.TestCase):
    def test_a_ground_and_a_wall_have_the_slopes_of_their_planes(self) -> None:
        x, y = grid()
        # Ground H below the eye is at y Z = H F, so that its slope is F over how far the horizon is above the middle.
        for horizon in (-0.2, -0.35):
            slopes = slopes_of(np.clip(0.05 + (y - horizon) * 1.2, 0.05, 1), PLAIN)
            below = (y > horizon + 0.12) & (y < 0.2) & (abs(x) < 0.3)
            horizon_seen = horizon - 0.05 / 1.2
            np.testing.assert_allclose(slopes[below, 1], FOCAL / -horizon_seen, rtol=0.05)
            np.testing.assert_allclose(slopes[below, 0], 0.0, atol=0.02)
        # A wall n = a + b x has A = (b, 0, a / F), so its slope is b F / a.
        slopes = slopes_of(0.5 + 0.6 * x, PLAIN)
        inside = (abs(x) < 0.25) & (abs(y) < 0.15)
        np.testing.assert_allclose(slopes[inside, 0], 0.6 * FOCAL / 0.5, rtol=0.05)

    def test_what_stands_up_faces_the_eye_and_gives_what_is_behind_it_no_rim(self) -> None:
        x, y = grid()
        thing = (abs(x) < 0.15) & (y > -0.2)
        codes = np.where(thing[:, :, None], np.float32(0.1), PLAIN)
        slopes = slopes_of(np.where(thing, np.float32(0.8), np.float32(0.3)), codes)
        np.testing.assert_allclose(slopes[~thing], 0.0, atol=0.02)
        np.testing.assert_allclose(slopes[(abs(x) < 0.03) & (abs(y) < 0.03)], 0.0, atol=0.05)

    def test_nothing_of_a_grounds_slope_is_carried_to_what_stands_on_it_nor_back(self) -> None:
        x, y = grid()
        thing = (abs(x) < 0.05) & (y > -0.1) & (y < 0.1)
        codes = np.where(thing[:, :, None], np.float32(0.1), PLAIN)
        ground = np.clip(0.05 + (y + 0.3) * 1.2, 0.05, 1)
        slopes = slopes_of(np.where(thing, np.float32(0.9), ground), codes)
        alone = slopes_of(ground, PLAIN)
        self.assertLess(float(np.abs(slopes[(abs(x) < 0.012) & (abs(y) < 0.05)]).max()), 0.12)
        beside = (abs(x) > 0.065) & (abs(x) < 0.1) & (abs(y) < 0.08)
        np.testing.assert_allclose(slopes[beside, 1], alone[beside, 1], rtol=0.05)

    def test_outlines_are_rounded_away_from_the_middle(self) -> None:
        x, y = grid()
        disc = x * x + y * y < 0.2**2
        slopes = slopes_of(np.where(disc, np.float32(0.8), np.float32(0.2)), PLAIN)
        rim = disc & (x * x + y * y > 0.18**2)
        normals = normals_of(slopes)
        outward = (normals[:, :, 0] * x - normals[:, :, 1] * y)[rim] / np.hypot(x, y)[rim]
        self.assertGreater(float(np.median(outward)), 0.4)
        self.assertGreater(float(outward.min()), 0.0)

    def test_the_sky_is_flat_and_so_are_plates_too_small_to_tell(self) -> None:
        _, y = grid()
        slopes = slopes_of(np.where(y > 0, y, 0).astype(np.float32), PLAIN)
        self.assertEqual(float(np.abs(slopes[y < 0]).max()), 0.0)
        for shape in ((1, 1), (1, 40), (5, 9)):
            self.assertEqual(float(np.abs(slopes_of(np.ones(shape, np.float32), np.ones((*shape, 3), np.float32))).max()), 0.0)


class OfTheDemosScenes(unittest.TestCase):
    def test_normals_are_near_the_true_ones(self) -> None:
        """By the mean cosine to the marched normals, beside surfaces that all face the eye."""
        gains = []
        for name in SCENES:
            true = np.asarray(Image.open(BESIDE / f"{name}-nearness.png")).astype(np.float32) / np.float32(65535)
            plate = open_plate(PLATES / f"{name}.jpg")
            frame = Frame.canonical(plate.size, 160)
            codes = np.clip(encode_array(plate.at(frame)), 0, 1)
            normals = np.asarray(cv2.resize(true_normals(true), frame.size, interpolation=cv2.INTER_AREA), np.float32)
            normals = normals / np.maximum(np.linalg.norm(normals, axis=2, keepdims=True), 1e-9)
            things = np.asarray(cv2.resize((true > 0.02).astype(np.float32), frame.size, interpolation=cv2.INTER_AREA)) > 0.99

            def cosines(nearness: Floats, normals: Any = normals, things: Any = things, codes: Floats = codes) -> Floats:
                return np.asarray((normals_of(slopes_of(nearness, codes)) * normals).sum(axis=2)[things])

            known = cosines(np.asarray(cv2.resize(true, frame.size, interpolation=cv2.INTER_AREA)))
            self.assertGreater(float(np.median(known)), np.cos(np.deg2rad(20)), name)
            flat = float(normals[things][:, 2].mean())
            gains.append(float(cosines(found_distance(plate).all_over).mean()) - flat)
        self.assertGreater(min(gains), -0.03)
        self.assertGreater(float(np.mean(gains)), 0.1)


class OnThings(unittest.TestCase):
    """Light that runs through the air lights what it falls on."""

    def setUp(self) -> None:
        name, data = grey_file(np.full((40, 60), 0.5, np.float32))
        self.distance = {"origin": "file", "file": name}
        self.files = {name: data}
        self.plate = plate_of(scene(240, 160))

    def seen(self, show: str = "stage:fan:colour", **spread: Any) -> Floats:
        fan = {"id": "fan", "kind": "fan", "spread": spread, "merge": {"mode": "add"}}
        rig = {"lights": [fan], "distance": self.distance, "files": self.files}
        return render(self.plate, Rig.model_validate(rig), show=show)

    def test_a_surface_that_faces_the_eye_gets_as_much_as_lambert_says(self) -> None:
        whole, thin = self.seen(), self.seen(air=0.3, things=6.0)
        cosine = 0.35 / np.sqrt(1 + 0.35**2)
        expected = whole * (1 - np.exp(-0.3 / 0.5) + 6.0 * cosine * 0.5 / 0.6 * self.plate.pixels)
        np.testing.assert_allclose(thin, expected, atol=2e-4 + 2e-3 * float(expected.max()))

    def test_a_source_that_is_moved_lights_things_from_where_it_is_now(self) -> None:
        name, data = grey_file(np.broadcast_to(np.linspace(0.1, 1, 60, dtype=np.float32)[:, None], (60, 90)))
        kept = Cache(1 << 28)

        def seen(x: float, cache: Cache | None) -> Floats:
            fan = {"id": "fan", "kind": "fan", "spread": {"things": 10, "position": [x, 0.2]}}
            rig = {"lights": [fan], "distance": {"origin": "file", "file": name}, "files": {name: data}}
            return render(self.plate, Rig.model_validate(rig), cache=cache)

        seen(0.1, kept)
        np.testing.assert_array_equal(seen(0.9, kept), seen(0.9, None))

    def test_what_is_nearer_than_the_light_gets_none(self) -> None:
        self.assertLess(float(self.seen(things=6.0, stands_at=0.3).max()), 1e-3)
        self.assertGreater(float(self.seen(things=6.0, stands_at=0.6).max()), 0.05)

    def test_on_every_mode_it_is_laid_as_the_picture_of_it_would_be(self) -> None:
        rng = np.random.default_rng(3)
        below, light, picture = (rng.random((33, 2100, 3), np.float32) for _ in range(3))
        picture[:, 1000:] *= 8  # a lamp in the picture gives no light back that it did not get
        fall = Fall(rng.random((33, 2100), np.float32), rng.random((33, 2100), np.float32) * 4, picture)
        for mode in MODE_NAMES:
            how: dict[str, Any] = {"mode": mode, "intensity": 0.7, "opacity": 0.9, "keep_darks": 0.2}
            out = np.empty_like(below)
            sample = LightSample(drawn=light)
            lay(below, sample, Frame.whole((2100, 33)), None, LUMINANCE, NO_LEVELS, blending(**how, opaque=False), out, fall)
            wanted = merge(below, fall.on(light), None, LUMINANCE, **how)
            np.testing.assert_allclose(out, wanted, atol=2e-5, err_msg=mode)
        most = fall.air + fall.gain
        np.testing.assert_array_less(fall.on(light), light * most[:, :, None] + 1e-5)

    def test_a_quarter_size_render_matches_the_full_render(self) -> None:
        plate = plate_of(open_plate(PLATES / "headland.jpg").at(Frame.whole((960, 640))))
        light = {"id": "fan", "kind": "fan", "spread": {"air": 0.3, "things": 12.0}}
        rig = Rig.model_validate({"lights": [light]})
        full = cv2.resize(render(plate, rig), (240, 160), interpolation=cv2.INTER_AREA)
        self.assertGreater(psnr(render(plate, rig, size=(240, 160)), np.asarray(full)), 40)

    def test_cosines_are_those_of_vectors(self) -> None:
        rng = np.random.default_rng(5)
        slopes = rng.normal(size=(20, 30, 2)).astype(np.float32)
        size, out = (30, 20), np.empty((20, 30), np.float32)
        frame = Frame.whole(size)
        y, x = np.mgrid[0:20, 0:30] + 0.5
        for origin, ways in (
            (at_place((0.2, -0.4), size), np.dstack([6.0 - x, -8.0 - y])),
            (toward(-1.0, -2.0), np.dstack([np.full((20, 30), -1.0), np.full((20, 30), -2.0)])),
        ):
            facing(slopes, origin, placement(frame, size), out)
            way = np.dstack([ways, 0.35 * np.linalg.norm(ways, axis=2)])
            way /= np.linalg.norm(way, axis=2, keepdims=True)
            normal = np.dstack([-slopes, np.ones((20, 30))])
            normal /= np.linalg.norm(normal, axis=2, keepdims=True)
            np.testing.assert_allclose(out, np.maximum((way * normal).sum(axis=2), 0), atol=1e-5)

    def test_light_comes_from_where_the_arrow_begins(self) -> None:
        """A ground gives light back below a sun, nothing above one, for every kind whose light falls from a side."""
        y = np.broadcast_to(np.linspace(0, 1, 60)[:, None], (60, 90))
        name, data = grey_file(np.clip((y - 0.1) / 0.9, 0.05, 1).astype(np.float32))
        plate = plate_of(np.full((160, 240, 3), 0.3))
        corners = [[0.4, 0.2], [0.6, 0.2], [0.7, 0.9], [0.3, 0.9]]
        cases: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
            "fan": ({"spread": {"position": [0.5, 0.2]}}, {"spread": {"position": [0.5, 1.2], "bearing": 90}}),
            "shafts": (
                {"spread": {"mode": "parallel", "angle": -90, "reach": 2}, "source": {"threshold": 0}},
                {"spread": {"mode": "parallel", "angle": 90, "reach": 2}, "source": {"threshold": 0}},
            ),
            "beam": ({"source": {"beams": [corners]}}, {"source": {"beams": [corners[2:] + corners[:2]]}}),
        }
        for kind, both in cases.items():
            lit = []
            for stages in both:
                shown = []
                for things in (0.0, 10.0):
                    spread = {**stages.get("spread", {}), "things": things}
                    light = {"id": "a", "kind": kind, "source": stages.get("source", {}), "spread": spread}
                    rig = {"lights": [light], "distance": {"origin": "file", "file": name}, "files": {name: data}}
                    shown.append(render(plate, Rig.model_validate(rig), show="stage:a:colour").mean(axis=2)[80:120, 100:140].mean())
                lit.append(float(shown[1] / max(shown[0], 1e-9)) - 1)
            self.assertGreater(lit[0], 1.0, kind)
            self.assertLess(abs(lit[1]), 0.05, kind)


class Lamps(unittest.TestCase):
    """A lamp on the form of things."""

    def setUp(self) -> None:
        y = np.linspace(0, 1, 200)[:, None]
        ground = np.broadcast_to(np.clip((y - 0.2) / 0.8, 0.02, 1), (200, 300)).astype(np.float32)
        name, data = grey_file(ground)
        self.distance: dict[str, Any] = {"distance": {"origin": "file", "file": name}, "files": {name: data}}
        self.plate = plate_of(np.full((200, 300, 3), 0.2))

    def lit(self, plate: Plate | None = None, **spread: Any) -> Floats:
        """What a matt lamp gives back, as a share of the picture, (h, w)."""
        lamp = {"id": "lamp", "kind": "lamp", "source": {"surface": "form", "fine_relief": 0}, "colour": {"temperature": 6500}}
        lamp["spread"] = {"gloss": 0, "height": 0.12, "position": [0.5, 0.6], "stands": "auto", **spread}
        seen = plate or self.plate
        rig = Rig.model_validate({"lights": [lamp], **({} if plate else self.distance)})
        return np.asarray(render(seen, rig, show="stage:lamp:colour").mean(axis=2) / np.maximum(seen.pixels.mean(axis=2), 1e-6))

    def test_over_a_ground_it_hangs_in_the_air_and_lights_before_and_behind(self) -> None:
        lit = self.lit()
        self.assertAlmostEqual(float(lit[120, 150]), 1.0, delta=0.08)
        peak = np.unravel_index(int(np.argmax(lit)), lit.shape)
        self.assertLess(abs(int(peak[0]) - 120), 12)
        self.assertGreater(float(lit[105, 150]), 0.15)
        self.assertGreater(float(lit[140, 150]), 0.15)
        np.testing.assert_allclose(lit[:, :150], lit[:, :149:-1], atol=0.02)

    def test_a_spot_gives_the_place_that_it_aims_at_its_own_light_once_more(self) -> None:
        lit = self.lit(lamp="spot", position=[0.3, 0.5], aim=[0.6, 0.7])
        self.assertAlmostEqual(float(lit[140, 180]), 1.0, delta=0.15)

    def test_a_far_lamp_lights_the_ground_from_above_alone(self) -> None:
        above, below = (float(self.lit(lamp="directional", angle=angle)[150, 150]) for angle in (90, -90))
        self.assertGreater(above, 1.0)
        self.assertLess(below, 0.05)

    def test_a_new_lamp_has_it_where_the_distance_is_known(self) -> None:
        plate = open_plate(PLATES / "headland.jpg")
        self.assertEqual(new_light("lamp", plate, Rig()).source.model_dump()["surface"], "form")
        self.assertGreater(new_light("fan", plate, Rig()).spread.model_dump()["things"], 0)
        nowhere = Rig.model_validate({"distance": {"origin": "none"}})
        self.assertEqual(new_light("lamp", plate, nowhere).source.model_dump()["surface"], "luminance")

    def test_without_a_distance_it_shines_on_what_is_flat(self) -> None:
        plate = plate_of(np.full((20, 20, 3), 0.2))
        np.testing.assert_allclose(self.lit(plate, stands="flat")[11, 9], 1.0, atol=0.05)


class Shown(unittest.TestCase):
    def test_normals_are_written_as_they_are(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            rig, out = Path(folder) / "rig.json", Path(folder) / "form.exr"
            rig.write_text('{"lights": []}')
            plate = str(PLATES / "headland.jpg")
            self.assertEqual(main(["render", plate, "--rig", str(rig), "-o", str(out), "--show", "form", "--long-edge", "300"]), 0)
            with OpenEXR.File(str(out)) as file:
                stored = file.channels()["RGB"].pixels
        normals = np.asarray(stored, np.float64) * 2 - 1
        np.testing.assert_allclose(np.linalg.norm(normals, axis=2), 1.0, atol=0.02)
        np.testing.assert_allclose(normals[10, 150], (0, 0, 1), atol=0.01)  # the sky
        self.assertGreater(float(np.median(normals[190, :150, 1])), 0.3)  # the ground looks up


if __name__ == "__main__":
    unittest.main()
