"""How well places are followed on clips whose motion is known: `python -m tests.followed` prints the table of docs/reels.md.

Each clip is a photograph that a general package ships, seen by a camera that pans, nears, turns or tilts, with cover, blur, noise,
repeated texture or changing light put in. A place counts as seen where all of its patch is, and as lost where none of it is.
"""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from aurelon.core import open_reel
from aurelon.core.analysis.follow import follow_all
from tests.reels import write_video

WIDE, TALL = 640, 400
COUNT = 48
BEGIN = 8
PATCH = 17  # pixels about a place that are followed: all of them free is seen, none is lost
Picture = NDArray[np.uint8]
Motion = NDArray[np.float64]  # (3, 3), from the photograph to a frame


@dataclass(frozen=True)
class Clip:
    """Frames, the motion of each, and where each frame is covered (h, w); None where nothing is."""

    pictures: list[Picture]
    motions: list[Motion]
    covered: list[NDArray[np.bool_] | None]
    places: list[tuple[float, float]]  # in pixels of the frame `BEGIN`


@dataclass(frozen=True)
class Score:
    """`error` is the median of frames that are seen and called so, in pixels, `most` that of the worst twentieth; `seen` and
    `lost` are the shares that are rightly called so, over `frames` of each."""

    error: float
    most: float
    seen: float
    lost: float
    frames: tuple[int, int]


def about(turn: float = 0.0, grow: float = 1.0, across: float = 0.0, down: float = 0.0, tilt: float = 0.0) -> Motion:
    """A camera that looks at the middle of a photograph (960, 640), turned by degrees, nearer, aside by pixels, and tilted."""
    motion = np.vstack([cv2.getRotationMatrix2D((480.0, 320.0), turn, grow), [0, 0, 1]])
    motion = np.array([[1, 0, across - 160], [0, 1, down - 120], [0, 0, 1]]) @ motion
    return np.array([[1, 0, 0], [0, 1, 0], [tilt * 1e-4, 0, 1 - tilt * 1e-4 * 320]]) @ motion


def photograph(name: str) -> Picture:
    if name == "rivets":
        ground = np.full((640, 960, 3), 120, np.uint8)
        for y in range(40, 640, 64):
            for x in range(40, 960, 64):
                cv2.circle(ground, (x, y), 13, (200, 190, 170), -1, cv2.LINE_AA)
                cv2.circle(ground, (x - 4, y - 4), 4, (60, 60, 60), -1, cv2.LINE_AA)
        return ground
    return np.asarray(cv2.resize(np.ascontiguousarray(getattr(data, name)()[:, :, :3]), (960, 640)), np.uint8)


def seen_by(picture: Picture, motion: Motion, blur: float = 0.0) -> Picture:
    """A frame; `blur` is the length of a shutter's drag across, in pixels."""
    frame = cv2.warpPerspective(picture, motion, (WIDE, TALL), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    if blur >= 1:
        frame = cv2.blur(frame, (int(blur) | 1, 1))
    return np.asarray(frame, np.uint8)


def clip(
    of: str,
    way: Callable[[float], Motion],
    *,
    blur: float = 0.0,
    noise: float = 0.0,
    light: Callable[[int], float] = lambda number: 1.0,
    cover: Callable[[int], tuple[int, int] | None] = lambda number: None,
) -> Clip:
    picture, rng = photograph(of), np.random.default_rng(5)
    motions = [way(float(number)) for number in range(COUNT)]
    pictures: list[Picture] = []
    covered: list[NDArray[np.bool_] | None] = []
    other = cv2.GaussianBlur(np.random.default_rng(8).integers(0, 255, (TALL, WIDE, 3), np.uint8), (0, 0), 3)
    other = np.clip((other.astype(np.float32) - 128) * 4 + 128, 20, 235).astype(np.uint8)
    for number, motion in enumerate(motions):
        exact = seen_by(picture, motion, blur).astype(np.float32) * light(number) + rng.normal(0, noise, (TALL, WIDE, 3))
        frame = np.clip(exact, 0, 255).round().astype(np.uint8)
        hidden = None
        if (span := cover(number)) is not None:
            hidden = np.zeros((TALL, WIDE), bool)
            hidden[:, max(span[0], 0) : max(span[1], 0)] = True
            frame[hidden] = other[hidden]
        pictures.append(frame)
        covered.append(hidden)
    grey = cv2.cvtColor(pictures[BEGIN], cv2.COLOR_RGB2GRAY)
    free = np.zeros((TALL, WIDE), np.uint8)
    free[90:-90, 130:-130] = 255
    corners = cv2.goodFeaturesToTrack(grey, 6, 0.05, 70, mask=free)
    return Clip(pictures, motions, covered, [(float(x), float(y)) for x, y in corners[:, 0]])


CLIPS: dict[str, Callable[[], Clip]] = {
    "pan": lambda: clip("coffee", lambda n: about(across=3.3 * (n - 8), down=0.7 * (n - 8))),
    "fast pan": lambda: clip("chelsea", lambda n: about(across=9.0 * (n - 8))),
    "zoom in": lambda: clip("coffee", lambda n: about(grow=1 + 0.02 * n)),
    "zoom out": lambda: clip("astronaut", lambda n: about(grow=1.9 - 0.02 * n)),
    "turn": lambda: clip("coffee", lambda n: about(turn=1.5 * (n - 8))),
    "turn and near": lambda: clip("astronaut", lambda n: about(turn=-1.2 * (n - 8), grow=1.1 + 0.012 * n, across=1.5 * n)),
    "tilt": lambda: clip("astronaut", lambda n: about(grow=1.2, tilt=0.4 * (n - 8))),
    "hand-held": lambda: clip(
        "chelsea", lambda n: about(turn=2 * np.sin(n / 3), across=8 * np.sin(n / 2.1), down=6 * np.cos(n / 2))
    ),
    "shutter drag": lambda: clip("coffee", lambda n: about(across=7.0 * (n - 8)), blur=7),
    "noise": lambda: clip("astronaut", lambda n: about(across=2.2 * (n - 8)), noise=14),
    "light goes down": lambda: clip("coffee", lambda n: about(across=1.5 * (n - 8)), light=lambda n: 1 - 0.014 * n),
    "a passer-by": lambda: clip(
        "astronaut", lambda n: about(across=1.2 * (n - 8), turn=0.3 * n), cover=lambda n: (-260 + 26 * (n - 8), -60 + 26 * (n - 8))
    ),
    "cover that stays": lambda: clip(
        "coffee", lambda n: about(across=0.8 * (n - 8)), cover=lambda n: (180, 420) if 18 <= n < 30 else None
    ),
    "rivets": lambda: clip("rivets", lambda n: about(across=5.0 * (n - 8), turn=0.2 * n)),
    "covered rivets": lambda: clip(
        "rivets", lambda n: about(across=5.0 * (n - 8)), cover=lambda n: (180, 420) if 18 <= n < 26 else None
    ),
}


def truth(of: Clip, place: tuple[float, float]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Where a place is at each frame, (n, 2) pixels, and the share of its patch that is seen there."""
    at = np.linalg.inv(of.motions[BEGIN]) @ [*place, 1.0]
    where, share = np.zeros((COUNT, 2)), np.zeros(COUNT)
    for number, motion in enumerate(of.motions):
        x, y, w = motion @ at
        where[number] = x / w, y / w
        column, row = np.round(where[number]).astype(int)
        near = slice(max(row - PATCH, 0), max(row + PATCH + 1, 0)), slice(max(column - PATCH, 0), max(column + PATCH + 1, 0))
        hidden = of.covered[number]
        free = np.ones((TALL, WIDE), bool) if hidden is None else ~hidden
        share[number] = free[near].sum() / (2 * PATCH + 1) ** 2
    return where, share


def measured(of: Clip) -> Score:
    """How well its places are followed. Frames at which a part of its patch is seen are left out."""
    with tempfile.TemporaryDirectory() as folder:
        reel = open_reel(write_video(Path(folder) / "clip.mkv", of.pictures))
        ways = follow_all(reel, BEGIN, [((x + 0.5) / WIDE, (y + 0.5) / TALL) for x, y in of.places])
        reel.close()
    errors, seen, lost = [], [], []
    for place, way in zip(of.places, ways, strict=True):
        where, share = truth(of, place)
        for one in way:
            if one.frame == BEGIN:
                continue
            off = float(np.hypot(one.place[0] * WIDE - 0.5 - where[one.frame][0], one.place[1] * TALL - 0.5 - where[one.frame][1]))
            if share[one.frame] == 1:
                seen.append(one.sure > 0)
                if one.sure > 0:
                    errors.append(off)
            elif share[one.frame] == 0:
                lost.append(one.sure == 0)
    return Score(
        float(np.median(errors)) if errors else float("nan"),
        float(np.percentile(errors, 95)) if errors else float("nan"),
        float(np.mean(seen)) if seen else float("nan"),
        float(np.mean(lost)) if lost else float("nan"),
        (len(seen), len(lost)),
    )


def main() -> None:
    print("| clip | error, median | 19 of 20 under | seen called seen | lost called lost | frames seen, lost |")
    print("|---|---|---|---|---|---|")
    for name, made in CLIPS.items():
        if sys.argv[1:] and not any(word in name for word in sys.argv[1:]):
            continue
        score = measured(made())
        lost = "" if np.isnan(score.lost) else f"{score.lost:.0%}"
        counts = f"{score.frames[0]}, {score.frames[1]}"
        print(f"| {name} | {score.error:.2f} px | {score.most:.2f} | {score.seen:.0%} | {lost} | {counts} |", flush=True)


if __name__ == "__main__":
    main()
