"""What the screen, the command line and the documentation need to know of every kind and setting.

Read off the models themselves, so that a setting is described in one place.
"""

from __future__ import annotations

from collections.abc import Collection
from functools import cache
from typing import Any

from aurelon.core.analysis.asked_for.sketch import SKETCH_BRUSH
from aurelon.core.analysis.measure import LIGHT_REACH
from aurelon.core.catalogue.entries import (
    Catalogue,
    ExportInfo,
    FormatInfo,
    GroupInfo,
    KindInfo,
    Limits,
    PartInfo,
    ReadInfo,
    TargetInfo,
)
from aurelon.core.codecs import Codec, Layered, codecs, found_codecs
from aurelon.core.codecs.shared.raster import Format
from aurelon.core.export import targets
from aurelon.core.export.reels import ReelExport
from aurelon.core.export.shared.target import ExportTarget
from aurelon.core.graph.show import STAGES
from aurelon.core.graph.viewing import Viewing
from aurelon.core.lights import found_kinds, kinds
from aurelon.core.lights.shared.kind import LOOKS
from aurelon.core.masks import found_parts, parts
from aurelon.core.masks.shared.part import Part
from aurelon.core.plates.blank import Blank
from aurelon.core.reels import kinds_of_reel
from aurelon.core.reels.shared.writing import ReelFormat
from aurelon.core.reels.writers import reel_writers
from aurelon.core.rig.copies import OFFSET
from aurelon.core.rig.distance import Distance, Standing
from aurelon.core.rig.finish import Finish
from aurelon.core.rig.light import LIGHT_MODELS, Behind
from aurelon.core.rig.model import HouseLight, Prepare
from aurelon.core.rig.names import NAME_LENGTH
from aurelon.core.settings.base import Settings, settings_of
from aurelon.core.settings.tracks import BETWEEN
from aurelon.core.settings.types.choice import Option
from aurelon.core.settings.types.crop import SMALLEST_CROP
from aurelon.core.settings.types.strokes import Stroke

STAGE_HELP = {
    "source": "What shines",
    "spread": "How the light travels",
    "colour": "Its hue",
    "mask": "Where the light may fall",
    "merge": "How it is blended with the picture",
}
DEPTHS = {"8": "8 bits", "10": "10 bits", "12": "12 bits", "16": "16 bits", "half": "Half float", "float": "Float"}
DEPTHS |= {
    "pq10": "10 bits, HDR (PQ)",
    "pq12": "12 bits, HDR (PQ)",
    "pq16": "16 bits, HDR (PQ)",
    "gain-map": "8 bits, HDR by gain map",
}


def group_of(name: str, label: str, help: str, model: type[Settings], without: Collection[str] = ()) -> GroupInfo:
    """The settings of a model that a person can change, without those named in `without`."""
    shown = [setting for key, setting in settings_of(model) if key not in without]
    return GroupInfo(name=name, label=label, help=help, settings=shown)


def _part(part: type[Part]) -> PartInfo:
    own = group_of(part.kind_name(), part.title, part.summary, part, Part.model_fields.keys())
    return PartInfo(
        name=part.kind_name(),
        title=part.title,
        summary=part.summary,
        group=own,
        brush=part.brush,
        instruction=part.instruction,
        shown_at_once=part.shown_at_once,
        picked=part.picked,
        offered=part.offered,
        takes_a_while=part.takes_a_while,
    )


@cache
def catalogue() -> list[KindInfo]:
    """Every kind with the settings of its stages and their defaults."""
    found = []
    for name, kind in kinds().items():
        light = LIGHT_MODELS[name].model_validate({"id": "x", "kind": name})
        groups = []
        for stage in STAGES:
            values: Settings = getattr(light, stage)
            group = group_of(stage, stage.capitalize(), STAGE_HELP[stage], type(values))
            # A kind has defaults of its own for the stages that all kinds share.
            settings = [s.model_copy(update={"default": values.model_dump()[s.name]}) for s in group.settings]
            groups.append(group.model_copy(update={"settings": settings}))
        look_at = [Option(value=value, text=text) for value, text in LOOKS.items()] if kind.reads else []
        about = {"title": kind.called, "summary": kind.summary, "words": kind.words, "icon": kind.icon}
        found.append(KindInfo(name=name, look_at=look_at, groups=groups, sketched=bool(kind.sought), **about))
    return found


def _export() -> ExportInfo:
    return ExportInfo(
        targets=[
            TargetInfo(
                name=target.name,
                title=target.title,
                note=target.note,
                formats=[_format(form) for form in target.formats()],
                group=group_of(target.name, target.title, "How it is written", target.options),
                first=_first_of(target),
            )
            for target in targets().values()
        ],
        reels=[_reel_format(form) for form, _ in reel_writers().values()],
        reels_group=group_of("reel", "Reel", "How the lit reel is written", ReelExport),
        first_reel=_first_reel(),
    )


def _first_of(target: ExportTarget[Any]) -> Settings:
    """The first format of a target, at its first depth, as it comes."""
    form = target.formats()[0]
    first: Settings = target.options.model_validate({"format": form.name, "depth": form.depths[0]})
    return first


def _first_reel() -> ReelExport:
    form, _ = next(iter(reel_writers().values()))
    return ReelExport(format=form.name, depth=form.depths[0])


def _reel_format(form: ReelFormat) -> FormatInfo:
    return FormatInfo(
        name=form.name,
        title=form.title,
        suffixes=[form.suffix],
        depths=[Option(value=depth, text=DEPTHS[depth]) for depth in form.depths],
        has_quality=form.has_quality,
        has_alpha=False,
        carries_rig=False,
        without_exif=[],
    )


def _format(form: Format) -> FormatInfo:
    return FormatInfo(
        name=form.name,
        title=form.title,
        suffixes=list(form.suffixes),
        depths=[Option(value=depth, text=DEPTHS.get(depth, depth)) for depth in form.depths],
        has_quality=form.has_quality,
        has_alpha=form.has_alpha,
        carries_rig=form.carries_rig,
        without_exif=list(form.without_exif),
    )


def _readable(codec: Codec) -> ReadInfo:
    return ReadInfo(title=codec.FORMAT.title, suffixes=list(codec.FORMAT.suffixes), layered=isinstance(codec, Layered))


@cache
def whole_catalogue() -> Catalogue:
    """All that the screen is built from."""
    left_out = [*found_kinds().refused, *found_parts().refused, *found_codecs().refused]
    return Catalogue(
        reads=[
            *[_readable(codec) for codec in codecs().values()],
            *[ReadInfo(title=kind.TITLE, suffixes=list(kind.SUFFIXES), layered=False) for kind in kinds_of_reel().values()],
        ],
        between=[Option(value=value, text=text) for value, text in BETWEEN.items()],
        kinds=catalogue(),
        plate=group_of("prepare", "Plate", "What is done to the picture before any light", Prepare),
        viewing=group_of("viewing", "View", "How the picture is looked at; it changes nothing of it", Viewing),
        house=group_of("house", "House light", "How much of the picture's own light stays on", HouseLight),
        finish=group_of("finish", "Finish", "How the lit picture is shown and written", Finish),
        distance=group_of("distance", "Distance", "How far things are, so that light lies in the air before them", Distance),
        standing=group_of("standing", "Distance", "How near the matte stands", Standing),
        behind=group_of("behind", "Behind", "What stands before the light", Behind),
        parts=[_part(part) for part in parts().values()],
        part_common=group_of("part", "Part", "How this part combines with the parts above it", Part, ("on",)),
        brush=group_of("brush", "Brush", "The brush that paints", Stroke, ("erase",)),
        sketch_brush=SKETCH_BRUSH,
        blank=group_of("blank", "Blank plate", "A backdrop of two colours, for a scene built of light alone", Blank),
        first_blank=Blank(),
        export=_export(),
        limits=Limits(name_length=NAME_LENGTH, smallest_crop=SMALLEST_CROP, copy_offset=OFFSET, light_reach=LIGHT_REACH),
        left_out=[refused.sentence for refused in left_out],
    )
