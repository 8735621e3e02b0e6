"""The form of things, as slopes: how fast a surface comes toward the eye, to the right and downward.

Ground and walls are planes. A plane has inverse distance that is linear in the picture: n = A · (x, y, F), with x and y from the
middle and the focal length F, all in diagonals. So the gradient of nearness is (Ax, Ay), and the slopes are Ax / Az and Ay / Az.
The gradient is averaged over places that are alike in nearness and colour (a joint bilateral filter: Petschnigg et al., "Digital
Photography with Flash and No-Flash Image Pairs", 2004), those where it bends counting least, so that no outline gets a rim.

What stands before something farther is rounded at its outline: a membrane held at the outline and drawn up inside, a screened
Poisson equation, is a round edge of radius ROUND (inflation as in Johnston, "Lumo", 2002).
"""

from __future__ import annotations

import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.kernels import kernel
from aurelon.core.optics.depth import FOCAL
from aurelon.core.space.standing import neighbours

Bools = NDArray[np.bool_]

STEEPEST = 3.0  # slope; 72 degrees from facing the eye
SMALLEST = 8  # shortest side in pixels that has a form
OPEN = 0.02  # nearness of the sky, which has no form
WIDE, REACH = 4.0, 9  # pixels: sigma of the average, and how far it goes
IN_NEARNESS, IN_COLOUR = 0.05, 0.12  # sigmas of what is alike; the second in display-encoded codes
BEND = 0.3  # change of the gradient from one pixel to the next at which a place counts half
JUMP = 0.06  # share of its nearness by which a neighbour is farther, across an outline
LEAST_NEAR = 0.1  # nearness below which jumps are not measured more finely
ROUND = 0.03  # diagonals: radius of a rounded outline
HELD = 4.0  # how firmly the membrane is held at an outline
ROUNDNESS = 0.7  # share of a quarter circle's slopes that is used


def slopes_of(nearness: Floats, codes: Floats) -> Floats:
    """Slopes (h, w, 2), of height toward the eye by distance to the right and downward, of a picture `codes` (h, w, 3),
    display-encoded, with its nearness (h, w) in 0..1; 0 in the sky. Both are small versions of some 160 pixels a side."""
    things = nearness > OPEN
    if not things.any() or min(nearness.shape) < SMALLEST:
        return np.zeros((*nearness.shape, 2), np.float32)
    near = _beyond_rim(nearness, things)
    slopes = _of_planes(near, codes) + _of_outlines(near)
    steep = np.maximum(np.linalg.norm(slopes, axis=2, keepdims=True) / STEEPEST, 1)
    return np.asarray(slopes / steep * things[:, :, None], np.float32)


def normals_of(slopes: Floats) -> Floats:
    """Unit normals (h, w, 3) of slopes (h, w, 2): to the right, upward, toward the eye."""
    along = np.dstack([-slopes[:, :, 0], slopes[:, :, 1], np.ones(slopes.shape[:2], np.float32)])
    return np.asarray(along / np.linalg.norm(along, axis=2, keepdims=True), np.float32)


def _beyond_rim(nearness: Floats, things: Bools) -> Doubles:
    """Nearness continued from the things into the sky, so that their rim has no slope."""
    from scipy import ndimage  # slow to load, and not every start needs it

    _, nearest = ndimage.distance_transform_edt(~things, return_indices=True)
    return np.asarray(nearness[tuple(nearest)], np.float64)


def _gradient(values: Doubles, axis: int) -> Doubles:
    """The smaller of the differences to both neighbours, 0 where they disagree: no outline is taken for a slope. By diagonals."""
    step = np.diff(values, axis=axis)
    before = np.concatenate([np.take(step, [0], axis), step], axis)
    after = np.concatenate([step, np.take(step, [-1], axis)], axis)
    least = np.where(np.abs(before) < np.abs(after), before, after)
    return np.asarray(np.where(np.sign(before) == np.sign(after), least, 0) * np.hypot(*values.shape))


def _of_planes(near: Doubles, codes: Floats) -> Doubles:
    height, width = near.shape
    across, down = _gradient(near, 1), _gradient(near, 0)
    bend = sum(np.abs(np.gradient(part, axis=axis)) for part in (across, down) for axis in (0, 1))
    counts = 1 / (1 + (bend / BEND) ** 2)
    gradient = np.empty((height, width, 2), np.float32)
    near32, across32, down32, counts32 = (np.asarray(part, np.float32) for part in (near, across, down, counts))
    _average(codes, near32, across32, down32, counts32, gradient)
    length = np.hypot(height, width)
    x, y = (np.arange(width) + 0.5 - width / 2) / length, ((np.arange(height) + 0.5 - height / 2) / length)[:, None]
    toward = (near - gradient[:, :, 0] * x - gradient[:, :, 1] * y) / FOCAL
    least = np.linalg.norm(gradient, axis=2) / STEEPEST
    return np.asarray(gradient / np.maximum(np.maximum(toward, least), 1e-6)[:, :, None])


@kernel
def _average(codes: Floats, near: Floats, across: Floats, down: Floats, counts: Floats, out: Floats) -> None:
    """The gradient (h, w, 2) averaged over places near by that are alike."""
    rows, columns = near.shape
    per_pixel, per_near = f32(-0.5 / WIDE**2), f32(-0.5 / IN_NEARNESS**2)
    per_colour = f32(-0.5 / IN_COLOUR**2)
    for row in prange(rows):
        for column in range(columns):
            x_sum, y_sum, weights = f32(0.0), f32(0.0), f32(1e-9)
            here, colour = near[row, column], codes[row, column]
            for y in range(max(row - REACH, 0), min(row + REACH + 1, rows)):
                for x in range(max(column - REACH, 0), min(column + REACH + 1, columns)):
                    other, unlike = codes[y, x], f32(0.0)
                    for c in range(3):
                        unlike += (other[c] - colour[c]) * (other[c] - colour[c])
                    apart = near[y, x] - here
                    far = f32((x - column) * (x - column) + (y - row) * (y - row))
                    weight = counts[y, x] * np.exp(far * per_pixel + apart * apart * per_near + unlike * per_colour)
                    x_sum, y_sum, weights = x_sum + weight * across[y, x], y_sum + weight * down[y, x], weights + weight
            out[row, column, 0], out[row, column, 1] = x_sum / weights, y_sum / weights


def _of_outlines(near: Doubles) -> Doubles:
    from scipy import sparse  # slow to load
    from scipy.sparse.linalg import spsolve

    height, width = near.shape
    radius = ROUND * float(np.hypot(height, width))
    one, other = neighbours(np.arange(near.size).reshape(near.shape))
    flat = near.ravel()
    farther = np.abs(flat[one] - flat[other]) > JUMP * np.maximum(np.maximum(flat[one], flat[other]), LEAST_NEAR)
    weight = np.where(farther, 0.0, 1.0)
    outline = np.zeros(near.size)
    outline[np.where(flat[one] > flat[other], one, other)[farther]] = HELD
    system = sparse.coo_matrix(
        (np.concatenate([-weight, -weight]), (np.concatenate([one, other]), np.concatenate([other, one]))), shape=(near.size,) * 2
    )
    held = outline + 1 / radius**2
    total = np.bincount(one, weight, near.size) + np.bincount(other, weight, near.size)
    drawn_up = (1 - outline / HELD) / radius**2
    membrane = spsolve((system + sparse.diags(total + held)).tocsc(), drawn_up, permc_spec="MMD_AT_PLUS_A")
    share = np.clip(1 - membrane.reshape(near.shape), 0, 1)
    rounded = ROUND * np.sqrt(1 - share**2)
    within = weight > 0
    down, across = within[: near.size - width].reshape(height - 1, width), within[near.size - width :].reshape(height, width - 1)
    return ROUNDNESS * np.dstack([_slope_within(rounded, across, 1), _slope_within(rounded, down, 0)])


def _slope_within(values: Doubles, joined: Bools, axis: int) -> Doubles:
    """The mean difference to those neighbours along an axis that belong to the same surface, by diagonals."""
    step = np.where(joined, np.diff(values, axis=axis), 0)
    none = np.zeros_like(np.take(step, [0], axis))
    total = np.concatenate([none, step], axis) + np.concatenate([step, none], axis)
    count = np.concatenate([none, joined], axis) + np.concatenate([joined, none], axis)
    return np.asarray(total / np.maximum(count, 1) * np.hypot(*values.shape))
