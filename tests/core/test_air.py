"""Light in haze: the phase function, the air about a lamp and along a beam, against quadrature and worked cases; and one lamp
of known brightness through every glow."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from scipy.integrate import quad

from aurelon.core import render
from aurelon.core.lights.flare import LAMP_STOPS as FLARE_STOPS
from aurelon.core.lights.flare import STREAK_SHARE, VEIL_SHARE
from aurelon.core.lights.lamp import Spread, lamp_of
from aurelon.core.lights.starburst import LAMP_STOPS as STAR_STOPS
from aurelon.core.optics.air import FORWARD, GLOBE, airlight, glow_at, glow_within, phase
from tests.pictures import Floats, light, plate_of, rig_of

DARK = np.zeros((400, 600, 3), np.float32)
ACROSS = 600 / np.hypot(600, 400)


def spread_of(pixels: Floats, kind: str, source: dict[str, Any] | None = None, **spread: Any) -> Floats:
    return render(plate_of(pixels), rig_of(light(kind, source=source or {}, spread=spread)), show="stage:under-test:spread")


class Phase(unittest.TestCase):
    def test_over_the_sphere_it_is_henyey_and_greensteins(self) -> None:
        # ∫ (1 - g²) / (1 + g² - 2 g cos)^1.5 dΩ = 4π; ours is that one, taken at 1 straight ahead.
        g = FORWARD
        whole, _ = quad(lambda cosine: 2 * np.pi * phase(cosine), -1, 1)
        self.assertAlmostEqual(whole, 4 * np.pi * (1 - g) ** 3 / (1 - g * g), places=6)

    def test_mean_cosine_is_g(self) -> None:
        mean, _ = quad(lambda cosine: cosine * phase(cosine), -1, 1)
        whole, _ = quad(phase, -1, 1)
        self.assertAlmostEqual(mean / whole, FORWARD, places=6)

    def test_a_distance_of_a_diagonal_is_45_degrees(self) -> None:
        self.assertAlmostEqual(float(glow_at(np.array([1.0]))[0]), float(phase(np.cos(np.pi / 4))), places=9)


class Airlight(unittest.TestCase):
    def along_the_line_of_sight(self, settings: Spread, x: float, y: float) -> float:
        """∫ p window cone / d² dz from the picture up, by adaptive quadrature."""
        lamp = lamp_of(settings, (600, 400))

        def at(z: float) -> float:
            way = np.array([x - lamp.x, y - lamp.y, z - lamp.z])
            d2 = float(way @ way) + GLOBE**2
            unit = way / np.sqrt(d2)
            window = max(1 - (d2 / float(lamp.range) ** 2) ** 2, 0)
            toward = np.array([lamp.toward_x, lamp.toward_y, lamp.toward_z])
            cone = float(np.clip(lamp.offset + lamp.cone * (unit @ toward), 0, 1)) ** 2
            return float(phase(unit[2])) * window * cone / d2

        # From a lamp light can only travel to the air that is in range.
        return float(quad(at, 0, float(lamp.z + lamp.range), limit=400, epsabs=1e-4, epsrel=1e-4, points=[float(lamp.z)])[0])

    def test_a_point_and_a_spot_are_as_quadrature_has_them(self) -> None:
        point = Spread(position=(0.4, 0.5), height=0.1, range=0.6)
        spot = Spread(lamp="spot", position=(0.3, 0.2), aim=(0.6, 0.7), height=0.2, range=0.9, inner_cone=20, outer_cone=50)
        for settings in (point, spot):
            x = np.linspace(0.05, 0.8, 9).astype(np.float32)
            y = np.linspace(0.05, 0.5, 7).astype(np.float32)
            got = np.empty((7, 9), np.float32)
            airlight(lamp_of(settings, (600, 400)), x, y, got)
            wanted = np.array([[self.along_the_line_of_sight(settings, u, v) for u in x] for v in y])
            np.testing.assert_allclose(got, wanted, atol=0.03 * wanted.max(), rtol=0.05)

    def test_clear_air_leaves_a_lamp_as_it_was_and_haze_is_seen_where_nothing_is_lit(self) -> None:
        clear = spread_of(DARK, "lamp", position=[0.5, 0.5], gloss=0)
        self.assertEqual(float(clear.max()), 0.0)
        hazy = spread_of(DARK, "lamp", position=[0.5, 0.5], gloss=0, haze=1.0)
        self.assertGreater(float(hazy[200, 300].min()), 0.1)
        # Twice as far from the lamp half as bright, nearly: 1 over the distance, and less as the light must turn farther.
        near, far = float(hazy[200, 360, 1]), float(hazy[200, 420, 1])
        self.assertTrue(1.9 < near / far < 4, near / far)

    def test_a_lamp_far_from_all_glows_as_one_over_the_distance(self) -> None:
        # ∫ p(z / d) / d² dz along the whole line of sight, by adaptive quadrature, beside that at another distance.
        def seen(beside: float) -> float:
            def at(z: float) -> float:
                away = np.hypot(beside, z)
                return float(phase(z / away)) / float(away) ** 2

            return float(quad(at, -np.inf, np.inf)[0])

        near, far = glow_within(np.array([0.1, 0.4]), 1e-4)
        self.assertAlmostEqual(near / far, seen(0.1) / seen(0.4), places=4)
        self.assertAlmostEqual(float(glow_within(np.array([0.0]), 0.006)[0]), 1.0, places=9)

    def test_a_distant_lamp_has_no_air_about_it(self) -> None:
        self.assertEqual(float(spread_of(DARK, "lamp", lamp="directional", gloss=0, haze=4.0).max()), 0.0)


class Beams(unittest.TestCase):
    def along(self, haze: float, *corners: tuple[float, float]) -> Floats:
        source = {"beams": [corners]}
        return spread_of(DARK, "beam", source, haze=haze, dust=0, fade=0, penumbra=0.1, crispness=1)[:, :, 1]

    def test_haze_is_brighter_toward_the_light(self) -> None:
        # Sides that meet above the openings: the light is there; sides that meet below: it is behind the eye, and the beam's far
        # end is the one that turns it most.
        wider = ((0.45, 0.1), (0.55, 0.1), (0.8, 0.9), (0.2, 0.9))
        clear, hazy = self.along(0, *wider), self.along(1, *wider)
        gain = hazy[:, 300] / np.maximum(clear[:, 300], 1e-6)
        self.assertGreater(float(gain[80]), 1.5 * float(gain[200]))
        self.assertGreater(float(gain[200]), float(gain[300]))

    def test_the_gain_is_the_phase_function_of_the_angle_to_where_the_sides_meet(self) -> None:
        corners = ((0.45, 0.3), (0.55, 0.3), (0.65, 0.7), (0.35, 0.7))
        clear, hazy = self.along(0, *corners), self.along(1, *corners)
        size = np.array([600, 400]) / np.hypot(600, 400)
        meeting = np.array([0.0, 0.1 - 0.5]) * size  # by similar triangles: 0.2 above the opening
        toward = np.array([*meeting, 1.0]) / np.sqrt(meeting @ meeting + 1)

        def seen(row: float) -> float:
            place = np.array([0.5 / np.hypot(600, 400), (row + 0.5 - 200) / np.hypot(600, 400), 1.0])
            return float(phase(toward @ place / np.linalg.norm(place)))

        for row in (150, 180, 220):
            core = float(hazy[row, 300] / clear[row, 300])
            beside = seen(row) / seen(199.5)
            # The beam itself gains p / p(middle); what it throws beside it at most 0.3 of that more.
            self.assertTrue(1 + beside - 0.02 <= core <= 1 + 1.3 * beside + 0.02, (row, core, beside))

    def test_clear_air_has_nothing_beside_the_beam(self) -> None:
        upright = ((0.4, 0.1), (0.6, 0.1), (0.6, 0.9), (0.4, 0.9))
        self.assertEqual(float(self.along(0, *upright)[250, 225]), 0.0)
        self.assertGreater(float(self.along(2, *upright)[250, 225]), 0.01)


class Shafts(unittest.TestCase):
    def test_haze_adds_the_phase_function_round_an_open_source(self) -> None:
        open_sky = np.full((400, 600, 3), 0.9, np.float32)
        options: dict[str, Any] = {"position": [0.5, 0.5], "disc_strength": 0, "aureole_strength": 0, "softness": 0}
        clear, hazy = (spread_of(open_sky, "shafts", {"threshold": 0.1}, haze=h, **options)[200, :, 1] for h in (0.0, 1.0))
        gained = hazy - clear
        away = np.array([30, 60, 120, 240])
        wanted = glow_at((away + 0.5) / np.hypot(600, 400))
        got = gained[300 + away] / gained[330] * wanted[0]
        np.testing.assert_allclose(got, wanted, rtol=0.06)

    def test_a_lamp_in_the_haze_glows_as_one_over_the_distance_also_before_what_is_closed(self) -> None:
        closed = np.full((400, 600, 3), 0.02, np.float32)
        closed[:, :320] = 0.9
        options: dict[str, Any] = {"position": [0.5, 0.5], "disc_strength": 0, "aureole_strength": 0, "softness": 0}
        options |= {"stands": "within", "blocking": 1.0}
        clear, hazy = (spread_of(closed, "shafts", {"threshold": 0.1}, haze=h, **options)[:, :, 1] for h in (0.0, 1.0))
        gained = hazy - clear
        for away in (60, 120, 240):
            wanted = float(glow_within(np.array([away / np.hypot(600, 400)]), GLOBE)[0])
            self.assertAlmostEqual(float(gained[200, 300 - away]) / wanted, 1.0, delta=0.07)
            # On the other side most of it stands before what stops the rays; close to the lamp that may stand before it.
            self.assertTrue((0.75 if away > 100 else 0.6) < float(gained[200, 300 + away]) / wanted < 0.9, away)


class OneLamp(unittest.TestCase):
    """A lamp four times as bright as white: each glow holds the share of its light that it says."""

    def setUp(self) -> None:
        y, x = np.mgrid[0:400, 0:600]
        self.lamp = np.zeros((400, 600, 3), np.float32)
        self.lamp[np.hypot(x - 300, y - 200) < 6] = 4.0
        self.energy = float(self.lamp[:, :, 1].sum())

    def share(self, kind: str, source: dict[str, Any] | None = None, **spread: Any) -> float:
        return (
            float(spread_of(self.lamp, kind, {"threshold": 0.0, "knee": 0.01, **(source or {})}, **spread)[:, :, 1].sum())
            / self.energy
        )

    def test_bloom_holds_all_of_it(self) -> None:
        self.assertAlmostEqual(self.share("bloom", radius=0.06), 1.0, delta=0.01)

    def test_halation_holds_what_the_emulsions_layer_is_given(self) -> None:
        self.assertAlmostEqual(self.share("halation", green=0.4), 0.4, delta=0.01)

    def test_a_star_holds_that_of_a_lamp_so_many_stops_brighter(self) -> None:
        self.assertAlmostEqual(self.share("starburst", {"max_points": 1}, size=0.1) / 2**STAR_STOPS, 1.0, delta=0.03)

    def test_a_lens_scatters_the_share_that_its_veil_and_streak_say(self) -> None:
        parts: dict[str, Any] = {"ghosts": 0, "veil": 0}
        streak = self.share("flare", {"max_points": 1}, **parts, streak_strength=1, streak_length=0.03, streak_temperature=6500)
        self.assertAlmostEqual(streak / 2**FLARE_STOPS / STREAK_SHARE, 1.0, delta=0.05)
        veil = self.share("flare", {"max_points": 1}, ghosts=0, veil=1)
        # The widest of its three Gaussians is as wide as the frame: mirrored at the border, all of it stays.
        self.assertAlmostEqual(veil / 2**FLARE_STOPS / VEIL_SHARE, 1.0, delta=0.05)

    def test_a_lamp_of_twice_the_light_gives_every_glow_twice_as_much(self) -> None:
        one: dict[str, Any] = {"threshold": 0.3, "max_points": 1}
        for kind, source, spread in (
            ("bloom", {"threshold": 0.3}, {}),
            ("halation", {"threshold": 0.3}, {}),
            ("starburst", one, {}),
            ("flare", one, {"ghosts": 0, "streak_strength": 1}),  # of ghosts, those too faint to see are left out
        ):
            once, twice = (spread_of(gain * self.lamp, kind, source, **spread).sum() for gain in (1, 2))
            self.assertAlmostEqual(float(twice / once), 2.0, delta=0.02, msg=kind)


class Glass(unittest.TestCase):
    def flare(self, **spread: Any) -> Floats:
        source = {"placed": [[0.5, 0.5]], "hiding": 0}
        return spread_of(DARK, "flare", source, **({"ghosts": 0, "veil": 0} | spread))

    def test_clean_glass_adds_nothing(self) -> None:
        self.assertEqual(float(self.flare().max()), 0.0)

    def test_drops_are_brighter_the_nearer_to_the_light(self) -> None:
        wet = self.flare(drops=2)[:, :, 1]
        y, x = np.mgrid[0:400, 0:600]
        away = np.hypot(x - 300, y - 200)
        near, far = (float(wet[(away > low) & (away < high)].mean()) for low, high in ((0, 120), (240, 360)))
        self.assertGreater(near, 1.5 * far)
        self.assertGreater(float((wet > 0).mean()), 0.02)
        self.assertLess(float((wet > 1e-3).mean()), 0.7)

    def test_a_wiped_glass_throws_light_along_its_angle(self) -> None:
        y, x = np.mgrid[0:400, 0:600]
        for degrees in (0, 40, -70):
            smeared = self.flare(smear=1, smear_angle=degrees)[:, :, 1].astype(float)
            dx, dy = x - 299.5, 199.5 - y
            xx, yy, xy = (float((smeared * part).sum()) for part in (dx * dx, dy * dy, dx * dy))
            got = np.rad2deg(0.5 * np.arctan2(2 * xy, xx - yy))
            self.assertLess(abs((got - degrees + 90) % 180 - 90), 8, degrees)


if __name__ == "__main__":
    unittest.main()
