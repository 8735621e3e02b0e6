"""Ferry at dusk: a reel of 48 frames off Merrow Point. Somebody walks along the rail, before the low sun and a lit doorway,
while the camera pans and the ferry rolls.

`python -m demo.reels.ferry` renders it, and beside it what is true of every frame: the figure's matte, how far everything is, and
where the sun stands.
"""

from __future__ import annotations

import json

import numpy as np

from demo.reels.deck import DARK, RATE, Camera, Walker, place_of, sun_direction
from demo.reels.files import HERE, as_codes, exposed, write_film, write_grey_film

FRAMES = 48
DEPTH_SIZE = (480, 270)
VIEW = 52.0  # degrees across
FROM, TO = -1.55, 2.15  # the walk, along x
WALK_Z, PACE = 4.5, 9.0


def camera_at(number: int) -> Camera:
    share = number / (FRAMES - 1)
    turn = np.deg2rad(-5.0 + 9.0 * share * share * (3 - 2 * share))
    seconds = number / RATE
    lift, roll = 0.02 * np.sin(1.4 * seconds + 1), np.deg2rad(0.6) * np.sin(1.9 * seconds)
    return Camera(0.0, 1.62 + float(lift), 0.0, float(turn), float(roll), VIEW)


def walker_at(number: int) -> Walker:
    speed = (TO - FROM) / (FRAMES - 1) * RATE
    return Walker(FROM + speed * number / RATE, WALK_Z, 1.0, PACE * number / RATE, speed, PACE, 1.0, DARK)


def main() -> None:
    frames = list(exposed([(camera_at(number), [walker_at(number)]) for number in range(FRAMES)]))
    write_film(HERE / "ferry.webm", [one.picture for one in frames])
    write_grey_film(HERE / "ferry-mattes.mkv", [as_codes(one.mattes[:, :, 0]) for one in frames])
    halves = [one.nearness.reshape(DEPTH_SIZE[1], 2, DEPTH_SIZE[0], 2).mean((1, 3)) for one in frames]
    write_grey_film(HERE / "ferry-depth.mkv", [as_codes(half * np.float32(2.5)) for half in halves])
    suns = [[round(part, 5) for part in place_of(camera_at(number), sun_direction())] for number in range(FRAMES)]
    (HERE / "ferry.json").write_text(json.dumps({"sun": suns, "depth": "0.4 m over the distance"}) + "\n")


if __name__ == "__main__":
    main()
