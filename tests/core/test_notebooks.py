"""Pictures that show themselves in a notebook."""

from __future__ import annotations

import io
import unittest
from typing import Any

import numpy as np
from PIL import Image

from aurelon.core import Lit, Rendering, render
from aurelon.core.imaging.rgb_space import SRGB
from tests.pictures import light, plate_of, rig_of, scene

RIG = rig_of(light("shafts", spread={"position": [0.3, 0.3]}))


def decoded(png: bytes | None) -> Any:
    assert png is not None
    return np.asarray(Image.open(io.BytesIO(png)).convert("RGB"), np.float32) / 255


class Notebooks(unittest.TestCase):
    def setUp(self) -> None:
        self.plate = plate_of(scene(300, 200))

    def close(self, shown: Any, pixels: Any) -> None:
        codes = np.clip(SRGB.curves[0].encode(pixels), 0, 1)
        np.testing.assert_allclose(shown, codes, atol=1.01 / 255)

    def test_a_plate_a_rendering_and_a_rig_on_a_plate(self) -> None:
        self.close(decoded(self.plate._repr_png_()), self.plate.pixels)
        result = render(self.plate, RIG)
        self.assertIsInstance(result, Rendering)
        self.close(decoded(result._repr_png_()), result)
        self.close(decoded(Lit(self.plate, RIG)._repr_png_()), result)
        np.testing.assert_array_equal(Lit(self.plate, RIG).render(), result)

    def test_a_large_one_is_shown_small(self) -> None:
        large = plate_of(scene(1600, 900))
        for one in (large, Lit(large, RIG), render(large, RIG)):
            self.assertEqual(decoded(one._repr_png_()).shape, (576, 1024, 3))

    def test_numbers_of_a_rendering_are_no_picture(self) -> None:
        result = render(self.plate, RIG)
        parts: list[Any] = [result[:, :, 0], result[:0], (result * 0.5)[10:50]]
        self.assertEqual([part._repr_png_() is None for part in parts], [True, True, False])
        self.assertEqual(float((result + 1).mean()), float(np.asarray(result + 1).mean()))


if __name__ == "__main__":
    unittest.main()
