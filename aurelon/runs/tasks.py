"""One picture of a run: what is to be made, told by content, so that it can be made anywhere and always comes out the same."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from functools import cache
from pathlib import Path
from typing import Any, Literal

import aurelon
from aurelon.core import AurelonError
from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.export import USUAL, targets
from aurelon.core.imaging.colour_config import chosen

Placing = Literal["rig", "found"]
PLACINGS: Mapping[Placing, str] = {"rig": "Where the rig has them", "found": "Found anew in each picture"}


@cache
def build() -> str:
    """Names this Aurelon: its version, a digest of its core, and the colour configuration. Only machines that have the same make
    the same pictures."""
    digest = hashlib.sha256()
    core = Path(aurelon.__file__).parent / "core"
    for path in sorted(core.rglob("*.py")):
        digest.update(path.read_bytes())
    config = chosen()
    digest.update(config.key.encode() if config else b"")
    return f"{aurelon.__version__}-{digest.hexdigest()[:12]}"


@dataclass(frozen=True)
class Task:
    """`plate`, `rig` and `files` are named by the SHA-256 of their content. `export` holds the options of an export; or the
    `suffix` of a file's name with the export `target` and what was `chosen` for it; or nothing, where only the rig is to be
    placed. `strip` is (number, of how many) where only a strip of the picture is wanted. Where the plate is a reel, `frames`
    says which are wanted: from the first up to, without, the second; a single picture is made of the first alone."""

    name: str
    plate: str
    rig: str
    files: tuple[str, ...] = ()
    placing: Placing = "rig"
    export: str = ""
    strip: tuple[int, int] | None = None
    frames: tuple[int, int] | None = None
    build: str = field(default_factory=build)

    @property
    def key(self) -> str:
        """The same for two tasks of which the same comes out."""
        described = {name: value for name, value in asdict(self).items() if name != "name"}
        return hashlib.sha256(json.dumps(described, sort_keys=True).encode()).hexdigest()

    @property
    def cuttable(self) -> bool:
        """Whether it can be made in strips: a picture of a single plate can."""
        if not self.export or self.frames is not None:
            return False
        target = targets().get(json.loads(self.export).get("target", USUAL))  # None for a whole reel
        return target is not None and target.strips

    @property
    def contents(self) -> tuple[str, ...]:
        """Everything that must be at hand to make it."""
        return (self.plate, self.rig, *self.files)


@dataclass(frozen=True)
class Strip:
    """The samples of a strip of a picture, and the options, as JSON, by which the whole is written."""

    raster: Raster
    options: str


@dataclass(frozen=True)
class Outcome:
    """What came out of a task: a file, or the samples of a strip, or only the rig as it was placed; and what there is to say."""

    data: bytes = b""
    suffix: str = ""
    media_type: str = ""
    rig: str = ""
    notes: tuple[str, ...] = ()
    strip: Strip | None = None
    seconds: float = 0.0


class OtherBuild(AurelonError):
    """The machine that was to make a picture has another Aurelon."""


class WorkerLost(AurelonError):
    """A worker ended before its picture was made."""


class EngineLost(AurelonError):
    """Nothing can be made any more: the cluster is gone."""


def path_export(suffix: str, chosen: Mapping[str, Any], *, target: str) -> str:
    """The export of a task that is written to a file with this ending."""
    return json.dumps({"suffix": suffix, "chosen": dict(chosen), "target": target}, sort_keys=True)
