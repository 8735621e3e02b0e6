"""The finder on pictures whose light is known, and the numbers to judge by."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from numpy.typing import NDArray

from aurelon.core import Plate, Rig, open_plate, parse_rig, render
from aurelon.core.analysis.colour_match import match_colour
from aurelon.core.analysis.finder import Proposal, find_light, lit_sides, propose
from aurelon.core.analysis.measure import measure
from aurelon.core.finding.long_shadows import by_shadows
from aurelon.core.imaging.arrays import Doubles
from aurelon.core.imaging.colour import temperature_rgb
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.imaging.rgb_space import SRGB
from aurelon.web.seed import DEMO
from tests.pictures import light, masked_rig, plate_of, renderer_of, rig_of, scene
from tests.sunlit_field import sunlit_field


def found(pixels: NDArray[Any], clue: str) -> Proposal:
    return next(p for p in find_light(pixels.astype(np.float32), SRGB).ranked if p.clue == clue)


def angle_between(one: Doubles, other: Doubles) -> float:
    """In degrees."""
    cosine = one @ other / (np.linalg.norm(one) * np.linalg.norm(other))
    return float(np.rad2deg(np.arccos(np.clip(cosine, -1, 1))))


class Finder(unittest.TestCase):
    def setUp(self) -> None:
        y, x = np.mgrid[0:320, 0:480]
        self.x, self.y = (x + 0.5) / 480, (y + 0.5) / 320
        self.noise = 1 + 0.03 * np.random.default_rng(2).standard_normal((320, 480, 1))

    def test_a_lamp_is_found_where_it_is_and_with_its_colour(self) -> None:
        away = np.hypot((self.x - 0.7) * 480, (self.y - 0.3) * 320)
        glow = np.exp(-((away / 8) ** 2))[:, :, None] * temperature_rgb(2700, 0.0, SRGB) * 0.9 + 0.03
        lamp = found(np.clip(glow * self.noise, 0, 1), "bright spot")
        np.testing.assert_allclose(lamp.place, (0.7, 0.3), atol=0.01)
        self.assertGreater(lamp.confidence, 0.5)
        self.assertLess(abs(1e6 / lamp.temperature - 1e6 / 2700), 60)

    def test_a_sun_behind_a_mast_is_found_in_the_middle_of_its_glare(self) -> None:
        away = np.hypot((self.x - 0.4) * 480, (self.y - 0.35) * 320)
        sky = 0.25 + 0.75 * np.exp(-((away / 40) ** 2)) + 0.2 * np.exp(-((away / 150) ** 2))
        sky[np.abs(self.x - 0.4) < 0.015] = 0.06
        best = find_light(np.repeat(np.clip(sky, 0, 1)[:, :, None] * self.noise, 3, axis=2).astype(np.float32), SRGB).ranked[0]
        np.testing.assert_allclose(best.place, (0.4, 0.35), atol=0.012)

    def test_streaks_lead_to_where_they_meet_in_or_outside_the_frame(self) -> None:
        for place in ((0.4, 0.2), (0.8, -0.5)):
            turn = np.arctan2((self.y - place[1]) * 320, (self.x - place[0]) * 480)
            rays = 0.3 + 0.08 * np.sin(40 * turn) + 0.05 * np.sin(67 * turn + 1)
            best = found(np.repeat(rays[:, :, None], 3, axis=2) * self.noise, "streaks")
            np.testing.assert_allclose(best.place, place, atol=0.08)
            self.assertGreater(best.confidence, 0.3)

    def test_lit_sides_lead_out_of_the_frame_toward_the_light(self) -> None:
        for degrees in (20, 110, 250):
            toward = np.array([np.cos(np.deg2rad(degrees)), -np.sin(np.deg2rad(degrees))])
            ramp = 0.2 + 0.15 * ((self.x - 0.5) * 1.2 * toward[0] + (self.y - 0.5) * 0.8 * toward[1])
            for bx in (0.2, 0.5, 0.8):
                for by in (0.3, 0.7):
                    nx, ny = (self.x - bx) * 480 / 40, (self.y - by) * 320 / 40
                    inside = nx * nx + ny * ny < 1
                    shade = 0.25 + 0.2 * (nx * toward[0] + ny * toward[1])
                    ramp = np.where(inside, shade, ramp)
            side = found(np.repeat(ramp[:, :, None], 3, axis=2), "lit sides")
            offset = (np.array(side.place) - 0.5) * (480, 320)
            self.assertGreater(float(np.abs(np.array(side.place) - 0.5).max()), 0.5)
            self.assertGreater(float(offset @ toward / np.hypot(*offset)), np.cos(np.deg2rad(15)))

    def test_warm_and_cool_sides_tell_where_the_sun_is_with_its_error(self) -> None:
        # Painted balls in a field, under a warm sun and a blue sky: Lambert's law for both, the sky by how far a place looks up.
        rng = np.random.default_rng(4)
        sun_colour, sky_colour = np.array([1.0, 0.75, 0.5]), np.array([0.25, 0.35, 0.55])
        centres = [(40 + 80 * c + rng.uniform(-12, 12), 150 + 55 * r, rng.uniform(14, 26)) for r in range(3) for c in range(6)]
        paints = rng.uniform(0.1, 0.7, (len(centres), 3))
        speckle = rng.uniform(0.95, 1.05, (320, 480, 1))
        off: list[float] = []
        answer: list[float] = []
        for degrees in (-20, 15, 60, 120, 165, 200):
            turn, out = np.deg2rad(degrees), np.deg2rad(35)
            sun = np.array([np.cos(turn) * np.cos(out), -np.sin(turn) * np.cos(out), np.sin(out)])
            picture = np.full((320, 480, 3), 0.12)
            picture[:110] = (0.45, 0.6, 0.9)
            for (cx, cy, radius), paint in zip(centres, paints, strict=True):
                nx, ny = (self.x * 480 - cx) / radius, (self.y * 320 - cy) / radius
                inside = nx * nx + ny * ny < 1
                nz = np.sqrt(np.maximum(1 - nx * nx - ny * ny, 0))
                lit = np.maximum(nx * sun[0] + ny * sun[1] + nz * sun[2], 0)[:, :, None] * sun_colour
                ball = paint * (lit + (0.5 - 0.5 * ny)[:, :, None] * sky_colour)
                picture = np.where(inside[:, :, None], ball, picture)
            sky = np.repeat((np.arange(320)[:, None] < 110).astype(np.float32), 480, axis=1)
            pixels = (picture * speckle).astype(np.float32)
            [(place, _, _)], error = lit_sides(pixels, encode_array(pixels @ SRGB.luminance), sky)
            offset = (np.array(place) - 0.5) * (480, 320)
            got = np.rad2deg(np.arctan2(-offset[1], offset[0]))
            off.append(abs((got - degrees + 180) % 360 - 180))
            assert error is not None
            answer.append(error)
        self.assertLess(float(np.mean(off)), 25, off)
        self.assertGreaterEqual(int((np.array(off) <= 2 * np.array(answer)).sum()), 5, (off, answer))

    def test_long_shadows_tell_where_the_sun_is_in_front_and_behind(self) -> None:
        off: list[float] = []
        answer: list[float] = []
        by_shading: list[float] = []
        for seed, height in ((3, 12), (5, 25)):
            for azimuth in (-150, -120, -50, -25, 20, 35, 60, 130):
                field = sunlit_field(azimuth, height, seed)
                tone = encode_array(np.ascontiguousarray(field.picture @ SRGB.luminance))
                sides, _ = lit_sides(field.picture, tone, field.sky)
                lit_from = (sides[0][0] - 0.5) * (480, 320) if sides else None
                sun = by_shadows(field.picture, tone, field.sky, None if lit_from is None else lit_from / np.hypot(*lit_from))
                assert sun is not None
                toward = np.array([field.sun[0], -field.sun[1]]) / np.hypot(field.sun[0], field.sun[1])
                off.append(angle_between(sun.direction, toward))
                answer.append(sun.error)
                if lit_from is not None:
                    by_shading.append(angle_between(lit_from, toward))
        self.assertLess(float(np.median(off)), 10, off)
        self.assertLess(float(np.mean(off)), 0.7 * float(np.mean(by_shading)))
        self.assertGreaterEqual(int((np.array(off) <= 2 * np.array(answer)).sum()), 15, (off, answer))

    def test_shadows_of_a_sun_in_front_are_proposed_at_its_place_off_the_frame(self) -> None:
        field = sunlit_field(-35, 25, 5)
        best = find_light(field.picture, SRGB, field.sky).ranked[0]
        self.assertEqual(best.clue, "long shadows")
        # The picture is seen as through a lens whose focal length is its diagonal: x / f is the tangent of the azimuth.
        self.assertAlmostEqual(best.place[0], 0.5 + np.hypot(480, 320) / 480 * np.tan(np.deg2rad(-35)), delta=0.06)
        self.assertLess(best.place[1], 0)
        self.assertIsNotNone(best.error)

    def test_level_lines_and_posts_are_no_shadows(self) -> None:
        picture = np.full((320, 480, 3), 0.3, np.float32)
        picture[:140] = (0.5, 0.65, 0.9)
        for row in range(150, 320, 12):  # as waves are, or planks: dark and cool, and level
            picture[row : row + 5] = (0.1, 0.12, 0.15)
        picture[150:, 40::60] = (0.05, 0.06, 0.08)
        sky = np.zeros((320, 480), np.float32)
        sky[:140] = 1
        self.assertIsNone(by_shadows(picture, encode_array(np.ascontiguousarray(picture @ SRGB.luminance)), sky, None))

    def test_nothing_is_made_of_nothing(self) -> None:
        for level in (0.0, 0.5, 1.0):
            self.assertEqual(find_light(np.full((200, 300, 3), level, np.float32), SRGB).ranked, [])
        find_light(np.full((1, 1, 3), 0.5, np.float32), SRGB)

    def test_the_light_of_the_demo_plates_is_proposed(self) -> None:
        for name, place in (("headland", (0.5, 0.345)), ("harbour", (0.165, 0.14)), ("boatshed", (0.543, 0.418))):
            plate = open_plate(DEMO / "plates" / f"{name}.jpg")
            ranked = find_light(plate.at(Frame.whole(fit_within(plate.size, 512))), plate.space).ranked
            near = [p for p in ranked[:3] if np.hypot(p.place[0] - place[0], p.place[1] - place[1]) < 0.03]
            self.assertTrue(near, f"{name}: {ranked}")

    def test_waves_are_no_shadows_that_a_sun_beside_the_view_casts(self) -> None:
        # The sun of the headland is seen, low over the sea; nothing else may come before it.
        renderer = renderer_of(open_plate(DEMO / "plates" / "headland.jpg"))
        for rig in (Rig(), parse_rig((DEMO / "rigs" / "headland.json").read_bytes())):
            first = propose(renderer, rig).ranked[0]
            self.assertEqual(first.clue, "bright spot")
            self.assertLess(float(np.hypot(first.place[0] - 0.4929, first.place[1] - 0.345)), 0.02)


class NumbersToJudgeBy(unittest.TestCase):
    def setUp(self) -> None:
        self.plate = plate_of(scene())
        self.renderer = renderer_of(self.plate)

    def test_newly_clipped_pixels_are_those_that_the_lights_clip(self) -> None:
        rig = rig_of(light("bloom", merge={"mode": "add", "intensity": 8}, spread={"radius": 0.2}))
        facts = measure(self.renderer, rig, None)
        lit = render(self.plate, rig, size=self.plate.size)
        wanted = np.mean((lit >= 1).any(axis=2)) - np.mean((self.plate.pixels >= 1).any(axis=2))
        self.assertAlmostEqual(facts.newly_clipped, float(wanted), delta=0.01)
        self.assertGreater(facts.newly_clipped, 0.1)

    def test_light_on_a_matte_is_its_share_of_the_light(self) -> None:
        rig = masked_rig(start="everything")
        facts = measure(self.renderer, rig, "under-test")
        glow = render(self.plate, rig, show="stage:under-test:colour").sum(axis=2)
        area = render(self.plate, rig, show="matte:shape")[:, :, 0]
        assert facts.of_light is not None
        self.assertAlmostEqual(facts.of_light.on_mattes["shape"], float((glow * area).sum() / glow.sum()), delta=0.01)

    def test_a_light_that_keeps_behind_a_matte_leaves_none_on_it(self) -> None:
        behind = {"part": "matte", "matte": "shape", "combine": "intersect"}
        facts = measure(self.renderer, masked_rig(behind, start="everything"), "under-test")
        assert facts.of_light is not None
        self.assertLess(facts.of_light.on_mattes["shape"], 0.1)

    def test_the_colour_of_a_light_and_of_the_plate_at_its_source_are_told(self) -> None:
        spread = {"position": [0.7, 0.1], "disc_strength": 0, "aureole_strength": 0}
        shafts = light("shafts", spread=spread, colour={"temperature": 2500, "strength": 1.0})
        facts = measure(self.renderer, rig_of(shafts), "under-test")
        assert facts.of_light is not None
        assert facts.of_light.temperature is not None
        self.assertAlmostEqual(facts.of_light.temperature, 2500, delta=120)
        assert facts.of_light.plate_temperature is not None
        self.assertGreater(facts.of_light.plate_temperature, 3000)

    def test_the_angle_to_the_best_proposal_is_measured_from_the_middle(self) -> None:
        pixels = np.full((320, 480, 3), 0.02, np.float32)
        pixels[150:170, 420:440] = 1.0  # to the right of the middle
        plate = Plate(pixels, SRGB)
        for place, wanted in (((0.9, 0.5), 0), ((0.5, 0.0), 90), ((0.1, 0.5), 180)):
            facts = measure(renderer_of(plate), rig_of(light("shafts", spread={"position": list(place)})), "under-test")
            assert facts.of_light is not None
            assert facts.of_light.off_best is not None
            self.assertAlmostEqual(facts.of_light.off_best, wanted, delta=4)

    def test_a_light_says_that_its_mask_hides_it_or_that_its_matte_is_gone(self) -> None:
        hidden = rig_of(light("bloom", mask={"start": "nothing"}))
        self.assertIn("mask", measure(self.renderer, hidden, None).says["under-test"])
        gone = {"part": "matte", "matte": "tower", "combine": "intersect"}
        says = measure(self.renderer, masked_rig(gone, start="everything"), None).says["under-test"]
        self.assertIn("tower", says)
        self.assertIn("is shown without it", says)

    def test_proposals_are_kept_until_the_picture_changes(self) -> None:
        first = propose(self.renderer, rig_of())
        self.assertIs(propose(self.renderer, rig_of(light("bloom"))), first)
        self.assertIsNot(propose(self.renderer, rig_of(prepare={"exposure": 1})), first)

    def test_the_finder_and_match_tell_the_same_colour_at_the_same_spot(self) -> None:
        for exposure in (0.0, 0.7):
            rig = rig_of(prepare={"exposure": exposure, "temperature": 0.4})
            ranked = propose(self.renderer, rig).ranked
            self.assertGreater(len(ranked), 0)
            for proposal in ranked:
                answer = match_colour(self.renderer, rig, proposal.place)
                self.assertEqual((proposal.temperature, proposal.tint), answer, str(proposal.place))
