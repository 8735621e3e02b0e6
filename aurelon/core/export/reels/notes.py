"""What becomes of a reel in a file, where that is not what a person would expect."""

from __future__ import annotations

from aurelon.core.export.reels.lit import ReelExport
from aurelon.core.imaging.code_points import HLG, PQ
from aurelon.core.masks.carried import Carried
from aurelon.core.reel import Reel
from aurelon.core.reels.writers import reel_format
from aurelon.core.rig import Rig

MILLISECONDS = (".mkv", ".webm")  # a container whose times are whole milliseconds, as Matroska's are


def notes_of(reel: Reel, rig: Rig, options: ReelExport) -> list[str]:
    """Sentences on what is not carried over as it is, and on mattes that were carried on another reel."""
    form, _ = reel_format(options.format)
    notes = mattes_of_another(reel, rig)
    transfer = None if reel.footage.points is None else reel.footage.points[1]
    if transfer in (PQ, HLG) and options.depth == "8":
        notes.append("8 bits hold no light above white: the footage goes out as sRGB, cut off at white")
    elif transfer == HLG:
        notes.append("The footage is HLG and goes out as PQ, which shows the same light")
    if reel[options.first].alpha is not None:
        notes.append("Transparent parts are laid on white")
    if options.sound and reel.footage.sounds and not form.sound:
        notes.append(f"{form.title} holds no sound")
    first, last = options.span(reel)
    if form.suffix in MILLISECONDS and any((1000 * time).denominator > 1 for time in reel.footage.times[first:last]):
        notes.append(f"{form.title} keeps times to the millisecond")
    return notes


def mattes_of_another(reel: Reel, rig: Rig) -> list[str]:
    """A sentence for each matte that was carried over the frames of another reel."""
    return [
        f"The matte {matte.name or matte.id} was carried on another reel and does not fit this one; carry it again here"
        for matte in rig.mattes
        if any(isinstance(part, Carried) and part.of and reel.opened and part.of != reel.key for part in matte.mask.stack)
    ]
