"""docs/kinds.md: every kind of light with a picture and its settings."""

from __future__ import annotations

from aurelon.core.catalogue.catalogue import catalogue
from aurelon.documents.tables import table

HEAD = """# The kinds of light

Made from the models by `python -m aurelon.documents`. Each kind is shown as it is when it is added, on one of the demo
plates. Settings in bold are the few that shape it most. Lengths are shares of the plate's diagonal, places fractions of
its sides; angles have 0 to the right and 90 up.

Every kind also has the settings of Colour, Mask and Merge, which are in [the rig](rig.md).
"""


def kinds_page() -> str:
    """The page, in Markdown."""
    parts = [HEAD]
    for kind in catalogue():
        parts.append(f'## {kind.title}\n\n{kind.summary}. In a rig: `"kind": "{kind.name}"`.\n')
        parts.append(f"![{kind.title}](kinds/{kind.name}.jpg)\n")
        for group in kind.groups:
            if group.name in ("source", "spread") and group.settings:
                parts.append(f"### {group.label}\n\n{table(group)}\n")
    return "\n".join(parts)
