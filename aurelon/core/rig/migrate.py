"""Brings rigs of earlier versions up to date. Version 2 renamed settings; nothing that a rig does has changed."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

VERSION: Literal[2] = 2

# By kind and stage: what a setting of version 1 is called in version 2.
RENAMED: dict[tuple[str, str], dict[str, str]] = {
    ("starburst", "source"): {"most": "max_points", "apart": "min_spacing"},
    ("flare", "source"): {"most": "max_points", "apart": "min_spacing"},
    ("glints", "source"): {"on": "scatter"},
    ("glints", "spread"): {"turn": "rotation", "turn_spread": "rotation_spread"},
    ("lamp", "source"): {"picture": "file"},
    ("lamp", "spread"): {"inner": "inner_cone", "outer": "outer_cone"},
    ("picture", "source"): {"picture": "file"},
    ("picture", "spread"): {"turn": "rotation"},
}
# The stops of headroom that kinds had of their own.
HEADROOM = {"starburst": 7.0, "flare": 14.0}
MOST_INTENSE = 8.0
# Parts of masks: what a part is called now, and its settings.
PARTS: dict[str, tuple[str, dict[str, str]]] = {"picture": ("grey", {"picture": "file"})}


def up_to_date(data: Any) -> Any:
    """A rig as plain data in today's version; what is no rig at all is left for validation to refuse.

    Raises ValueError for a rig of a later version.
    """
    if not isinstance(data, dict):
        return data
    version = data.get("version", VERSION)
    if isinstance(version, int) and version > VERSION:
        raise ValueError(f"this rig is of version {version}, later than this Aurelon reads ({VERSION}); update Aurelon to use it")
    made = _from_1(data) if version == 1 else data
    return {**made, "lights": _each(made["lights"], _settled)} if "lights" in made else made


def _from_1(data: dict[str, Any]) -> dict[str, Any]:
    made = {**data, "version": 2}
    if "pictures" in made:
        made["files"] = made.pop("pictures")
    made["lights"] = _each(made.get("lights", []), _light)
    made["mattes"] = _each(made.get("mattes", []), _with_mask)
    made["house"] = _with_mask(made.get("house", {}))
    return made


def _each(items: Any, change: Callable[[Any], Any]) -> Any:
    return [change(item) for item in items] if isinstance(items, list | tuple) else items


def _light(light: Any) -> Any:
    if not isinstance(light, dict):
        return light
    made = dict(_with_mask(light))
    for stage in ("source", "spread"):
        names = RENAMED.get((str(light.get("kind")), stage))
        if names and isinstance(made.get(stage), dict):
            made[stage] = _renamed(made[stage], names)
    return made


def _settled(light: Any) -> Any:
    """What lights of version 2 said otherwise at first."""
    if not isinstance(light, dict):
        return light
    made = dict(light)
    colour = made.get("colour")
    if isinstance(colour, dict) and colour.get("origin") == "picked" and "strength" in colour:
        made["colour"] = colour = {"picked_strength": colour["strength"], **colour}
    if made.get("kind") == "shafts" and isinstance(made.get("source"), dict):
        # One colour alone shone; they are open by that colour now.
        source = dict(made["source"])
        if source.pop("colours", "all") == "one":
            source.setdefault("open_by", "colours")
        made["source"] = source
    usual = HEADROOM.get(str(made.get("kind")))
    if usual is not None and isinstance(made.get("spread"), dict) and "headroom" in made["spread"]:
        # Stars and flares had headroom of their own; their light is as strong as it was.
        spread = dict(made["spread"])
        stops = spread.pop("headroom")
        made["spread"] = spread
        merge = made["merge"] if isinstance(made.get("merge"), dict) else {}
        if isinstance(stops, int | float) and isinstance(merge.get("intensity", 1.0), int | float):
            made["merge"] = {
                **merge,
                "intensity": round(min(merge.get("intensity", 1.0) * 2.0 ** (stops - usual), MOST_INTENSE), 4),
            }
    if made.get("kind") == "lamp" and isinstance(made.get("spread"), dict) and "temperature" in made["spread"]:
        # A lamp had a temperature beside its Colour.
        spread = dict(made["spread"])
        kelvin = spread.pop("temperature")
        made["spread"] = spread
        if not isinstance(colour, dict) or colour.get("origin", "plate") == "plate":
            own = colour if isinstance(colour, dict) else {}
            made["colour"] = {**own, "origin": "temperature", "temperature": kelvin, "tint": 0.0, "strength": 1.0}
    return made


def _with_mask(owner: Any) -> Any:
    if not (isinstance(owner, dict) and isinstance(owner.get("mask"), dict)):
        return owner
    mask = owner["mask"]
    return {**owner, "mask": {**mask, "parts": _each(mask.get("parts", []), _part)}}


def _part(part: Any) -> Any:
    if not isinstance(part, dict) or part.get("part") not in PARTS:
        return part
    name, names = PARTS[part["part"]]
    return {**_renamed(part, names), "part": name}


def _renamed(values: dict[str, Any], names: dict[str, str]) -> dict[str, Any]:
    return {names.get(name, name): value for name, value in values.items()}
