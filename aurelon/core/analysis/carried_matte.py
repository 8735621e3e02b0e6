"""A matte over the frames of a reel: known at some of them, carried to the others, and cut again at each.

What is carried and what lies behind it are two layers, each with a motion of its own. From one frame to the next the matte goes
as one thing that shifts, turns and grows, by points that can be followed there and back, and by what its parts do beside that
(dense inverse search; Kroeger et al., 2016). About its rim it is then decided anew which layer each pixel shows: by how well it
agrees with that layer's own last picture brought here, by the colours of each, and by where the matte was carried to. Last, the
share that each has of the pixels between is found in linear light, where layers mix. Between two frames at which it is known it
is carried from both, and each counts as it is near. What does not move between two frames keeps its matte as it is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.analysis.follow import there_and_back
from aurelon.core.errors import Cancelled
from aurelon.core.graph.renderer import never
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame
from aurelon.core.reel import Reel

EDGE = 960  # long edge of the version on which it is carried
BAND = 0.012  # diagonals about the carried rim within which it is cut again
BINS = 16  # of each colour
SPREAD = 1.2  # bins over which colours count as alike
ALIKE = 4.0  # code values by which a pixel may differ from what a layer's last picture says
STEEP = 0.25  # of the picture's slope, by which it may differ beside that, since motion is never exact
COLOURS, CARRIED = 0.8, 1.0  # weights of what colours say, and of where the matte was carried to
MOST = 4.0  # by how much colours can move the odds, as a logarithm
SOFT = 1.5  # pixels of the carried rim, within which it may be off
REMEMBERED = 0.8  # of the colours of frames before
STILL = 3.0  # code values by which a picture must differ to have moved
CORNERS = 300  # of a layer, by which its motion is found
DOUBT = 40.0  # against the square of the slope, in code values, by which a part's own motion is seen
SMOOTH = 4.0  # pixels over which that motion is evened out
LEAST = 0.05  # pixels below which nothing has moved
ENOUGH = 0.6  # of a pixel that must have been laid down for the matte to be whole there
MIXED = 3  # pixels about the rim in which layers mix
AROUND = 4.0  # pixels over which the colour of a layer is taken for that
NOISE = 6e-4  # of linear light, squared, below which layers cannot be told apart
BRIGHTEST = 1.5  # of linear light, above which it is as good as that
SPECK = 0.01  # of the matte's size, below which a piece apart from it is dropped
NOTHING = 1e-9
Codes = NDArray[np.uint8]
Motion = NDArray[np.float32]
Progress = Callable[[float], None]


def frame_of_mattes(reel: Reel) -> Frame:
    """The size at which mattes are carried."""
    return Frame.canonical(reel.size, EDGE)


def carried(
    reel: Reel, known: Mapping[int, Floats], *, progress: Progress = lambda share: None, cancelled: Callable[[], bool] = never
) -> Iterator[Codes]:
    """The matte at every frame of the reel in turn, (h, w) uint8, from those that are known, (h, w) in 0..1, all at the size of
    `frame_of_mattes`. Raises Cancelled, and PlateError for a frame that cannot be read."""
    return _all_frames(reel, known, [True] * (len(known) + 1), _none_kept, progress, cancelled)


def corrected(
    reel: Reel,
    known: Mapping[int, Floats],
    frame: int,
    kept: Callable[[int], Floats],
    *,
    progress: Progress = lambda share: None,
    cancelled: Callable[[], bool] = never,
) -> Iterator[Codes]:
    """The same of a matte that was carried before, where that of `frame` was mended: it counts from there on, up to the next known
    one, and all others stay as they were `kept`. Before the first known frame, whence it was carried back, it counts from there
    back."""
    frames = sorted(known)
    at = frames.index(frame)
    parts = [False] * (len(frames) + 1)
    parts[at if at == 0 and len(frames) > 1 else at + 1] = True
    return _all_frames(reel, known, parts, kept, progress, cancelled)


def _none_kept(number: int) -> Floats:
    raise LookupError(f"frame {number} was not carried before")


def _all_frames(
    reel: Reel,
    known: Mapping[int, Floats],
    anew: list[bool],
    kept: Callable[[int], Floats],
    progress: Progress,
    cancelled: Callable[[], bool],
) -> Iterator[Codes]:
    """All frames; `anew` says of each part, before the first known frame, between two, after the last, whether it is carried."""
    frames, count = sorted(known), len(reel)
    bounds = [-1, *frames, count]
    ways = [1, *[2] * (len(frames) - 1), 1]
    steps = sum(way * (b - a - 1) for way, (a, b), new in zip(ways, pairwise(bounds), anew, strict=True) if new)
    done = 0

    def went() -> None:
        nonlocal done
        done += 1
        progress(min(done / max(steps, 1), 1.0))
        if cancelled():
            raise Cancelled

    def way(start: int, stop: int) -> Iterator[tuple[int, Floats]]:
        return _carry(reel, start, known[start], stop, went)

    for new, (first, last) in zip(anew, pairwise(bounds), strict=True):
        if first >= 0:
            yield _codes(known[first])
        if not new:
            yield from (_codes(kept(number)) for number in range(first + 1, last))
            continue
        back = {number: _packed(matte) for number, matte in way(last, first)} if last < count else {}
        if first < 0:
            yield from (_codes(_unpacked(back.pop(number))) for number in range(last))
            continue
        for number, forth in way(first, last):
            if last == count:
                yield _codes(forth)
                continue
            share = np.float32((number - first) / (last - first))
            yield _codes(forth + (_unpacked(back.pop(number)) - forth) * share)
    progress(1.0)


class _Shot:
    """A frame as it is looked at: linear light, display code values, and those with the contrast of each part brought up."""

    def __init__(self, reel: Reel, number: int) -> None:
        self.light = np.minimum(reel[number].at(frame_of_mattes(reel)), np.float32(BRIGHTEST))
        self.codes: Codes = np.round(encode_array(self.light) * 255).clip(0, 255).astype(np.uint8)
        grey = cv2.cvtColor(self.codes, cv2.COLOR_RGB2GRAY)
        self.grey: Codes = np.asarray(cv2.createCLAHE(4.0, (8, 8)).apply(grey), np.uint8)


class _Layers:
    """What is known of both layers: how often each colour was seen in each near the rim, and the last picture of what lies
    behind."""

    def __init__(self, shot: _Shot, matte: Floats) -> None:
        self.inside, self.outside = (np.zeros((BINS, BINS, BINS), np.float32) for _ in range(2))
        self.behind = shot.codes.astype(np.float32)
        self.seen = np.zeros(matte.shape, np.float32)
        self.learn(shot, matte)

    def move(self, motion: Motion) -> None:
        """What lies behind, where it is now."""
        self.behind = _brought(self.behind, motion)
        self.seen = _brought(self.seen, motion, cv2.BORDER_CONSTANT)

    def learn(self, shot: _Shot, matte: Floats) -> None:
        from scipy.ndimage import gaussian_filter  # slow to load, and only this needs it

        wide = _wide(matte)
        hard = (matte > 0.5).astype(np.uint8)
        part = _about(hard > 0, 3 * wide)
        far, near = _from_rim(hard[part]), max(1, wide // 4)
        for seen, area in ((self.inside, far > near), (self.outside, (far < -near) & (far > -3 * wide))):
            red, green, blue = _cells(shot.codes[part][area])
            counted = np.bincount((red * BINS + green) * BINS + blue, minlength=BINS**3).reshape((BINS,) * 3)
            fresh = gaussian_filter(counted.astype(np.float32), SPREAD, mode="nearest")
            np.add(seen * np.float32(REMEMBERED), fresh / max(float(fresh.sum()), NOTHING), out=seen)
        clear = cv2.dilate((matte > 0.02).astype(np.uint8), _disc(2)) == 0
        known = self.seen > 0.99
        fresh = np.where(known, np.float32(0.5), np.float32(1)) * clear
        self.behind += (shot.codes - self.behind) * fresh[:, :, None]
        self.seen[clear] = 1


def _carry(reel: Reel, start: int, matte: Floats, stop: int, went: Callable[[], None]) -> Iterator[tuple[int, Floats]]:
    """Frame and matte from the one after `start` on, up to, without, `stop`, either way."""
    if abs(stop - start) < 2:
        return
    step = 1 if stop > start else -1
    before = _Shot(reel, start)
    layers = _Layers(before, matte)
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    for number in range(start + step, stop, step):
        now = _Shot(reel, number)
        still = _still(before.codes, now.codes)
        kept = matte
        if matte.max() > 0.5 and not still.all():
            motion = _motion(before.grey, now.grey, cv2.dilate((matte > 0.5).astype(np.uint8), _disc(1)))
            layers.move(_motion(before.grey, now.grey, 1 - cv2.dilate((matte > 0.02).astype(np.uint8), _disc(5))))
            own = _brought(before.codes.astype(np.float32), motion), _brought(matte, motion)
            moved = _moved(flow, _brought(before.grey, motion), now.grey, own[1])
            matte = _mixed(now.light, _decided(now.codes, moved, layers, *own))
            matte = np.where(still, kept, matte)
            layers.learn(now, matte)
        before = now
        went()
        yield number, matte


def _motion(before: Codes, now: Codes, where: Any) -> Motion:
    """The motion of a layer as one thing, (2, 3), by the points of it that can be followed."""
    still = np.eye(2, 3, dtype=np.float32)
    corners = cv2.goodFeaturesToTrack(before, CORNERS, 0.003, 3, mask=where)
    if corners is None or len(corners) < 6:
        return still
    at = np.asarray(corners, np.float32)
    to, good = there_and_back(before, now, at)
    if good.sum() < 6:
        return still
    cv2.setRNGSeed(1)
    motion, _ = cv2.estimateAffinePartial2D(at[good], to[good], ransacReprojThreshold=1.5)
    if motion is None:
        still[:, 2] = np.median((to - at)[good, 0], axis=0)
        return still
    return np.asarray(motion, np.float32)


def _brought(picture: Any, motion: Motion, border: int = cv2.BORDER_REPLICATE) -> Any:
    rows, columns = picture.shape[:2]
    return cv2.warpAffine(picture, motion, (columns, rows), flags=cv2.INTER_LINEAR, borderMode=border)


def _moved(flow: Any, before: Codes, now: Codes, matte: Floats) -> Floats:
    """A matte that has been brought here as a whole, with what its parts did beside that.

    Its pixels are laid down where they go, not fetched from where they came: what is uncovered behind a thing that moves would be
    fetched from the thing itself.
    """
    rows, columns = matte.shape
    part = _about(matte > 1 / 255, 3 * _wide(matte))
    slope = cv2.morphologyEx(before[part], cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)).astype(np.float32)
    slope = np.asarray(cv2.GaussianBlur(slope, (0, 0), 1.5), np.float32)
    own = np.asarray(flow.calc(np.ascontiguousarray(before[part]), np.ascontiguousarray(now[part]), None), np.float32)
    # Where there is nothing to be seen of its own motion, a part goes as the whole does.
    weight = matte[part] * slope * slope
    around = cv2.GaussianBlur(weight, (0, 0), SMOOTH) + np.float32(DOUBT)
    there = [np.asarray(cv2.GaussianBlur(own[:, :, k] * weight, (0, 0), SMOOTH) / around, np.float32) for k in range(2)]
    gone = np.hypot(*there) >= LEAST
    y, x = np.nonzero(matte[part] > 1 / 255)
    across, down = (axis[y, x] * gone[y, x] for axis in there)
    y, x = y + part[0].start, x + part[1].start
    across, down = x + across, y + down
    left, top = np.floor(across).astype(int), np.floor(down).astype(int)
    u, v = across - left, down - top
    laid, covered = np.zeros(rows * columns), np.zeros(rows * columns)
    for dx, dy, share in ((0, 0, (1 - u) * (1 - v)), (1, 0, u * (1 - v)), (0, 1, (1 - u) * v), (1, 1, u * v)):
        column, row = left + dx, top + dy
        inside = (column >= 0) & (column < columns) & (row >= 0) & (row < rows)
        place = row[inside] * columns + column[inside]
        covered += np.bincount(place, share[inside], rows * columns)
        laid += np.bincount(place, share[inside] * matte[y, x][inside], rows * columns)
    result = (laid / np.maximum(covered, ENOUGH)).reshape(rows, columns).astype(np.float32)
    return np.asarray(cv2.medianBlur(result, 3), np.float32)


def _decided(codes: Codes, moved: Floats, layers: _Layers, own: Floats, owned: Floats) -> Floats:
    """About the rim of a moved matte, which layer each pixel shows. `own` is the matte's last picture brought here, `owned` the
    matte that it had."""
    hard = (moved > 0.5).astype(np.uint8)
    if not hard.any():
        return moved
    wide = _wide(moved)
    part = _about(hard > 0, 2 * wide)
    far = _from_rim(hard[part])
    sure, rim = far > wide, np.abs(far) <= wide
    here = codes[part]
    slope = cv2.morphologyEx(here, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)).max(axis=2).astype(np.float32)
    tolerance = ALIKE**2 + (STEEP * slope) ** 2

    def agrees(evidence: Floats) -> Floats:
        """The likelihood of each pixel where `evidence` is the picture, for each cubic code value."""
        off = ((here.astype(np.float32) - evidence[part]) ** 2).sum(axis=2)
        return np.asarray(np.exp(-off / (2 * tolerance)) / ((2 * np.pi) * tolerance) ** 1.5, np.float32)

    cells, each = _cells(here), np.float32((256 / BINS) ** 3)
    inside, outside = (seen[cells] / max(float(seen.sum()), NOTHING) / each for seen in (layers.inside, layers.outside))
    seen = np.where(layers.seen[part] > 0.99, np.float32(0.5), 0)
    front = 0.5 * inside + 0.5 * agrees(own) * (owned[part] > 0.5)
    behind = (1 - seen) * outside + seen * agrees(layers.behind)
    evidence = np.clip(COLOURS * np.log((front + NOTHING) / (behind + NOTHING)), -MOST, MOST).astype(np.float32)
    odds = np.clip(cv2.GaussianBlur(moved[part], (0, 0), SOFT), 0.02, 0.98)
    decided = 1 / (1 + np.exp(-(CARRIED * np.log(odds / (1 - odds)) + cv2.GaussianBlur(evidence, (0, 0), 1.0))))
    result = np.zeros_like(moved)
    cover = np.where(rim, decided, sure).astype(np.float32)
    result[part] = np.asarray(cv2.medianBlur(cover, 5))
    return _tidied(result)


def _mixed(light: Floats, matte: Floats) -> Floats:
    """The share of the matte's layer in each pixel at its rim: where a pixel lies between the colours of both, in linear light."""
    hard = (matte > 0.5).astype(np.uint8)
    if not hard.any():
        return matte
    part = _about(hard > 0, round(3 * AROUND) + 2 * MIXED)
    far, here = _from_rim(hard[part]), light[part]
    front, behind = (far > MIXED).astype(np.float32), (far < -MIXED).astype(np.float32)

    def around(of: Any) -> Any:
        return cv2.GaussianBlur(of, (0, 0), AROUND)

    much, little = around(front) + NOTHING, around(behind) + NOTHING
    one = around(here * front[:, :, None]) / much[:, :, None]
    other = around(here * behind[:, :, None]) / little[:, :, None]
    apart = one - other
    squared = (apart * apart).sum(axis=2)
    share = ((here - other) * apart).sum(axis=2) / np.maximum(squared, NOTHING)
    off = ((here - other - share[:, :, None] * apart) ** 2).sum(axis=2)
    certain = squared / (squared + NOISE + 0.5 * off) * np.clip(much / 0.02, 0, 1) * np.clip(little / 0.02, 0, 1)
    before = cv2.GaussianBlur(matte[part], (0, 0), 0.8)
    mixed = before + (np.clip(share, 0, 1) - before) * certain
    result = np.zeros_like(matte)
    cover = np.where(np.abs(far) <= MIXED, mixed, front).astype(np.float32)
    result[part] = np.asarray(cv2.medianBlur(cover, 3))
    return _tidied(result)


def _still(before: Codes, now: Codes) -> NDArray[np.bool_]:
    """Where nothing has moved, (h, w)."""
    differs = cv2.absdiff(before, now).max(axis=2)
    return np.asarray(cv2.dilate(cv2.medianBlur(differs, 3), np.ones((5, 5), np.uint8)) < STILL)


def _about(area: NDArray[np.bool_], far: int) -> tuple[slice, slice]:
    """The rows and columns that an area takes, and so many pixels more; the first of each where there is none."""
    rows, columns = np.flatnonzero(area.any(axis=1)), np.flatnonzero(area.any(axis=0))
    if not len(rows):
        return slice(0, 1), slice(0, 1)
    top, left = max(int(rows[0]) - far, 0), max(int(columns[0]) - far, 0)
    return slice(top, int(rows[-1]) + far + 1), slice(left, int(columns[-1]) + far + 1)


def _from_rim(hard: Codes) -> Floats:
    """How many pixels it is from the rim of an area, (h, w): above 0 within it, below 0 beyond."""
    within, beyond = (cv2.distanceTransform(area, cv2.DIST_L2, 3) for area in (hard, 1 - hard))
    return np.asarray(within - beyond, np.float32)


def _wide(matte: Floats) -> int:
    return max(2, round(BAND * float(np.hypot(*matte.shape))))


def _disc(radius: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)), np.uint8)


def _cells(codes: Codes) -> tuple[NDArray[np.intp], ...]:
    return tuple((codes[..., c].astype(np.intp) * BINS) >> 8 for c in range(3))


def _tidied(matte: Floats) -> Floats:
    """Without small pieces apart from it; changed in place."""
    part = _about(matte > 0.5, 1)
    hard = (matte[part] > 0.5).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(hard, connectivity=8)
    least = SPECK * max(int(hard.sum()), 1)
    keep = np.array([True, *(stats[n, cv2.CC_STAT_AREA] >= least for n in range(1, count))])
    matte[part] *= keep[labels]
    return matte


def _codes(matte: Floats) -> Codes:
    return np.round(np.clip(matte, 0, 1) * 255).astype(np.uint8)


def _packed(matte: Floats) -> bytes:
    """Kept small: mattes of a thousand frames wait for those from the other side."""
    return cv2.imencode(".png", _codes(matte), [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()


def _unpacked(packed: bytes) -> Floats:
    return np.asarray(cv2.imdecode(np.frombuffer(packed, np.uint8), cv2.IMREAD_GRAYSCALE), np.float32) / np.float32(255)
