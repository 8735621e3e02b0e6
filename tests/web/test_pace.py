"""Drafts get smaller where they are slow, and only while the hand moves."""

from __future__ import annotations

import unittest

from aurelon.web.pace import PIXELS, SLOW, Pace
from aurelon.web.view import View

LARGE = View(width=800, height=600, x0=100, y0=50, x1=700, y1=550)


class Pacing(unittest.TestCase):
    def setUp(self) -> None:
        self.pace = Pace()

    def took(self, *seconds: float, draft: bool = True, frame: int = 0) -> float:
        """The share of the pixels that the next draft has, after pictures that took these seconds."""
        for each in seconds:
            self.pace.note_frame(draft, frame, each)
        return self.pace.view(LARGE).pixels / LARGE.pixels

    def test_one_slow_draft_changes_nothing_and_two_in_a_row_halve_the_pixels(self) -> None:
        self.assertEqual(self.took(2 * SLOW), 1)
        self.assertEqual(self.took(SLOW / 2, 2 * SLOW), 1)
        self.assertAlmostEqual(self.took(2 * SLOW), 0.5, delta=0.01)

    def test_where_half_is_slow_too_a_quarter_follows_and_no_less(self) -> None:
        self.assertAlmostEqual(self.took(*[2 * SLOW] * 4), 0.25, delta=0.01)
        self.assertAlmostEqual(self.took(*[2 * SLOW] * 9), 0.25, delta=0.01)

    def test_it_stays_small_until_the_hand_rests(self) -> None:
        self.assertAlmostEqual(self.took(2 * SLOW, 2 * SLOW, SLOW / 9, SLOW / 9), 0.5, delta=0.01)
        self.assertEqual(self.took(9 * SLOW, draft=False), 1)

    def test_frames_of_a_reel_that_follow_one_another_keep_their_size(self) -> None:
        for frame in range(1, 6):
            self.assertEqual(self.took(2 * SLOW, frame=frame), 1)

    def test_the_part_that_is_seen_stays_the_same(self) -> None:
        self.took(2 * SLOW, 2 * SLOW)
        small = self.pace.view(LARGE)
        for of, whole in (("x0", "width"), ("y0", "height"), ("x1", "width"), ("y1", "height")):
            at = getattr(LARGE, of) / getattr(LARGE, whole)
            self.assertAlmostEqual(getattr(small, of) / getattr(small, whole), at, delta=1.01 / getattr(small, whole))

    def test_no_draft_is_larger_than_a_screen_needs(self) -> None:
        huge = View(width=6000, height=4000, x0=0, y0=0, x1=3000, y1=2000)
        self.assertAlmostEqual(self.pace.view(huge).pixels / PIXELS, 1, delta=0.01)
        self.assertEqual(self.took(), 1)


if __name__ == "__main__":
    unittest.main()
