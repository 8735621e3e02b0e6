"""Light that is asked for: an artist paints where it should fall, and the settings that light it so are found."""

from aurelon.core.analysis.asked_for.search import Answer, asked_for
from aurelon.core.analysis.asked_for.sketch import Sketch, sketch_of

__all__ = ["Answer", "Sketch", "asked_for", "sketch_of"]
