"""Which frames of a reel something goes over."""

from __future__ import annotations

from aurelon.core import OutputError, Reel

Span = tuple[int, int]


def span_of(reel: Reel, asked: Span | None, frame: int | None = None) -> Span:
    """From the first frame up to, without, the second; all where none is asked for. A `frame` that it begins from is among them,
    even where it lies outside. Raises OutputError for frames that the reel does not have."""
    first, last = asked or (0, len(reel))
    if not 0 <= first < last <= len(reel):
        raise OutputError(f"{reel.name} has the frames 0 to {len(reel) - 1}; choose among them")
    return (first, last) if frame is None else (min(first, frame), max(last, frame + 1))
