"""Areas that are found in a picture, and lights that stand behind them or are open by them."""

from __future__ import annotations

import unittest
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import skimage
from PIL import Image, ImageDraw

from aurelon.core import Plate, Rig, open_plate, render
from aurelon.core.analysis.finder import find_light
from aurelon.core.analysis.measure import measure
from aurelon.core.finding.areas import areas_of, sky_of
from aurelon.core.finding.sky import looked_at
from aurelon.core.finding.sky_confidence import _unwritten
from aurelon.core.finding.sky_look import SkyLook
from aurelon.core.graph.new_light import new_light
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.rgb_space import SRGB, SRGB_CURVE
from aurelon.core.rig.edits.take_area import TakeArea
from aurelon.core.rig.transfer import apply_rig
from demo.render import BESIDE, PLATES
from tests.first_settings import RULES, judged
from tests.pictures import Floats, light, plate_of, renderer_of, rig_of, scene

SKY_MATTE = {"id": "sky", "name": "Sky", "mask": {"start": "nothing", "parts": [{"part": "sky"}]}}
OUTDOORS = ("headland", "harbour")


def linear(codes: Any) -> Floats:
    """Display-encoded values (h, w, 3) in 0..255 as linear light."""
    return np.asarray(SRGB_CURVE.decode(np.asarray(codes, np.float64) / 255), np.float32)


def under_leaves(seed: int = 3) -> tuple[Floats, Floats]:
    """A blue sky between leaves that are in part brighter than it, and the truth of what is sky."""
    rng = np.random.default_rng(seed)
    height, width = 300, 420
    leaves = Image.new("L", (width, height), 0)
    draw = ImageDraw.Draw(leaves)
    for _ in range(230):
        x, y = rng.integers(0, width), rng.integers(60, height)
        a, b = rng.integers(8, 26, 2)
        draw.ellipse((x - a, y - b, x + a, y + b), fill=int(rng.integers(120, 255)))
    draw.rectangle((0, 250, width, height), fill=130)
    shade = np.asarray(leaves, np.float64)
    leaf = shade[:, :, None] / 255 * np.array([190, 190, 70]) + rng.normal(0, 9, (height, width, 3))
    sky = np.broadcast_to(np.array([70, 110, 180.0]), (height, width, 3)) + rng.normal(0, 1.5, (height, width, 3))
    covered = shade[:, :, None] > 0
    return linear(np.clip(np.where(covered, leaf, sky), 0, 255)), (~covered[:, :, 0]).astype(np.float32)


class Found(unittest.TestCase):
    def test_the_sky_of_every_outdoor_plate_is_the_renderers(self) -> None:
        for stem in OUTDOORS:
            plate = open_plate(PLATES / f"{stem}.jpg")
            true = np.asarray(Image.open(BESIDE / f"{stem}-sky.png")) > 127
            rig = Rig.model_validate({"mattes": [SKY_MATTE]})
            cut = render(plate, rig, size=(true.shape[1], true.shape[0]), show="matte:sky")[:, :, 0] > 0.5
            self.assertGreaterEqual(float((cut & true).sum() / (cut | true).sum()), 0.95, stem)
            self.assertTrue(next(area for area in areas_of(plate) if area.name == "sky").sure, stem)

    def test_no_sky_is_proposed_where_there_is_none(self) -> None:
        rng = np.random.default_rng(5)
        page = Image.new("RGB", (400, 300), (250, 250, 250))
        draw = ImageDraw.Draw(page)
        for line in range(20):
            for word in range(9):
                draw.rectangle(
                    (20 + word * 40, 12 + line * 14, 20 + word * 40 + int(rng.integers(10, 34)), 18 + line * 14), fill=(20, 20, 20)
                )
        rows, columns = np.mgrid[0:200, 0:300]
        drawing = np.where(columns[:, :, None] % 100 < 50, [0.10, 0.30, 0.12], [0.35, 0.25, 0.15])
        drawing[rows < 60 + 20 * np.sin(columns / 30)] = (0.5, 0.6, 0.8)
        spot = np.exp(-((rows - 130) ** 2 + (columns - 90) ** 2) / 900)
        cases = {
            "noise": rng.random((200, 300, 3)).astype(np.float32),
            "all sky": np.broadcast_to(np.linspace(0.3, 0.5, 200, dtype=np.float32)[:, None, None], (200, 300, 3)).copy(),
            "a chessboard": np.kron(np.indices((10, 15)).sum(axis=0) % 2, np.ones((20, 20)))[:, :, None] * np.ones(3, np.float32),
            "a drawing": drawing,
            "a slide": np.clip(0.13 + 0.01 * rng.standard_normal((200, 300, 1)) - 0.04 * spot[:, :, None], 0, 1) * np.ones(3),
            "fog": 0.5 + 0.004 * rng.standard_normal((200, 300, 3)).astype(np.float32),
            "black": np.zeros((200, 300, 3), np.float32),
            "white": np.ones((200, 300, 3), np.float32),
            "a page": linear(page),
            "one pixel": np.ones((1, 1, 3), np.float32),
            "a line of pixels": np.ones((1, 900, 3), np.float32),
        }
        for name, pixels in cases.items():
            self.assertFalse(any(area.sure for area in areas_of(plate_of(np.asarray(pixels, np.float32)))), name)
        shed = open_plate(PLATES / "boatshed.jpg")
        self.assertFalse(next(area for area in areas_of(shed) if area.name == "sky").sure)

    def test_a_black_rim_round_a_disc_is_no_sky(self) -> None:
        rows, columns = np.mgrid[0:200, 0:300]
        inside = np.clip(92 - np.hypot(rows - 100, columns - 150), 0, 1)[:, :, None]
        grain = 0.1 * cv2.GaussianBlur(np.random.default_rng(5).standard_normal((200, 300)), (0, 0), 2.0)[:, :, None]
        disc = np.clip(inside * (np.array([0.5, 0.25, 0.1]) + grain), 0.0005, 1).astype(np.float32)
        self.assertFalse(next(area for area in areas_of(plate_of(disc)) if area.name == "sky").sure)

    def test_an_even_patch_that_ends_before_both_sides_is_less_sure(self) -> None:
        # A wall with a light on it, in a room; the same picture without the room's left side has it reach there.
        rows, columns = np.mgrid[0:240, 0:360]
        grain = 0.2 * cv2.GaussianBlur(np.random.default_rng(2).standard_normal((240, 360)), (0, 0), 2.0)[:, :, None]
        room = np.clip(0.1 + grain, 0.01, 1) * np.array([0.8, 0.7, 0.6])
        wall = (rows < 90) & (columns > 100) & (columns < 270)
        room[wall] = np.array([0.66, 0.62, 0.6]) - 0.0003 * rows[wall][:, None]
        within, reaching = (sky_of(plate_of(np.asarray(part, np.float32))).confidence for part in (room, room[:, 101:]))
        self.assertGreater(reaching, 1.2 * within)

    def test_what_is_thin_and_dark_all_over_is_told_from_things(self) -> None:
        def answer(codes: Floats) -> float:
            flat = np.zeros(codes.shape[:2], np.float32)
            return _unwritten(SkyLook(codes, codes, flat, flat, flat), np.ones(flat.shape, bool))

        rng = np.random.default_rng(3)
        page = np.ones((200, 300), np.float32)
        for top, left in zip(rng.integers(0, 196, 900), rng.integers(0, 297, 900), strict=True):
            page[top : top + int(rng.integers(2, 6)), left : left + int(rng.integers(1, 4))] = 0.1
        shaded = cv2.GaussianBlur(page, (0, 0), 0.8) * np.linspace(0.9, 0.4, 200, dtype=np.float32)[:, None]
        self.assertEqual(answer(np.repeat(shaded[:, :, None], 3, axis=2)), 0)
        for name in ("headland", "harbour", "brasslens"):
            picture = open_plate(PLATES / f"{name}.jpg")
            self.assertEqual(answer(encode_array(picture.at(looked_at(picture.size)))), 1, name)

    def test_a_panorama_and_an_infrared_picture_in_grey_have_their_sky(self) -> None:
        wide = np.concatenate([scene(480, 240, seed) for seed in range(10)], axis=1)
        grey = scene().mean(axis=2, keepdims=True).repeat(3, 2)
        for name, pixels in (("panorama", wide), ("grey", grey)):
            found = sky_of(plate_of(pixels))
            height, width = found.cover.shape
            self.assertGreater(found.cover[: int(0.45 * height), : int(0.35 * width)].mean(), 0.9, name)
            self.assertLess(found.cover[int(0.8 * height) :].mean(), 0.1, name)

    def test_what_shines_through_leaves_is_sky_and_a_sunlit_leaf_is_not(self) -> None:
        pixels, true = under_leaves()
        cover = render(plate_of(pixels), rig_of(mattes=[SKY_MATTE]), show="matte:sky")[:, :, 0] > 0.5
        truth = true > 0.5
        self.assertGreater(float((cover & truth).sum() / (cover | truth).sum()), 0.9)

    def test_the_same_sky_is_found_every_time(self) -> None:
        first, second = (sky_of(plate_of(scene())).cover for _ in range(2))
        np.testing.assert_array_equal(first, second)

    def test_a_subject_on_an_even_ground_is_boxed(self) -> None:
        pixels = np.full((300, 400, 3), (0.08, 0.1, 0.12), np.float32)
        pixels[90:220, 150:260] = (0.7, 0.2, 0.05)
        found = next(area for area in areas_of(plate_of(pixels)) if area.name == "subject")
        self.assertTrue(found.sure)
        assert found.box is not None
        left, top, right, bottom = found.box
        self.assertTrue(0.28 < left < 0.375 and 0.22 < top < 0.3 and 0.65 < right < 0.75 and 0.73 < bottom < 0.82)


class Behind(unittest.TestCase):
    def setUp(self) -> None:
        self.plate = plate_of(scene())

    def mask(self, spill: float, **more: Any) -> Floats:
        result = {**light("shafts"), "behind": {"matte": "sky", "spill": spill}, **more}
        return render(self.plate, rig_of(result, mattes=[SKY_MATTE]), show="mask:under-test")[:, :, 0]

    def test_a_light_behind_an_area_reaches_it_by_its_spill_alone(self) -> None:
        area = render(self.plate, rig_of(mattes=[SKY_MATTE]), show="matte:sky")[:, :, 0]
        for spill in (0.0, 0.3, 1.0):
            np.testing.assert_allclose(self.mask(spill), 1 - area * (1 - spill), atol=1e-6)
        half = {"mask": {"start": "nothing", "parts": [{"part": "linear", "begin": [0.4, 0.5], "end": [0.6, 0.5]}]}}
        alone = render(self.plate, rig_of({**light("shafts"), **half}), show="mask:under-test")[:, :, 0]
        np.testing.assert_allclose(self.mask(0.0, **half), alone * (1 - area), atol=1e-6)

    def test_one_edit_takes_an_area_as_a_matte_and_puts_the_light_behind_it(self) -> None:
        rig = rig_of(light("shafts"), {**light("bloom"), "id": "glow"})
        once = TakeArea(area="foreground", light="under-test").apply(rig)
        self.assertEqual([matte.name for matte in once.rig.mattes], ["Foreground"])
        self.assertEqual(once.rig.light("under-test").behind.matte, once.rig.mattes[0].id)
        # A second light stands behind the same matte.
        twice = TakeArea(area="foreground", light="glow").apply(once.rig)
        self.assertEqual(len(twice.rig.mattes), 1)
        self.assertEqual(twice.rig.light("glow").behind.matte, once.rig.mattes[0].id)
        cover = render(self.plate, once.rig, show="mask:under-test")[:, :, 0]
        self.assertLess(float(cover[300:].max()), 0.05)
        self.assertGreater(float(cover[:60, :150].min()), 0.95)

    def test_what_a_light_stands_behind_goes_with_it_to_another_picture(self) -> None:
        saved = TakeArea(area="foreground", light="under-test").apply(rig_of(light("shafts"))).rig
        applied = apply_rig(saved, Rig())
        self.assertEqual(applied.notes, [])
        self.assertEqual(applied.rig.light("under-test").behind.matte, applied.rig.mattes[0].id)

    def test_a_matte_that_is_gone_is_said_and_the_light_goes_on(self) -> None:
        rig = rig_of({**light("shafts"), "name": "Sun", "behind": {"matte": "gone"}})
        self.assertEqual(rig.missing_mattes(), {"gone": ["Sun"]})
        self.assertIn("no longer exists", measure(renderer_of(self.plate), rig, None).says["under-test"])
        plain = rig_of(light("shafts"))
        np.testing.assert_array_equal(render(self.plate, rig), render(self.plate, plain))


class OpenBy(unittest.TestCase):
    def opened(self, plate: Plate, mattes: list[dict[str, Any]] | None = None, **source: Any) -> Floats:
        result = light("shafts", source=source)
        return render(plate, rig_of(result, mattes=mattes or []), show="stage:under-test:source")

    def test_a_blue_sky_is_open_and_a_brighter_leaf_closed(self) -> None:
        pixels, true = under_leaves()
        plate = plate_of(pixels)
        for source in ({"open_by": "sky"}, {"open_by": "colours", "colour": "#466eb4", "tolerance": 0.2}):
            opened = self.opened(plate, **source).max(axis=2) > 0.05
            truth = true > 0.5
            self.assertGreater(float((opened & truth).sum() / (opened | truth).sum()), 0.88, source["open_by"])

    def test_an_area_is_open_and_nothing_else(self) -> None:
        plate = plate_of(scene())
        area = {"id": "shape", "mask": {"start": "nothing", "parts": [{"part": "radial", "middle": [0.7, 0.3], "radius": 0.1}]}}
        cover = render(plate, rig_of(mattes=[area]), show="matte:shape")[:, :, :1]
        np.testing.assert_allclose(self.opened(plate, [area], open_by="area", area="shape"), plate.pixels * cover, atol=1e-5)
        self.assertEqual(float(self.opened(plate, open_by="area", area="gone").max()), 0.0)


def barred_window() -> Floats:
    """A dark room whose window is black between grey bars."""
    pixels = np.full((400, 600, 3), 0.05, np.float32)
    pixels[120:280, 220:380] = 0.001
    pixels[120:280, 290:300] = 0.03
    pixels[195:203, 220:380] = 0.03
    return pixels


class Holes(unittest.TestCase):
    def lit(self, pixels: Floats, **spread: Any) -> Floats:
        result = light("shafts", source={"threshold": 0.9}, spread={"position": [0.52, 0.53], "disc_size": 0.03, **spread})
        return render(plate_of(pixels), rig_of(result), show="stage:under-test:spread").max(axis=2)

    def test_a_source_in_a_black_window_is_seen_with_the_bars_in_front(self) -> None:
        lit = self.lit(barred_window())
        self.assertGreater(float(lit[212, 312]), 0.7)
        self.assertLess(float(lit[212, 294]), 0.6 * float(lit[212, 284]))
        self.assertLess(float(lit[199, 312]), 0.6 * float(lit[190, 312]))

    def test_a_source_that_something_lets_through_opens_no_hole(self) -> None:
        pixels = np.full((400, 600, 3), 0.9, np.float32)
        result = light("shafts", spread={"position": [0.5, 0.5], "variety": 0.0})
        plain = render(plate_of(pixels), rig_of(result), show="stage:under-test:spread")
        pixels[300:] = 0.001
        far = render(plate_of(pixels), rig_of(result), show="stage:under-test:spread")
        np.testing.assert_allclose(far[:150], plain[:150], atol=0.02)

    def test_a_sun_among_dark_leaves_of_every_tone_is_seen(self) -> None:
        leaves = np.random.default_rng(6).random((300, 450, 3)).astype(np.float32) ** 2 * np.float32(0.12)
        plate, sun = plate_of(leaves), light("shafts", source={"threshold": 0.8}, spread={"position": [0.5, 0.5]})
        change = render(plate, rig_of(sun)) - leaves
        self.assertGreater(float(change[147:154, 222:229].mean()), 0.3)

    def test_a_sun_over_a_dark_field_is_seen(self) -> None:
        field = np.full((300, 450, 3), 0.02, np.float32)
        unlit, sun = plate_of(field), light("shafts", spread={"position": [0.5, 0.5]})
        change = render(unlit, rig_of(sun)) - field
        self.assertGreater(float(change.max()), 0.3)
        self.assertGreater(float((change > 0.02).mean()), 0.02)


class Finding(unittest.TestCase):
    def test_by_day_a_bright_spot_on_the_ground_is_less_likely_the_source_than_one_in_the_sky(self) -> None:
        pixels = scene(600, 400)
        y, x = np.mgrid[0:400, 0:600]
        places = {"ground": (430, 330), "sky": (120, 110)}
        for px, py in places.values():
            pixels[np.hypot(x - px, y - py) < 9] = 1.0
        plate = plate_of(pixels)
        cover = np.asarray(Image.fromarray(sky_of(plate).cover).resize((600, 400)), np.float32)

        def sure(known: Floats | None, of: str) -> float:
            px, py = places[of]
            near = [
                p for p in find_light(pixels, SRGB, known).ranked if np.hypot(p.place[0] * 600 - px, p.place[1] * 400 - py) < 12
            ]
            return near[0].confidence if near else 0.0

        self.assertGreater(sure(None, "ground"), 0.2)
        self.assertLess(sure(cover, "ground"), 0.5 * sure(None, "ground"))
        self.assertEqual(sure(cover, "sky"), sure(None, "sky"))


class Explained(unittest.TestCase):
    def notice(self, rig: Rig, pixels: Floats) -> str | None:
        return measure(renderer_of(pixels), rig, None).says.get("under-test")

    def test_the_chip_says_that_a_source_shines_through_a_hole_of_its_own(self) -> None:
        result = light("shafts", source={"threshold": 0.9}, spread={"position": [0.52, 0.53]})
        self.assertIn("hole", self.notice(rig_of(result), barred_window()) or "")
        lit = light("shafts", source={"threshold": 0.2}, spread={"position": [0.2, 0.2]})
        self.assertIsNone(self.notice(rig_of(lit), scene()))

    def test_the_chip_names_what_hides_a_light(self) -> None:
        low = {"id": "low", "name": "Shore", "mask": {"start": "everything"}}
        result = {**light("shafts"), "behind": {"matte": "low"}}
        self.assertIn("“Shore”", self.notice(rig_of(result, mattes=[low]), scene()) or "")


class BadInput(unittest.TestCase):
    def test_odd_pictures_with_everything_on_them_do_not_fail(self) -> None:
        rng = np.random.default_rng(2)
        cases: dict[str, Floats] = {
            "one pixel": np.full((1, 1, 3), 0.5, np.float32),
            "a line of pixels": rng.random((1, 700, 3)).astype(np.float32),
            "20 to 1": np.tile(np.linspace(1, 0, 60, dtype=np.float32)[:, None, None], (1, 1200, 3)),
            "far above white": rng.random((90, 120, 3)).astype(np.float32) * 20,
            "black": np.zeros((90, 120, 3), np.float32),
        }
        for name, pixels in cases.items():
            plate = plate_of(pixels)
            sun = new_light("shafts", plate, Rig()).model_dump()
            sun["source"]["open_by"] = "sky"
            rig = Rig.model_validate({"prepare": {"headroom": 3}, "lights": [sun]})
            for area in ("sky", "foreground", "subject"):
                taken = TakeArea.model_validate({"area": area, "box": (0.2, 0.2, 0.8, 0.8), "light": sun["id"]}).apply(rig).rig
                result = render(plate, taken)
                self.assertTrue(np.isfinite(result).all() and result.min() >= 0, f"{name}, {area}")


class FirstSettings(unittest.TestCase):
    def test_a_new_sun_lies_in_the_sky_and_is_open_there(self) -> None:
        for stem in OUTDOORS:
            plate = open_plate(PLATES / f"{stem}.jpg")
            result = new_light("shafts", plate, Rig())
            x, y = result.spread.model_dump()["position"]
            cover = sky_of(plate).cover
            row, column = int(y * cover.shape[0]), int(x * cover.shape[1])
            # It may be a lamp before the sky.
            self.assertGreater(float(cover[max(row - 24, 0) : row + 25, max(column - 24, 0) : column + 25].mean()), 0.5, stem)

    def test_new_lights_are_seen_and_keep_whites_and_blacks(self) -> None:
        data = Path(skimage.__file__).parent / "data"
        for path in (data / "coffee.png", PLATES / "boatshed.jpg", PLATES / "headland.jpg"):
            for kind, kept in judged(path):
                self.assertEqual(kept, (True, True, True), f"{kind} on {path.stem}: {RULES}")

    def test_a_new_sun_on_a_bright_sky_is_made_weaker_until_little_is_clipped(self) -> None:
        plate = plate_of(np.minimum(scene() * np.float32(1.2), 0.95).astype(np.float32))
        result = new_light("shafts", plate, Rig.model_validate({"distance": {"origin": "none"}}))
        clipped = [
            (SRGB_CURVE.encode(render(plate, rig)) >= 254.5 / 255).any(axis=2) for rig in (Rig(lights=[result.model_dump()]), Rig())
        ]
        self.assertLess(result.merge.intensity, 1.0)
        self.assertLess(float((clipped[0] & ~clipped[1]).mean()), 0.02)


if __name__ == "__main__":
    unittest.main()
