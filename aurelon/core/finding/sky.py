"""The sky of a picture, and how surely it is one.

Sky lies above a border, one row for each column. The border that best parts two populations is found for the whole
picture at once, by dynamic programming over what each pixel's evenness, height, colour and way from the top edge say;
then the colours on either side are learned and the border is found again, a few times over. That is begun in several
ways, and the border that shows most on the picture is taken. (That two populations of colour are parted by a border
is of Shen and Wang, "Sky Region Detection in a Single Image for Autonomous Ground Robot Navigation", 2013; their
search over thresholds of the gradient takes broken clouds for ground.) Last, what reaches above the border is left
out and what shines through below it taken in, by colour, and the rim is cut anew (Rother, Kolmogorov and Blake,
"GrabCut", 2004).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from aurelon.core.finding.sky_confidence import confidence_of
from aurelon.core.finding.sky_look import Bools, Rows, SkyLook, colour_axes, level_lines, on_level_line, sharp_edges, texture_of
from aurelon.core.imaging.arrays import Doubles, Floats
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import whole_kernel

EDGE = 384  # long edge of the version in which the sky is looked for
NARROWEST, LONGEST = 128, 1536  # short edge that it should have, and long edge that it may have for that
SMALLEST = 24  # pixels a side, below which nothing can be told
SURE = 0.6  # from which a sky is proposed
ROUNDS = 5
FIRST_BELIEF, HELD_BELIEF, HORIZON_BELIEF = 0.2, 0.5, 1.0  # what is expected beside what is learned, by how it was begun
EVEN = 0.012  # gradient of display-encoded tones, a pixel, that is as likely of sky as of ground
LEVELS = np.geomspace(0.003, 0.08, 16)  # of edges that part areas, as strengths of gradient
MOST_HORIZONS, SHORTEST_HORIZON = 7, 0.05  # and the share of the width that a level line is long
ALONG_EDGES = 1.5  # log-odds that a border gains on the strongest edges
JUMP, WIDEST_JUMP = 0.5, 18.0  # cost of a border's step of one pixel, and of any step at most
CELLS = (12, 10, 10, 5)  # of lightness, two axes of colour, and height, in which colours are counted
CLEAR = 3.0  # log-odds beyond which one pixel's colour says no more
CLEAR_STEP = 0.35  # relative step of tone or colour across a border that is beyond doubt
PARTING_EDGE, LIKE = 0.006, 0.3  # what parts things from the sky, and mean log-odds from which such a part is sky
BAND = 5  # pixels about a border within which it is drawn again
THROUGH, LARGEST_GAP, EDGE_OF_GAP = 2.2, 0.01, 0.02  # log-odds of colour, share of the picture and edges of what shines through


@dataclass(frozen=True)
class Sky:
    """Share of sky of every pixel, (h, w) in 0..1, and how surely it is one, 0..1."""

    cover: Floats
    confidence: float

    @property
    def nbytes(self) -> int:
        return self.cover.nbytes


def looked_at(size: tuple[int, int]) -> Frame:
    """The version of a plate of `size` in which its sky is looked for."""
    long = EDGE * max(1.0, NARROWEST * max(size) / (min(size) * EDGE))
    return Frame.canonical(size, min(round(long), LONGEST))


def find_sky(pixels: Floats) -> Sky:
    """The sky of a small version (h, w, 3) of a picture in linear light, see `looked_at`."""
    height, width, _ = pixels.shape
    nothing = Sky(np.zeros((height, width), np.float32), 0.0)
    if min(height, width) < SMALLEST:
        return nothing
    codes = np.clip(encode_array(np.ascontiguousarray(pixels)), 0, 1)
    lines = level_lines(codes)
    look = SkyLook(codes, colour_axes(codes), texture_of(codes), sharp_edges(codes, lines), lines)
    found = [way for way in _ways(look) if way is not None]
    if not found:
        return nothing
    shown = [_shown(look, above) for above in found]
    above = found[int(np.argmax(shown))]
    sky = _judged(look, above)
    return Sky(sky.astype(np.float32), confidence_of(look, above, sky, max(shown)))


# What is measured


# Where a border may be looked for


def _ways(look: SkyLook) -> Iterator[Bools | None]:
    """What lies above the border, begun from what is expected of skies, of horizons, and of what edges part."""
    expected = _expected(look)
    rows = np.arange(expected.shape[0], dtype=np.float32)[:, None]
    yield _settled(look, expected, FIRST_BELIEF)
    for horizon in _horizons(look.lines):
        yield _settled(look, (expected + 3.0 * np.sign(horizon - rows)).astype(np.float32), HORIZON_BELIEF)
    narrow_gone = (cv2.medianBlur(np.round(look.codes * 255).astype(np.uint8), 5) / np.float32(255)).astype(np.float32)
    # With and without what is narrow, as wires and masts, which part a sky in two.
    for sharp in (look.sharp, sharp_edges(narrow_gone, look.lines)):
        crossed = _crossed(sharp)
        reached = 3.0 * np.clip(np.log(_parting_level(crossed) / crossed), -1.0, 1.0)
        for belief in (FIRST_BELIEF, HELD_BELIEF):
            yield _settled(look, expected + reached.astype(np.float32), belief)


def _expected(look: SkyLook) -> Floats:
    """Log-odds of sky before anything is known of the picture: even, high up, brighter than the rest, and not green."""
    level = look.codes.mean(axis=2)
    r, g, b = look.codes[:, :, 0], look.codes[:, :, 1], look.codes[:, :, 2]
    low, high = np.quantile(level, (0.1, 0.9))
    bright = np.clip((level - low) / max(float(high - low), 0.05), 0, 1) - 0.5
    up = 0.5 - (np.arange(level.shape[0], dtype=np.float32) / level.shape[0])[:, None]
    even = np.clip(np.log(EVEN / (look.texture + 1e-3)), -1.5, 1.5)
    green = np.clip((g - np.maximum(r, b)) / 0.08, 0, 1)
    blue = np.clip((b - r) / 0.15, -0.5, 1)
    return np.asarray(even + 3.0 * up + 1.2 * bright + 0.5 * blue - 1.5 * green, np.float32)


def _horizons(lines: Floats) -> list[int]:
    """Rows along which there may be a horizon, the likeliest first."""
    long = lines.mean(axis=1)
    found: list[int] = []
    for row in np.argsort(-long, kind="stable"):
        if long[row] < SHORTEST_HORIZON or len(found) == MOST_HORIZONS:
            break
        if all(abs(int(row) - other) > 4 for other in found):
            found.append(int(row))
    return found


def _crossed(sharp: Floats) -> Floats:
    """The strongest edge on the way from the greatest even area at the top edge, by the way on which it is weakest,
    (h, w)."""
    _, labels = cv2.connectedComponents((sharp < LEVELS[2]).astype(np.uint8), connectivity=4)
    areas = np.bincount(labels.ravel())
    at_top = np.unique(labels[:2])
    at_top = at_top[at_top > 0]
    least = np.full(sharp.shape, LEVELS[-1], np.float32)
    if not at_top.size:
        return least
    greatest = labels == at_top[np.argmax(areas[at_top])]
    row, column = np.unravel_index(int(np.argmin(np.where(greatest, sharp, np.inf))), sharp.shape)
    for level in LEVELS[::-1]:
        if sharp[row, column] >= level:
            break
        _, labels = cv2.connectedComponents((sharp < level).astype(np.uint8), connectivity=4)
        least[labels == labels[row, column]] = level
    return least


def _parting_level(crossed: Floats) -> float:
    """The strength of edge that best parts what lies before it from what lies behind (Otsu, "A Threshold Selection Method
    from Gray-Level Histograms", 1979, on the levels' logarithms)."""
    counts = np.bincount(np.searchsorted(LEVELS, crossed.ravel() * 0.999), minlength=LEVELS.size).astype(np.float64)
    below, moment = np.cumsum(counts), np.cumsum(counts * np.arange(LEVELS.size))
    parted = below * (below[-1] - below)
    between = np.where(parted > 0, (moment[-1] * below / below[-1] - moment) ** 2 / np.maximum(parted, 1), 0.0)
    best = int(np.argmax(between))
    return float(np.sqrt(LEVELS[best] * LEVELS[min(best + 1, LEVELS.size - 1)]))


# The border


def _settled(look: SkyLook, expected: Floats, belief: float) -> Bools | None:
    """What lies above the border that is found from what is expected; None where it parts nothing."""
    edges = (ALONG_EDGES * np.clip(look.sharp / max(float(np.quantile(look.sharp, 0.97)), 1e-3), 0, 1)).astype(np.float32)
    rows = np.arange(expected.shape[0])[:, None]
    above: Bools | None = None
    for _ in range(ROUNDS):
        odds = expected if above is None else np.float32(belief) * expected + _learned(look, above, ~above)
        above = np.asarray(rows < _border(odds, edges)[None, :])
        if not 0.02 < above.mean() < 0.98:
            return None
    return above


@whole_kernel
def _border(odds: Floats, edges: Floats) -> Rows:
    """For each column the first row that is ground, so that the log-odds above less those below are greatest in all;
    `edges` (h, w) is what the border gains by lying there."""
    height, width = odds.shape
    came = np.zeros((width, height + 1), np.int64)
    total, before = np.zeros(height + 1), np.zeros(height + 1)
    for x in range(width):
        leap = 0
        for y in range(height + 1):
            before[y] = total[y]
            leap = y if before[y] < before[leap] else leap
        # The least over all rows of the column before, with a step's cost: from above, from below, or by a leap.
        at = 0
        for y in range(height + 1):
            at = y if before[y] < before[at] + JUMP * (y - at) else at
            total[y], came[x, y] = before[at] + JUMP * (y - at), at
        at = height
        for y in range(height, -1, -1):
            at = y if before[y] < before[at] + JUMP * (at - y) else at
            if before[at] + JUMP * (at - y) < total[y]:
                total[y], came[x, y] = before[at] + JUMP * (at - y), at
        gain = 0.0
        for y in range(height + 1):
            if before[leap] + WIDEST_JUMP < total[y]:
                total[y], came[x, y] = before[leap] + WIDEST_JUMP, leap
            total[y] -= gain + (min(edges[y - 1, x], edges[y, x]) if 0 < y < height else 0.0)
            gain += odds[y, x] if y < height else 0.0
    border = np.empty(width, np.int64)
    border[-1] = np.argmin(total)
    for x in range(width - 1, 0, -1):
        border[x - 1] = came[x, border[x]]
    return border


def _learned(look: SkyLook, sky: Bools, ground: Bools, *, by_height: bool = True) -> Floats:
    """Log-odds of sky by colour and, mostly, height, as they lie in what is sky and in what is ground, (h, w)."""
    index = look.cells(CELLS, by_height)

    def counted(of: Bools) -> Doubles:
        counts = np.bincount(index[of], minlength=int(np.prod(CELLS))).reshape(CELLS).astype(np.float64)
        for axis, n in enumerate(CELLS):
            padded = np.pad(counts, [(1, 1) if a == axis else (0, 0) for a in range(4)], mode="edge")
            before, here, after = (np.take(padded, range(k, k + n), axis=axis) for k in range(3))
            counts = 0.25 * before + 0.5 * here + 0.25 * after
        return np.asarray((counts + 0.02) / (counts.sum() + 0.02 * counts.size))

    ratio = np.clip(np.log(counted(sky) / counted(ground)), -CLEAR, CLEAR)
    return np.asarray(ratio.ravel()[index], np.float32)


# How well a border shows, and what is sky in the end


def _shown(look: SkyLook, above: Bools) -> float:
    """How clearly a border shows on the picture, about 0..1: steps across it, and a sky more even than the ground."""
    height, width = above.shape
    border = above.sum(axis=0)
    inside = np.nonzero((border > 2) & (border < height - 3))[0]
    if not inside.size:
        return 0.0
    at = border[inside]
    over = np.mean([look.axes[np.maximum(at - k, 0), inside] for k in range(2, 9)], axis=0)
    under = np.mean([look.axes[np.minimum(at + k, height - 1), inside] for k in range(1, 8)], axis=0)
    steps = [np.maximum(_step(over, under), CLEAR_STEP * on_level_line(look, at, inside))]
    # Upright stretches: the columns on either side of a jump.
    for x in map(int, np.nonzero(np.abs(np.diff(border)) > 3)[0]):
        rows = np.arange(border[x : x + 2].min(), border[x : x + 2].max())
        left = np.mean([look.axes[rows, max(x - k, 0)] for k in range(1, 8)], axis=0)
        right = np.mean([look.axes[rows, min(x + 1 + k, width - 1)] for k in range(1, 8)], axis=0)
        steps.append(_step(left, right))
    clear = float(np.clip(np.concatenate(steps) / CLEAR_STEP, 0, 1).mean())
    uneven = float(look.texture[above].mean() / max(look.texture[~above].mean(), 1e-6))
    return (clear - 0.15 * uneven) * min(1.0, float(above.mean()) / 0.1)


def _step(one: Floats, other: Floats) -> Floats:
    """The relative step of tone or colour between colours (n, 3)."""
    return np.asarray(np.abs(one - other).max(axis=1) / (0.1 + np.minimum(one, other)[:, 0]))


def _judged(look: SkyLook, above: Bools) -> Bools:
    """Each pixel by its colour and by the border, (h, w)."""
    # Things that reach above the border are parted from the sky by sharp edges; the largest part is sky, with all that
    # is like it.
    _, labels, stats, _ = cv2.connectedComponentsWithStats((above & (look.sharp < PARTING_EDGE)).astype(np.uint8), connectivity=4)
    areas = stats[:, cv2.CC_STAT_AREA].astype(np.float64)
    areas[0] = 0
    is_sky = areas == areas.max()
    for _ in range(2):
        colour = _learned(look, is_sky[labels], ~above)
        is_sky |= np.bincount(labels.ravel(), weights=colour.ravel()) > LIKE * stats[:, cv2.CC_STAT_AREA]
        is_sky[0] = False
    colour = _learned(look, is_sky[labels], ~is_sky[labels])
    sky = _cut(look.codes, above, above & (is_sky[labels] | (colour > 0)))
    return np.asarray(sky | _through(look, above, sky))


def _through(look: SkyLook, above: Bools, sky: Bools) -> Bools:
    """What shines through below a border, (h, w): small places of the sky's colour within sharp edges. What is large is
    water, or a wall."""
    under = cv2.dilate(above.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0
    found = np.zeros_like(sky)
    for _ in range(2):
        colour = _learned(look, sky | found, ~(sky | found), by_height=False)
        _, labels, stats, _ = cv2.connectedComponentsWithStats((under & (colour > THROUGH)).astype(np.uint8), connectivity=4)
        places = (labels > 0).astype(np.uint8)
        rim = (labels > 0) & (cv2.erode(places, np.ones((3, 3), np.uint8)) == 0)
        length = np.maximum(np.bincount(labels[rim], minlength=len(stats)), 1)
        edge = np.bincount(labels[rim], weights=look.sharp[rim], minlength=len(stats)) / length
        kept = np.asarray((stats[:, cv2.CC_STAT_AREA] < LARGEST_GAP * above.size) & (edge > EDGE_OF_GAP))
        kept[0] = False
        found = kept[labels]
    return np.asarray(found)


def _cut(codes: Floats, above: Bools, sky: Bools) -> Bools:
    """A first sky with its rim cut anew by the colours on either side."""
    wide = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * BAND + 1, 2 * BAND + 1))
    marks = np.where(sky, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    marks[cv2.erode(sky.astype(np.uint8), wide, borderType=cv2.BORDER_CONSTANT, borderValue=1) > 0] = cv2.GC_FGD
    marks[cv2.dilate(above.astype(np.uint8), wide) == 0] = cv2.GC_BGD
    if not sky.any() or sky.all():
        return sky
    cv2.setRNGSeed(1)  # the cut is the same every time
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.grabCut(np.round(codes * 255).astype(np.uint8), marks, (0, 0, 0, 0), *models, 2, cv2.GC_INIT_WITH_MASK)
    return np.asarray((marks & 1) > 0)
