"""The entries of the catalogue, as the screen and the command line get them."""

from __future__ import annotations

from functools import reduce
from operator import or_
from typing import Annotated, Any

from pydantic import BaseModel, Field

from aurelon.core.export import AnyExport
from aurelon.core.export.reels import ReelExport
from aurelon.core.plates.blank import Blank
from aurelon.core.rig.finish import DisplayView
from aurelon.core.settings.types import setting_types
from aurelon.core.settings.types.choice import Option

# Read by Pydantic, not by the type checker, which cannot follow a union made at run time.
AnySetting: Any = Annotated[reduce(or_, setting_types().values()), Field(discriminator="type")]


class GroupInfo(BaseModel):
    """The settings of a stage, or of the plate or the house light."""

    name: str
    label: str
    help: str
    settings: list[AnySetting]


class KindInfo(BaseModel):
    """A kind of light and the groups of its five stages, in order. `look_at` has the pictures that it can read, `words` what it is
    found by beside its title and summary, `icon` the path of a line drawing 16 units wide and high; light of a kind that is
    `sketched` can be asked for by a sketch."""

    name: str
    title: str
    summary: str
    words: str
    icon: str
    look_at: list[Option]
    groups: list[GroupInfo]
    sketched: bool


class PartInfo(BaseModel):
    """A part that masks are made of. `group` is its own settings; `brush` is a new brush for parts that strokes are
    drawn for; `instruction` says what to do with a new one, which is tinted over the picture if it is `shown_at_once`;
    `picked` is the setting that a click on the picture sets; one that `takes_a_while` is prepared with progress."""

    name: str
    title: str
    summary: str
    group: GroupInfo
    brush: dict[str, float] | None
    instruction: str
    shown_at_once: bool
    picked: str | None
    offered: bool
    takes_a_while: bool


class ReadInfo(BaseModel):
    """A file format that can be read; `layered` says whether its files may hold several pictures."""

    title: str
    suffixes: list[str]
    layered: bool


class FormatInfo(BaseModel):
    """A file format that can be written; `without_exif` are the depths at which it does not carry what the camera noted."""

    name: str
    title: str
    suffixes: list[str]
    depths: list[Option]
    has_quality: bool
    has_alpha: bool
    carries_rig: bool
    without_exif: list[str]


class TargetInfo(BaseModel):
    """Something that can be exported: its name, title and note on the screen, the formats that it is written in, its settings, and
    the export that is proposed first."""

    name: str
    title: str
    note: str
    formats: list[FormatInfo]
    group: GroupInfo
    first: AnyExport


class ExportInfo(BaseModel):
    """What can be exported, the usual target first, and what reels can be written as."""

    targets: list[TargetInfo]
    reels: list[FormatInfo]
    reels_group: GroupInfo
    first_reel: ReelExport


class Limits(BaseModel):
    """Rules with a number in them: characters of a name, the smallest crop as a share of the plate, the offset of
    copies (plate fractions), the strongest light of a light's histogram."""

    name_length: int
    smallest_crop: float
    copy_offset: tuple[float, float]
    light_reach: float


class ViewInfo(BaseModel):
    """A view of a display, and what the screen calls it."""

    text: str
    view: DisplayView


class ColoursInfo(BaseModel):
    """The chosen colour configuration: the colour spaces that a file can be said to be in, and the views, by display."""

    title: str
    input_label: str
    input_help: str
    input_spaces: list[Option]
    view_label: str
    view_help: str
    no_view: str
    views: list[ViewInfo]


class Catalogue(BaseModel):
    """Everything the screen is built from. `reads` is what can be brought in, `between` the ways from one key to the next,
    `sketch_brush` a new brush for sketches of light, `left_out` names extensions that could not be used."""

    reads: list[ReadInfo]
    between: list[Option]
    kinds: list[KindInfo]
    plate: GroupInfo
    viewing: GroupInfo
    house: GroupInfo
    distance: GroupInfo
    finish: GroupInfo
    colours: ColoursInfo | None = None
    standing: GroupInfo
    behind: GroupInfo
    parts: list[PartInfo]
    part_common: GroupInfo
    brush: GroupInfo
    sketch_brush: dict[str, float]
    blank: GroupInfo
    first_blank: Blank
    export: ExportInfo
    limits: Limits
    left_out: list[str]
