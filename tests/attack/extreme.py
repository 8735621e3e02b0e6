"""Rigs of extremes: every setting at its least, its most, or anywhere between, in any company. Light stays a number, is never
negative, and does not keep one waiting. What comes of a seed is always the same.
"""

from __future__ import annotations

import os
import random
import sys
import time
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import cache, partial
from multiprocessing import get_context
from typing import Any, get_type_hints

import numpy as np
from pydantic import ValidationError

from aurelon.core import AurelonError, Plate, Rig, render
from aurelon.core.imaging.arrays import Floats
from aurelon.core.lights import kinds
from aurelon.core.masks import parts
from aurelon.core.rig.light import LIGHT_MODELS
from aurelon.core.rig.model import HouseLight, Prepare
from aurelon.core.settings import Setting, Settings, settings_of
from tests.attack.damaged import Fault, Report, confine
from tests.pictures import plate_of, scene

SIZE = (390, 260)  # a tenth of a megapixel
SLOW = 3.0  # s
BATCH = 100
FAR = (-2.0, -0.5, 0.0, 0.5, 1.0, 1.5, 3.0)


@cache
def plates() -> tuple[Plate, ...]:
    """A scene, the same with lamps far above white, and all black."""
    usual = scene(*SIZE)
    lamps: Floats = usual.copy()
    lamps[100:104, 200:204] = 5000
    return plate_of(usual), plate_of(lamps), plate_of(np.zeros_like(usual))


def value(setting: Setting, rng: random.Random) -> Any:
    """Something that a setting can be."""
    report = setting.model_dump()

    def place() -> list[float]:
        return [rng.choice(FAR) if rng.random() < 0.4 else rng.uniform(-0.3, 1.3) for _ in range(2)]

    match setting.type:
        case "number" | "whole" | "seed":
            low, high = report.get("low", 0), report.get("high", 1000)
            drawn = rng.choice((low, high, setting.default, rng.uniform(low, high)))
            return drawn if setting.type == "number" else int(drawn)
        case "choice":
            return rng.choice([option["value"] for option in report["options"]])
        case "flag":
            return rng.random() < 0.5
        case "colour":
            return f"#{rng.choice((0, 0xFFFFFF, 0xFF0000, rng.randrange(1 << 24))):06x}"
        case "place":
            return place()
        case "places" | "path" | "polygon":
            return [place() for _ in range(rng.choice((2, 3, 7)))]
        case "quads":
            return [[place() for _ in range(4)] for _ in range(rng.choice((1, 2)))]
        case "strokes":
            points = [rng.choice((0.0, 1.0, rng.random())) for _ in range(3 * rng.choice((1, 2, 9)))]
            return [{"points": points, "size": rng.choice((0.001, 0.05, 0.5)), "erase": rng.random() < 0.3}]
        case _:
            return setting.default


def some(model: type[Settings], rng: random.Random, share: float) -> dict[str, Any]:
    """A share of a group's settings, each at something."""
    return {name: value(setting, rng) for name, setting in settings_of(model) if rng.random() < share}


def extreme(seed: int) -> dict[str, Any]:
    """The rig of a seed, as JSON."""
    rng = random.Random(seed)
    share = rng.choice((0.2, 0.5, 1.0))
    lights = []
    for number in range(rng.choice((1, 1, 2, 4))):
        name = rng.choice(list(kinds()))
        kind = kinds()[name]
        mask = {
            "start": rng.choice(("everything", "nothing")),
            "parts": [part_of(rng, share) for _ in range(rng.choice((0, 0, 1, 3)))],
        }
        light = {"id": f"l{number}", "kind": name, "look_at": rng.choice(("original", "prepared", "below")), "mask": mask}
        for stage in ("source", "spread", "colour", "merge"):
            light[stage] = some(_group(kind, stage), rng, share)
        lights.append(light)
    rig: dict[str, Any] = {"lights": lights}
    if rng.random() < 0.4:
        rig["prepare"] = some(Prepare, rng, share)
        rig["house"] = some(HouseLight, rng, share)
    return rig


def part_of(rng: random.Random, share: float) -> dict[str, Any]:
    name = rng.choice(list(parts()))
    return {"part": name, **some(parts()[name], rng, share)}


def _group(kind: Any, stage: str) -> type[Settings]:
    result: type[Settings] = get_type_hints(LIGHT_MODELS[kind.name])[stage]
    return result


def attack(seeds: Sequence[int], slow: float = SLOW) -> Report:
    """Renders the rigs of some seeds, one after another."""
    lit, refused, faults = 0, 0, []
    for seed in seeds:
        result = extreme(seed)
        what = "+".join(light["kind"] for light in result["lights"])
        plate = plates()[seed % len(plates())]
        began = time.process_time()  # of this one thread's processor, whatever else runs
        try:
            pixels = render(plate, Rig.model_validate(result))
            lit += 1
            if not np.isfinite(pixels).all():
                faults.append(Fault(seed, what, "gave light that is no number"))
            elif pixels.min() < 0:
                faults.append(Fault(seed, what, f"gave negative light, {pixels.min()}"))
        except (AurelonError, ValidationError):
            refused += 1
        except BaseException as error:  # that is what is looked for
            faults.append(Fault(seed, what, f"raised {type(error).__name__}: {error}"))
        if time.process_time() - began > slow:
            faults.append(Fault(seed, what, f"took {time.process_time() - began:.1f} s"))
    return Report(lit, refused, tuple(faults))


def campaign(count: int, first: int = 0, workers: int = 2, slow: float = SLOW) -> Report:
    """So many rigs, in processes of their own."""
    batches = [range(at, min(at + BATCH, first + count)) for at in range(first, first + count, BATCH)]
    with ProcessPoolExecutor(workers, mp_context=get_context("spawn"), initializer=confine) as pool:
        report = list(pool.map(partial(attack, slow=slow), batches))
    return Report(
        sum(one.read for one in report), sum(one.refused for one in report), tuple(fault for one in report for fault in one.faults)
    )


def main() -> int:
    os.environ.setdefault("NUMBA_NUM_THREADS", "1")  # each worker has one, and there are as many workers as threads
    count, first = (int(number) for number in (*sys.argv[1:], *("20000", "0")[len(sys.argv) - 1 :]))
    began = time.monotonic()
    report = campaign(count, first)
    for fault in report.faults[:40]:
        print(f"seed {fault.seed}, {fault.name}: {fault.what}")
    took = time.monotonic() - began
    print(f"{count} rigs of extremes: {report.read} lit, {report.refused} refused, {len(report.faults)} faults, in {took:.0f} s")
    return 1 if report.faults else 0


if __name__ == "__main__":
    sys.exit(main())
