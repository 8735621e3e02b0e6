"""Lights that are made: no seam, no lost light, the same at any size, and what is awkward."""

from __future__ import annotations

import base64
import hashlib
import io
import unittest
from typing import Any, ClassVar

import cv2
import numpy as np
from PIL import Image

from aurelon.core import Plate, render
from aurelon.core.graph.new_light import new_light
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.perspective import to_square, unfolded
from aurelon.core.imaging.texture import lay, pyramid
from aurelon.core.lights import fan, line, water
from tests.pictures import Floats, light, plate_of, psnr, renderer_of, rig_of, scene, stroke

BLACK = np.zeros((320, 480, 3))


def shown(kind: str, plate: Plate | None = None, size: tuple[int, int] | None = None, **stages: Any) -> Floats:
    """The light itself, (h, w), white."""
    plain = {"colour": {"origin": "plate"}, **stages}
    rig = rig_of(light(kind, **plain))
    return render(plate or plate_of(BLACK), rig, size=size, show="stage:under-test:colour")[:, :, 1]


class Fan(unittest.TestCase):
    def test_there_is_no_seam_anywhere(self) -> None:
        for style in ("rays", "clouds"):
            for seed in range(4):
                for count in (3, 24, 200):
                    table = fan.pattern(fan.Source(style=style, seed=seed, count=count))
                    steps = np.abs(np.diff(np.concatenate([table, table[:, :1]], axis=1), axis=1))
                    # The step over the seam is not above the largest of the others.
                    self.assertLessEqual(float(steps[:, -1].max()), float(steps[:, :-1].max()) + 1e-6)

    def test_the_light_round_the_point_has_no_seam_either(self) -> None:
        result = shown("fan", spread={"position": [0.5, 0.5], "opening": 360, "start": 0.0, "reach": 3.0})
        turn = np.linspace(-np.pi, np.pi, 1441)[:-1]
        x, y = 240 + 120 * np.cos(turn), 160 - 120 * np.sin(turn)
        ring = cv2.remap(result, x.astype(np.float32)[None] - 0.5, y.astype(np.float32)[None] - 0.5, cv2.INTER_LINEAR)[0]
        steps = np.abs(np.diff(np.concatenate([ring, ring[:1]])))
        self.assertLessEqual(max(steps[-1], steps[0]), np.sort(steps)[-10])

    def test_only_the_opening_is_lit_and_it_turns_with_the_bearing(self) -> None:
        for bearing, lit, dark in ((0, (160, 400), (160, 80)), (90, (40, 240), (280, 240)), (-90, (280, 240), (40, 240))):
            spread = {"position": [0.5, 0.5], "opening": 60, "bearing": bearing, "start": 0.0, "reach": 3.0}
            result = shown("fan", source={"contrast": 0.0}, spread=spread)
            self.assertGreater(result[lit], 0.2)
            self.assertEqual(result[dark], 0)

    def test_a_new_fan_turns_toward_the_picture_wherever_it_is_moved(self) -> None:
        new: Any = new_light("fan", plate_of(scene(90, 60)), rig_of())
        aim, sides = new.spread.aim, new.spread.side_softness
        self.assertEqual((aim, fan.Spread().aim), ("middle", "bearing"))
        for place in ((0.5, -0.1), (-0.2, 0.5), (1.3, 0.9), (0.7, 0.2)):
            spread = {"position": place, "opening": 40, "start": 0.0, "reach": 3.0, "aim": aim, "side_softness": sides}
            across, down = (0.5 - place[0]) * 480, (0.5 - place[1]) * 320
            bearing = float(np.degrees(np.arctan2(-down, across)))
            turned = {**spread, "turn": 25}
            for has, direction in ((spread, bearing), (turned, bearing + 25)):
                with self.subTest(place=place, direction=direction):
                    said = {**spread, "aim": "bearing", "bearing": (direction + 180) % 360 - 180}
                    np.testing.assert_allclose(shown("fan", spread=has), shown("fan", spread=said), atol=2e-4)

    def test_the_sides_fade_over_the_share_of_the_opening_that_is_asked_for(self) -> None:
        def sides(softness: float) -> Floats:
            spread = {"position": [0.5, 0.0], "opening": 90, "start": 0.0, "reach": 3.0, "side_softness": softness}
            turn = np.deg2rad(np.arange(-45, 46))
            x, y = 240 + 200 * np.sin(turn), 200 * np.cos(turn)
            ring = shown("fan", source={"contrast": 0.0}, spread=spread)[y.astype(int), x.astype(int)]
            return ring

        hard = sides(0.0)
        for softness in (0.1, 0.3, 0.5):
            # Of 90 degrees the share fades on each side, smoothly: over 0.86 of that it is below 0.95.
            faded = (sides(softness) < 0.95 * hard).sum()
            self.assertAlmostEqual(int(faded), 2 * 90 * softness * 0.86, delta=4)

    def test_fewer_rays_are_wider(self) -> None:
        few, many = (fan.pattern(fan.Source(count=count, fineness=1))[0] for count in (5, 80))
        self.assertGreater(np.abs(np.diff(many)).sum(), 4 * np.abs(np.diff(few)).sum())


class Beam(unittest.TestCase):
    def test_a_sharp_beam_fills_its_quad(self) -> None:
        quad = [[0.3, 0.2], [0.5, 0.2], [0.8, 0.9], [0.2, 0.9]]
        spread = {"penumbra": 0.01, "crispness": 1.0, "fade": 0.0, "landing": 0.01, "dust": 0.0}
        result = shown("beam", source={"beams": [quad]}, spread=spread)
        drawn = np.zeros((320, 480), np.uint8)
        cv2.fillPoly(drawn, [np.round(np.array(quad) * (480, 320)).astype(np.int32)], 1)
        self.assertGreater(psnr(result, drawn), 18)
        self.assertAlmostEqual(float(result.sum()), float(drawn.sum()), delta=0.03 * drawn.sum())

    def test_the_penumbra_grows_on_the_way(self) -> None:
        quad = [[0.4, 0.1], [0.6, 0.1], [0.6, 0.9], [0.4, 0.9]]
        result = shown("beam", source={"beams": [quad]}, spread={"dust": 0.0, "crispness": 1.0, "landing": 0.05, "fade": 0.0})
        near, far = result[60], result[240]

        def soft(row: Floats) -> int:
            return int(((row > 0.05 * row.max()) & (row < 0.95 * row.max())).sum())

        self.assertGreater(soft(far), 2 * soft(near))

    def test_beams_of_a_row_add_up_and_share_all_settings(self) -> None:
        a = [[0.1, 0.2], [0.2, 0.2], [0.3, 0.8], [0.1, 0.8]]
        b = [[0.6, 0.2], [0.7, 0.2], [0.9, 0.8], [0.7, 0.8]]
        both = shown("beam", source={"beams": [a, b]})
        np.testing.assert_allclose(both, shown("beam", source={"beams": [a]}) + shown("beam", source={"beams": [b]}), atol=1e-5)

    def test_a_folded_quad_is_opened_out_and_one_without_area_is_nothing(self) -> None:
        folded = ((0.3, 0.2), (0.5, 0.2), (0.2, 0.9), (0.8, 0.9))
        np.testing.assert_allclose(unfolded(folded), [(0.3, 0.2), (0.5, 0.2), (0.8, 0.9), (0.2, 0.9)])
        self.assertGreater(shown("beam", source={"beams": [[list(p) for p in folded]]}).max(), 0.2)
        for quad in ([[0.5, 0.5]] * 4, [[0.1, 0.1], [0.2, 0.2], [0.3, 0.3], [0.4, 0.4]]):
            np.testing.assert_array_equal(shown("beam", source={"beams": [quad]}), 0)
        np.testing.assert_array_equal(shown("beam", source={"beams": []}), 0)

    def test_the_square_of_a_quad_has_its_corners_where_the_quad_has_them(self) -> None:
        quad = ((0.1, 0.3), (0.7, 0.2), (0.9, 0.9), (0.2, 0.8))
        matrix = to_square(quad, Frame.whole((480, 320)), (0.83, 0.55))
        assert matrix is not None
        for corner, wanted in zip(quad, ((0, 0), (1, 0), (1, 1), (0, 1)), strict=True):
            u, v, w = matrix @ (corner[0] * 480, corner[1] * 320, 1)
            np.testing.assert_allclose((u / w, v / w), wanted, atol=1e-5)


class Line(unittest.TestCase):
    def test_core_and_glow_follow_the_distance(self) -> None:
        path = [[0.0, 0.5], [1.0, 0.5]]
        diagonal = float(np.hypot(480, 320))
        spread = {"core": 0.0, "haze": 0.0, "glow": 0.5, "glow_radius": 0.05}
        result = shown("line", source={"path": path}, spread=spread)[:, 240]
        d = np.abs(np.arange(320) + 0.5 - 160) / diagonal
        np.testing.assert_allclose(result, 0.5 / (1 + (d / 0.05) ** 2) ** 1.5, atol=0.01)
        core = shown("line", source={"path": path, "width": 0.02}, spread={"core": 1.0, "haze": 0.0, "glow": 0.0})[:, 240]
        np.testing.assert_allclose(core, np.exp(-0.5 * (d / 0.01) ** 2), atol=0.02)

    def test_a_bent_path_goes_through_its_points(self) -> None:
        source = line.Source(path=((0.1, 0.2), (0.4, 0.7), (0.9, 0.3)))
        parts = line.pieces(source, (0.8, 0.6))
        for x, y in source.path:
            ends = np.concatenate([parts[:, :2], parts[:, 2:4]])
            self.assertLess(float(np.hypot(*(ends - (x * 0.8, y * 0.6)).T).min()), 1e-9)
        straight = line.pieces(line.Source(path=source.path, bend="straight"), (0.8, 0.6))
        self.assertEqual(len(straight), 2)

    def test_a_path_of_one_point_is_a_lamp_and_of_none_says_so(self) -> None:
        result = shown("line", source={"path": [[0.5, 0.5]]})
        self.assertGreater(result[160, 240], 0.5)
        self.assertLess(result[10, 10], result[160, 240])
        np.testing.assert_array_equal(shown("line", source={"path": []}), 0)

    def test_it_thins_out_toward_its_ends(self) -> None:
        result = shown(
            "line", source={"path": [[0.1, 0.5], [0.9, 0.5]], "width": 0.03, "taper": 1.0}, spread={"glow": 0, "haze": 0}
        )
        wide = (result > 0.3).sum(axis=0)
        self.assertGreater(wide[240], 3 * max(wide[56], 1))


class Strokes(unittest.TestCase):
    PAINT: ClassVar[dict[str, Any]] = {"strokes": [stroke((0.5, 0.5), size=0.03, hardness=0.6, flow=1.0)]}

    def middle(self, **spread: Any) -> tuple[float, float]:
        result = shown("strokes", source=self.PAINT, spread=spread)
        y, x = np.mgrid[0:320, 0:480]
        return float((result * x).sum() / result.sum()), float((result * y).sum() / result.sum())

    def test_it_smears_where_the_angle_points(self) -> None:
        for angle, (dx, dy) in ((0, (1, 0)), (90, (0, -1)), (180, (-1, 0))):
            x, y = self.middle(angle=angle, distance=0.2)
            self.assertGreater((x - 240) * dx + (y - 160) * dy, 12)

    def test_it_smears_away_from_a_point(self) -> None:
        x, y = self.middle(smear="away", position=[0.2, 0.5], distance=0.2)
        self.assertGreater(x, 250)
        self.assertAlmostEqual(y, 160, delta=4)

    def test_it_smears_round_a_point_and_loses_no_light(self) -> None:
        still, turned = (
            shown("strokes", source=self.PAINT, spread={"smear": "around", "position": [0.3, 0.5], "turn": t}) for t in (0, 60)
        )
        self.assertAlmostEqual(float(turned.sum()), float(still.sum()), delta=0.06 * still.sum())
        self.assertGreater((turned > 0.02).sum(), 2 * (still > 0.02).sum())

    def test_round_a_point_it_fades_toward_both_ends_and_is_as_wide_as_it_is_turned(self) -> None:
        dot = {"strokes": [stroke((0.8, 0.5), size=0.01, hardness=1.0, flow=1.0)]}
        turned = shown("strokes", source=dot, spread={"smear": "around", "position": [0.5, 0.5], "turn": 60})
        angle = np.deg2rad(np.arange(-90, 91, 0.5))
        x, y = 240 + 144 * np.cos(angle), 160 - 144 * np.sin(angle)
        arc = cv2.remap(turned, x.astype(np.float32)[None] - 0.5, y.astype(np.float32)[None] - 0.5, cv2.INTER_LINEAR)[0]
        share = arc / arc.sum()
        width = float(np.sqrt((share * np.degrees(angle) ** 2).sum()))
        self.assertAlmostEqual(width, 60 / np.sqrt(12), delta=2.0)  # as of light spread evenly over the turn
        self.assertLess(float(np.abs(np.diff(arc)).max()), 0.03 * arc.max())

    def test_softened_paint_is_blurred_by_that_length_and_keeps_its_light(self) -> None:
        def moments(soften: float) -> tuple[float, float]:
            result = shown("strokes", source={**self.PAINT, "soften": soften}, spread={"distance": 0.0})
            x = np.arange(480) + 0.5 - 240
            across = result.sum(axis=0)
            return float(result.sum()), float((across * x**2).sum() / across.sum())

        sharp = moments(0.0)
        for soften in (0.01, 0.03):
            light, square = moments(soften)
            self.assertAlmostEqual(light, sharp[0], delta=0.02 * sharp[0])
            self.assertAlmostEqual(np.sqrt(square - sharp[1]), soften * np.hypot(480, 320), delta=0.5)

    def test_without_a_distance_it_stays_as_painted(self) -> None:
        result = shown("strokes", source=self.PAINT, spread={"distance": 0.0})
        self.assertGreater(result[160, 240], 0.95)
        self.assertLess(result[100, 240], 0.01)

    def test_strokes_agree_at_any_size(self) -> None:
        plate = plate_of(np.zeros((1280, 1920, 3)))
        paint = {"strokes": [stroke((0.2, 0.3), (0.7, 0.6), size=0.03, flow=0.7), stroke((0.6, 0.2), size=0.05, flow=0.4)]}
        for spread in ({"distance": 0.0}, {"distance": 0.2}, {"smear": "away"}, {"smear": "around"}, {"ripple": 0.01}):
            for soften in (0.0, 0.008):
                painted = {**paint, "soften": soften}
                full = shown("strokes", plate, source=painted, spread=spread)
                small = shown("strokes", plate, (480, 320), source=painted, spread=spread)
                self.assertGreater(psnr(small, full.reshape(320, 4, 480, 4).mean(axis=(1, 3))), 40, spread)


class Glints(unittest.TestCase):
    def test_they_lie_on_what_is_bright_and_not_elsewhere(self) -> None:
        pixels = np.full((320, 480, 3), 0.02)
        pixels[:, 300:] = 0.9
        result = shown("glints", plate_of(pixels), spread={"size": 0.01})
        self.assertGreater(result[:, 300:].sum(), 50 * result[:, :280].sum())

    def test_another_seed_moves_them_and_another_twinkle_does_not(self) -> None:
        plate = plate_of(np.full((320, 480, 3), 0.9))

        def peaks(**more: Any) -> set[tuple[int, int]]:
            result = shown("glints", plate, **more)
            top = result >= cv2.dilate(result, np.ones((9, 9)))
            return {(int(r), int(c)) for r, c in zip(*np.nonzero(top & (result > 0.02)), strict=True)}

        first = peaks(source={"count": 12, "scatter": "everywhere"})
        twinkled = peaks(source={"count": 12, "scatter": "everywhere"}, spread={"twinkle": 9})
        moved = peaks(source={"count": 12, "scatter": "everywhere", "seed": 9})
        self.assertGreater(len(first & twinkled), len(first) // 2)
        self.assertLess(len(first & moved), 3)


class Water(unittest.TestCase):
    def test_caustics_lose_no_light(self) -> None:
        for strength in (0.1, 0.6, 1.5):
            for waves in (3, 12):
                sheet = water.sheet(water.Source(strength=strength, waves=waves))
                self.assertAlmostEqual(float(sheet.mean()), 1.0, places=4)
                self.assertGreaterEqual(float(sheet.min()), 0.0)

    def test_stronger_waves_focus_more(self) -> None:
        weak, strong = (water.sheet(water.Source(strength=s)).std() for s in (0.05, 0.6))
        self.assertGreater(strong, 3 * weak)

    def test_the_sheet_repeats_without_a_seam(self) -> None:
        for style in ("caustics", "noise"):
            sheet = water.sheet(water.Source(style=style))
            for axis in (0, 1):
                steps = np.abs(np.diff(sheet, axis=axis)).max(axis=1 - axis)
                over = np.abs(np.take(sheet, 0, axis) - np.take(sheet, -1, axis)).max()
                self.assertLessEqual(float(over), float(steps.max()) * 1.05)

    def test_a_plane_that_ends_in_the_picture_fades_toward_its_horizon(self) -> None:
        # Its far side is a fortieth as wide as its near side: nearly at the horizon.
        spread = {"quads": [[[0.49, 0.4], [0.51, 0.4], [0.9, 0.95], [0.1, 0.95]]], "floor": 0.0, "fading": 0.0}
        result = shown("water", spread=spread)
        rows = np.array([row[row > 0].mean() if (row > 0).any() else 0.0 for row in result[130:300]])
        self.assertLess(float(rows[:4].max()), 0.05)
        self.assertLess(float(np.diff(rows).max()), 0.15)
        self.assertGreater(float(rows[-40:].mean()), 0.8)
        near = shown("water", spread={**spread, "quads": [[[0.3, 0.4], [0.7, 0.4], [0.9, 0.95], [0.1, 0.95]]]})
        self.assertGreater(float(near[131, 150:330].mean()), 0.4)

    def test_it_lies_within_its_quad_alone(self) -> None:
        result = shown("water", spread={"quads": [[[0.2, 0.5], [0.8, 0.5], [0.9, 0.9], [0.1, 0.9]]], "floor": 0.0})
        np.testing.assert_array_equal(result[:140], 0)
        self.assertGreater(result[200:270, 150:330].mean(), 0.4)


class LightPass(unittest.TestCase):
    def file(self, pixels: Floats) -> tuple[str, str]:
        out = io.BytesIO()
        Image.fromarray((pixels * 255).astype(np.uint8)).save(out, "PNG")
        return hashlib.sha256(out.getvalue()).hexdigest(), base64.b64encode(out.getvalue()).decode()

    def test_a_picture_is_placed_scaled_and_turned(self) -> None:
        pixels = np.zeros((100, 200, 3), np.float32)
        pixels[:, :100] = 1.0  # bright on the left
        name, data = self.file(pixels)
        for turn, brighter in ((0, (160, 200)), (90, (200, 240)), (180, (160, 280))):
            spread = {"position": [0.5, 0.5], "size": 0.2, "rotation": turn}
            rig = rig_of(light("picture", source={"file": name}, spread=spread), files={name: data})
            result = render(plate_of(BLACK), rig, show="stage:under-test:colour")[:, :, 1]
            self.assertGreater(result[brighter], 0.9, turn)
            dark = (320 - brighter[0], 480 - brighter[1])
            self.assertLess(result[dark], 0.1, turn)
            diagonal = float(np.hypot(480, 320))
            self.assertAlmostEqual(float(result.sum()), 0.5 * (0.4 * diagonal) ** 2 / 2, delta=500)

    def test_without_a_file_it_says_so_and_gives_nothing(self) -> None:
        np.testing.assert_array_equal(shown("picture"), 0)

    def test_a_small_picture_of_fine_stripes_becomes_their_mean(self) -> None:
        stripes = np.zeros((256, 256, 1), np.float32)
        stripes[::2] = 1.0
        result = lay(pyramid(stripes), np.diag([1 / 32, 1 / 32, 1.0]), (32, 32), fading=0.0)
        np.testing.assert_allclose(result[8:24, 8:24], 0.5, atol=0.02)


class MadeOfNothing(unittest.TestCase):
    def test_a_made_light_does_not_depend_on_the_picture(self) -> None:
        for kind in ("fan", "beam", "line", "water"):
            a, b = (shown(kind, plate_of(p)) for p in (scene(), BLACK))
            np.testing.assert_array_equal(a, b, kind)

    def test_made_lights_are_kept_while_the_picture_is_prepared(self) -> None:
        renderer, fields = renderer_of(scene()), []
        for exposure in (0.0, 1.0):
            with renderer.working(rig_of(light("line"), prepare={"exposure": exposure})) as now:
                fields.append(now.work.evaluate(now.graph.lights[0].field))
        self.assertIs(fields[0], fields[1])
