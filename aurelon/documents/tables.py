"""Settings as tables in Markdown."""

from __future__ import annotations

from aurelon.core.catalogue.entries import GroupInfo
from aurelon.core.settings.base import Setting
from aurelon.core.settings.slider import Slider
from aurelon.core.settings.types.choice import Choice

UNITS = {
    "diagonal": "of the diagonal",
    "degrees": "degrees",
    "kelvin": "K",
    "gain": "times",
    "stops": "stops",
    "share": "0 to 1 as a share",
    "mm": "mm",
    "pixels": "pixels",
}


def may_be(setting: Setting) -> str:
    """What values a setting can have."""
    if isinstance(setting, Slider):
        unit = UNITS.get(setting.unit, "")
        return f"{setting.low:g} to {setting.high:g}" + (f" {unit}" if unit and setting.unit != "share" else "")
    if isinstance(setting, Choice):
        return ", ".join(f"`{option.value}`" for option in setting.options)
    return setting.type


def default_of(setting: Setting) -> str:
    value = setting.default
    if isinstance(value, float):
        return f"{value:g}"
    if isinstance(value, (list, tuple)):
        return "none" if not value else (str(list(value)) if len(str(value)) < 24 else "as placed")
    return "" if value in ("", None) else str(value).lower() if isinstance(value, bool) else str(value)


def table(group: GroupInfo) -> str:
    """A table of a group's settings; those that are always shown come in bold."""
    rows = ["| setting | values | default | what it does |", "|---|---|---|---|"]
    for setting in group.settings:
        name = f"**`{setting.name}`**" if setting.essential else f"`{setting.name}`"
        rows.append(f"| {name} | {may_be(setting)} | {default_of(setting)} | {setting.help} |")
    return "\n".join(rows)
