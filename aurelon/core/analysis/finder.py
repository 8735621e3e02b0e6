"""Where light comes from in a picture, and its colour: proposals in their order, for a person to accept.

Five things are looked for: compact highlights; the middle of a glare, which may stand behind something
that cuts it in two, as a sun behind a mast; the place toward which streaks run, in the frame or
outside it; the side from which things are lit, by the mean slope of shading where it is warm and
bright together (Zheng and Chellappa, "Estimation of Illuminant Direction, Albedo, and Shape from Shading",
1991, and the two-coloured light of sun and sky), with its error; and the shadows that things cast on the ground
(see `long_shadows`). Each has a confidence of its own; none is certain.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field
from typing import Literal

import cv2
import numpy as np

from aurelon.core.finding.areas import sure_sky_of
from aurelon.core.finding.long_shadows import by_shadows
from aurelon.core.finding.spot_colour import EDGE, colour_at
from aurelon.core.graph.nodes import ValueNode, Work, digest_of
from aurelon.core.graph.renderer import Renderer, Working
from aurelon.core.imaging.arrays import Doubles, Floats
from aurelon.core.imaging.colour import temperature_hex
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.masks.shared.part import resampled
from aurelon.core.rig import Rig

Clue = Literal["bright spot", "streaks", "lit sides", "long shadows"]

MOST, LEAST_SURE = 5, 0.05
SMALLEST_SPOT, SPOT_SIZES = 0.004, 8  # diagonals; each size is half as large again as the last
DISC = 0.26  # what a disc of contrast 1 gives in the difference of Gaussians at its own size
FAINTEST, CLEAR = 0.03, 0.05  # display-encoded contrast below which there is no spot, and of a clear one
AWAY, AROUND = 2.2, np.arange(12) * (np.pi / 6)  # in radii and radians, where a spot's surroundings are looked at
MOST_SPOTS = 3
GLARING = 0.93  # share of the brightest tone
BRIDGED, WIDEST_GLARE = 0.06, 0.11  # diagonals that what stands before a glare may be wide, and the radius of one
SUREST_GLARE, CLEAR_GLARE = 0.6, 0.25  # a glare is a guess; display-encoded contrast of a clear one
STREAK_SCALE = 0.004  # diagonals over which the direction of a streak is measured
MOST_STREAKS = 2500
REACH = 1.2  # frames beyond the frame within which streaks may meet
SHADING_SCALE = 0.002  # diagonals over which shading is measured
FLAT = 1e-4  # slope of logarithmic light below which a picture has no shading
SHADED = 0.01  # mean share of slopes that a clear shading has
OF_UP_AND_DOWN = 0.35  # of its slopes, in the open
TILES = 5  # across and down, for the error of a direction
SUREST_SIDE, WORST, LEAST_ERROR = 0.5, 70.0, 10.0  # surety of a direction at best; degrees
FAR_AWAY = 0.75  # diagonals from the middle at which a direction is marked
DAYLIGHT = 0.08  # linear luminance of a sky from which it is day
AT_THE_SKY, ON_THE_GROUND = 0.02, 0.35  # diagonals, and how much of a spot's surety is left on the ground
SEEN = 0.4  # surety of a bright spot by day from which shadows are not asked
SAME_PLACE = 0.06  # diagonals within which two proposals are one


@dataclass(frozen=True)
class Proposal:
    """A place (plate fractions) from which light may come, why, how surely (0..1), and its colour, also as sRGB. Of a direction
    `error` is how far it may be off, in degrees."""

    place: tuple[float, float]
    clue: Clue
    confidence: float
    temperature: float
    tint: float
    colour: str
    error: float | None = None


@dataclass(frozen=True)
class Proposals:
    """The most confident first."""

    ranked: list[Proposal] = field(default_factory=list)

    @property
    def nbytes(self) -> int:
        return 64 * len(self.ranked) + 64


def find_light(pixels: Floats, space: RgbSpace, sky: Floats | None = None) -> Proposals:
    """Proposals for the source of light in a small version (h, w, 3) of the picture, about 512 on its long edge. By day a
    bright spot outside of the `sky` (h, w) in 0..1, where one is known, is likely a leaf or a rock."""
    level = pixels @ space.luminance
    tone = encode_array(np.ascontiguousarray(level))
    diagonal = float(np.hypot(*tone.shape))
    size = np.array([tone.shape[1], tone.shape[0]])
    sides, error = lit_sides(pixels, tone, sky)
    errors: dict[Clue, float | None] = {"lit sides": error}
    found = [*_bright_spots(tone, level), *_glare(tone), *_streaks(tone)]
    if sky is not None and float(np.average(level, weights=sky + np.float32(1e-6))) > DAYLIGHT:
        found = [(place, clue, sure * _sky_round(sky, place) if clue == "bright spot" else sure) for place, clue, sure in found]
        lit_from = (sides[0][0] - 0.5) * size / (FAR_AWAY * diagonal) if sides else None
        sun = by_shadows(pixels, tone, sky, lit_from)
        if sun is not None:
            place = 0.5 + sun.direction * FAR_AWAY * diagonal / size if sun.place is None else sun.place / size
            # A source that is seen in the sky tells better than shadows do, which may be waves; and shadows that are clear tell
            # better than shading does.
            seen = max((sure for _, clue, sure in found if clue == "bright spot"), default=0.0)
            clear = sun.confidence * max(0.0, 1 - seen / SEEN)
            found.append((place, "long shadows", clear))
            errors["long shadows"] = sun.error
            sides = [(at, clue, sure * (1 - clear)) for at, clue, sure in sides]
    found += sides
    ranked: list[Proposal] = []
    for place, clue, confidence in sorted(found, key=lambda f: -f[2]):
        if any(np.hypot(*((np.array(p.place) - place) * size)) < SAME_PLACE * diagonal for p in ranked):
            continue
        at = (round(float(place[0]), 4), round(float(place[1]), 4))
        kelvin, tint = colour_at(pixels, space, at)
        ranked.append(Proposal(at, clue, confidence, kelvin, tint, temperature_hex(kelvin, tint), errors.get(clue)))
    return Proposals([p for p in ranked[:MOST] if p.confidence >= LEAST_SURE])


def proposals_for(now: Working) -> Proposals:
    """Proposals for the prepared picture, found once until that picture changes."""
    plate, prepared = now.graph.plate, now.graph.prepared
    frame = Frame.canonical(plate.size, EDGE)

    def find(work: Work) -> Proposals:
        sky = sure_sky_of(plate)
        cover = None if sky is None else resampled(sky.cover, frame)
        return find_light(work.at(prepared, frame), plate.space, cover)

    return now.work.evaluate(ValueNode(digest_of("proposals", prepared.digest), find))


def propose(renderer: Renderer, rig: Rig) -> Proposals:
    """Where light may come from in the prepared picture, the likeliest first."""
    with renderer.working(rig) as now:
        return proposals_for(now)


def _sky_round(sky: Floats, place: Doubles) -> float:
    """1 for a place in or at the edge of the sky, ON_THE_GROUND far from it."""
    rows, columns = sky.shape
    reach = max(2, round(AT_THE_SKY * float(np.hypot(rows, columns))))
    row, column = int(np.clip(place[1], 0, 1) * (rows - 1)), int(np.clip(place[0], 0, 1) * (columns - 1))
    near = float(sky[max(row - reach, 0) : row + reach + 1, max(column - reach, 0) : column + reach + 1].mean())
    return ON_THE_GROUND + (1 - ON_THE_GROUND) * min(near / 0.3, 1.0)


Found = tuple[Doubles, Clue, float]


def _bright_spots(tone: Floats, level: Floats) -> list[Found]:
    """Round bright areas, as the greatest differences of Gaussians over place and size (Lowe, 2004).

    The brighter, the more light and the clearer against its surroundings, the surer.
    """
    height, width = tone.shape
    diagonal = float(np.hypot(height, width))
    sizes = SMALLEST_SPOT * diagonal * 1.5 ** np.arange(SPOT_SIZES)
    blurred = [cv2.GaussianBlur(tone, (0, 0), 0.75 * r, borderType=cv2.BORDER_REFLECT) for r in (*sizes, 1.5 * sizes[-1])]
    contrasts = [(inner - outer) / np.float32(DISC) for inner, outer in itertools.pairwise(blurred)]
    highest = np.max(contrasts, axis=0)
    found: list[tuple[Doubles, float, float]] = []
    for radius, contrast, inner in zip(sizes, contrasts, blurred, strict=False):
        reach = 2 * round(radius) + 1
        peaks = (contrast >= cv2.dilate(highest, np.ones((reach, reach), np.uint8))) & (contrast > FAINTEST)
        for row, column in zip(*np.nonzero(peaks), strict=True):
            brightness = float(tone[max(0, row - 1) : row + 2, max(0, column - 1) : column + 2].mean())
            # Brighter than on every side, or it is only the end of a bright area.
            there = np.round(row + AWAY * radius * np.sin(AROUND)).astype(int).clip(0, height - 1)
            beside = np.round(column + AWAY * radius * np.cos(AROUND)).astype(int).clip(0, width - 1)
            alone = float(inner[row, column] - inner[there, beside].max())
            surety = brightness**3 * float(np.clip(alone / CLEAR, 0, 1))
            light = float(level[row, column]) * radius**2 * float(inner[row, column])
            found.append((np.array([(column + 0.5) / width, (row + 0.5) / height]), surety, light))
    most = max((light for _, _, light in found), default=1.0)
    spots: list[Found] = [
        (place, "bright spot", float(np.clip(surety * (0.35 + 0.65 * (light / most) ** 0.5), 0, 0.98)))
        for place, surety, light in found
    ]
    return sorted(spots, key=lambda spot: -spot[2])[:MOST_SPOTS]


def _glare(tone: Floats) -> list[Found]:
    """The middle of what is brightest, bridged where something narrow stands before it; the smaller and clearer, the surer."""
    diagonal = float(np.hypot(*tone.shape))
    soft = cv2.GaussianBlur(tone, (0, 0), max(0.003 * diagonal, 0.5), borderType=cv2.BORDER_REFLECT)
    glaring = (soft > GLARING * soft.max()).astype(np.uint8)
    reach = 2 * max(1, round(BRIDGED * diagonal / 2)) + 1
    bridged = cv2.morphologyEx(glaring, cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (reach, reach)))
    count, labels, stats, middles = cv2.connectedComponentsWithStats(bridged)
    if count < 2:
        return []
    label = 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA]))
    area, (x, y) = float(stats[label, cv2.CC_STAT_AREA]), middles[label]
    radius = float(np.sqrt(area / np.pi))
    rows, columns = np.mgrid[0 : tone.shape[0], 0 : tone.shape[1]]
    away = np.hypot(columns - x, rows - y) / max(radius, 1.0)
    round_it = (away > 1.5) & (away < AWAY)
    if not round_it.any():
        return []
    shining = (labels == label) & (glaring > 0)
    clear = float(soft[shining].mean() - soft[round_it].mean()) / CLEAR_GLARE
    # Of a compact area most lies within its radius.
    compact = float((away[labels == label] < 1.25).mean())
    surety = SUREST_GLARE * np.clip(clear, 0, 1) * compact**2 * np.clip(1 - radius / (WIDEST_GLARE * diagonal), 0, 1)
    place = np.array([(x + 0.5) / tone.shape[1], (y + 0.5) / tone.shape[0]])
    return [(place, "bright spot", float(surety))]


def _streaks(tone: Floats) -> list[Found]:
    """The place that most streaks run toward: each votes for the places along its line."""
    height, width = tone.shape
    diagonal = float(np.hypot(height, width))
    logs = np.log(tone + np.float32(0.02))
    fine = cv2.GaussianBlur(logs, (0, 0), max(1.0, STREAK_SCALE * diagonal / 2))
    dx, dy = cv2.Sobel(fine, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(fine, cv2.CV_32F, 0, 1) / 8
    wide = 3 * STREAK_SCALE * diagonal
    xx, xy, yy = (cv2.GaussianBlur(m, (0, 0), wide) for m in (dx * dx, dx * dy, dy * dy))
    root = np.sqrt((xx - yy) ** 2 + 4 * xy * xy)
    coherence = root / (xx + yy + np.float32(2e-4))
    # Along the streak: across the mean gradient.
    angle = 0.5 * np.arctan2(2 * xy, xx - yy) + np.pi / 2
    # Hard edges are things, not light: a streak has a gentle slope.
    gentle = coherence * np.sqrt(xx + yy) / (1 + (np.sqrt(xx + yy) / 0.03) ** 4)
    weight = gentle.astype(np.float64)
    step = max(1, int(diagonal / 120))
    rows, columns = (g.ravel() for g in np.mgrid[step // 2 : height : step, step // 2 : width : step])
    strongest = np.argsort(-weight[rows, columns], kind="stable")[:MOST_STREAKS]
    rows, columns = rows[strongest], columns[strongest]
    w, theta = weight[rows, columns], angle[rows, columns].astype(np.float64)
    if w.sum() <= 1e-9:
        return []
    w = w / w.sum()

    def votes(places: Doubles) -> Doubles:
        """For each place (n, 2), in pixels, the share of streaks that point at it within a few degrees."""
        total = np.zeros(len(places))
        for k, (px, py) in enumerate(places):
            toward = np.arctan2(py - rows, px - columns)
            off = np.abs(np.sin(toward - theta))
            total[k] = float(w @ np.exp(-((off / 0.05) ** 2)))
        return total

    def lattice(middle: Doubles, half: Doubles, n: int) -> Doubles:
        gx, gy = (np.linspace(middle[k] - half[k], middle[k] + half[k], n) for k in range(2))
        return np.stack([g.ravel() for g in np.meshgrid(gx, gy)], axis=1)

    size = np.array([width, height], float)
    half = size * (0.5 + REACH)
    middle = size / 2
    for n in (41, 13, 13):
        places = lattice(middle, half, n)
        tally = votes(places)
        middle = places[int(np.argmax(tally))]
        half = half * (3.0 / n)
    best = float(votes(middle[None])[0])
    # Streaks in every direction would give any place this share by chance.
    chance = 0.05 * np.sqrt(np.pi) / np.pi
    confidence = float(np.clip((best - 3 * chance) / (1 - 3 * chance), 0, 0.95))
    # What meets nowhere within reach is parallel, as clouds and boards are.
    far = float(np.abs(middle / size - 0.5).max())
    return [(middle / size, "streaks", confidence)] if confidence > 0.05 and far < 0.45 + REACH else []


def lit_sides(pixels: Floats, tone: Floats, sky: Floats | None) -> tuple[list[Found], float | None]:
    """A direction, and how far off it may be (degrees): toward where gentle slopes of shading rise.

    A slope counts the more, the better warm and bright go together on it: the lit side of a thing is warmer than the shaded one,
    which sees the sky (the two-coloured light of Gershon, Jepson and Tsotsos, 1986), where paint and leaves change as they like.
    In the open the sky lights all tops, so that what tells of up and down is less. Where no sky is known the broad fall of
    luminance counts too. The error is the jackknife's over parts of the picture (Efron and Tibshirani, 1993, ch. 11).
    """
    height, width = tone.shape
    diagonal = float(np.hypot(height, width))
    blurred = cv2.GaussianBlur(pixels, (0, 0), max(SHADING_SCALE * diagonal, 0.5), borderType=cv2.BORDER_REFLECT)
    logs = np.log(np.maximum(blurred, 0) + np.float32(0.01))
    warm, bright = _slopes(logs[:, :, 0] - logs[:, :, 2]), _slopes(logs.mean(axis=2))
    steep, warms = np.linalg.norm(bright, axis=2), np.linalg.norm(warm, axis=2)
    ground = np.ones(tone.shape, bool) if sky is None else cv2.dilate((sky > 0.1).astype(np.uint8), np.ones((7, 7))) == 0
    if not ground.any() or not (usual := float(np.percentile(steep[ground], 88))) > FLAT:
        return [], None
    # Steep is the rim of a thing, not its shading.
    weight = (steep / usual) / (1 + (steep / usual) ** 4) / np.maximum(steep, 1e-6) * ground
    if float(np.percentile(warms[ground], 70)) > 0.05 * usual:
        together = (bright * warm).sum(axis=2) / np.maximum(steep * warms, 1e-9)
        weight = weight * np.clip(together, 0, 1) ** 2
    slopes = bright * weight[:, :, None]
    rows, columns = (np.linspace(0, n, TILES + 1).astype(int) for n in (height, width))
    tiles = np.add.reduceat(np.add.reduceat(slopes, rows[:-1], axis=0), columns[:-1], axis=1).reshape(-1, 2)
    tiles[:, 1] *= 1.0 if sky is None else OF_UP_AND_DOWN
    whole = tiles.sum(axis=0) / max(float(ground.sum()), 1)
    broad = np.zeros(2) if sky is not None else _broad_fall(tone, diagonal)
    direction = whole / SHADED + broad
    strength = float(np.hypot(*direction))
    if strength < 0.1:
        return [], None
    left_out = (tiles.sum(axis=0) - tiles) / max(float(ground.sum()), 1) / SHADED + broad
    turned = np.arctan2(*left_out.T[::-1]) - np.arctan2(direction[1], direction[0])
    turned = np.angle(np.exp(1j * turned))
    error = float(np.rad2deg(np.sqrt((len(tiles) - 1) / len(tiles) * (turned**2).sum())))
    place = np.array([0.5, 0.5]) + direction / strength * FAR_AWAY * diagonal / np.array([width, height])
    surety = SUREST_SIDE * min(strength, 1) * max(1 - error / WORST, 0)
    return [(place, "lit sides", float(surety))], max(error, LEAST_ERROR)


def _slopes(of: Floats) -> Floats:
    """Slopes across and down, (h, w, 2), of a picture (h, w)."""
    return np.asarray(np.stack([cv2.Sobel(of, cv2.CV_32F, 1, 0), cv2.Sobel(of, cv2.CV_32F, 0, 1)], axis=2) / 8, np.float32)


def _broad_fall(tone: Floats, diagonal: float) -> Doubles:
    """From where the picture is dark at large to where it is bright."""
    height, width = tone.shape
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    plane = np.stack([(x.ravel() - width / 2) / diagonal, (y.ravel() - height / 2) / diagonal, np.ones(x.size)], axis=1)
    slope, *_ = np.linalg.lstsq(plane, tone.ravel().astype(np.float64), rcond=None)
    length = float(np.hypot(slope[0], slope[1]))
    explained = length * 0.28 / max(float(tone.std()), 1e-3)
    return np.asarray(0.7 * np.array(slope[:2]) / max(length, 1e-6) * min(explained, 1.0))
