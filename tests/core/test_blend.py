"""Blend modes against an independent float64 implementation of the W3C formulae."""

from __future__ import annotations

import unittest

import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.blend.modes import MODE_NAMES
from aurelon.core.imaging.merging import merge

Doubles = NDArray[np.float64]
GREY_IS_NEUTRAL = ("overlay", "hard-light", "soft-light")
BLACK_IS_NEUTRAL = ("screen", "lighten", "color-dodge", "difference", "exclusion")
LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


def encode(x: Doubles) -> Doubles:
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.maximum(x, 1e-12) ** (1 / 2.4) - 0.055)


def decode(e: Doubles) -> Doubles:
    return np.where(e <= 0.04045, e / 12.92, ((e + 0.055) / 1.055) ** 2.4)


def lum(c: Doubles) -> Doubles:
    return (c @ np.array([0.3, 0.59, 0.11]))[..., None]


def set_lum(c: Doubles, target: Doubles) -> Doubles:
    c = c + target - lum(c)
    level, low, high = lum(c), c.min(-1, keepdims=True), c.max(-1, keepdims=True)
    c = np.where(low < 0, level + (c - level) * level / np.where(low < 0, level - low, 1), c)
    return np.where(high > 1, level + (c - level) * (1 - level) / np.where(high > 1, high - level, 1), c)


def sat(c: Doubles) -> Doubles:
    return c.max(-1, keepdims=True) - c.min(-1, keepdims=True)


def set_sat(c: Doubles, target: Doubles) -> Doubles:
    span = sat(c)
    return np.where(span > 0, (c - c.min(-1, keepdims=True)) * target / np.where(span > 0, span, 1), 0)


def hard(b: Doubles, s: Doubles) -> Doubles:
    return np.where(s <= 0.5, 2 * b * s, b + (2 * s - 1) - b * (2 * s - 1))


def w3c(mode: str, b: Doubles, s: Doubles) -> Doubles:
    with np.errstate(all="ignore"):
        d = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(b))
        return {
            "normal": s,
            "multiply": b * s,
            "screen": b + s - b * s,
            "overlay": hard(s, b),
            "darken": np.minimum(b, s),
            "lighten": np.maximum(b, s),
            "hard-light": hard(b, s),
            "difference": abs(b - s),
            "color-dodge": np.where(b == 0, 0, np.where(s >= 1 - 1e-9, 1, np.minimum(1, b / (1 - s)))),
            "color-burn": np.where(b >= 1 - 1e-9, 1, np.where(s <= 0, 0, 1 - np.minimum(1, (1 - b) / s))),
            "soft-light": np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (d - b)),
            "exclusion": b + s - 2 * b * s,
            "hue": set_lum(set_sat(s, sat(b)), lum(b)),
            "saturation": set_lum(set_sat(b, sat(s)), lum(b)),
            "color": set_lum(s, lum(b)),
            "luminosity": set_lum(b, lum(s)),
        }[mode]


def expected(mode: str, below: Doubles, light: Doubles, alpha: Doubles) -> Doubles:
    """Simple alpha compositing of the specification, section 9, with a backdrop of alpha 1."""
    b, s = encode(below), encode(light)
    if mode in GREY_IS_NEUTRAL:
        s = 0.5 + 0.5 * s
    elif mode not in BLACK_IS_NEUTRAL:
        top = s.max(-1, keepdims=True)
        s, alpha = s / np.where(top > 0, top, 1), alpha * top
    return decode((1 - alpha) * b + alpha * w3c(mode, b, s))


class Modes(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(8)
        self.below = rng.random((64, 64, 3)).astype(np.float32)
        self.light = rng.random((64, 64, 3)).astype(np.float32)
        self.below[:8] = rng.integers(0, 2, (8, 64, 3))
        self.light[:, :8] = rng.integers(0, 2, (64, 8, 3))
        self.mask = rng.random((64, 64)).astype(np.float32)

    def merged(self, mode: str, opacity: float = 1.0, keep_darks: float = 0.0, intensity: float = 1.0) -> NDArray[np.float32]:
        return merge(
            self.below, self.light, self.mask, LUMINANCE, mode=mode, intensity=intensity, opacity=opacity, keep_darks=keep_darks
        )

    def test_8_the_modes_follow_w3c_to_a_255th(self) -> None:
        for mode in MODE_NAMES[3:]:
            for opacity in (1.0, 0.6):
                alpha = (self.mask * opacity).astype(np.float64)[:, :, None]
                wanted = expected(mode, self.below.astype(np.float64), self.light.astype(np.float64), alpha)
                off = np.abs(encode(self.merged(mode, opacity).astype(np.float64)) - encode(wanted)).max()
                self.assertLess(off, 1 / 255, mode)

    def test_an_opaque_light_is_its_own_colour_in_every_mode(self) -> None:
        below, light = self.below.astype(np.float64), self.light.astype(np.float64)
        for mode in MODE_NAMES[3:]:
            result = merge(
                self.below, self.light, self.mask, LUMINANCE, mode=mode, intensity=1.0, opacity=0.8, keep_darks=0.0, opaque=True
            )
            alpha = 0.8 * self.mask.astype(np.float64)[:, :, None]
            b, s = encode(below), encode(light)
            wanted = (1 - alpha) * b + alpha * w3c(mode, b, s)
            self.assertLess(float(np.abs(encode(result.astype(np.float64)) - wanted).max()), 1 / 255, mode)

    def test_expose_is_the_stated_exponential(self) -> None:
        b, l, a = self.below.astype(np.float64), self.light.astype(np.float64), self.mask.astype(np.float64)[:, :, None]
        room = np.maximum(1 - b, 1e-9)
        wanted = b + a * (1 - b) * (1 - np.exp(-l / room))
        np.testing.assert_allclose(self.merged("expose"), wanted, atol=3e-6)

    def test_expose_never_clips_and_leaves_what_is_above_white(self) -> None:
        self.light *= 50
        self.assertLessEqual(float(self.merged("expose").max()), 1.0)
        self.below += 1
        np.testing.assert_array_equal(self.merged("expose"), self.below)

    def test_add_is_linear(self) -> None:
        a = self.mask[:, :, None]
        np.testing.assert_allclose(self.merged("add", intensity=2), self.below + 2 * a * self.light, atol=1e-6)

    def test_relight_is_linear_up_to_its_knee_and_rolls_off_above(self) -> None:
        b, l, a = self.below.astype(np.float64), self.light.astype(np.float64), self.mask.astype(np.float64)[:, :, None]
        lit = b * (1 + l)
        knee = np.clip(b, 0.75, 1)
        room = np.maximum(1 - knee, 1e-9)
        rolled = np.where(lit > knee, knee + room * (1 - np.exp(-(lit - knee) / room)), lit)
        self.assertTrue((lit > 0.75).any() and (lit < 0.75).any())
        np.testing.assert_allclose(self.merged("relight"), b + a * (rolled - b), atol=3e-6)

    def test_relight_keeps_the_form_of_bright_things_and_what_is_above_white(self) -> None:
        self.mask[:] = 1
        self.light[:] = 5
        foam = np.linspace(0.3, 0.99, self.below.shape[1], dtype=np.float32)
        self.below[:] = foam[None, :, None]
        result = self.merged("relight")
        self.assertLessEqual(float(result.max()), 1.0)
        self.assertTrue((np.diff(result[0, :, 0]) >= 0).all())
        self.below += 1
        np.testing.assert_array_equal(self.merged("relight"), self.below)

    def test_no_light_leaves_the_picture_in_every_mode_to_the_bit(self) -> None:
        self.light[:] = 0
        self.below *= 3
        for mode in MODE_NAMES:
            np.testing.assert_array_equal(self.merged(mode), self.below, mode)

    def test_keep_darks_holds_light_back_in_the_dark_only(self) -> None:
        self.below[:], self.light[:], self.mask[:] = 0.0005, 0.5, 1
        self.assertLess(float(self.merged("add", keep_darks=1).max()), 0.01)
        self.below[:] = 0.6
        np.testing.assert_allclose(self.merged("add", keep_darks=1), 1.1, atol=1e-5)
