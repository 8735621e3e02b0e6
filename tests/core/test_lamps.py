"""Lamps against closed forms on a plane and a sphere, and against the glTF formulae for range and cone."""

from __future__ import annotations

import io
import unittest
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray

from aurelon.core import Plate, PlateError, RigError, check_rig, render
from aurelon.core.analysis.measure import measure
from aurelon.core.graph.cache import Cache
from aurelon.core.lights.lamp import KIND
from aurelon.core.optics.height_field import DEEPEST, HeightField, from_height, from_normals
from tests.pictures import Floats, grey_file, light, plate_of, psnr, renderer_of, rig_of, scene

FLAT = {"relief": 0.0}
MATT = {"gloss": 0.0, "temperature": 6500}
WIDTH, HEIGHT = 300, 200
DIAGONAL = float(np.hypot(WIDTH, HEIGHT))


def even(level: float = 0.2) -> Plate:
    return plate_of(np.full((HEIGHT, WIDTH, 3), level))


def lit(plate: Plate, source: dict[str, Any] | None = None, **spread: Any) -> Floats:
    """How many times its own light each place gets back, (h, w)."""
    rig = rig_of(light("lamp", source=source or FLAT, spread={**MATT, **spread}))
    shine = render(plate, rig, show="stage:under-test:colour") @ plate.space.luminance
    return np.asarray(shine / (plate.pixels @ plate.space.luminance), np.float32)


def places() -> tuple[NDArray[Any], NDArray[Any]]:
    """Of every pixel, x and y in diagonals."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH] + 0.5
    return x / DIAGONAL, y / DIAGONAL


class OnAPlane(unittest.TestCase):
    def test_a_point_lamp_follows_the_cosine_and_the_square_of_the_distance(self) -> None:
        x, y = places()
        for place, height in (((0.5, 0.5), 0.1), ((0.1, 0.8), 0.3), ((1.4, -0.3), 0.2)):
            px, py = place[0] * WIDTH / DIAGONAL, place[1] * HEIGHT / DIAGONAL
            d2 = (x - px) ** 2 + (y - py) ** 2 + height**2
            window = np.maximum(1 - (d2 / 0.8**2) ** 2, 0)
            wanted = height**2 / d2 * window * height / np.sqrt(d2)
            np.testing.assert_allclose(lit(even(), position=list(place), height=height), wanted, atol=2e-4)

    def test_right_below_a_new_lamp_the_picture_is_lifted_by_about_one_stop(self) -> None:
        out = render(even(), rig_of(light("lamp", source=FLAT, spread=MATT)))
        gain = np.log2(out[100, 150] / 0.2)
        np.testing.assert_allclose(gain, 1.0, atol=0.1)

    def test_a_new_lamp_blows_nothing_out(self) -> None:
        for level in (0.2, 0.5, 0.8, 0.9):
            plate = even(level)
            new = light("lamp", **{**KIND.initial(plate), "source": FLAT, "spread": MATT})
            out = render(plate, rig_of(new))
            self.assertLess(float(out.max()), 0.99, level)
            self.assertGreater(float(out.max()), level + 0.005, level)
            self.assertGreaterEqual(float(out.min()), level - 1e-6)

    def test_the_range_is_the_smooth_window_of_gltf(self) -> None:
        x, _ = places()
        for reach in (0.2, 0.5):
            result = lit(even(), position=[0.0, 0.5], height=0.02, range=reach)[100]
            d = np.sqrt(x[100] ** 2 + (0.5 / DIAGONAL) ** 2 + 0.02**2)
            wanted = np.maximum(np.minimum(1 - (d / reach) ** 4, 1), 0) / d**2 * 0.02**2 * 0.02 / d
            np.testing.assert_allclose(result, wanted, atol=2e-4)
            np.testing.assert_array_equal(result[d > reach], 0)

    def test_the_cone_is_the_smooth_window_of_gltf(self) -> None:
        x, y = places()
        inner, outer, height = 15.0, 30.0, 0.2
        place, aim = np.array([0.3 * WIDTH, 0.4 * HEIGHT]) / DIAGONAL, np.array([0.6 * WIDTH, 0.6 * HEIGHT]) / DIAGONAL
        result = lit(
            even(), lamp="spot", position=[0.3, 0.4], aim=[0.6, 0.6], height=height, inner_cone=inner, outer_cone=outer, range=4.0
        )
        axis = np.array([*(aim - place), -height])
        axis /= np.linalg.norm(axis)
        to_place = np.stack([x - place[0], y - place[1], np.full_like(x, -height)], axis=2)
        d = np.linalg.norm(to_place, axis=2)
        cosine = (to_place @ axis) / d
        scale = 1 / max(0.001, np.cos(np.deg2rad(inner)) - np.cos(np.deg2rad(outer)))
        cone = np.clip(cosine * scale - np.cos(np.deg2rad(outer)) * scale, 0, 1) ** 2
        shape = cone * np.maximum(1 - (d / 4.0) ** 4, 0) / d**2 * height / d
        # The strength is such that what it aims at gets its own light once more.
        far = float(np.linalg.norm([*(aim - place), height]))
        np.testing.assert_allclose(result, shape * far**3 / height, rtol=2e-3, atol=1e-3)
        self.assertAlmostEqual(float(result[120, 180]), 1.0, delta=0.02)

    def test_a_directional_lamp_lights_a_plane_evenly_with_its_own_light_once_more(self) -> None:
        for elevation in (10, 45, 90):
            np.testing.assert_allclose(lit(even(), lamp="directional", elevation=elevation), 1.0, atol=1e-4)

    def test_its_gloss_is_that_of_the_reference_brdf(self) -> None:
        rough, height = 0.4, 0.2
        plate = even()
        spread = {"height": height, "temperature": 6500, "roughness": rough, "range": 4.0}
        with_gloss, without = (
            render(plate, rig_of(light("lamp", source=FLAT, spread={**spread, "gloss": g})), show="stage:under-test:colour")
            for g in (1.0, 0.0)
        )
        result = (with_gloss - without)[100] @ plate.space.luminance
        x, _ = places()
        dx = x[100] - 0.5 * WIDTH / DIAGONAL
        d = np.hypot(dx, height)
        nl = height / d
        h = np.stack([-dx / d, height / d + 1])
        h /= np.linalg.norm(h, axis=0)
        nh = vh = h[1]
        alpha2 = rough**4
        distribution = alpha2 / (nh**2 * (alpha2 - 1) + 1) ** 2
        k = (rough + 1) ** 2 / 8
        visibility = 1 / ((nl * (1 - k) + k) * 1.0 * 4)
        fresnel = 0.04 + 0.96 * (1 - vh) ** 5
        light_there = height**2 / d**2 * np.maximum(1 - (d / 4.0) ** 4, 0) * nl
        np.testing.assert_allclose(result, light_there * distribution * visibility * fresnel, rtol=0.02, atol=2e-4)


class OnASphere(unittest.TestCase):
    def test_lamberts_cosine_on_a_half_sphere(self) -> None:
        radius = 60
        y, x = np.mgrid[0:HEIGHT, 0:WIDTH] + 0.5
        nx, ny = (x - 150) / radius, (y - 100) / radius
        inside = nx**2 + ny**2 < 0.8
        z = np.sqrt(np.maximum(1 - nx**2 - ny**2, 0))
        normals = np.stack([nx / 2 + 0.5, -ny / 2 + 0.5, z / 2 + 0.5], axis=2).astype(np.float32)
        name, data = self.picture(normals)
        elevation, turn = np.deg2rad(40), np.deg2rad(30)
        toward = np.array([np.cos(turn) * np.cos(elevation), -np.sin(turn) * np.cos(elevation), np.sin(elevation)])
        rig = rig_of(
            light(
                "lamp",
                source={"surface": "normals", "file": name, "relief": 1.0},
                spread={**MATT, "lamp": "directional", "angle": 30, "elevation": 40},
            ),
            files={name: data},
        )
        plate = even()
        result = render(plate, rig, show="stage:under-test:colour") @ plate.space.luminance / 0.2
        wanted = np.maximum(nx * toward[0] + ny * toward[1] + z * toward[2], 0) / np.sin(elevation)
        np.testing.assert_allclose(result[inside], wanted[inside], atol=0.03)

    def picture(self, pixels: Floats) -> tuple[str, str]:
        import base64
        import hashlib

        out = io.BytesIO()
        tifffile.imwrite(out, pixels, photometric="rgb")
        return hashlib.sha256(out.getvalue()).hexdigest(), base64.b64encode(out.getvalue()).decode()

    def test_heights_give_the_slopes_of_a_paraboloid(self) -> None:
        y, x = np.mgrid[0:HEIGHT, 0:WIDTH] + 0.5
        u, v = (x - 150) / DIAGONAL, (y - 100) / DIAGONAL
        height = (0.9 - 2 * (u**2 + v**2)).astype(np.float32)
        surface = from_height(height, 1.0, 0.001)
        np.testing.assert_allclose(surface.cells[0, 20:-20, 20:-20], (-4 * u * DEEPEST)[20:-20, 20:-20], atol=2e-3)
        np.testing.assert_allclose(surface.cells[1, 20:-20, 20:-20], (-4 * v * DEEPEST)[20:-20, 20:-20], atol=2e-3)

    def test_normals_and_heights_of_one_shape_agree(self) -> None:
        slope = np.float32(0.3)
        normal = np.array([-slope, 0, 1]) / np.hypot(slope, 1)
        tilted = from_normals(np.broadcast_to((normal / 2 + 0.5).astype(np.float32), (20, 30, 3)), 1.0)
        np.testing.assert_allclose(tilted.cells[0], slope, atol=1e-5)
        self.assertIsInstance(tilted, HeightField)


class Shadows(unittest.TestCase):
    def test_a_wall_casts_a_shadow_as_long_as_its_height_over_the_slope(self) -> None:
        depth = np.zeros((HEIGHT, WIDTH), np.float32)
        depth[:, 100:106] = 1.0
        name, data = grey_file(depth)
        spread = {
            **MATT,
            "lamp": "directional",
            "angle": 180,
            "elevation": 45,
            "shadows": 1.0,
            "shadow_softness": 0.05,
            "shadow_length": 0.4,
        }
        source = {"surface": "depth", "file": name, "relief": 1.0, "scale": 0.001}
        rig = rig_of(light("lamp", source=source, spread=spread), files={name: data})
        bare = rig_of(light("lamp", source=source, spread={**spread, "shadows": 0.0}), files={name: data})
        plate = even()
        share = render(plate, rig)[100, :, 1] - 0.2
        share = share / np.maximum(render(plate, bare)[100, :, 1] - 0.2, 1e-6)
        # At 45 degrees the shadow is as long as the wall is high.
        length = DEEPEST * DIAGONAL
        dark = np.flatnonzero(share[112:] < 0.5)
        self.assertAlmostEqual(float(dark.max()) + 6, length, delta=0.25 * length)
        self.assertGreater(share[60], 0.95)  # before the wall
        self.assertGreater(share[112 + int(1.6 * length)], 0.95)

    def test_no_shadow_is_cast_where_none_is_asked_for(self) -> None:
        plate = plate_of(scene())
        a, b = (render(plate, rig_of(light("lamp", spread={"shadows": s}))) for s in (0.0, 1e-6))
        np.testing.assert_allclose(a, b, atol=1e-5)


class Together(unittest.TestCase):
    def test_sixteen_lamps_add_up_and_a_second_does_not_undo_the_first(self) -> None:
        plate = plate_of(scene(240, 160))
        places = [{"position": [0.05 + 0.06 * k, 0.4]} for k in range(16)]
        lamps = [{**light("lamp", spread=s, merge={"mode": "add"}), "id": f"lamp-{k}"} for k, s in enumerate(places)]
        cache = Cache(1 << 29)
        all_of_them = render(plate, rig_of(*lamps), cache=cache) - plate.pixels
        each = sum(render(plate, rig_of(lamp), cache=cache) - plate.pixels for lamp in lamps)
        np.testing.assert_allclose(all_of_them, each, rtol=1e-3, atol=1e-4)

    def test_the_house_light_is_lowered_by_hand_and_lamps_keep_their_strength(self) -> None:
        plate = plate_of(scene())
        lamp = light("lamp", merge={"mode": "add"})
        lamp_alone = render(plate, rig_of(lamp)) - plate.pixels
        dim = render(plate, rig_of(lamp, house={"level": 0.2})) - 0.2 * plate.pixels
        np.testing.assert_allclose(dim, lamp_alone, atol=1e-5)

    def test_a_lamp_that_lights_nothing_says_what_to_do(self) -> None:
        plate = plate_of(scene())
        aside: dict[str, Any] = {"lamp": "spot", "aim": [9.0, 0.5], "outer_cone": 5, "inner_cone": 2}
        for spread in ({"range": 0.0}, {"position": [5, 5], "range": 0.3}, aside):
            says = measure(renderer_of(plate), rig_of(light("lamp", spread=spread)), None).says
            self.assertIn("raise Range", says.get("under-test", ""), spread)

    def test_a_depth_of_another_size_is_laid_over_the_whole_plate(self) -> None:
        ramp = np.tile(np.linspace(0, 1, 50, dtype=np.float32), (40, 1))
        name, data = grey_file(ramp)
        rig = rig_of(light("lamp", source={"surface": "depth", "file": name}), files={name: data})
        self.assertTrue(np.isfinite(render(even(), rig)).all())

    def test_a_depth_that_is_no_picture_is_refused_in_a_sentence(self) -> None:
        import base64
        import hashlib

        name, data = hashlib.sha256(b"no").hexdigest(), base64.b64encode(b"no").decode()
        rig = rig_of(light("lamp", source={"surface": "depth", "file": name}), files={name: data})
        with self.assertRaisesRegex(PlateError, "the depth map"):
            render(even(), rig)

    def test_a_lamp_below_the_picture_is_refused_in_a_sentence(self) -> None:
        with self.assertRaisesRegex(RigError, r"lights\[0\]\.spread\.height is -0.1, but must be at least 0.005"):
            check_rig({"lights": [light("lamp", spread={"height": -0.1})]})

    def test_a_missing_depth_falls_back_to_the_brightness(self) -> None:
        plate = plate_of(scene())
        gone = render(plate, rig_of(light("lamp", source={"surface": "depth", "file": "0" * 64})))
        self.assertGreater(psnr(gone, render(plate, rig_of(light("lamp")))), 100)
