"""Passing on deck: a reel of two shots. In the first somebody walks along the rail, and somebody else passes close by, before
them and before the low sun; in the second they stand in a lit doorway, and are passed again.

`python -m demo.reels.passing` renders it, and beside it what is true of every frame: the mattes of both, as far as they are
seen, where the sun stands and whether it is hidden, and where the cut is.
"""

from __future__ import annotations

import json

import numpy as np

from demo.reels.deck import DARK, OCHRE, RATE, SIZE, Camera, Walker, place_of, sun_direction
from demo.reels.files import HERE, as_codes, exposed, write_film, write_grey_film

CUT, FRAMES = 48, 72  # the second shot begins at CUT
LITTLE = 0.6  # of the sun's place that somebody covers, from which on it is no longer seen


def camera_at(number: int) -> Camera:
    seconds = number / RATE
    if number < CUT:
        turn = np.deg2rad(-6.5 + 2.5 * seconds)
        return Camera(0.0, 1.62, 0.0, float(turn), float(np.deg2rad(0.4) * np.sin(1.9 * seconds)), 50.0)
    return Camera(2.0, 1.50, 0.6, float(np.deg2rad(2.0)), float(np.deg2rad(0.4) * np.sin(1.9 * seconds)), 44.0)


def people_at(number: int) -> tuple[Walker, Walker]:
    """The one who is followed, and the one who passes."""
    seconds = number / RATE
    if number < CUT:
        first = Walker(-1.55 + 0.9 * seconds, 4.5, 1.0, 6.0 * seconds, 0.9, 6.0, 1.0, DARK)
        return first, Walker(0.85 - 1.0 * seconds, 1.9, -1.0, 6.0 * seconds, -1.0, 6.0, 1.07, OCHRE)
    since = (number - CUT) / RATE
    first = Walker(2.2 + 0.02 * np.sin(2.0 * since), 5.0, -1.0, 0.5, 0.0, 0.0, 1.0, DARK)
    return first, Walker(0.9 + 2.2 * since, 3.0, 1.0, 9.0 * since, 2.2, 9.0, 1.07, OCHRE)


def main() -> None:
    scenes = [(camera_at(number), people_at(number)) for number in range(FRAMES)]
    frames = list(exposed(scenes))
    write_film(HERE / "passing.webm", [one.picture for one in frames])
    for n, name in enumerate(("mattes", "passer")):
        write_grey_film(HERE / f"passing-{name}.mkv", [as_codes(one.mattes[:, :, n]) for one in frames])
    suns, hidden = [], []
    for number in range(CUT):
        x, y = place_of(camera_at(number), sun_direction())
        suns.append([round(x, 5), round(y, 5)])
        covered = frames[number].mattes.sum(2)[round(y * SIZE[1] - 0.5), round(x * SIZE[0] - 0.5)]
        if covered > LITTLE:
            hidden.append(number)
    (HERE / "passing.json").write_text(json.dumps({"cut": CUT, "sun": suns, "hidden": hidden}) + "\n")


if __name__ == "__main__":
    main()
