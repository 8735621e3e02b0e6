"""The plate in the colour space that its rig says its file is in."""

from __future__ import annotations

from aurelon.core.errors import RigError
from aurelon.core.imaging.colour_config import ConfigError, chosen
from aurelon.core.plate import Plate
from aurelon.core.rig import Rig

NO_CONFIG = "is “{space}”, and no colour configuration is chosen here; start with --ocio, or choose “As the file says”"


def as_input(plate: Plate, rig: Rig) -> Plate:
    """The plate itself where the rig leaves it as its file says. Raises RigError for a colour space that is not known."""
    space = rig.prepare.input_space
    if not space:
        return plate
    config = chosen()
    if config is None:
        raise RigError([("prepare.input_space", NO_CONFIG.format(space=space))])
    try:
        return plate.in_input_space(config, space)
    except ConfigError as error:
        raise RigError([("prepare.input_space", str(error))]) from error
