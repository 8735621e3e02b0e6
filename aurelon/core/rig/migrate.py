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
STREAK = 6.0  # by which a flare's streak is brighter than at the same number before
# By kind: how many points shone where a rig did not say, and the most that it may ask for.
POINTS = {"starburst": (12, 48), "flare": (3, 24)}
# Parts of masks: what a part is called now, and its settings.
PARTS: dict[str, tuple[str, dict[str, str]]] = {"picture": ("grey", {"picture": "file"})}


def up_to_date(data: Any) -> Any:
    """A rig as plain data in today's version; validation refuses what is not a rig.

    Raises ValueError for a rig of a later version.
    """
    if not isinstance(data, dict):
        return data
    version = data.get("version", VERSION)
    if isinstance(version, int) and version > VERSION:
        raise ValueError(f"this rig is of version {version}, later than this Aurelon reads ({VERSION}); update Aurelon to use it")
    result = _from_1(data) if version == 1 else data
    if isinstance(result.get("keys"), dict):
        result = {**result, "keys": _tracks_of_lamps(result)}
        result["keys"] = {owner: _fainter_streaks(tracks) for owner, tracks in result["keys"].items()}
    if isinstance(result.get("distance"), dict):
        result = {**result, "distance": _distance(result["distance"])}
    return {**result, "lights": _each(result["lights"], _settled)} if "lights" in result else result


def _tracks_of_lamps(rig: dict[str, Any]) -> dict[str, Any]:
    """Keys of a lamp's relief, where its surface is that of the picture's brightness."""
    lights = rig.get("lights", [])
    lamps = {
        light.get("id"): light.get("source", {})
        for light in (lights if isinstance(lights, list | tuple) else ())
        if isinstance(light, dict) and light.get("kind") == "lamp" and isinstance(light.get("source", {}), dict)
    }
    result = dict(rig["keys"])
    for name, source in lamps.items():
        tracks = result.get(name)
        if isinstance(tracks, dict) and "source.relief" in tracks and _from_brightness(source):
            result[name] = {"source.fine_relief": tracks["source.relief"], **tracks}
    return result


def _fainter_streaks(tracks: Any) -> Any:
    """Keys of a streak's strength, which was counted in sixths of today's."""
    if not isinstance(tracks, dict) or not isinstance(track := tracks.get("spread.streak"), dict):
        return tracks
    at = [[frame, _fainter(value)] for frame, value in track.get("at", ())]
    rest = {path: other for path, other in tracks.items() if path != "spread.streak"}
    return {"spread.streak_strength": {**track, "at": at}, **rest}


def _fainter(strength: Any) -> Any:
    return round(strength / STREAK, 4) if isinstance(strength, int | float) else strength


def _distance(distance: dict[str, Any]) -> dict[str, Any]:
    """A horizon that is said beside what is found is one set by hand; none is left out."""
    result = dict(distance)
    if "from" in result:
        result.setdefault("origin", result.pop("from"))
    if "horizon" in result and result["horizon"] is None:
        del result["horizon"]
    elif "horizon" in result and result.get("origin", "found") == "found" and "from" in distance:
        result["origin"] = "horizon"
    return {name: value for name, value in result.items() if not (name == "file" and value is None)}


def _from_1(data: dict[str, Any]) -> dict[str, Any]:
    result = {**data, "version": 2}
    if "pictures" in result:
        result["files"] = result.pop("pictures")
    result["lights"] = _each(result.get("lights", []), _light)
    result["mattes"] = _each(result.get("mattes", []), _with_mask)
    result["house"] = _with_mask(result.get("house", {}))
    return result


def _each(items: Any, change: Callable[[Any], Any]) -> Any:
    return [change(item) for item in items] if isinstance(items, list | tuple) else items


def _light(light: Any) -> Any:
    if not isinstance(light, dict):
        return light
    result = dict(_with_mask(light))
    for stage in ("source", "spread"):
        names = RENAMED.get((str(light.get("kind")), stage))
        if names and isinstance(result.get(stage), dict):
            result[stage] = _renamed(result[stage], names)
    return result


def _settled(light: Any) -> Any:
    """What lights of version 2 said otherwise at first."""
    if not isinstance(light, dict):
        return light
    result = dict(light)
    colour = result.get("colour")
    if isinstance(colour, dict) and colour.get("origin") == "picked" and "strength" in colour:
        result["colour"] = colour = {"picked_strength": colour["strength"], **colour}
    if result.get("kind") == "shafts" and isinstance(result.get("source"), dict):
        # One colour alone shone; they are open by that colour now.
        source = dict(result["source"])
        if source.pop("colours", "all") == "one":
            source.setdefault("open_by", "colours")
        result["source"] = source
    usual = HEADROOM.get(str(result.get("kind")))
    if usual is not None and isinstance(result.get("spread"), dict) and "headroom" in result["spread"]:
        # Stars and flares had headroom of their own; their light is as strong as it was.
        spread = dict(result["spread"])
        stops = spread.pop("headroom")
        result["spread"] = spread
        merge = result["merge"] if isinstance(result.get("merge"), dict) else {}
        if isinstance(stops, int | float) and isinstance(merge.get("intensity", 1.0), int | float):
            result["merge"] = {
                **merge,
                "intensity": round(min(merge.get("intensity", 1.0) * 2.0 ** (stops - usual), MOST_INTENSE), 4),
            }
    if result.get("kind") == "flare" and isinstance(result.get("spread"), dict) and "streak" in result["spread"]:
        spread = dict(result["spread"])
        strength = _fainter(spread.pop("streak"))
        result["spread"] = {"streak_strength": strength, **spread}
    surface = result.get("source")
    points = POINTS.get(str(result.get("kind")))
    if points and isinstance(surface, dict) and "hidden" in surface:
        result["source"] = surface = _points_switched_off(surface, *points)
    if result.get("kind") == "lamp" and isinstance(surface, dict) and "relief" in surface and _from_brightness(surface):
        # The relief of brightness had no setting of its own.
        result["source"] = {"fine_relief": surface["relief"], **surface}
    if result.get("kind") == "lamp" and isinstance(result.get("spread"), dict) and "temperature" in result["spread"]:
        # A lamp had a temperature beside its Colour.
        spread = dict(result["spread"])
        kelvin = spread.pop("temperature")
        result["spread"] = spread
        if not isinstance(colour, dict) or colour.get("origin", "plate") == "plate":
            own = colour if isinstance(colour, dict) else {}
            result["colour"] = {**own, "origin": "temperature", "temperature": kelvin, "tint": 0.0, "strength": 1.0}
    return result


def _points_switched_off(source: dict[str, Any], usual: int, highest: int) -> dict[str, Any]:
    """The next points took the turns of those that were switched off: as many shine as before."""
    result = dict(source)
    off = result["switched_off"] = result.pop("hidden")
    most = result.get("max_points", usual)
    if isinstance(off, list | tuple) and off and type(most) is int and most:
        result["max_points"] = min(most + len(off), highest)
    return result


def _from_brightness(source: dict[str, Any]) -> bool:
    """Whether a lamp's surface is that of the picture's brightness."""
    return source.get("surface", "luminance") == "luminance" or not source.get("file")


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
