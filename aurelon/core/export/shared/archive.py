"""Archives whose bytes depend on nothing but what is in them."""

from __future__ import annotations

import zipfile


def put(archive: zipfile.ZipFile, name: str, content: bytes | str) -> None:
    """Adds a file under the first date that an archive can hold, so that the same content gives the same bytes at any time."""
    archive.writestr(zipfile.ZipInfo(name), content)
