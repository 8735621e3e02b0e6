"""Reducing, enlarging, keeping and drafting: the ground that every light stands on."""

from __future__ import annotations

import gc
import sys
import threading
import unittest
import weakref
from dataclasses import replace
from functools import partial
from typing import Any
from unittest import mock

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import BSpline

from aurelon.core import Plate, Renderer, render
from aurelon.core.graph.cache import Cache, Layered
from aurelon.core.graph.renderer import seen_frame, shown
from aurelon.core.graph.resolve import WORKING_EDGE, resolve
from aurelon.core.imaging.colour_matrix import NEUTRAL, mixed
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.imaging.memory import keep_freed
from aurelon.core.imaging.merging import lay
from aurelon.core.imaging.noise import Moment, lattice_of, moment, noise_in
from aurelon.core.imaging.picture_rows import PictureRows
from aurelon.core.imaging.reduce import reduce_to
from aurelon.core.imaging.rgb_space import DISPLAY_P3, SRGB, SRGB_CURVE
from aurelon.core.imaging.screen import encode_jpeg, encode_png, to_screen
from aurelon.core.lights import kinds
from aurelon.core.lights.shared.highlights import HighlightSource, highlights
from aurelon.core.lights.shared.kind import Reading
from aurelon.core.lights.starburst import FINEST_EDGE
from aurelon.core.optics import rays as ray_geometry
from aurelon.core.optics import transport
from aurelon.core.optics.ray_sampling import sampled
from aurelon.core.optics.rays import parallel_rays, polar_rays
from aurelon.core.optics.transport import march
from tests.pictures import (
    FILES,
    MATTE,
    Floats,
    every_kind,
    every_part,
    light,
    masked_rig,
    plate_of,
    psnr,
    renderer_of,
    rig_of,
    scene,
    stroke,
)


class Reducing(unittest.TestCase):
    def test_it_is_the_mean_of_the_area_at_any_ratio(self) -> None:
        pixels = scene(311, 207)
        for size in ((100, 70), (310, 206), (37, 207), (1, 1)):
            wanted = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
            np.testing.assert_allclose(reduce_to(pixels, Frame.whole(size)), wanted, atol=2e-5)

    def test_the_mean_of_the_picture_is_kept(self) -> None:
        pixels = scene(311, 207)
        for size in ((100, 69), (13, 7)):
            np.testing.assert_allclose(reduce_to(pixels, Frame.whole(size)).mean((0, 1)), pixels.mean((0, 1)), rtol=1e-4)

    def test_a_part_is_that_part_of_the_whole(self) -> None:
        pixels = scene(311, 207)
        whole = reduce_to(pixels, Frame.whole((90, 61)))
        np.testing.assert_allclose(reduce_to(pixels, Frame(90, 61, 20, 7, 55, 50)), whole[7:50, 20:55], atol=1e-6)

    def test_highlights_are_measured_before_they_are_reduced(self) -> None:
        pixels = scene(300, 200)
        level = pixels @ SRGB.luminance
        code = np.where(level <= 0.0031308, 12.92 * level, 1.055 * np.minimum(level, 1) ** (1 / 2.4) - 0.055)
        t = np.clip((code - 0.4) / 0.2, 0, 1)
        w = t * t * (3 - 2 * t)
        full = np.dstack([pixels * w[:, :, None], w]).astype(np.float32)
        wanted = full.reshape(50, 4, 75, 4, 4).mean(axis=(1, 3))
        got = highlights(
            Reading(PictureRows.of(pixels), SRGB, None), HighlightSource(threshold=0.4, knee=0.2), Frame.whole((75, 50))
        )
        np.testing.assert_allclose(got, wanted, atol=3e-5)


class Enlarging(unittest.TestCase):
    def test_it_is_the_uniform_cubic_b_spline(self) -> None:
        grid = np.random.default_rng(2).random((1, 12, 3)).astype(np.float32)
        got = enlarge_to(np.repeat(grid, 4, axis=0), Frame.whole((60, 20)))[10, :, 0]
        padded = np.pad(grid[0, :, 0].astype(float), 3, mode="edge")
        spline = BSpline(np.arange(len(padded) + 4) - 2.0, padded, 3)
        place = (np.arange(60) + 0.5) * 12 / 60 - 0.5 + 3
        np.testing.assert_allclose(got, spline(place), atol=1e-5)

    def test_a_flat_grid_stays_flat_and_nothing_goes_below_zero(self) -> None:
        for channels in (3, 4):
            flat = np.full((7, 9, channels), 0.37, np.float32)
            np.testing.assert_allclose(enlarge_to(flat, Frame.whole((101, 83))), 0.37, atol=1e-6)
        spike = np.zeros((9, 9, 3), np.float32)
        spike[4, 4] = 1
        self.assertGreaterEqual(float(enlarge_to(spike, Frame.whole((90, 90))).min()), 0.0)

    def test_a_part_is_that_part_of_the_whole(self) -> None:
        grid = scene(48, 32)
        whole = enlarge_to(grid, Frame.whole((301, 203)))
        for part in (Frame(301, 203, 0, 0, 40, 30), Frame(301, 203, 250, 170, 301, 203), Frame(301, 203, 90, 60, 91, 61)):
            np.testing.assert_allclose(enlarge_to(grid, part), whole[part.y0 : part.y1, part.x0 : part.x1], atol=1e-6)


class Keeping(unittest.TestCase):
    def test_the_least_recently_used_goes_first(self) -> None:
        cache, result = Cache(3 * 400), []

        def make(name: str) -> Floats:
            result.append(name)
            return np.zeros(100, np.float32)

        for name in ("a", "b", "c", "a", "d", "a", "b"):
            cache.get(name, partial(make, name))
        self.assertEqual(result, ["a", "b", "c", "d", "b"])

    def test_a_cache_over_another_takes_what_is_there_and_adds_nothing_to_it(self) -> None:
        beneath = Cache(1000)
        there = beneath.get("there", lambda: np.zeros(10, np.float32))
        cache = Layered(1000, beneath)
        self.assertIs(cache.get("there", lambda: np.ones(10, np.float32)), there)
        own = cache.get("own", lambda: np.ones(10, np.float32))
        self.assertIs(cache.peek("own"), own)
        self.assertIs(cache.peek("there"), there)
        self.assertIsNone(beneath.peek("own"))
        self.assertIsNone(Layered(1000, None).peek("there"))

    def test_what_is_larger_than_the_cache_is_made_each_time(self) -> None:
        cache = Cache(100)
        first, second = (cache.get("large", lambda: np.zeros(100, np.float32)) for _ in range(2))
        self.assertIsNot(first, second)

    def test_what_is_larger_than_the_cache_drives_nothing_out(self) -> None:
        cache = Cache(1000)
        small = cache.get("small", lambda: np.zeros(100, np.float32))
        cache.get("large", lambda: np.zeros(1000, np.float32))
        self.assertIs(cache.peek("small"), small)
        self.assertEqual(cache.nbytes, small.nbytes)

    def test_threads_see_whole_values(self) -> None:
        cache, seen = Cache(1 << 20), []

        def work() -> None:
            for k in range(200):
                seen.append(float(cache.get(k % 7, partial(np.full, 50, k % 7, np.float32)).sum()) / 50 == k % 7)

        threads = [threading.Thread(target=work) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertTrue(all(seen) and len(seen) == 800)

    def test_what_was_begun_before_everything_is_forgotten_is_not_kept(self) -> None:
        cache, old, new = Cache(1000), np.zeros(2), np.ones(2)

        def overtaken() -> np.ndarray[Any, Any]:
            cache.clear()
            return old

        self.assertIs(cache.get("a", overtaken), old)
        self.assertEqual(cache.nbytes, 0)
        self.assertIs(cache.get("a", lambda: new), new)
        self.assertIs(cache.get("a", lambda: old), new)

    def test_freed_memory_is_kept_on_this_system(self) -> None:
        self.assertTrue(keep_freed())


class Rendering(unittest.TestCase):
    def test_bands_make_up_the_whole_for_every_kind(self) -> None:
        plate = plate_of(scene(1600, 1400))  # more than one band
        for kind in every_kind():
            rig = rig_of(light(kind))
            bands = list(Renderer(plate).bands(rig, seen_frame(plate, rig)))
            self.assertGreater(len(bands), 1)
            together = np.concatenate([pixels for _, pixels in bands])
            np.testing.assert_allclose(together, render(plate, rig, cache=Cache(1 << 30)), atol=3e-6, err_msg=kind)

    def test_7_each_light_is_merged_once_a_band_even_where_all_look_at_what_is_below(self) -> None:
        plate = plate_of(scene(300, 200))
        rig = rig_of(*({**light("velvet"), "id": f"veil-{k}"} for k in range(6)))
        with mock.patch("aurelon.core.graph.light_nodes.lay", wraps=lay) as laid:
            (_,) = renderer_of(plate).bands(rig, seen_frame(plate, rig))
        on_the_band = [call for call in laid.call_args_list if call.args[0].shape == (200, 300, 3)]
        self.assertEqual(len(on_the_band), 6)

    def test_resolving_and_asking_again_is_linear_in_lights(self) -> None:
        # The steps taken, not the time: calls of Python functions for a rig of 64 lights, a light, as for one of 8.
        plate = plate_of(scene(120, 80))
        renderer, steps = renderer_of(plate), {}
        for count in (8, 64):
            kind = ("bloom", "shafts", "velvet", "line")
            lights = [{**light(kind[k % 4], look_at="below"), "id": f"light-{k}"} for k in range(count)]
            rig = rig_of(*lights)
            first = renderer.part(rig, Frame.whole((60, 40)))
            calls = 0

            def count_calls(frame: Any, event: str, argument: Any) -> None:
                nonlocal calls
                calls += event == "call"

            again = rig_of(*lights)
            sys.setprofile(count_calls)
            try:
                shown = renderer.part(again, Frame.whole((60, 40)))
            finally:
                sys.setprofile(None)
            np.testing.assert_array_equal(shown, first)
            steps[count] = calls / count
        self.assertLess(steps[64], 1.1 * steps[8], str(steps))

    def test_a_frame_of_a_reel_has_nodes_of_its_own(self) -> None:
        plate, rig = plate_of(scene(60, 40)), rig_of(light("bloom"), light("line") | {"id": "made"}, prepare={"exposure": 1})
        first, second = (resolve(replace(plate, frame=n), rig) for n in (0, 1))
        again = resolve(plate, rig)
        for name in ("original", "prepared", "base", "result"):
            self.assertEqual(getattr(first, name).digest, getattr(again, name).digest)
            self.assertNotEqual(getattr(first, name).digest, getattr(second, name).digest, name)
        bloom, result = first.lights
        self.assertNotEqual(bloom.field.digest, second.lights[0].field.digest)
        self.assertEqual(result.field.digest, second.lights[1].field.digest)  # a light that reads no picture is the same

    def test_what_was_evaluated_is_gone_as_soon_as_it_is_let_go(self) -> None:
        plate = plate_of(scene(60, 40))
        gc.disable()
        self.addCleanup(gc.enable)
        for part in every_part():
            for kind in every_kind():
                lit = {**light(kind), "mask": masked_rig(part).stack[0].mask.model_dump()}
                rig = rig_of(lit, mattes=[MATTE], files=FILES)
                # Compiling a kernel leaves cycles of its own, so everything is compiled before.
                Renderer(plate, Cache(1 << 24)).part(rig, Frame.whole(plate.size))
                renderer = Renderer(plate, Cache(1 << 24))
                with renderer.working(rig) as now:
                    shown(now, "result", Frame.whole(plate.size))
                held = [weakref.ref(thing) for thing in (now.graph, now.work)]
                del now
                self.assertEqual([ref() for ref in held], [None, None], f"{kind}, {part['part']}")

    def test_a_draft_is_close_to_the_exact_picture(self) -> None:
        plate = plate_of(scene(1200, 800))
        for kind in every_kind():
            exact, draft = (
                render(plate, rig_of(light(kind)), size=(600, 400), cache=Cache(1 << 28), draft=draft) for draft in (False, True)
            )
            self.assertGreater(psnr(draft, exact), 33, kind)

    def test_a_region_outside_the_picture_is_refused(self) -> None:
        for region in ((0, 0, 999, 10), (5, 5, 5, 9), (-1, 0, 5, 5)):
            with self.assertRaises(ValueError):
                render(plate_of(scene(60, 40)), rig_of(), region=region)

    def test_sizes_fit_within_an_edge_and_are_never_enlarged(self) -> None:
        self.assertEqual(fit_within((3000, 2000), 1500), (1500, 1000))
        self.assertEqual(fit_within((300, 200), 1500), (300, 200))
        self.assertEqual(fit_within((4000, 1), 100), (100, 1))


class Screens(unittest.TestCase):
    def test_wide_colours_are_brought_to_srgb(self) -> None:
        srgb = scene(90, 60)
        matrix = SRGB.matrix_to(DISPLAY_P3)
        assert matrix is not None
        shown = [to_screen(np.ascontiguousarray(p), space) for p, space in ((srgb, SRGB), (srgb @ matrix.T, DISPLAY_P3))]
        self.assertLessEqual(int(np.abs(shown[0].astype(int) - shown[1]).max()), 1)

    def test_exact_frames_are_lossless_and_drafts_nearly(self) -> None:
        picture = to_screen(scene(90, 60), SRGB)
        png = cv2.imdecode(np.frombuffer(encode_png(picture), np.uint8), cv2.IMREAD_COLOR)
        assert png is not None
        np.testing.assert_array_equal(png[:, :, ::-1], picture)
        jpeg = cv2.imdecode(np.frombuffer(encode_jpeg(picture, 95), np.uint8), cv2.IMREAD_COLOR)
        assert jpeg is not None
        self.assertLess(float(np.abs(jpeg[:, :, ::-1].astype(int) - picture).mean()), 3)

    def test_a_neutral_tint_changes_nothing(self) -> None:
        np.testing.assert_array_equal(mixed(scene(60, 40), NEUTRAL.light), scene(60, 40))


class Rays(unittest.TestCase):
    def test_a_fan_from_within_goes_all_the_way_round_and_reaches_every_corner(self) -> None:
        rays = polar_rays((100, 80), (300, 200))
        self.assertTrue(rays.whole)
        self.assertAlmostEqual(rays.count * rays.pitch, 2 * np.pi)
        self.assertGreaterEqual(rays.distances()[-1], np.hypot(200, 120))

    def test_a_fan_from_outside_covers_the_frame_and_no_more_than_it_needs(self) -> None:
        rays = polar_rays((150, -400), (300, 200))
        self.assertFalse(rays.whole)
        self.assertLess(rays.count * rays.pitch, 0.9)
        first, last = rays.first, rays.first + (rays.count - 1) * rays.pitch
        for x, y in ((0, 0), (300, 0), (0, 200), (300, 200)):
            turn = np.arctan2(y + 400, x - 150) - rays.middle
            self.assertTrue(first <= turn <= last)
        self.assertAlmostEqual(rays.start, 400)

    def test_a_bundle_covers_the_frame_at_any_angle(self) -> None:
        for angle in (0, 37, 90, -135):
            rays = parallel_rays(angle, (300, 200))
            across = np.array([-np.sin(rays.middle), np.cos(rays.middle)])
            for corner in ((-150, -100), (150, -100), (-150, 100), (150, 100)):
                self.assertTrue(rays.first <= across @ corner <= rays.first + (rays.count - 1) * rays.pitch)

    def test_what_of_rays_lies_outside_the_frame_is_never_looked_at(self) -> None:
        width, height = 300, 200
        emission = np.ascontiguousarray(np.dstack([scene(width, height), scene(width, height)[:, :, :1]]))
        places = [(100, 80), (0, 0), (299.9, 0.1), (-1, 100), (150, -0.5), (301, 201), (150, -400), (-900, 90), (4000, 3000)]
        bundles = [polar_rays(place, (width, height)) for place in places]
        bundles += [parallel_rays(angle, (width, height)) for angle in (0, 37, 90, -135)]

        def light(rays: ray_geometry.Rays, softness: float) -> Floats:
            even = np.ones(rays.count, np.float32), np.ones(rays.steps, np.float32), np.ones(rays.steps, np.float32)
            field = march(emission, rays, *even, reach=100, blocking=0.02, softness=softness)
            return sampled(field, rays, Frame.whole((width, height)))

        def unwritten(shape: tuple[int, ...], kind: type = float) -> NDArray[Any]:
            return np.full(shape, np.nan if np.issubdtype(kind, np.floating) else 0, kind)

        for rays in bundles:
            for softness in (0.0, 0.01, 0.2):
                # First, as no kernel can be loaded while its arrays begin as no numbers.
                with mock.patch.object(transport, "_needed", return_value=np.full((3, rays.count), rays.steps)):
                    whole = light(rays, softness)
                with mock.patch.object(np, "empty", unwritten):
                    np.testing.assert_allclose(light(rays, softness), whole, rtol=1e-4, atol=1e-5)


NOW = moment(7, 0.0, 0.0)


def noise_at(x: float, y: float, now: Moment) -> float:
    return float(noise_in(np.float32(x), np.float32(y), lattice_of((x, y), (x, y), now)))


class Noise(unittest.TestCase):
    def test_a_pattern_turns_into_the_next_without_a_jump_and_holds_still_at_none(self) -> None:
        self.assertEqual(moment(7, 0.0, 99.0), moment(7, 1.0, 0.0))
        place = 3.3, 5.7

        def at(seconds: float) -> float:
            return noise_at(*place, moment(7, 2.0, seconds))

        times = np.arange(0, 3, 1 / 240)
        values = np.array([at(float(t)) for t in times])
        self.assertLess(float(np.abs(np.diff(values)).max()), 0.02)
        self.assertGreater(float(np.ptp(values)), 0.2)
        # Two patterns a second: at whole halves the noise is that of a seed alone.
        self.assertEqual(moment(7, 2.0, 1.5).share, 0)
        self.assertEqual(moment(7, 2.0, 1.5).seed, moment(7, 2.0, 1.25).later)

    def test_every_pattern_that_drifts_drifts_and_nothing_else_changes(self) -> None:
        plate = plate_of(scene(90, 60))
        later = replace(plate, seconds=0.3)
        found = []
        for kind in every_kind():
            lit = {**light(kind), **kinds()[kind].seen_by(plate), "id": "under-test"}
            rig = rig_of(lit)
            np.testing.assert_array_equal(render(later, rig), render(plate, rig), kind)
            for stage in ("source", "spread"):
                group = getattr(rig.stack[0], stage)
                if "evolution" not in type(group).model_fields:
                    continue
                found.append(kind)
                shown = {"unevenness": 1.0, "dust": 1.0, "ripple": 0.02, "haze": 1.0}
                more = {name: value for name, value in shown.items() if name in type(group).model_fields}
                moving = rig.with_light(
                    rig.stack[0].model_copy(update={stage: group.model_copy(update={"evolution": 1.0, **more})})
                )
                still = rig.with_light(rig.stack[0].model_copy(update={stage: group.model_copy(update=more)}))
                np.testing.assert_array_equal(render(plate, moving), render(plate, still), kind)
                self.assertGreater(float(np.abs(render(later, moving) - render(plate, moving)).max()), 1e-4, kind)
        self.assertEqual(sorted(found), ["beam", "fan", "glints", "line", "shafts", "strokes", "water"])

    def test_it_is_the_same_from_a_table_of_any_part_of_the_plane(self) -> None:
        whole = lattice_of((-9, -9), (9, 9), NOW)
        for x, y in [*np.random.default_rng(4).uniform(-9, 9, (400, 2)), (0.0, 0.0), (1.0, -1.0), (8.999, 8.999)]:
            place = np.float32(x), np.float32(y)
            self.assertAlmostEqual(noise_in(*place, whole), noise_in(*place, lattice_of((x, y), (x, y), NOW)), delta=1e-5)

    def test_it_is_even_over_its_range_and_continuous(self) -> None:
        table = lattice_of((0, 3.3), (400, 3.3), NOW)
        line = np.array([noise_in(np.float32(x), np.float32(3.3), table) for x in np.arange(0, 400, 0.01)])
        self.assertLess(float(np.abs(np.diff(line)).max()), 0.02)
        self.assertAlmostEqual(float(line.mean()), 0.5, delta=0.05)
        self.assertTrue(0 <= line.min() < 0.15 and 0.85 < line.max() <= 1)


class AtFullSize(unittest.TestCase):
    """At one to one on a large plate a light is what it is on a grid of twice the fineness."""

    def test_crops_at_one_to_one_match_double_the_grid_to_40_db(self) -> None:
        small = scene(1500, 1000)
        small[180:190, 700:710] = 4.0
        large = np.asarray(cv2.resize(small, (6000, 4000), interpolation=cv2.INTER_LINEAR), np.float32)
        plate = Plate(large, SRGB, key="large")
        settings: dict[str, dict[str, Any]] = {
            "shafts": {"spread": {"position": [0.47, 0.185]}},
            "strokes": {"source": {"strokes": [stroke((0.4, 0.15), (0.55, 0.2))]}},
        }
        region = (2600, 500, 3100, 900)
        for name in every_kind():
            if name == "picture":
                continue
            rig = rig_of(light(name, **settings.get(name, {})))
            result = []
            for finer in (1, 2):
                with (
                    mock.patch("aurelon.core.graph.resolve.WORKING_EDGE", WORKING_EDGE * finer),
                    mock.patch("aurelon.core.lights.starburst.FINEST_EDGE", FINEST_EDGE * finer),
                ):
                    lit = np.clip(render(plate, rig, region=region), 0, 1)
                result.append(np.asarray(SRGB_CURVE.encode(lit), np.float64))
            self.assertLess(float(((result[0] - result[1]) ** 2).mean()), 1e-4, name)
