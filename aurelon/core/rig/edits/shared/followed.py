"""Keys at many frames at once, as following gives them."""

from __future__ import annotations

from typing import Any

from aurelon.core.errors import RigError
from aurelon.core.rig.keyed import find, track_of, with_track
from aurelon.core.rig.model import Rig
from aurelon.core.settings.tracks import Track, check_tracks

Keys = tuple[tuple[int, Any], ...]


def with_keys(rig: Rig, owner: str, path: str, at: Keys, within: tuple[int, int] | None) -> Rig:
    """The rig with keys of a setting, in place of all that it has, or of those from the first frame of `within` up to, without, the
    second. Raises RigError for a value that the setting cannot have."""
    found, before = find(rig, owner, path), track_of(rig, owner, path)
    try:
        track = _track(before, at, within)
        check_tracks(found.settings, {found.path: track})
    except ValueError as error:
        raise RigError([(f"keys.{owner}", str(error))]) from error
    return with_track(rig, owner, path, track)


def _track(before: Track | None, at: Keys, within: tuple[int, int] | None) -> Track:
    if before is None or within is None:
        return Track(at=at)
    first, last = within
    others = [key for key in before.at if not first <= key[0] < last]
    return Track(between=before.between, at=tuple(sorted((*others, *at), key=lambda key: key[0])))
