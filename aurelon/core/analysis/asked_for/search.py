"""Finds the settings by which light falls where a sketch has it.

To sketch light in place of setting lamps is Poulin and Fournier, "Lights from Highlights and Shadows" (1992), and Schoeneman,
Dorsey, Smits, Arvo and Greenberg, "Painting with Light" (1993), who solve for lamps whose light looks as painted. Here every draft
is a rendering of the light itself: it is tried from all round the picture, the best tries that differ are made better by the
simplex of Nelder and Mead (1965), and then other patterns of the best ones are tried.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor, ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Any, NamedTuple

import numpy as np
from scipy.optimize import minimize

from aurelon.core.analysis.asked_for.sketch import Sketch, blurred
from aurelon.core.analysis.asked_for.unknowns import TURN, Unknown, light_of, unknowns_of, vector_of, with_settings
from aurelon.core.errors import RigError
from aurelon.core.graph.cache import Cache, Layered
from aurelon.core.graph.new_light import tempered, untempered
from aurelon.core.graph.nodes import Work
from aurelon.core.graph.renderer import never
from aurelon.core.graph.resolve import resolve
from aurelon.core.imaging.arrays import Doubles, Floats
from aurelon.core.imaging.kernels import undivided
from aurelon.core.lights import kinds
from aurelon.core.lights.shared.kind import Sought
from aurelon.core.plate import Plate
from aurelon.core.rig.light import Light
from aurelon.core.rig.model import Rig
from aurelon.core.settings.types.path import Path
from aurelon.core.settings.types.place import PlaceSetting
from aurelon.core.settings.types.places import Places
from aurelon.core.settings.types.quads import Quads

ANSWERS = 6
KEPT_BYTES = 96 << 20  # of what the drafts share
WORKING_EDGE = 128  # long edge of the grid that light travels on in a draft
OUTSIDE = 0.6  # frames beyond the frame that are tried
STEP = {"place": 0.08, "other": 0.1}  # of the first simplex, in the units of unknowns
FINER = 0.3  # of the usual simplex, from which answers are fitted once more
TURNED = 4.0  # how much rays that turn from the strokes count against the agreement
THREADS = 2  # that draw drafts side by side
AT_ONCE = 8  # starts that are drawn before it is seen whether any other can be better
APART = 0.07  # of the frame, or half turns, by which two answers differ
STARTS_APART = 0.3  # by which two tries differ that are made better
NARROW = (0.35, 1.0)  # widths of a beam's opening as shares of where it lands


class Effort(NamedTuple):
    """How much is tried of each way to ask: places across and down, directions, spots; how many of these are made better, by how
    many drafts each; other patterns of each answer; answers that are fitted once more, and by how many drafts."""

    across: int
    turns: int
    spots: int
    best: int
    drafts: int
    patterns: int
    polished: int
    polish: int


ONE_WAY = Effort(across=9, turns=24, spots=24, best=6, drafts=24, patterns=3, polished=3, polish=24)
TWO_WAYS = ONE_WAY._replace(best=3, drafts=30)
ANY_LIGHT = Effort(across=5, turns=12, spots=5, best=1, drafts=14, patterns=1, polished=0, polish=0)
EFFORTS = {1: ONE_WAY, 2: TWO_WAYS}  # by how many ways there are to ask; ANY_LIGHT where there are more


@dataclass(frozen=True)
class Answer:
    """A light that falls about where the sketch has it; its `agreement` in 0..1."""

    light: Light
    agreement: float


@dataclass(frozen=True)
class _Try:
    light: Light
    unknowns: tuple[Unknown, ...]
    agreement: float
    shape: Floats  # its blurred light, of norm 1

    @property
    def where(self) -> Doubles:
        return self.unknowns[0].of(self.light)


class _Drafts:
    """Draws lights small, and says how well they agree with a sketch."""

    def __init__(self, plate: Plate, rig: Rig, sketch: Sketch, cancelled: Callable[[], bool], cache: Cache | None) -> None:
        self.plate, self.rig, self.sketch, self.cancelled = plate, rig, sketch, cancelled
        self._cache = Layered(KEPT_BYTES, cache)

    def of(self, light: Light, unknowns: Sequence[Unknown]) -> _Try:
        below = [other for other in self.rig.stack if other.id != light.id] if light.look_at == "below" else []
        drafted = with_settings(light, _way_of(light, unknowns[0]).drafted) if unknowns else light
        rig = self.rig.model_copy(update={"lights": [*below, drafted], "keys": {}})
        graph = resolve(self.plate, rig, draft=True, edge=WORKING_EDGE)
        work = Work(self._cache, self.cancelled)
        work.go_on()
        with undivided():
            luminance = work.at(graph.of(light.id).colour, self.sketch.frame) @ self.plate.space.luminance
        shape = blurred(np.sqrt(np.maximum(luminance, 0)))
        norm = float(np.linalg.norm(shape))
        agreement = self.sketch.agreement(luminance) - (TURNED * self._turned(light, unknowns[0]) if unknowns else 0.0)
        return _Try(light, tuple(unknowns), max(agreement, 0.0), shape / norm if norm > 0 else shape)

    def most(self, light: Light, where: Unknown) -> float:
        """What a light's agreement is at most, without a draft: by how far its rays turn from the strokes."""
        return 1 - TURNED * self._turned(light, where)

    def _turned(self, light: Light, where: Unknown) -> float:
        """How far the light's rays turn from the strokes that were painted along rays, where it has rays."""
        if not _way_of(light, where).rays:
            return 0.0
        at, strokes = where.of(light), self.sketch.rays
        if where.is_direction:
            angle = np.radians(at[0] * TURN)
            return self.sketch.turned_from_rays(np.tile([np.cos(angle), -np.sin(angle)], (len(strokes), 1)))
        return self.sketch.turned_from_rays(strokes[:, :2] - at * self.sketch.aspect)


def asked_for(
    plate: Plate,
    rig: Rig,
    sketch: Sketch,
    light_id: str | None = None,
    *,
    cache: Cache | None = None,
    cancelled: Callable[[], bool] = never,
    progress: Callable[[float], None] = lambda share: None,
) -> Iterator[Answer]:
    """Lights that fall where the sketch has it, the best first and each unlike the others: the light of that id with other
    settings, or new lights of several kinds. Takes what a `cache` of this plate keeps. Raises RigError where that kind of light
    cannot be asked for."""
    if light_id is None:
        begun = [untempered(name, plate, rig) for name, kind in kinds().items() if kind.sought]
    else:
        light = rig.light(light_id)
        kind = kinds()[light.kind]
        if not kind.sought:
            raise RigError(
                [("", f"{kind.called} shines from the picture itself and cannot be placed by a sketch; choose another kind")]
            )
        begun = [light]
    drafts = _Drafts(plate, rig, sketch, cancelled, cache)
    ways = [(light, way) for light in begun for way in kinds()[light.kind].sought]
    effort = EFFORTS.get(len(ways), ANY_LIGHT)
    found: list[_Try] = []
    with ThreadPoolExecutor(THREADS) as threads:
        for done, (light, way) in enumerate(ways):
            found += _best_of(drafts, light, way, effort, threads)
            progress((done + 0.5) / (len(ways) + 1))
        found.sort(key=lambda one: -one.agreement)
        patterned = list(threads.map(partial(_other_patterns, drafts, count=effort.patterns), _unlike(found, ANSWERS)))
        patterned.sort(key=lambda one: -one.agreement)
        polish = partial(_better, drafts, finer=FINER, most=effort.polish)
        patterned[: effort.polished] = threads.map(polish, patterned[: effort.polished])
    cache = cache or Cache(KEPT_BYTES)
    for done, one in enumerate(sorted(patterned, key=lambda one: -one.agreement)):
        result = one.light if light_id is not None else tempered(one.light, plate, rig, cache)
        yield Answer(result, one.agreement)
        progress((len(ways) + (done + 1) / len(patterned)) / (len(ways) + 1))


def _way_of(light: Light, where: Unknown) -> Sought:
    return next(way for way in kinds()[light.kind].sought if way.where == f"{where.stage}.{where.name}")


def _best_of(drafts: _Drafts, light: Light, way: Sought, effort: Effort, threads: Executor) -> list[_Try]:
    """The best lights that one way of asking finds."""
    start = with_settings(light, way.fixed)
    unknowns = unknowns_of(start, (way.where, *way.free))
    apart = STARTS_APART if unknowns[0].is_place else APART
    chosen = _best_starts(
        drafts, list(_starts(start, unknowns[0], way, drafts.sketch, effort)), unknowns, effort.best, apart, threads
    )
    return list(threads.map(partial(_better, drafts, most=effort.drafts), chosen))


def _best_starts(
    drafts: _Drafts, starts: Sequence[Light], unknowns: Sequence[Unknown], most: int, apart: float, threads: Executor
) -> list[_Try]:
    """The best `most` starts that differ from each other. Those that could agree best are drawn first; a start that could not be
    among the best is not drawn."""
    open_ones = sorted(((drafts.most(one, unknowns[0]), -k) for k, one in enumerate(starts)), reverse=True)
    tries: list[_Try] = []
    chosen: list[_Try] = []
    for at in range(0, len(open_ones), AT_ONCE):
        if len(chosen) == most and open_ones[at][0] <= chosen[-1].agreement:
            break
        tries += threads.map(lambda one: drafts.of(starts[-one[1]], unknowns), open_ones[at : at + AT_ONCE])
        tries.sort(key=lambda one: -one.agreement)
        chosen = _unlike(tries, most, apart)
    return chosen


def _starts(light: Light, where: Unknown, way: Sought, sketch: Sketch, effort: Effort) -> Iterator[Light]:
    """Lights from all round, each turned toward the sketch where it can be."""
    for value in _wheres(light, where, sketch, effort):
        placed = with_settings(light, {where.stage: {where.name: value}})
        if way.aimed is not None:
            placed = with_settings(placed, {"spread": way.aimed(placed.spread, sketch.places, sketch.frame.size)})
        yield placed


def _wheres(light: Light, where: Unknown, sketch: Sketch, effort: Effort) -> Iterator[Any]:
    """Values of a setting that says where, from which a search begins."""
    match where.setting:
        case PlaceSetting():
            steps = np.linspace(-OUTSIDE, 1 + OUTSIDE, effort.across)
            yield from ((round(float(x), 4), round(float(y), 4)) for y in steps for x in steps)
            yield tuple(np.round(sketch.places.mean(axis=0), 4).tolist())
            if (meeting := sketch.meeting()) is not None:
                yield where.value(light, meeting)
        case Places():
            yield from (((round(float(x), 4), round(float(y), 4)),) for x, y in _peaks(sketch, effort.spots))
        case Path():
            begin, end, _ = _axis(sketch)
            yield (tuple(begin), tuple(end))
        case Quads():
            yield from ((quad,) for quad in _quads(sketch))
        case _:
            yield from (where.value(light, np.array([2 * k / effort.turns])) for k in range(effort.turns))


def _peaks(sketch: Sketch, count: int) -> list[Doubles]:
    """The middle of what is painted, and `count` places spread over it, (2,) each in plate fractions."""
    places = sketch.places
    return [np.round(places.mean(axis=0), 4), *np.round(places[:: max(1, len(places) // count)], 4)]


def _axis(sketch: Sketch) -> tuple[Doubles, Doubles, float]:
    """The ends (2,) of the main axis of what is painted, in plate fractions, and the width across it in diagonals."""
    aspect = sketch.aspect
    places = sketch.places * aspect
    middle = places.mean(axis=0)
    _, _, directions = np.linalg.svd(places - middle, full_matrices=False)
    along, across = (places - middle) @ directions[0], (places - middle) @ directions[1]
    low, high = np.quantile(along, (0.02, 0.98))
    width = float(np.subtract(*np.quantile(across, (0.95, 0.05))))
    ends = [np.round((middle + at * directions[0]) / aspect, 4) for at in (low, high)]
    return ends[0], ends[1], width


def _quads(sketch: Sketch) -> Iterator[Any]:
    """Beams along what is painted, from either end, with openings of several widths."""
    begin, end, width = _axis(sketch)
    for here, there in ((begin, end), (end, begin)):
        along = (there - here) * sketch.aspect
        side = np.array([-along[1], along[0]]) / max(float(np.linalg.norm(along)), 1e-6) * width / 2
        for narrow in NARROW:
            corners = [here * sketch.aspect + narrow * side, here * sketch.aspect - narrow * side]
            corners += [there * sketch.aspect - side, there * sketch.aspect + side]
            yield tuple(tuple(np.round(corner / sketch.aspect, 4).tolist()) for corner in corners)


def _unlike(tries: Sequence[_Try], most: int, apart: float = APART) -> list[_Try]:
    """The first `most` of which each is of another way, or comes from elsewhere, than those before it."""
    result: list[_Try] = []
    for one in tries:
        if not any(_same_way(one, other) and one.unknowns[0].between(one.where, other.where) <= apart for other in result):
            result.append(one)
        if len(result) == most:
            break
    return result


def _same_way(one: _Try, other: _Try) -> bool:
    return one.light.kind == other.light.kind and one.unknowns[0] == other.unknowns[0]


def _better(drafts: _Drafts, one: _Try, *, most: int, finer: float = 1.0) -> _Try:
    """A try whose unknowns were fitted, by at most so many drafts, from a simplex `finer` times the usual one."""
    begin = vector_of(one.light, one.unknowns)
    best = one

    def loss(vector: Doubles) -> float:
        nonlocal best
        now = drafts.of(light_of(one.light, one.unknowns, vector), one.unknowns)
        if now.agreement > best.agreement:
            best = now
        return -now.agreement

    steps = np.concatenate(
        [np.full(u.of(one.light).size, STEP["place" if k == 0 else "other"]) for k, u in enumerate(one.unknowns)]
    )
    simplex = np.vstack([begin, *(begin + np.eye(begin.size) * _inward(begin, steps * finer))])
    minimize(loss, begin, method="Nelder-Mead", options={"maxfev": most, "initial_simplex": simplex, "xatol": 2e-3, "fatol": 1e-4})
    return best


def _inward(begin: Doubles, steps: Doubles) -> Doubles:
    """Steps that stay within a slider's travel where they begin on one."""
    return np.where((begin > 1 - steps) & (begin <= 1), -steps, steps)


def _other_patterns(drafts: _Drafts, one: _Try, count: int) -> _Try:
    """The best of a few other patterns of the same light."""
    way = _way_of(one.light, one.unknowns[0])
    if not way.patterns:
        return one
    chosen = unknowns_of(one.light, way.patterns)
    best = one
    chance = np.random.default_rng(1)
    for _ in range(count):
        changes: dict[str, dict[str, Any]] = {}
        for u in chosen:
            changes.setdefault(u.stage, {})[u.name] = _another(u, one.light, chance)
        now = drafts.of(with_settings(one.light, changes), one.unknowns)
        best = now if now.agreement > best.agreement else best
    return best


def _another(of: Unknown, light: Light, chance: np.random.Generator) -> Any:
    s: Any = of.setting
    value = getattr(getattr(light, of.stage), of.name)
    if s.type == "seed":
        return int(chance.integers(s.low, s.high + 1))
    return s.value(float(value) * 2 ** chance.uniform(-1, 1))
