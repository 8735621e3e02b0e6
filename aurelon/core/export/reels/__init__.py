"""A lit reel as one file: made in segments that need not know of one another, and joined."""

from aurelon.core.export.reels.lit import ReelExport, check_reel, join_reel, options_for_reel, segment_of, spans_of, trial_size
from aurelon.core.export.reels.notes import mattes_of_another, notes_of

__all__ = [
    "ReelExport",
    "check_reel",
    "join_reel",
    "mattes_of_another",
    "notes_of",
    "options_for_reel",
    "segment_of",
    "spans_of",
    "trial_size",
]
