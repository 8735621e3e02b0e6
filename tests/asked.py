"""Sketches of known lights, as a hand would make them, and how far from the light's source the answers to them are.

`python -m tests.asked` asks for every kind on every demo plate and on pictures of our own, and prints the table.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from aurelon.core import Plate, Rig, open_plate, render
from aurelon.core.analysis.asked_for import asked_for, sketch_of
from aurelon.core.analysis.asked_for.sketch import EDGE
from aurelon.core.graph.new_light import untempered
from aurelon.core.imaging.frame import fit_within, in_diagonals
from aurelon.core.rig.light import Light
from aurelon.core.settings import Stroke
from tests.pictures import Floats, plate_of, scene

NEAR, TURNED = 4.0, 6.0  # per cent of the diagonal, degrees: what counts as found again
BRUSH, RAY = 0.035, 0.02  # radius of the brush for areas, and for rays
LIT, DARK = 0.4, 0.06  # shares of the brightest, from which a hand paints light and up to which it paints dark
RAYS, SHAKY, LONGEST = ("shafts", "parallel", "fan"), 2.0, 24  # kinds painted along their rays, with an error in degrees; steps
MARKS = (36, 16)  # strokes of a hand along rays, and dabs where it is dark


def known() -> dict[str, str]:
    """The lights that are asked for, and what is looked at: a place or a direction."""
    return {
        "shafts": "place",
        "parallel": "direction",
        "fan": "place",
        "lamp": "place",
        "beam": "place",
        "line": "place",
        "starburst": "place",
        "flare": "place",
    }


def filling(x: Any, y: Any, apart: float, rng: np.random.Generator) -> list[int]:
    """Numbers of places, in any order, of which no two are nearer than that: a hand that fills an area."""
    chosen: list[int] = []
    for k in rng.permutation(len(x)):
        if all((x[k] - x[other]) ** 2 + (y[k] - y[other]) ** 2 >= apart**2 for other in chosen):
            chosen.append(int(k))
    return chosen


@dataclass(frozen=True)
class Case:
    kind: str
    truth: Any
    misses: list[float]  # of each answer
    agreements: list[float]
    allowed: float
    seconds: float


class Asked:
    """A plate on which known lights are asked for."""

    def __init__(self, plate: Plate) -> None:
        self.plate = plate
        self.aspect = np.array(in_diagonals(plate.size))

    def case(self, kind: str, seed: int) -> Case:
        rng = np.random.default_rng((11, seed))
        name, stages, truth = self._settings(kind, rng)
        begun = untempered(name, self.plate, Rig())
        one = begun.model_dump()
        for stage, values in stages.items():
            one[stage] = {**one[stage], **values}
        strokes = self._hand(one, rng, kind, truth)
        began = time.monotonic()
        answers = list(
            asked_for(
                self.plate, Rig.model_validate({"lights": [begun.model_dump()]}), sketch_of(strokes, self.plate.size), begun.id
            )
        )
        seconds = time.monotonic() - began
        misses = [self._miss(answer.light, kind, truth) for answer in answers]
        return Case(kind, truth, misses, [a.agreement for a in answers], TURNED if known()[kind] == "direction" else NEAR, seconds)

    def _settings(self, kind: str, rng: np.random.Generator) -> tuple[str, dict[str, Any], Any]:
        """A kind's name, settings of its stages, and where its light comes from."""
        far = np.round(rng.uniform((-0.3, -0.4), (1.3, 1.0)), 3).tolist()
        near = np.round(rng.uniform(0.12, 0.88, 2), 3).tolist()
        other = np.round(rng.uniform(0.12, 0.88, 2), 3).tolist()
        reach = round(float(rng.uniform(0.25, 0.9)), 2)
        match kind:
            case "shafts":
                return "shafts", {"spread": {"mode": "point", "position": far, "reach": reach}}, far
            case "parallel":
                angle = float(rng.integers(-170, -10))
                return "shafts", {"spread": {"mode": "parallel", "angle": angle, "reach": reach}}, angle
            case "fan":
                across, down = (np.array(other) - far) * self.aspect
                bearing = round(float(np.degrees(np.arctan2(-down, across))))
                opening = round(float(rng.uniform(25, 120)))
                spread = {"aim": "bearing", "position": far, "bearing": bearing, "opening": opening, "reach": reach}
                return "fan", {"spread": spread}, far
            case "lamp":
                spread = {"lamp": "point", "position": near, "height": round(float(rng.uniform(0.06, 0.3)), 3), "range": reach}
                return "lamp", {"spread": spread}, near
            case "beam":
                top, foot = np.array([near[0], far[1] / 4]), np.array([other[0], 0.85])
                narrow, wide = rng.uniform(0.03, 0.08), rng.uniform(0.1, 0.2)
                half, far_half = np.array([narrow, 0]), np.array([wide, 0])
                quad = [top - half, top + half, foot + far_half, foot - far_half]
                return "beam", {"source": {"beams": [[corner.round(4).tolist() for corner in quad]]}}, top.tolist()
            case "line":
                if np.hypot(*(np.subtract(near, other) * self.aspect)) < 0.25:
                    other = [1 - near[0], 1 - near[1]]
                return "line", {"source": {"path": [near, other]}}, np.mean([near, other], axis=0).tolist()
            case _:
                return kind, {"source": {"max_points": 0, "placed": [near]}}, near

    def _hand(self, light: dict[str, Any], rng: np.random.Generator, kind: str, truth: Any) -> tuple[Stroke, ...]:
        """Strokes where the light is clearly seen, along its rays where it has any, and dabs where it is not."""
        rig = Rig.model_validate({"lights": [light]})
        size = fit_within(self.plate.size, EDGE)
        seen: Floats = render(self.plate, rig, size=size, show=f"stage:{light['id']}:colour") @ self.plate.space.luminance
        brightest = float(np.quantile(seen, 0.985))
        lit = seen > LIT * brightest
        strokes = []
        for erase, area, most in ((True, seen < DARK * brightest, MARKS[1]), (False, lit, MARKS[0])):
            y, x = np.nonzero(area)
            rays = kind in RAYS and not erase
            marks = (
                rng.choice(len(x), min(most, len(x)), replace=False)
                if erase or rays
                else filling(x, y, 0.6 * BRUSH * np.hypot(*size), rng)
            )
            for k in marks:
                at = (x[k] + 0.5) / size[0], (y[k] + 0.5) / size[1]
                ends = self._stroke(np.array(at), lit, kind, truth, rng) if rays else [at]
                strokes.append(
                    Stroke(
                        size=RAY if rays else BRUSH,
                        hardness=0.5,
                        flow=1.0,
                        erase=erase,
                        points=tuple(v for end in ends for v in (*end, 1.0)),
                    )
                )
        return tuple(strokes)

    def _stroke(self, at: Any, lit: Any, kind: str, truth: Any, rng: np.random.Generator) -> list[Any]:
        """The ends of a stroke through a place, as long as it stays in the light: along a ray, as a hand sees it."""
        height, width = lit.shape
        if known()[kind] == "direction":
            angle = -np.radians(truth)
        else:
            across, down = (at - truth) * self.aspect
            angle = np.arctan2(down, across)
        angle += np.radians(rng.normal(0, SHAKY))
        direction = np.array([np.cos(angle), np.sin(angle)])
        ends = []
        for sign in (-1, 1):
            end = at
            for step in range(1, LONGEST):
                here = at + sign * step * 0.008 * direction / self.aspect
                x, y = int(here[0] * width), int(here[1] * height)
                if not (0 <= x < width and 0 <= y < height and lit[y, x]):
                    break
                end = here
            ends.append(end)
        return ends

    def _miss(self, answer: Light, kind: str, truth: Any) -> float:
        """How far an answer's source is from the true one: per cent of the diagonal, or degrees."""
        spread, source = answer.model_dump()["spread"], answer.model_dump()["source"]
        if known()[kind] == "direction":
            return abs((spread["angle"] - truth + 180) % 360 - 180) if spread["mode"] == "parallel" else 180.0
        match answer.kind:
            case "beam":
                at = np.mean(source["beams"][0][:2], axis=0)
            case "line":
                at = np.mean(source["path"], axis=0)
            case "starburst" | "flare":
                at = np.array(source["placed"][0])
            case _:
                if spread.get("mode") == "parallel" or spread.get("lamp") == "directional":
                    return 100.0
                at = np.array(spread["position"])
        return 100 * float(np.hypot(*((at - truth) * self.aspect)))


def plates() -> Iterator[tuple[str, Plate]]:
    """The plates of the demo, and made-up scenes."""
    for name in ("headland", "harbour", "boatshed", "brasslens"):
        yield name, open_plate(f"demo/plates/{name}.jpg")
    for seed in range(1, 7):
        yield f"scene {seed}", plate_of(scene(960, 640, seed=seed))


def main() -> int:
    wanted = sys.argv[1:] or list(known())
    found = dict.fromkeys(wanted, 0)
    for number, (name, plate) in enumerate(plates()):
        for kind in wanted:
            case = Asked(plate).case(kind, seed=100 * number + list(known()).index(kind))
            found[kind] += min(case.misses) < case.allowed
            misses = " ".join(f"{miss:5.1f}" for miss in case.misses)
            print(
                f"{name:10} {kind:10} {max(case.agreements):.3f}  {case.seconds:4.1f} s  misses {misses}  of {case.truth}",
                flush=True,
            )
    for kind, times in found.items():
        print(f"{kind:10} found again on {times} of {number + 1}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
