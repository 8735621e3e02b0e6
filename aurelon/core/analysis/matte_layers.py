"""The layers of a reel, what a matte holds and what lies behind it: which of them each pixel about the rim shows."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.analysis.matte_motion import Codes, Motion, box_about, brought_along, highest_of, rim_width
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.fastmath import encode_array

BINS = 16  # of each colour
SPREAD = 1.2  # bins over which colours count as alike
ALIKE = 4.0  # code values by which a pixel may differ from what a layer's last picture says
STEEP = 0.25  # of the picture's slope, by which it may differ beside that, since motion is never exact
COLOURS, CARRIED = 0.8, 1.0  # weights of what colours say, and of where the matte was carried to
MOST = 4.0  # by how much colours can move the odds, as a logarithm
SOFT = 1.5  # pixels of the carried rim, within which it may be off
UNSURE = 0.02  # odds at the least that a pixel is of the other layer than it was carried to
NEW, NEW_WHERE_PARTED = 0.5, 0.02  # share of a subject that does not look as it did; less of one that can be told by its motion
REMEMBERED = 0.8  # of the colours of frames before
MIXED = 3  # pixels about the rim in which layers mix
AROUND = 4.0  # pixels over which the colour of a layer is taken for that
NOISE = 6e-4  # of linear light, squared, below which layers cannot be told apart
BRIGHTEST = 1.5  # of linear light, above which it is as good as that
SPECK = 0.01  # of the matte's size, below which a piece apart from it is dropped
NOTHING = 1e-9


class Shot:
    """A frame as it is looked at: linear light, display code values, and those with the contrast of each part brought up."""

    def __init__(self, pixels: Floats) -> None:
        self.light = np.minimum(pixels, np.float32(BRIGHTEST))
        self.codes: Codes = np.round(encode_array(self.light) * 255).clip(0, 255).astype(np.uint8)
        grey = cv2.cvtColor(self.codes, cv2.COLOR_RGB2GRAY)
        self.grey: Codes = np.asarray(cv2.createCLAHE(4.0, (8, 8)).apply(grey), np.uint8)


class Layers:
    """What is known of both layers: how often each colour was seen in each near the rim, and their last pictures."""

    with_behind: Codes | None  # the last frame as it is now if it went with the layer behind, where both move apart

    def __init__(self, shot: Shot, matte: Floats) -> None:
        self.inside, self.outside = (np.zeros((BINS, BINS, BINS), np.float32) for _ in range(2))
        self.behind, self.front = (shot.codes.astype(np.float32) for _ in range(2))
        self.seen, self.held = (np.zeros(matte.shape, np.float32) for _ in range(2))
        self.previous, self.with_behind = shot.codes, None
        self.learn(shot, matte, np.zeros(matte.shape, np.uint8))

    def move(self, front: Motion, behind: Motion, parted: bool) -> None:
        """Moves both to where they are now. Where they are `parted`, what goes with the layer behind tells of it as well."""
        self.with_behind = brought_along(self.previous, behind) if parted else None
        self.front, self.behind = brought_along(self.front, front), brought_along(self.behind, behind)
        self.held = brought_along(self.held, front, cv2.BORDER_CONSTANT)
        self.seen = brought_along(self.seen, behind, cv2.BORDER_CONSTANT)

    def likelihoods(self, codes: Codes, part: tuple[slice, slice], strict: Any) -> tuple[Floats, Floats]:
        """How likely each pixel of a part is in the layer in front and in that behind, for each cubic code value, (h, w) each.
        Where it is `strict` and both move apart, a pixel of the layer in front looks as it did there."""
        cells, each = _cells(codes[part]), np.float32((256 / BINS) ** 3)
        inside, outside = (seen[cells] / max(float(seen.sum()), NOTHING) / each for seen in (self.inside, self.outside))
        known = self.known(part)
        seen: Floats = np.where(known, np.float32(0.5), np.float32(0))
        new: Any = np.float32(NEW)
        behind = seen * _agrees(codes[part], self.behind[part])
        if self.with_behind is not None:
            # What was never seen of the layer behind, and goes with it, is of it: else a strip of it would trail the subject.
            new = np.where(strict & (self.held[part] > 0.5), np.float32(NEW_WHERE_PARTED), new)
            behind = np.where(known, behind, np.float32(0.5) * _agrees(codes[part], self.with_behind[part].astype(np.float32)))
        return new * inside + (1 - new) * self.as_held(codes, part), (1 - seen) * outside + behind

    def known(self, part: tuple[slice, slice]) -> Any:
        """Where the layer behind has been seen."""
        return self.seen[part] > 0.99

    def as_held(self, codes: Codes, part: tuple[slice, slice]) -> Floats:
        """The likelihood of each pixel of a part where it shows the layer in front as that was last seen; 0 where it was not."""
        return _agrees(codes[part], self.front[part]) * (self.held[part] > 0.5)

    def learn(self, shot: Shot, matte: Floats, covered: Codes) -> None:
        """Learns from a frame, but for what is covered."""
        from scipy.ndimage import gaussian_filter  # slow to load, and only this needs it

        self.previous = shot.codes
        wide = rim_width(matte)
        hard = (matte > 0.5).astype(np.uint8)
        part = box_about(hard > 0, 3 * wide)
        far, near, free = distance_from_rim(hard[part]), max(1, wide // 4), covered[part] == 0
        for seen, area in ((self.inside, free & (far > near)), (self.outside, free & (far < -near) & (far > -3 * wide))):
            if not area.any():
                continue
            red, green, blue = _cells(shot.codes[part][area])
            counted = np.bincount((red * BINS + green) * BINS + blue, minlength=BINS**3).reshape((BINS,) * 3)
            fresh = gaussian_filter(counted.astype(np.float32), SPREAD, mode="nearest")
            np.add(seen * np.float32(REMEMBERED), fresh / max(float(fresh.sum()), NOTHING), out=seen)
        free = cv2.dilate(covered, disc_of(2)) == 0
        clear = free & (cv2.dilate((matte > 0.02).astype(np.uint8), disc_of(2)) == 0)
        for picture, known, area in ((self.behind, self.seen, clear), (self.front, self.held, free & (matte > 0.5))):
            for share, where in ((0.5, area & (known > 0.99)), (1.0, area & (known <= 0.99))):
                cv2.accumulateWeighted(shot.codes, picture, share, mask=where.view(np.uint8))
            known[area] = 1


def decided_by(codes: Codes, moved: Floats, layers: Layers, covered: Codes) -> Floats:
    """About the rim of a moved matte, which layer each pixel shows; where it is covered, it is as it was carried."""
    hard = (moved > 0.5).astype(np.uint8)
    if not hard.any():
        return moved
    wide = rim_width(moved)
    part = box_about(hard > 0, 2 * wide)
    far = distance_from_rim(hard[part])
    sure, rim = far > wide, np.abs(far) <= wide
    # Before what is known of the layer behind, a limb that swings is told by that.
    front, behind = layers.likelihoods(codes, part, ~layers.known(part))
    evidence = np.clip(COLOURS * np.log((front + NOTHING) / (behind + NOTHING)), -MOST, MOST).astype(np.float32)
    evidence *= cv2.dilate(covered[part], disc_of(2)) == 0
    odds = np.clip(cv2.GaussianBlur(moved[part], (0, 0), SOFT), UNSURE, 1 - UNSURE)
    decided = 1 / (1 + np.exp(-(CARRIED * np.log(odds / (1 - odds)) + cv2.GaussianBlur(evidence, (0, 0), 1.0))))
    result = np.zeros_like(moved)
    cover = np.where(rim, decided, sure).astype(np.float32)
    result[part] = np.asarray(cv2.medianBlur(cover, 5))
    return without_specks(result)


def mixed_at_rim(light: Floats, matte: Floats, covered: Codes) -> Floats:
    """The share of the matte's layer in each pixel at its rim: where a pixel lies between the colours of both, in linear light.
    Where it is covered, nothing is told by that."""
    hard = (matte > 0.5).astype(np.uint8)
    if not hard.any():
        return matte
    part = box_about(hard > 0, round(3 * AROUND) + 2 * MIXED)
    far, here = distance_from_rim(hard[part]), light[part]
    free = cv2.dilate(covered[part], disc_of(2)) == 0
    front, behind = ((free & area).astype(np.float32) for area in (far > MIXED, far < -MIXED))

    def around(of: Any) -> Any:
        return cv2.GaussianBlur(of, (0, 0), AROUND)

    much, little = around(front) + NOTHING, around(behind) + NOTHING
    one = around(here * front[:, :, None]) / much[:, :, None]
    other = around(here * behind[:, :, None]) / little[:, :, None]
    apart = one - other
    squared = _dot(apart, apart)
    share = _dot(here - other, apart) / np.maximum(squared, NOTHING)
    rest = here - other - share[:, :, None] * apart
    off = _dot(rest, rest)
    certain = free * squared / (squared + NOISE + 0.5 * off) * np.clip(much / 0.02, 0, 1) * np.clip(little / 0.02, 0, 1)
    before = cv2.GaussianBlur(matte[part], (0, 0), 0.8)
    mixed = before + (np.clip(share, 0, 1) - before) * certain
    result = np.zeros_like(matte)
    cover = np.where(np.abs(far) <= MIXED, mixed, far > MIXED).astype(np.float32)
    result[part] = np.asarray(cv2.medianBlur(cover, 3))
    return without_specks(result)


def _agrees(here: Codes, evidence: Floats) -> Floats:
    """The likelihood of each pixel where `evidence` is the picture, for each cubic code value."""
    slope = highest_of(cv2.morphologyEx(here, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8))).astype(np.float32)
    tolerance = np.float32(ALIKE**2) + (np.float32(STEEP) * slope) ** 2
    off = here.astype(np.float32) - evidence
    return np.asarray(
        np.exp(_dot(off, off) / (-2 * tolerance)) / (np.float32(2 * np.pi) * tolerance) ** np.float32(1.5), np.float32
    )


def _dot(one: Any, other: Any) -> Any:
    """The scalar product of each pixel's channels, (h, w)."""
    return cv2.transform(one * other, np.ones((1, 3), np.float32))


def distance_from_rim(hard: Codes) -> Floats:
    """How many pixels it is from the rim of an area, (h, w): above 0 within it, below 0 beyond."""
    within, beyond = (cv2.distanceTransform(area, cv2.DIST_L2, 3) for area in (hard, 1 - hard))
    return np.asarray(within - beyond, np.float32)


def disc_of(radius: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)), np.uint8)


def _cells(codes: Codes) -> tuple[NDArray[np.intp], ...]:
    return tuple((codes[..., c].astype(np.intp) * BINS) >> 8 for c in range(3))


def without_specks(matte: Floats) -> Floats:
    """Without small pieces apart from it; changed in place."""
    part = box_about(matte > 0.5, 1)
    hard = (matte[part] > 0.5).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(hard, connectivity=8)
    least = SPECK * max(int(hard.sum()), 1)
    keep = np.array([True, *(stats[n, cv2.CC_STAT_AREA] >= least for n in range(1, count))])
    matte[part] *= keep[labels]
    return matte
