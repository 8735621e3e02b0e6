"""Plates and rigs in folders, and the command line over them."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np

from tests.copied import run_command
from tests.pictures import light, rig_of, scene
from tests.web.service import png

RIG = rig_of(light("shafts", spread={"position": [0.3, 0.3]}), light("bloom", id="glow"))
AURELON = (sys.executable, "-m", "aurelon")


class RunTest(unittest.TestCase):
    """A folder with a rig and small plates in `plates`."""

    count = 4

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.rig = self.folder / "rig.json"
        self.rig.write_text(RIG.model_dump_json())
        self.plates = self.folder / "plates"
        self.plates.mkdir()
        for number in range(self.count):
            (self.plates / f"shore {number}.png").write_bytes(self.plate(number))

    @staticmethod
    def plate(number: int) -> bytes:
        return png(np.roll(scene(240, 160), 7 * number, axis=1))

    def command(self, *more: str | Path, out: str = "out/{name}.png") -> list[str]:
        return [*AURELON, "run", *map(str, more), "--rig", str(self.rig), "-o", str(self.folder / out)]

    def run_it(self, *more: str | Path, out: str = "out/{name}.png") -> subprocess.CompletedProcess[str]:
        return subprocess.run(self.command(*more, out=out), capture_output=True, text=True, timeout=300, cwd=self.folder)

    def rendered(self, plate: Path, suffix: str = ".png", *more: str) -> bytes:
        """The picture as `aurelon render` makes it."""
        out = self.folder / f"alone{suffix}"
        run_command("render", plate, "--rig", self.rig, "-o", out, *more).check_returncode()
        return out.read_bytes()

    def outs(self, folder: str = "out") -> dict[str, bytes]:
        return {path.name: path.read_bytes() for path in sorted((self.folder / folder).iterdir()) if path.name[0] != "."}
