"""The performance table: `make bench`. Every figure is a ratio of two things clocked in turn in one run."""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from itertools import count
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numba import njit, prange

from aurelon.core import Plate, Renderer, Rig, parse_rig, read_plate
from aurelon.core.analysis.finder import propose
from aurelon.core.analysis.part_preparation import prepare_part
from aurelon.core.export.picture import PictureExport, export
from aurelon.core.finding.areas import areas_of, sky_of
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.grading import prepare
from aurelon.core.graph.renderer import BAND_PIXELS
from aurelon.core.graph.small_pictures import small_picture
from aurelon.core.imaging.blend.modes import MODE_NAMES
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.merging import merge
from aurelon.core.imaging.rgb_space import SRGB
from aurelon.core.lights import kinds
from aurelon.core.lights.shared.air import EVERYWHERE
from aurelon.core.masks.subject import Subject
from aurelon.core.rig.model import Prepare
from aurelon.core.rig.test_strip import SettingPath, stepped
from aurelon.core.settings import settings_of
from aurelon.core.settings.types.number import Number
from aurelon.core.space.found import found_distance
from aurelon.web.preview import PreviewRequest, frames
from aurelon.web.view import View
from tests.pictures import Floats, light, masked_rig, plate_of, rig_of, scene

SMALL = (1549, 1033)  # 1.6 MP
LARGE = (6000, 4000)  # 24 MP
KIND_BOUNDS = {"shafts": 8, "starburst": 16, "flare": 16}  # any other kind: 12
NON_SEPARABLE = ("hue", "saturation", "color", "luminosity")
ROOT = Path(__file__).resolve().parents[1]


@dataclass(frozen=True)
class Row:
    """One line of the table. `bound` is what the design allows; `least` says that more is better."""

    work: str
    ratio: float
    bound: float | None
    least: bool = False

    @property
    def kept(self) -> bool:
        return self.bound is None or (self.ratio >= self.bound if self.least else self.ratio <= self.bound)

    def __str__(self) -> str:
        sign = "" if self.bound is None else f"{'at least' if self.least else 'at most'} {self.bound:g}"
        return f"{self.work:<66} {self.ratio:>8.2f}   {sign:<14} {'' if self.kept else 'MISSED'}"


def clocked(work: Callable[[], Any]) -> float:
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def ratio(work: Callable[[], Any], to: Callable[[], Any], rounds: int = 7) -> float:
    """The median of `work` against `to`, clocked in turn, so that a slow spell of the machine touches both.

    One round goes before that is not counted.
    """
    work()
    to()
    return statistics.median(clocked(work) / clocked(to) for _ in range(rounds))


def copying(like: Floats) -> Callable[[], None]:
    """Copies `like` once."""
    target = np.empty_like(like)

    def copy() -> None:
        np.copyto(target, like)

    return copy


class Table:
    """Collects rows and prints each as it comes."""

    def __init__(self) -> None:
        self.rows: list[Row] = []

    def against_copy(self, name: str, work: Callable[[], Any], like: Floats, bound: float | None, rounds: int = 9) -> None:
        """Adds a row for `work`, against a copy of `like`."""
        self.add(Row(name, ratio(work, copying(like), rounds), bound))

    def add(self, row: Row) -> None:
        self.rows.append(row)
        print(row, flush=True)


@njit(parallel=True, cache=True, fastmath=True)
def radial_march(picture: Floats, openness: Floats, x: float, y: float, out: Floats) -> None:
    """The sampled relative of shafts: 64 samples toward (x, y) a pixel, each weaker than the last."""
    height, width, _ = picture.shape
    for row in prange(height):
        for column in range(width):
            step_x, step_y = (x - column) / 64, (y - row) / 64
            red = green = blue = np.float32(0)
            weight = np.float32(1 / 64)
            for k in range(64):
                px = min(max(int(column + k * step_x), 0), width - 1)
                py = min(max(int(row + k * step_y), 0), height - 1)
                w = openness[py, px] * weight
                red += w * picture[py, px, 0]
                green += w * picture[py, px, 1]
                blue += w * picture[py, px, 2]
                weight *= np.float32(0.97)
            out[row, column, 0], out[row, column, 1], out[row, column, 2] = red, green, blue


def fresh(plate: Plate, kept: int = 1 << 32) -> Renderer:
    """A renderer that has nothing from before."""
    return Renderer(plate, Cache(kept))


def light_up(plate: Plate, rig: Rig) -> Callable[[], Any]:
    """The whole work of a rig on a plate, with nothing kept from before: to the lit picture."""
    frame = Frame.whole(plate.size)
    return lambda: fresh(plate).part(rig, frame)


def bench_kinds(table: Table, plate: Plate) -> None:
    """Every kind at its defaults on 1.6 MP."""
    for name, kind in kinds().items():
        work = light_up(plate, rig_of(light(name, **(kind.seen_by(plate) if not kind.reads else {}))))
        table.against_copy(f"{name} at its defaults, 1.6 MP", work, plate.pixels, KIND_BOUNDS.get(name, 12))
        for setting, info in settings_of(kind.spread_settings):
            if setting in LENGTHS and isinstance(info, Number):
                most = light_up(plate, rig_of(light(name, spread={setting: info.high})))
                table.add(Row(f"  {setting} at its most to its default", ratio(most, work), 1.2))


LENGTHS = ("radius", "glow_radius", "size", "skirt", "reach", "streak_length")


def bench_bloom(table: Table) -> None:
    """Bloom on 24 MP whatever its radius, merged and all, beside OpenCV's Gaussian at the same sigma."""
    plate = plate_of(scene(*LARGE))
    frame = Frame.whole(plate.size)

    def lit(radius: float) -> Callable[[], Any]:
        rig = rig_of(light("bloom", spread={"radius": radius}))
        return lambda: [None for _ in Renderer(plate).bands(rig, frame)]

    table.against_copy("bloom on 24 MP, radius 5 %", lit(0.05), plate.pixels, 4, rounds=3)
    table.add(Row("  radius 10 % to radius 0.5 %", ratio(lit(0.1), lit(0.005), 3), 1.2))
    small = np.ascontiguousarray(plate.pixels[:1033, :1549])
    sigma = 0.01 * float(np.hypot(1549, 1033))
    name = "  OpenCV's Gaussian at sigma 1 % on 1.6 MP"
    table.against_copy(name, lambda: cv2.GaussianBlur(small, (0, 0), sigma), small, None, rounds=3)
    ours = light_up(plate_of(small), rig_of(light("bloom", spread={"radius": 0.01})))
    table.against_copy("  bloom at radius 1 % on 1.6 MP", ours, small, 12)


def bench_shafts(table: Table, plate: Plate) -> None:
    openness = np.ascontiguousarray(plate.pixels[:, :, 1])
    out = np.empty_like(plate.pixels)
    for where, position in (("in the frame", (0.5, 0.3)), ("off the frame", (0.4, -0.8))):
        rig = rig_of(light("shafts", spread={"position": position}))
        ours = light_up(plate, rig)
        table.against_copy(f"shafts, source {where}, 1.6 MP", ours, plate.pixels, 8)
        x, y = position[0] * plate.size[0], position[1] * plate.size[1]
        march = partial(radial_march, plate.pixels, openness, x, y, out)
        table.add(Row(f"  a 64-sample radial march, source {where}, to ours", ratio(march, ours), 8, least=True))
    wide, narrow = (light_up(plate, rig_of(light("shafts", spread={"reach": reach}))) for reach in (2.0, 0.02))
    table.add(Row("  reach 200 % to reach 2 %", ratio(wide, narrow), 1.2))


def bench_modes(table: Table) -> None:
    """A whole 24 MP picture merged, in bands as a rendering takes it."""
    rng = np.random.default_rng(1)
    below, lit = (rng.random((LARGE[1], LARGE[0], 3), np.float32) for _ in range(2))
    weights = np.array([0.2126, 0.7152, 0.0722], np.float32)
    high = BAND_PIXELS // LARGE[0]

    def merged(mode: str) -> None:
        for y in range(0, LARGE[1], high):
            b, l = below[y : y + high], lit[y : y + high]
            merge(b, l, None, weights, mode=mode, intensity=1, opacity=0.9, keep_darks=0)

    for mode in MODE_NAMES:
        table.against_copy(f"blend mode {mode}, 24 MP", partial(merged, mode), below, 4 if mode in NON_SEPARABLE else 2, rounds=5)


def bench_drag(table: Table, like: Floats) -> None:
    """The whole way of a drag on the server: request as text in, encoded frames out, one setting stepped."""
    data = (ROOT / "demo/plates/headland.jpg").read_bytes()
    plate = read_plate(data, "headland.jpg")
    rig = parse_rig((ROOT / "demo/rigs/headland.json").read_bytes()).model_dump()
    rig["lights"] = rig["lights"][:1]
    opened = fresh(plate, 640 << 20)
    scale = min(944 * 0.8 / plate.size[0], 664 * 0.8 / plate.size[1])
    view = View(
        width=round(plate.size[0] * scale),
        height=round(plate.size[1] * scale),
        x0=0,
        y0=0,
        x1=round(plate.size[0] * scale),
        y1=round(plate.size[1] * scale),
    )
    steps = iter(range(10_000))
    for name, stage, setting, per in (
        ("position", "spread", "position", 0.0005),
        ("intensity", "merge", "intensity", 0.001),
        ("threshold", "source", "threshold", 0.0001),
    ):

        def work(stage: str = stage, setting: str = setting, per: float = per) -> None:
            chosen = rig["lights"][0]
            k = next(steps)
            chosen[stage][setting] = [0.606 + k * per, 0.39] if setting == "position" else 0.5 + k * per
            request = PreviewRequest.model_validate_json(
                json.dumps(
                    {"seq": k, "rig": rig, "view": view.model_dump(), "draft": True, "light": chosen["id"], "stage_width": 150}
                )
            )
            assert request.rig is not None
            next(frames(opened, request, request.rig, lambda: False))

        table.against_copy(f"drag of {name}, request to encoded frame, 1280 x 800", work, like, 8, rounds=25)


def bench_lamps(table: Table, plate: Plate) -> None:
    """One more lamp on a surface that is known, without and with cast shadows."""
    steps = iter(range(1, 100_000))
    for shadows, bound in ((0.0, 3), (0.8, 12)):
        # Small enough to be full, as it is after a minute at the bench: what is dropped makes room for the next.
        opened = fresh(plate, 160 << 20)

        def shine(opened: Renderer = opened, shadows: float = shadows) -> None:
            place = [0.3 + next(steps) * 1e-5, 0.4]
            rig = rig_of(light("lamp", spread={"position": place, "shadows": shadows}))
            opened.part(rig, Frame.whole(plate.size))

        of = "with cast shadows" if shadows else "surface known"
        table.against_copy(f"a lamp on 1.6 MP, {of}", shine, plate.pixels, bound, rounds=15)


def bench_masks(table: Table, like: Floats) -> None:
    """A dab on a 24 MP plate, over many strokes and at 1:1; many strokes at full size; a cut-out."""
    opened = fresh(plate_of(scene(*LARGE)), 640 << 20)
    rng = np.random.default_rng(3)

    def strokes(count: int) -> list[dict[str, Any]]:
        return [
            {
                "size": 0.015,
                "hardness": 0.3,
                "flow": 0.25,
                "points": [
                    v for p in np.clip(rng.random(2) + np.linspace(0, 0.25, 12)[:, None], 0, 1) for v in (*map(float, p), 1.0)
                ],
            }
            for _ in range(count)
        ]

    fitted = View(width=797, height=531, x0=0, y0=0, x1=797, y1=531)
    near = View(width=LARGE[0], height=LARGE[1], x0=2000, y0=1500, x1=2944, y1=2164)
    for there, view, how in ((1, fitted, "fitted"), (500, fitted, "fitted"), (500, near, "at 1:1")):
        rig = masked_rig({"part": "strokes", "strokes": strokes(there)})
        first = PreviewRequest(seq=0, rig=rig, view=view, draft=True, light="under-test")
        list(frames(opened, first, rig, lambda: False))
        path = strokes(1)[0]
        steps = iter(range(10_000))

        def dab(rig: Rig = rig, path: dict[str, Any] = path, steps: Iterator[int] = steps, view: View = view) -> None:
            points = [*path["points"][:-3], *(float(v) for v in rng.random(2)), 1.0 - next(steps) * 1e-5]
            request = PreviewRequest.model_validate_json(
                json.dumps(
                    {
                        "seq": 1,
                        "rig": None,
                        "view": view.model_dump(),
                        "draft": True,
                        "light": "under-test",
                        "painting": {"owner": {"of": "light", "id": "under-test"}, "part": 0, "stroke": {**path, "points": points}},
                    }
                )
            )
            next(frames(opened, request, rig, lambda: False))

        table.against_copy(f"a dab over {there} strokes on 24 MP, {how}, to encoded frame", dab, like, 16, rounds=25)
    large = np.empty((LARGE[1], LARGE[0], 3), np.float32)
    blank = Plate(large, SRGB, key="blank")
    many = masked_rig({"part": "strokes", "strokes": strokes(500)})

    def lay() -> None:
        with fresh(blank, 1 << 20).working(many) as now:
            mask = now.graph.lights[0].mask
            assert mask is not None
            now.work.at(mask, Frame.whole(LARGE))

    large[:] = 0.5
    table.against_copy("500 strokes at 24 MP", lay, large, 30, rounds=3)
    headland = read_plate((ROOT / "demo/plates/headland.jpg").read_bytes(), "headland.jpg")
    small = plate_of(headland.at(Frame.whole(SMALL)))
    subject = Subject.model_validate({"box": [0.42, 0.15, 0.62, 0.55]})
    started = time.perf_counter()
    prepare_part(fresh(small, 1 << 28), subject, progress=lambda share: None, cancelled=lambda: False)
    table.add(Row("subject cut out of 1.6 MP, seconds", time.perf_counter() - started, 3))


def bench_lamp_drag(table: Table, like: Floats) -> None:
    """A lamp dragged over a plate that has two already."""
    plate = read_plate((ROOT / "demo/plates/brasslens.jpg").read_bytes(), "brasslens.jpg")
    opened = fresh(plate, 640 << 20)
    view = View(width=755, height=503, x0=0, y0=0, x1=755, y1=503)
    steps = iter(range(10_000))

    def work() -> None:
        places = [[0.2, 0.2], [0.8, 0.3], [0.4 + next(steps) * 0.0005, 0.5]]
        lamps = [{**light("lamp", spread={"position": place}), "id": f"lamp-{n}"} for n, place in enumerate(places)]
        request = PreviewRequest.model_validate_json(
            json.dumps({"seq": 1, "rig": {"lights": lamps}, "view": view.model_dump(), "draft": True, "light": "lamp-2"})
        )
        assert request.rig is not None
        next(frames(opened, request, request.rig, lambda: False))

    table.against_copy("drag of a lamp over two others, request to encoded frame", work, like, 8, rounds=25)


def bench_strip(table: Table, plate: Plate) -> None:
    """Seven small pictures with one setting stepped, as the service answers them, nothing kept from before."""
    rig = rig_of(light("bloom"))
    steps = iter(range(1, 10_000))

    def work() -> None:
        opened = fresh(plate, 640 << 20)
        below = rig.model_copy(update={"prepare": rig.prepare.model_copy(update={"exposure": next(steps) * 1e-4})})
        for variant in stepped(below, "under-test", [SettingPath("spread", "radius")]).variants:
            small_picture(opened, variant.rig)

    table.against_copy("test strip of seven on radius at 320 px, 1.6 MP plate", work, plate.pixels, 40, rounds=5)


EXPORT_ALONE = """
import sys, time
from pathlib import Path
from aurelon.core import parse_rig, read_plate
from aurelon.core.export.picture import PictureExport, export
rig = parse_rig(Path(sys.argv[2]).read_bytes())
begun = time.perf_counter()
export(read_plate(Path(sys.argv[1]).read_bytes(), "large.jpg"), rig, PictureExport(format="jpeg", depth="8"))
print(time.perf_counter() - begun)
print(next(line.split()[1] for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmHWM")))
"""


def bench_export(table: Table) -> None:
    """24 MP JPEG in, light, JPEG out; and the most memory that a process of its own took for it."""
    pixels = scene(*LARGE)
    blank = plate_of(pixels)
    data = export(blank, Rig(), PictureExport(format="jpeg", depth="8"))
    for lights, gigabytes in ((1, 1.5), (5, 1.5)):
        names = [list(kinds())[i % len(kinds())] if lights > 1 else "shafts" for i in range(lights)]
        rig = rig_of(*({**light(name), "id": f"light-{i}"} for i, name in enumerate(names)))

        def work(rig: Rig = rig) -> None:
            export(read_plate(data, "large.jpg"), rig, PictureExport(format="jpeg", depth="8"))

        of = "one light" if lights == 1 else f"{lights} lights"
        table.against_copy(f"export of a 24 MP JPEG with {of}, decode to encode", work, pixels, 40, rounds=2)
        table.add(Row(f"  peak memory with {of}, GB", exported_alone(data, rig)[1], gigabytes))


def exported_alone(data: bytes, rig: Rig) -> tuple[float, float]:
    """Seconds of an export in a process of its own, and the most memory that it took, in GB."""
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "large.jpg").write_bytes(data)
        (Path(folder) / "rig.json").write_text(rig.model_dump_json())
        command = [sys.executable, "-c", EXPORT_ALONE, f"{folder}/large.jpg", f"{folder}/rig.json"]
        seconds, peak = subprocess.run(command, capture_output=True, text=True, check=True).stdout.split()
    return float(seconds), int(peak) / 1e6


def bench_large(table: Table) -> None:
    """Preparation, and the headland with its preparation, matte and three lights on plates of three sizes."""
    pixels = scene(*LARGE)
    settings = Prepare(exposure=-0.35, contrast=0.08, saturation=0.05, temperature=0.2)
    table.against_copy("preparation of 24 MP", lambda: prepare(pixels, settings, SRGB), pixels, 3)
    rig = parse_rig((ROOT / "demo/rigs/headland.json").read_bytes())
    small = cv2.imread(str(ROOT / "demo/plates/headland.jpg"))
    assert small is not None
    taken = {}
    for megapixels, width, height in ((18, 5196, 3464), (24, *LARGE), (96, 12000, 8000)):
        grown = cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC)
        taken[megapixels] = exported_alone(cv2.imencode(".jpg", grown)[1].tobytes(), rig)
    table.add(Row("the headland at 96 MP to that at 18 MP", taken[96][0] / taken[18][0], 8))
    table.add(Row("  peak memory at 96 MP, GB", taken[96][1], 4))
    table.add(Row("  peak memory at 24 MP, GB", taken[24][1], 1.2))


def bench_many(table: Table, plate: Plate) -> None:
    """A rig of 64 lights, nothing changed, asked again: the time of a light beside that in a rig of 8."""
    frame = Frame(797, 531, 0, 0, 797, 531)

    def again(count: int) -> Callable[[], Any]:
        lights = [{**light("shafts", look_at="below"), "id": f"light-{k}"} for k in range(count)]
        rig, opened = rig_of(*lights), fresh(plate)
        opened.part(rig, frame)
        return lambda: opened.part(rig, frame)

    table.add(Row("64 lights, nothing changed, to 8, a light", ratio(again(64), again(8), 9) / 8, 2))


FIRST_PICTURE = 25  # copies of a plate that its first lit picture may cost, which is about 1.5 s on two cores


def bench_areas(table: Table) -> None:
    """What is found in a plate of 24 MP when it is opened: its areas, and where its light may come from."""
    pixels = scene(*LARGE)

    def find() -> None:
        # Only what is found is new; the pixels are the same.
        plate = Plate(pixels, SRGB, key="large")
        areas_of(plate)
        propose(Renderer(plate), Rig())

    table.against_copy("areas and finder, 24 MP", find, pixels, FIRST_PICTURE, rounds=3)


def bench_distance(table: Table, like: Floats) -> None:
    """How far everything in a plate of 24 MP is, once its sky is known; and a light dragged in the air before it."""
    plate = Plate(scene(*LARGE), SRGB, key="large")
    sky_of(plate)

    def find() -> None:
        found_distance(plate, next(horizons))

    horizons = (0.4 + 1e-4 * step for step in count())
    table.against_copy("distance of 24 MP, found", find, like, 30, rounds=5)
    frame = Frame.whole((755, 503))
    for name, air in (("all over", EVERYWHERE), ("in thin air", 0.3)):
        opened, places = fresh(plate), (0.4 + 1e-3 * step for step in count())

        def drag(air: float = air, opened: Renderer = opened, places: Iterator[float] = places) -> None:
            opened.part(rig_of(light("fan", spread={"position": [next(places), -0.1], "air": air})), frame, draft=True)

        table.against_copy(f"draft of a fan {name}, 24 MP", drag, like, 8, rounds=15)


def settle(plate: Plate) -> None:
    """Every kind once, so that the process holds the memory it works in, as a service does after its first minute."""
    for name in kinds():
        light_up(plate, rig_of(light(name)))()


def main() -> int:
    table = Table()
    print(f"{'work':<66} {'ratio':>8}   bound")
    plate = plate_of(scene(*SMALL))
    settle(plate)
    bench_shafts(table, plate)
    bench_kinds(table, plate)
    bench_bloom(table)
    bench_modes(table)
    bench_drag(table, plate.pixels)
    bench_lamps(table, plate)
    bench_lamp_drag(table, plate.pixels)
    bench_masks(table, plate.pixels)
    bench_strip(table, plate)
    bench_many(table, plate)
    bench_areas(table)
    bench_distance(table, plate.pixels)
    bench_export(table)
    bench_large(table)
    missed = sum(not row.kept for row in table.rows)
    print(f"{len(table.rows)} rows, {missed} missed")
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main())
