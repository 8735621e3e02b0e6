"""The proof: on the bench are the colours that the file will have, and those that it cannot have are marked."""

from __future__ import annotations

import unittest

import colour
import numpy as np

from aurelon.core import Plate, Rig, read_plate
from aurelon.core.export.picture import PictureExport, export
from aurelon.core.graph.viewing import Viewing
from aurelon.core.imaging.profiles import SPACES
from aurelon.core.imaging.rgb_space import ROMM, SRGB
from aurelon.core.imaging.screen import GAMUT_MARK

NAMES = {"srgb": "sRGB", "display-p3": "Display P3", "romm": "ROMM RGB"}
RNG = np.random.default_rng(4)
COLOURS = RNG.random((24, 32, 3)).astype(np.float32)


class Proof(unittest.TestCase):
    def test_what_is_seen_is_what_the_file_holds(self) -> None:
        plate = Plate(COLOURS, ROMM)
        for name, space in SPACES.items():
            with self.subTest(name):
                file = read_plate(export(plate, Rig(), PictureExport(format="png", depth="16", profile=name)), "proof.png")
                there = space.matrix_to(ROMM)
                held = file.pixels if there is None else file.pixels @ there.T
                seen = Viewing(proof=name).seen(COLOURS, ROMM)
                np.testing.assert_allclose(seen, np.maximum(held, 0), atol=2e-4)

    def test_colours_that_a_profile_has_stay_and_others_are_marked(self) -> None:
        for name, known in NAMES.items():
            with self.subTest(name):
                inside = colour.RGB_to_RGB(COLOURS, "ROMM RGB", known, chromatic_adaptation_transform="Bradford")
                fits = ((inside >= 0) & (inside <= 1)).all(axis=2)
                lacking = (inside < -0.01).any(axis=2)
                seen = Viewing(proof=name).seen(COLOURS, ROMM)
                np.testing.assert_allclose(seen[fits], COLOURS[fits], atol=2e-3)
                picture = np.zeros((*COLOURS.shape[:2], 3), np.uint8)
                Viewing(proof=name).mark(picture, np.minimum(COLOURS, 0.99), ROMM)
                marked = (picture == GAMUT_MARK).all(axis=2)
                self.assertFalse(marked[fits].any())
                # Stripes: half of what lacks.
                self.assertEqual(bool(marked.any()), bool(lacking.any()))
                if lacking.any():
                    self.assertAlmostEqual(marked[lacking].mean(), 0.5, delta=0.2)

    def test_without_a_proof_and_in_a_wider_one_nothing_changes(self) -> None:
        self.assertIs(Viewing().seen(COLOURS, SRGB), COLOURS)
        np.testing.assert_allclose(Viewing(proof="romm").seen(COLOURS, SRGB), COLOURS, atol=1e-5)


if __name__ == "__main__":
    unittest.main()
