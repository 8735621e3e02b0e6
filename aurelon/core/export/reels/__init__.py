"""A lit reel as one file: made in segments that need not know of one another, and joined."""

from aurelon.core.export.reels.lit import ReelExport, check_reel, join_reel, options_for_reel, segment_of, spans_of, trial_size

__all__ = ["ReelExport", "check_reel", "join_reel", "options_for_reel", "segment_of", "spans_of", "trial_size"]
