"""A reel's sound by itself, as pages play it: Opus in WebM, whatever the reel's file holds."""

from __future__ import annotations

import io
from fractions import Fraction
from typing import BinaryIO

import av
import av.error

from aurelon.core.codecs.shared.raster import UnreadableError
from aurelon.core.reels.shared.sound import SoundTrack
from aurelon.core.reels.shared.writing import Sound

TYPE = "audio/webm"
HELD, ENCODER = frozenset({"opus", "vorbis"}), "libopus"
LONGEST = 1800  # seconds; a sound that plays longer than this would fill the page's memory


def heard(file: BinaryIO, end: Fraction) -> bytes:
    """The sound of a video from its first picture up to `end`, in seconds. Raises UnreadableError where it cannot be decoded, or is
    longer than half an hour."""
    if end > LONGEST:
        raise UnreadableError(f"has more than {LONGEST // 60} minutes of sound, which is too long to be played beside the pictures")
    result = io.BytesIO()
    try:
        with av.open(result, "w", format="webm", options={"fflags": "+bitexact"}) as container:
            track = SoundTrack(container, Sound(file, Fraction(0), end), HELD, ENCODER)
            track.until(end)
            track.close()
    except (av.error.FFmpegError, ValueError) as error:
        raise UnreadableError("has sound that cannot be decoded; the pictures play without it") from error
    return result.getvalue()
