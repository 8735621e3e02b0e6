"""How well mattes are carried on clips whose mattes are known: `python -m tests.carried` prints the table of docs/reels.md.

Each clip is a subject before a ground, drawn by the tests: it stands or moves, something passes behind or before it, the camera is
held by hand. Only the first frame is given, or the first and the last.
"""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core import open_reel
from aurelon.core.analysis.carried_matte import carried
from tests.pictures import texture
from tests.reels import box_iou, write_video

WIDE, TALL = 480, 320
COUNT = 30
SIGN = np.zeros((TALL, WIDE))
SIGN[100:200, 180:330] = 1
Cover = NDArray[np.float64]
Clip = list[tuple[NDArray[np.uint8], Cover]]  # frames, and what is seen of the subject in each


@dataclass(frozen=True)
class Score:
    """Overlap over union in the mean and at worst, and by how much the area is off at most where nothing passes before it."""

    mean: float
    worst: float
    area: float


@cache
def ground() -> NDArray[np.float64]:
    return texture(1, WIDE + 200, TALL, 5)


@cache
def skin(of: str) -> NDArray[np.float64]:
    return texture(2, 160, 160, 4)[:, :, ::-1] * [1.15, 0.9, 0.6] if of == "subject" else texture(7, 160, 260, 4) * [0.6, 0.9, 1.1]


def disc(x: float, y: float, radius: float) -> Cover:
    down, across = np.mgrid[0:TALL, 0:WIDE]
    return np.clip(radius + 0.5 - np.hypot(across - x, down - y), 0, 1)


def shifted(picture: NDArray[np.float64], x: float, y: float) -> NDArray[np.float64]:
    motion = np.array([[1, 0, x], [0, 1, y]], np.float64)
    how = {"flags": cv2.INTER_CUBIC, "borderMode": cv2.BORDER_REFLECT}
    return np.asarray(cv2.warpAffine(picture, motion, (WIDE, TALL), **how), np.float64)  # type: ignore[call-overload]


def put(onto: NDArray[np.float64], of: str, x: float, y: float, cover: Cover) -> NDArray[np.float64]:
    """A thing whose middle is at (x, y) laid on a picture."""
    tall, wide = skin(of).shape[:2]
    return np.asarray(onto * (1 - cover[..., None]) + shifted(skin(of), x - wide / 2, y - tall / 2) * cover[..., None])


def as_codes(picture: NDArray[np.float64]) -> NDArray[np.uint8]:
    return np.clip(picture, 0, 255).round().astype(np.uint8)


def passing(subject: Callable[[int], tuple[float, float]], by: Callable[[int], tuple[float, float]], *, before: bool) -> Clip:
    """A round subject and a round thing that passes, behind it or before it."""
    result = []
    for number in range(COUNT):
        here, other = subject(number), by(number)
        cover, hides = disc(*here, 54), disc(*other, 40)
        layers = [("subject", here, cover), ("passer-by", other, hides)]
        picture = shifted(ground(), 0, 0)
        for of, at, area in layers if before else layers[::-1]:
            picture = put(picture, of, *at, area)
        result.append((as_codes(picture), cover * (1 - hides) if before else cover))
    return result


def sign(passer: bool = False, shake: float = 0.0) -> Clip:
    """A plain sign before a ground, with grain."""
    rng = np.random.default_rng(1)
    result = []
    for number in range(COUNT):
        by = shake * np.sin(number / 2), shake * np.cos(number / 2)
        flat = ground()[:, :WIDE] * (1 - SIGN[..., None]) + np.array([180, 175, 160]) * SIGN[..., None]
        picture, cover = shifted(flat, *by) + rng.normal(0, 4, (TALL, WIDE, 3)), shifted(SIGN, *by)
        if passer:
            hides = disc(-60 + 20 * number, 150, 40)
            picture, cover = put(picture, "passer-by", -60 + 20 * number, 150, hides), cover * (1 - hides)
        result.append((as_codes(picture), cover))
    return result


def stands(number: int) -> tuple[float, float]:
    return 240.0, 160.0


def walks(number: int) -> tuple[float, float]:
    return 90 + 10.0 * number, 160 + 10 * float(np.sin(number / 3))


CLIPS: dict[str, tuple[Callable[[], Clip], Sequence[int]]] = {
    "a plain sign": (sign, (0,)),
    "a plain sign, camera by hand": (lambda: sign(shake=4.0), (0,)),
    "a plain sign, somebody passes before it": (lambda: sign(passer=True), (0,)),
    "a subject that stands, somebody passes behind": (lambda: passing(stands, lambda n: (-60 + 20.0 * n, 170), before=False), (0,)),
    "and before it": (lambda: passing(stands, lambda n: (-60 + 20.0 * n, 190), before=True), (0,)),
    "one that walks, somebody passes behind": (lambda: passing(walks, lambda n: (430 - 14.0 * n, 150), before=False), (0,)),
    "the same from both ends": (lambda: passing(walks, lambda n: (430 - 14.0 * n, 150), before=False), (0, COUNT - 1)),
    "one that walks, somebody passes before it": (lambda: passing(walks, lambda n: (430 - 14.0 * n, 170), before=True), (0,)),
    "the same, from both ends": (lambda: passing(walks, lambda n: (430 - 14.0 * n, 170), before=True), (0, COUNT - 1)),
}


def measured(clip: Clip, hints: Sequence[int]) -> Score:
    with tempfile.TemporaryDirectory() as folder:
        reel = open_reel(write_video(Path(folder) / "clip.mkv", [picture for picture, _ in clip]))
        known = {number: clip[number][1].astype(np.float32) for number in hints}
        mattes = [codes / 255 for codes in carried(reel, known)]
        reel.close()
    overlap = [box_iou(matte, true) for matte, (_, true) in zip(mattes, clip, strict=True)]
    whole = max(true.sum() for _, true in clip)
    free = [(matte.sum(), true.sum()) for matte, (_, true) in zip(mattes, clip, strict=True) if true.sum() > 0.995 * whole]
    return Score(float(np.mean(overlap)), min(overlap), max(abs(found / true - 1) for found, true in free))


def main() -> None:
    print("| clip | overlap, mean | worst | area off at most where nothing passes before it |")
    print("|---|---|---|---|")
    for name, (made, hints) in CLIPS.items():
        if sys.argv[1:] and not any(word in name for word in sys.argv[1:]):
            continue
        score = measured(made(), hints)
        print(f"| {name} | {score.mean:.3f} | {score.worst:.3f} | {score.area:.1%} |", flush=True)


if __name__ == "__main__":
    main()
