"""A level field with posts and balls under a warm sun and a blue sky, ray by ray, as a test for what tells where a sun is."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]
SIZE = (480, 320)
HORIZON = 0.42  # of the height
EYE = np.array([0.0, 1.6, 0.0])
SUNLIGHT, SKYLIGHT = np.array([2.2, 1.7, 1.2]), np.array([0.25, 0.35, 0.55])


class Field(NamedTuple):
    """The picture (h, w, 3) in linear light, its sky (h, w), and the unit vector toward the sun: right, up, ahead."""

    picture: NDArray[np.float32]
    sky: NDArray[np.float32]
    sun: Array


def sunlit_field(azimuth: float, height: float, seed: int) -> Field:
    """The field with the sun at `azimuth` degrees to the right of the view and `height` degrees up."""
    rng = np.random.default_rng(seed)
    turn, rise = np.deg2rad(azimuth), np.deg2rad(height)
    sun = np.array([np.sin(turn) * np.cos(rise), np.sin(rise), np.cos(turn) * np.cos(rise)])
    posts = [(rng.uniform(-0.3, 0.3) * z, z, rng.uniform(0.06, 0.16), rng.uniform(0.7, 1.9)) for z in rng.uniform(5, 22, 7)]
    balls = [(rng.uniform(-0.3, 0.3) * z, z, rng.uniform(0.2, 0.6)) for z in rng.uniform(5, 18, 5)]
    wide, high = SIZE
    y, x = np.mgrid[0:high, 0:wide] + 0.5
    away = np.stack([x - wide / 2, HORIZON * high - y, np.full(x.shape, np.hypot(wide, high))], axis=-1).reshape(-1, 3)
    away /= np.linalg.norm(away, axis=1, keepdims=True)
    far, normal, thing = _met(np.broadcast_to(EYE, away.shape), away, posts, balls)
    down = np.where(away[:, 1] < -1e-4, -EYE[1] / np.minimum(away[:, 1], -1e-4), np.inf)
    ground = down < far
    far, normal[ground], thing[ground] = np.where(ground, down, far), (0, 1, 0), -1
    sky = ~np.isfinite(far)
    place = EYE + np.where(sky, 0, far)[:, None] * away
    in_sun = ~np.isfinite(_met(place + 1e-3 * normal, np.broadcast_to(sun, away.shape), posts, balls)[0])
    paint = np.concatenate([rng.uniform(0.12, 0.6, (len(posts) + len(balls), 3)), [[0.42, 0.36, 0.28]]])[thing]
    paint[ground] *= (1 + 0.12 * _sand(place[ground], rng))[:, None].clip(0.3, 2)
    lit = paint * ((np.maximum(normal @ sun, 0) * in_sun)[:, None] * SUNLIGHT + (0.5 + 0.5 * normal[:, 1:2]) * SKYLIGHT)
    glow = 0.8 * np.exp((away @ sun - 1) / 0.12)[:, None] * np.array([1, 0.8, 0.55])
    above = SKYLIGHT * (2 - 0.8 * away[:, 1:2].clip(0, 1)) + glow
    picture = 0.5 * np.where(sky[:, None], above, lit).reshape(high, wide, 3)
    picture *= 1 + 0.02 * rng.standard_normal(picture.shape)
    return Field(np.maximum(picture, 0).astype(np.float32), sky.reshape(high, wide).astype(np.float32), sun)


def _met(begin: Array, way: Array, posts: Any, balls: Any) -> tuple[Array, Array, Array]:
    """How far along each ray (n, 3) the nearest post or ball is, its normal there, and its number."""
    nearest, normal, thing = np.full(len(way), np.inf), np.zeros((len(way), 3)), np.full(len(way), -1)
    things = [(np.array([x, 0.0, z]), r, np.array([1.0, 0.0, 1.0]), top) for x, z, r, top in posts]
    things += [(np.array([x, r, z]), r, np.ones(3), np.inf) for x, z, r in balls]
    for number, (middle, radius, axes, top) in enumerate(things):
        # An upright cylinder is a ball for which height counts for nothing.
        off, along = (begin - middle) * axes, way * axes
        a, b, c = (along**2).sum(axis=1), (off * along).sum(axis=1), (off**2).sum(axis=1) - radius**2
        root = b * b - a * c
        far = (-b - np.sqrt(np.maximum(root, 0))) / np.maximum(a, 1e-12)
        at = begin + far[:, None] * way
        met = (root > 0) & (far > 1e-3) & (far < nearest) & (at[:, 1] > 0) & (at[:, 1] < top)
        nearest, thing = np.where(met, far, nearest), np.where(met, number, thing)
        normal[met] = ((at - middle) * axes / radius)[met]
    return nearest, normal, thing


def _sand(place: Array, rng: np.random.Generator) -> Array:
    """Unevenness of the ground at places (n, 3), coarse and fine."""
    total = np.zeros(len(place))
    for cells, strength in ((0.5, 1.0), (2.0, 0.7), (7.0, 0.6)):
        numbers = rng.standard_normal((64, 64))
        at = place[:, (0, 2)] * cells
        cell = np.floor(at).astype(int)
        (i, k), (tx, tz) = cell.T % 64, (at - cell).T
        one, other = (
            numbers[i, k] * (1 - tx) + numbers[i - 63, k] * tx,
            numbers[i, k - 63] * (1 - tx) + numbers[i - 63, k - 63] * tx,
        )
        total += strength * (one * (1 - tz) + other * tz)
    return total
