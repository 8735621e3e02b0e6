"""How far everything in a plate is, and light in the air before it."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest.mock import patch

import cv2
import imagecodecs
import numpy as np
import OpenEXR
from PIL import Image

from aurelon.cli import main
from aurelon.core import Plate, Rig, check_rig, distance_of, open_plate, open_reel, read_plate, render
from aurelon.core.codecs.shared.heif_depth import with_depth_first
from aurelon.core.errors import RigError
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.new_light import new_light
from aurelon.core.graph.renderer import Renderer
from aurelon.core.graph.standing_light import standing_at
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame
from aurelon.core.lights import kinds
from aurelon.core.lights.fan import draw
from aurelon.core.lights.lamp import lamp_of
from aurelon.core.lights.shared.air import EVERYWHERE, Air, air_of, seen_in_air
from aurelon.core.optics.depth import FOCAL, seen_of_glow
from aurelon.core.optics.shading import placement
from aurelon.core.rig.edits.remove_matte import RemoveMatte
from aurelon.core.rig.transfer import apply_rig
from aurelon.core.space.found import found_distance
from aurelon.core.space.ground import outdoors
from aurelon.core.space.standing import carried
from demo.render import BESIDE, PLATES, SCENES
from tests.heif import with_depth
from tests.pictures import Floats, grey_file, light, plate_of, psnr, rig_of, scene

APART = 1.15  # distances that differ by more are to be ordered rightly
FAN = {"id": "fan", "kind": "fan", "merge": {"mode": "add"}}


def rightly_ordered(nearness: Floats, true: Floats, pairs: int = 40_000) -> float:
    """Share of random pairs of places, of distances that differ, of which the nearer one is said to be nearer (the measure of Chen,
    Fu, Yang and Deng, "Single-Image Depth Perception in the Wild", 2016)."""
    rng = np.random.default_rng(7)
    one, other = rng.integers(0, true.size, (2, pairs))
    a, b = true.ravel()[one], true.ravel()[other]
    differ = np.maximum(a, b) > APART * np.minimum(a, b)
    said = np.sign(nearness.ravel()[one] - nearness.ravel()[other])
    return float((said == np.sign(a - b))[differ].mean())


def shore() -> Plate:
    """The demo's headland, small: a sky, a tower before it, a cliff and the sea."""
    return plate_of(open_plate(PLATES / "headland.jpg").at(Frame.whole((480, 320))))


def fan(**spread: Any) -> Rig:
    return Rig.model_validate({"lights": [{**FAN, "spread": spread}]})


class Found(unittest.TestCase):
    def test_the_demos_scenes_are_ordered_better_than_by_height_in_the_frame(self) -> None:
        for name in SCENES:
            with self.subTest(scene=name):
                true = np.asarray(Image.open(BESIDE / f"{name}-nearness.png")).astype(np.float32)
                found = found_distance(open_plate(PLATES / f"{name}.jpg"))
                nearness = np.asarray(cv2.resize(found.all_over, true.shape[::-1]), np.float32)
                lower = np.broadcast_to(np.arange(true.shape[0], dtype=np.float32)[:, None], true.shape)
                right, usual = rightly_ordered(nearness, true), rightly_ordered(lower, true)
                self.assertLessEqual(1 - right, 2 / 3 * (1 - usual))
                self.assertGreaterEqual(right, 0.8)

    def test_what_is_carried_between_two_ends_is_a_straight_line(self) -> None:
        codes = np.full((1, 41, 3), 0.5, np.float32)
        known, sure = np.zeros((1, 41), np.float32), np.zeros((1, 41), np.float32)
        known[0, -1] = 1.0
        sure[0, [0, -1]] = 1e6
        result = carried(codes, known, sure, np.zeros((1, 41), np.int32))
        np.testing.assert_allclose(result[0], np.linspace(0, 1, 41), atol=1e-4)

    def test_nothing_is_carried_from_one_region_to_another(self) -> None:
        codes = np.full((4, 10, 3), 0.5, np.float32)
        regions = np.zeros((4, 10), np.int32)
        regions[:, 5:] = 1
        known = np.where(regions == 1, np.float32(0.8), np.float32(0.2))
        result = carried(codes, known, np.full((4, 10), 0.01, np.float32), regions)
        np.testing.assert_allclose(result, known, atol=1e-5)

    def test_a_level_ground_is_linear_in_rows_below_its_horizon(self) -> None:
        codes = np.full((60, 90, 3), 0.4, np.float32)
        result = outdoors(codes, np.zeros((60, 90), np.float32), horizon=0.25).nearness
        rows = (np.arange(60) + 0.5) / 60
        below = (rows > 0.45) & (rows < 0.9)
        np.testing.assert_allclose(result[below, 45], (rows[below] - 0.25) / 0.75, atol=0.06)

    def test_what_stands_up_is_as_near_as_its_foot(self) -> None:
        codes = np.full((60, 90, 3), 0.4, np.float32)
        sky = np.zeros((60, 90), np.float32)
        sky[:24] = 1
        codes[:24] = 0.8
        codes[6:48, 40:46] = 0.05
        sky[6:24, 40:46] = 0
        found = outdoors(codes, sky)
        foot, top = float(found.nearness[46, 43]), float(found.nearness[10, 43])
        self.assertTrue(found.things[10, 43])
        self.assertFalse(found.things[10, 20])
        self.assertGreater(top, 0.5 * foot)
        self.assertGreater(top, 2 * float(found.nearness[27, 20]))

    def test_a_plate_too_small_to_tell_is_flat_and_unsure(self) -> None:
        found = distance_of(plate_of(np.full((6, 9, 3), 0.4)))
        self.assertEqual(found.sure, 0.0)
        self.assertEqual(float(np.ptp(found.nearness)), 0.0)


class Said(unittest.TestCase):
    def setUp(self) -> None:
        self.plate = shore()

    def test_the_sky_is_infinitely_far_and_the_tower_before_it_is_not(self) -> None:
        nearness, sure, origin = distance_of(self.plate)
        self.assertEqual(nearness.shape, self.plate.pixels.shape[:2])
        self.assertLess(float(nearness[10:60, 300:].max()), 0.01)
        self.assertGreater(float(nearness[140, 227]), 0.1)
        self.assertGreater(sure, 0.5)
        self.assertIn("sky", origin)

    def test_a_horizon_set_by_hand_counts_and_may_lie_outside_the_picture(self) -> None:
        for horizon in (-0.4, 0.3, 1.4):
            rig = Rig.model_validate({"distance": {"origin": "horizon", "horizon": horizon}})
            result = distance_of(self.plate, rig)
            self.assertEqual(result.sure, 1.0)
            self.assertTrue(np.isfinite(result.nearness).all())
        low = distance_of(self.plate, Rig.model_validate({"distance": {"origin": "horizon", "horizon": 0.7}})).nearness
        high = distance_of(self.plate, Rig.model_validate({"distance": {"origin": "horizon", "horizon": 0.2}})).nearness
        self.assertGreater(float(high[250:280].mean()), float(low[250:280].mean()))

    def test_a_matte_stands_where_it_is_said_to(self) -> None:
        polygon = {"part": "polygon", "corners": [[0.7, 0.1], [0.9, 0.1], [0.9, 0.4], [0.7, 0.4]]}
        matte = {"id": "board", "name": "Board", "mask": {"start": "nothing", "parts": [polygon]}}
        rig = Rig.model_validate({"mattes": [matte], "distance": {"stands": {"board": 0.7}}})
        nearness = distance_of(self.plate, rig).nearness
        self.assertAlmostEqual(float(nearness[96, 384]), 0.7, delta=1e-3)
        self.assertLess(float(nearness[60, 100]), 0.01)

    def test_where_a_matte_stands_goes_with_it(self) -> None:
        matte = {"id": "board", "name": "Board"}
        rig = Rig.model_validate({"mattes": [matte], "distance": {"stands": {"board": 0.7}}})
        left = RemoveMatte(matte="board").apply(rig)
        self.assertEqual((left.rig.distance.stands, left.notes), ({}, []))
        self.assertEqual(left.rig.notices, [])

    def test_a_matte_that_is_missing_is_named(self) -> None:
        rig = Rig.model_validate({"distance": {"stands": {"gone": 0.7}}})
        self.assertIn("the matte 'gone' is missing", rig.notices[0])

    def test_a_depth_picture_is_taken_as_it_is_or_turned_round(self) -> None:
        name, data = grey_file(np.tile(np.linspace(0, 0.9, 48, dtype=np.float32), (32, 1)))
        for near_is, first, last in (("white", 0.0, 0.9), ("black", 1.0, 0.1)):
            rig = Rig.model_validate({"files": {name: data}, "distance": {"origin": "file", "file": name, "near_is": near_is}})
            nearness = distance_of(self.plate, rig).nearness
            self.assertAlmostEqual(float(nearness[160, 2]), first, delta=0.02)
            self.assertAlmostEqual(float(nearness[160, -2]), last, delta=0.02)

    def test_without_its_depth_picture_a_plate_is_as_it_is_found(self) -> None:
        rig = Rig.model_validate({"distance": {"origin": "file", "file": "0" * 64}})
        np.testing.assert_array_equal(distance_of(self.plate, rig).nearness, distance_of(self.plate).nearness)

    def test_what_was_said_stays_with_its_plate(self) -> None:
        own = Rig.model_validate({"distance": {"origin": "horizon", "horizon": 0.31}})
        saved = Rig.model_validate({"distance": {"origin": "none"}, "lights": [FAN]})
        self.assertEqual(apply_rig(saved, own).rig.distance, own.distance)

    def test_the_short_way_to_say_it_is_read(self) -> None:
        self.assertEqual(check_rig({"distance": {"from": "found", "horizon": None}}).distance.origin, "found")
        by_hand = check_rig({"distance": {"from": "found", "horizon": 0.4}}).distance
        self.assertEqual((by_hand.origin, by_hand.horizon), ("horizon", 0.4))

    def test_the_command_line_writes_it_as_numbers(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            picture, rig, out = (Path(folder) / name for name in ("in.png", "rig.json", "out.exr"))
            codes = np.round(encode_array(np.clip(scene(), 0, 1)) * 255).astype(np.uint8)
            Image.fromarray(codes).save(picture)
            rig.write_text("{}")
            self.assertEqual(main(["render", str(picture), "--rig", str(rig), "-o", str(out), "--show", "distance"]), 0)
            written = open_plate(out).pixels
            np.testing.assert_allclose(written[:, :, 0], distance_of(open_plate(picture)).nearness, atol=2e-3)


class InTheFile(unittest.TestCase):
    """The depth that an OpenEXR file holds beside the picture."""

    def opened(self, z: Any, **more: Any) -> Plate:
        colour = np.full((40, 60, 3), 0.2, np.float32)
        channels = {**dict(zip("RGB", np.moveaxis(colour, 2, 0).copy(), strict=True)), "Z": np.asarray(z, np.float32), **more}
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "shot.exr"
            header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
            OpenEXR.File(header, channels).write(str(path))
            return open_plate(path)

    def test_it_is_the_distance_of_the_plate_and_sure(self) -> None:
        z = np.tile(np.linspace(2.0, 80.0, 60, dtype=np.float32), (40, 1))
        nearness, sure, origin = distance_of(self.opened(z))
        np.testing.assert_allclose(nearness, 2.0 / z, atol=0.02)
        self.assertEqual((sure, origin), (1.0, "the depth in its file"))

    def test_what_is_infinitely_far_is_0_and_holes_take_what_is_beside_them(self) -> None:
        z = np.full((40, 60), 4.0, np.float32)
        z[:10] = np.inf
        z[20:30, 20:30] = 8.0
        z[24, 24], z[25, 25], z[26, 26] = np.nan, 0.0, -3.0
        nearness = distance_of(self.opened(z)).nearness
        self.assertEqual(float(nearness[:10].max()), 0.0)
        np.testing.assert_allclose(nearness[20:30, 20:30], 0.5)
        np.testing.assert_allclose(nearness[31:], 1.0)

    def test_a_stray_sample_does_not_make_all_else_far(self) -> None:
        z = np.tile(np.linspace(5.0, 10.0, 60, dtype=np.float32), (40, 1))
        z[3, 3] = 1e-3
        self.assertGreater(float(distance_of(self.opened(z)).nearness[:, 0].min()), 0.95)

    def test_one_that_says_nothing_is_left_aside_and_named(self) -> None:
        for z in (np.full((40, 60), 3.0), np.full((40, 60), np.nan), np.zeros((40, 60)), np.full((40, 60), np.inf)):
            plate = self.opened(z)
            self.assertIsNone(plate.nearness)
            self.assertEqual(plate.notices, ("shot.exr holds a depth (Z) that says nothing, and it was left aside.",))

    def test_light_in_the_air_lies_by_it_and_a_horizon_by_hand_wins(self) -> None:
        z = np.full((40, 60), 1.0, np.float32)
        z[:, 30:] = 40.0
        plate = self.opened(z)
        flat, deep = (render(plate, fan(air=air), show="light:fan").mean(axis=2) for air in (EVERYWHERE, 0.3))
        there = flat > 0.02
        share = deep / np.maximum(flat, 1e-6)
        np.testing.assert_allclose(share[:, :28][there[:, :28]], 1 - np.exp(-0.3), atol=0.01)
        np.testing.assert_allclose(share[:, 32:][there[:, 32:]], 1.0, atol=0.01)
        by_hand = distance_of(plate, Rig.model_validate({"distance": {"origin": "horizon", "horizon": 0.4}}))
        self.assertEqual(by_hand.origin, "the horizon that was set")
        self.assertGreater(float(np.abs(by_hand.nearness - distance_of(plate).nearness).mean()), 0.1)
        new = new_light("fan", plate, Rig()).spread.model_dump()
        self.assertLess(new["air"], 0.4)


class BesideThePicture(unittest.TestCase):
    """The depth picture that an AVIF file holds, as phones write it: the brighter the nearer, smaller than the picture."""

    colour = np.kron(np.random.default_rng(1).integers(0, 255, (12, 16, 3)), np.ones((8, 8, 1))).astype(np.uint8)
    depth = np.tile(np.linspace(10, 250, 64)[:, None], (1, 80)).astype(np.uint8)

    def test_it_is_the_distance_of_the_plate_and_the_picture_stays_as_it_is(self) -> None:
        data = with_depth(self.colour, self.depth)
        plate = read_plate(data, "portrait.avif")
        nearness, sure, origin = distance_of(plate)
        self.assertEqual((plate.size, sure, origin), ((128, 96), 1.0, "the depth in its file"))
        wanted = cv2.resize(self.depth.astype(np.float32) / 250, nearness.shape[::-1])
        np.testing.assert_allclose(nearness, wanted, atol=0.03)
        self.assertEqual(encode_array(plate.pixels).shape, self.colour.shape)
        alone = read_plate(bytes(imagecodecs.avif_encode(self.colour, 95, speed=8, pixelformat="444")), "alone.avif")
        np.testing.assert_array_equal(plate.pixels, alone.pixels)
        self.assertIsNone(alone.nearness)

    def test_what_is_no_depth_or_says_nothing_is_left_aside(self) -> None:
        other = read_plate(with_depth(self.colour, self.depth, b"urn:example:something:else"), "other.avif")
        self.assertEqual((other.nearness, other.notices), (None, ()))
        even = read_plate(with_depth(self.colour, np.full((48, 64), 90, np.uint8)), "even.avif")
        self.assertIsNone(even.nearness)
        self.assertEqual(even.notices, ("even.avif holds a depth picture that says nothing, and it was left aside.",))

    def test_one_that_is_damaged_costs_the_picture_nothing(self) -> None:
        data = with_depth(self.colour, self.depth)
        torn = read_plate(data[:-60] + bytes(60), "torn.avif")  # the depth lies behind the picture
        self.assertEqual(torn.notices, ("torn.avif holds a depth picture that cannot be decoded, and it was left aside.",))
        np.testing.assert_array_equal(torn.pixels, read_plate(data, "portrait.avif").pixels)
        # What the file says of its items may be anything.
        start, end = data.index(b"iref") - 4, data.index(b"mdat")
        rng = np.random.default_rng(2)
        for _ in range(300):
            bad = bytearray(data)
            bad[int(rng.integers(start, end))] = int(rng.integers(256))
            with_depth_first(bytes(bad))
            with_depth_first(bytes(bad[: int(rng.integers(start, end))]))


class Standing(unittest.TestCase):
    """A light that stands as near as what is clicked."""

    plate = plate_of(np.full((60, 90, 3), 0.3, np.float32))
    halves = np.tile(np.where(np.arange(90) < 45, 0.8, 0.3).astype(np.float32), (60, 1))  # near on the left

    def renderer(self) -> Renderer:
        return Renderer(Plate(self.plate.pixels, self.plate.space, nearness=self.halves), Cache(1 << 26))

    def test_it_is_as_near_as_the_thing_there_however_the_picture_is_cropped(self) -> None:
        rig = rig_of(light("fan"), prepare={"straighten": 8.0, "crop": {"x0": 0.5, "y0": 0.0, "x1": 1.0, "y1": 0.5}})
        for place, wanted in (((0.2, 0.5), 0.8), ((0.9, 0.1), 0.3), ((-3.0, 0.5), 0.8), ((7.0, 9.0), 0.3)):
            stood = standing_at(self.renderer(), rig, "under-test", place)
            # Nearness counts from the nearest thing seen.
            self.assertAlmostEqual(stood.spread.model_dump()["stands_at"], wanted, delta=0.021, msg=str(place))

    def test_a_light_that_shines_from_within_the_picture_stands_nowhere(self) -> None:
        with self.assertRaisesRegex(RigError, "has no distance of its own"):
            standing_at(self.renderer(), rig_of(light("bloom")), "under-test", (0.5, 0.5))

    def test_what_is_nearer_is_tinted_and_nothing_where_the_light_is_foremost(self) -> None:
        renderer = self.renderer()
        for stands_at, left, right in ((0.5, True, False), (0.1, True, True), (1.0, False, False)):
            rig = rig_of(light("fan", spread={"stands_at": stands_at}))
            change = np.abs(renderer.render(rig, show="cut:under-test") - renderer.render(rig)).max(axis=2)
            self.assertEqual((float(change[:, :40].min()) > 0.05, float(change[:, 50:].min()) > 0.05), (left, right), stands_at)


class InTheAir(unittest.TestCase):
    def test_of_light_in_the_air_as_much_is_seen_as_the_law_says(self) -> None:
        nearness = np.array([[1.0, 0.5, 0.1, 0.01, 0.0]], np.float32)
        seen = seen_in_air(nearness, Air(0.35, 1.0))
        expected = [1 - np.exp(-0.35), 1 - np.exp(-0.7), 1 - np.exp(-3.5), 1.0, 1.0]
        np.testing.assert_allclose(seen[0], expected, atol=1e-6)

    def test_what_is_nearer_than_a_light_hides_it_softly(self) -> None:
        seen = seen_in_air(np.array([[0.2, 0.5, 0.53, 0.9]], np.float32), Air(EVERYWHERE, 0.5))
        np.testing.assert_allclose(seen[0], [1.0, 1.0, 0.5, 0.0], atol=1e-4)

    def test_lights_as_they_were_know_no_distance(self) -> None:
        for name, kind in kinds().items():
            self.assertIsNone(air_of(kind.spread_settings()), name)
            self.assertFalse(kind.uses_distance(kind.spread_settings()), name)
        plate = shore()
        flat = Rig.model_validate({"lights": [FAN], "distance": {"origin": "none"}})
        np.testing.assert_array_equal(render(plate, fan()), render(plate, flat))

    def test_a_lamp_in_the_haze_lights_the_air_about_itself_whatever_is_near(self) -> None:
        spread = kinds()["shafts"].spread_settings
        self.assertIsNone(air_of(spread.model_validate({"air": 0.3, "stands": "within"})))
        self.assertEqual(air_of(spread.model_validate({"air": 0.3})), Air(0.3, 1.0))

    def test_a_light_lies_in_the_air_by_the_nearness_of_what_is_behind_it(self) -> None:
        plate = shore()
        before = render(plate, Rig())
        flat, deep = render(plate, fan()) - before, render(plate, fan(air=0.3)) - before
        share = deep.mean(axis=2) / np.maximum(flat.mean(axis=2), 1e-6)
        lit = flat.mean(axis=2) > 0.02
        expected = 1 - np.exp(-0.3 / np.maximum(distance_of(plate).nearness, 1e-4))
        np.testing.assert_allclose(share[lit], expected[lit], atol=0.01)
        # Its pass and its stages say the same.
        for show in ("light:fan", "stage:fan:spread", "stage:fan:colour"):
            alone, whole = render(plate, fan(air=0.3), show=show), render(plate, fan(), show=show)
            there = whole.mean(axis=2) > 0.02
            np.testing.assert_allclose(
                (alone.mean(axis=2) / np.maximum(whole.mean(axis=2), 1e-6))[there], expected[there], atol=0.01
            )

    def test_a_preview_in_the_air_is_the_export_smaller(self) -> None:
        plate = plate_of(scene(1440, 960))
        for kind in ("shafts", "fan", "beam", "line"):
            rig = Rig.model_validate({"lights": [{"id": "a", "kind": kind, "spread": {"air": 0.3}}]})
            whole = encode_array(np.ascontiguousarray(render(plate, rig)))
            small = encode_array(np.ascontiguousarray(render(plate, rig, size=(360, 240))))
            reduced = whole.reshape(240, 4, 360, 4, 3).mean(axis=(1, 3))
            self.assertGreater(psnr(small, reduced), 38.0, kind)

    def test_a_change_of_the_distance_is_seen_though_pictures_are_kept(self) -> None:
        plate, cache = shore(), Cache(1 << 28)
        seen: list[Floats] = []
        for distance in (
            {"origin": "none"},
            {"origin": "found"},
            {"origin": "horizon", "horizon": 0.2},
            {"origin": "horizon", "horizon": 0.5},
        ):
            rig = fan(air=0.3).model_copy(update={"distance": Rig.model_validate({"distance": distance}).distance})
            kept, anew = (render(plate, rig, size=(240, 160), cache=one) for one in (cache, None))
            np.testing.assert_array_equal(kept, anew)
            self.assertFalse(any(np.array_equal(kept, other) for other in seen))
            seen.append(np.asarray(kept))

    def test_light_travels_once_however_the_air_is_changed(self) -> None:
        plate, cache = shore(), Cache(1 << 28)
        with patch("aurelon.core.lights.fan.draw", wraps=draw) as drawn:
            for air in (0.3, 0.5, 0.3):
                kept = render(plate, fan(air=air), size=(240, 160), cache=cache)
                np.testing.assert_array_equal(kept, render(plate, fan(air=air), size=(240, 160)))
        self.assertEqual(drawn.call_count, 1 + 3)  # once for all that is kept, and for each that is not

    def test_frames_of_a_reel_are_flat_so_that_nothing_pops(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for number in range(2):
                Image.fromarray(np.full((60, 90, 3), 90 + number, np.uint8)).save(Path(folder) / f"{number:04d}.png")
            reel = open_reel(folder)
            np.testing.assert_array_equal(render(reel, fan(air=0.3), frame=1), render(reel, fan(), frame=1))
            reel.close()


class LampsInDepth(unittest.TestCase):
    """A lamp that stands somewhere in the distance of the plate."""

    HEIGHT, PLACE = 0.12, (0.4, 0.55)

    def setUp(self) -> None:
        name, data = grey_file(np.tile(np.linspace(0.1, 1.0, 96, dtype=np.float32), (64, 1)))
        self.files = {name: data}
        self.file = name
        self.plate = plate_of(np.full((64, 96, 3), 0.2))

    def lit(self, plate: Plate | None = None, **spread: Any) -> Floats:
        """What a matt lamp gives back, as a share of the picture, (h, w)."""
        lamp = {"id": "lamp", "kind": "lamp", "source": {"fine_relief": 0}, "colour": {"temperature": 6500}}
        lamp["spread"] = {"gloss": 0, "height": self.HEIGHT, "position": list(self.PLACE), "range": 0.8, **spread}
        data: dict[str, Any] = {"lights": [lamp]}
        if plate is None:
            data |= {"files": self.files, "distance": {"origin": "file", "file": self.file}}
        seen = plate or self.plate
        return np.asarray(render(seen, Rig.model_validate(data), show="stage:lamp:colour").mean(axis=2) / seen.pixels.mean(axis=2))

    def test_what_lies_before_or_behind_it_is_as_far_as_by_a_pinhole(self) -> None:
        flat, deep = self.lit(), self.lit(stands="set", nearness=0.5)
        y, x = np.mgrid[0:64, 0:96] + 0.5
        length = float(np.hypot(96, 64))
        aside2 = ((x - self.PLACE[0] * 96) ** 2 + (y - self.PLACE[1] * 64) ** 2) / length**2
        nearness = distance_of(
            self.plate, Rig.model_validate({"files": self.files, "distance": {"origin": "file", "file": self.file}})
        )
        behind = np.abs(FOCAL * (0.5 / nearness.nearness - 1))
        near2, far2 = aside2 + self.HEIGHT**2, aside2 + (self.HEIGHT + behind) ** 2
        window = np.maximum(1 - far2**2 / 0.8**4, 0) / np.maximum(1 - near2**2 / 0.8**4, 1e-6)
        there = flat > 0.01
        np.testing.assert_allclose((deep / np.maximum(flat, 1e-6))[there], (near2 / far2 * window)[there], atol=2e-3)

    def test_its_light_reaches_no_sky_and_leaves_what_is_below_it_as_it_was(self) -> None:
        plate = shore()
        flat, deep = (self.lit(plate, stands=stands, position=[0.4, 0.6], range=2.0) for stands in ("flat", "auto"))
        self.assertGreater(float(flat[20:60, 300:].min()), 0.005)
        self.assertLess(float(deep[20:60, 300:].max()), 1e-3)
        np.testing.assert_allclose(deep[192, 192], flat[192, 192], rtol=0.12)

    def test_before_the_sky_it_stands_on_the_first_thing_below_it(self) -> None:
        plate = shore()
        nearness = distance_of(plate).nearness
        column = nearness[40:, 120]
        below = float(column[np.argmax(column > 0.05) :][:9].max())
        ways: list[dict[str, Any]] = [{"stands": "auto"}, {"stands": "set", "nearness": below}]
        deep, expected = (self.lit(plate, position=[0.25, 0.125], **stands) for stands in ways)
        there = expected > 0.05
        self.assertGreater(float(there.mean()), 0.01)
        np.testing.assert_allclose(deep[there], expected[there], rtol=0.3)

    def test_of_its_glow_as_much_is_seen_as_lies_before_things(self) -> None:
        nearness = np.array([[1.0, 0.7, 0.5, 0.3, 0.05]], np.float32)
        lamp = lamp_of(kinds()["lamp"].spread_settings.model_validate({"position": [0.2, 0.5], "height": 0.1}), (5, 1))
        seen = np.empty_like(nearness)
        to = placement(Frame.whole((5, 1)), (5, 1))
        seen_of_glow(nearness, lamp, np.float32(0.5), to, seen)
        for x in range(5):
            aside = abs(float(lamp.x) - (x + 0.5) * float(to.across))
            end = 0.1 + FOCAL * (0.5 / float(nearness[0, x]) - 1)
            z = np.linspace(-4000 * aside, end, 2_000_001)
            whole = np.pi / aside
            self.assertAlmostEqual(float(seen[0, x]), float(np.trapezoid(1 / (aside**2 + z**2), z)) / whole, delta=2e-3)

    def test_a_new_lamp_stands_in_the_picture_where_it_is_known_what_is_near(self) -> None:
        known, unsure = (new_light("lamp", open_plate(PLATES / f"{name}.jpg"), Rig()) for name in ("headland", "boatshed"))
        self.assertEqual([light.spread.model_dump()["stands"] for light in (known, unsure)], ["auto", "flat"])

    def test_parts_and_smaller_pictures_are_those_of_the_whole(self) -> None:
        plate = plate_of(scene(1440, 960))
        lamp = {"id": "a", "kind": "lamp", "spread": {"stands": "auto", "haze": 0.4, "position": [0.4, 0.7]}}
        rig = Rig.model_validate({"lights": [lamp]})
        whole = encode_array(np.ascontiguousarray(render(plate, rig)))
        small = encode_array(np.ascontiguousarray(render(plate, rig, size=(360, 240))))
        self.assertGreater(psnr(small, whole.reshape(240, 4, 360, 4, 3).mean(axis=(1, 3))), 38.0)
        part = encode_array(np.ascontiguousarray(render(plate, rig, region=(360, 480, 1080, 960))))
        np.testing.assert_allclose(part, whole[480:960, 360:1080], atol=2 / 255)

    def test_another_distance_moves_its_light(self) -> None:
        plate, cache = shore(), Cache(1 << 28)
        lamp = {"id": "a", "kind": "lamp", "spread": {"stands": "auto", "position": [0.4, 0.7]}}
        seen: list[Floats] = []
        for distance in ({"origin": "none"}, {"origin": "horizon", "horizon": 0.2}, {"origin": "horizon", "horizon": 0.6}):
            rig = Rig.model_validate({"lights": [lamp], "distance": distance})
            kept, anew = (render(plate, rig, size=(240, 160), cache=one) for one in (cache, None))
            np.testing.assert_array_equal(kept, anew)
            self.assertFalse(any(np.array_equal(kept, other) for other in seen))
            seen.append(np.asarray(kept))


class FirstSettings(unittest.TestCase):
    def test_a_new_light_in_the_air_lies_in_thin_air_where_it_is_known_what_is_near(self) -> None:
        plate = open_plate(PLATES / "headland.jpg")
        thin = new_light("fan", plate, Rig()).spread.model_dump()["air"]
        flat = new_light("fan", plate, Rig.model_validate({"distance": {"origin": "none"}})).spread.model_dump()["air"]
        unsure = new_light("fan", open_plate(PLATES / "boatshed.jpg"), Rig()).spread.model_dump()["air"]
        self.assertLess(thin, 0.4)
        self.assertEqual((flat, unsure), (EVERYWHERE, EVERYWHERE))


if __name__ == "__main__":
    unittest.main()
