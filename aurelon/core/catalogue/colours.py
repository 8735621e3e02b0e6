"""What the screen is told of the chosen colour configuration."""

from __future__ import annotations

from aurelon.core.catalogue.entries import ColoursInfo, ViewInfo
from aurelon.core.imaging.colour_config import chosen
from aurelon.core.rig.finish import DisplayView
from aurelon.core.settings.types.choice import Option

AS_IN_FILE = "As the file says"


def colours_info() -> ColoursInfo | None:
    """None where no configuration is chosen. Raises ConfigError for one that cannot be used."""
    config = chosen()
    if config is None:
        return None
    return ColoursInfo(
        title=config.title,
        input_label="Colours of the file",
        input_help="Colour space that the file's samples are in, where the file does not say it or says it wrongly",
        input_spaces=[Option(value="", text=AS_IN_FILE), *(Option(value=name, text=name) for name in config.input_spaces)],
        view_label="Display and view",
        view_help="How a display shows the light, on the bench and in files alike",
        no_view="None",
        views=[
            ViewInfo(text=f"{display}: {view}", view=DisplayView(display=display, view=view))
            for display, views in config.views.items()
            for view in views
        ],
    )
