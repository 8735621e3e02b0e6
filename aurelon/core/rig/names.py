"""What names may look like within a rig."""

from __future__ import annotations

FILE = r"^[0-9a-f]{64}$"  # of a file, its SHA-256
NAME_LENGTH = 80  # characters of what a person calls a light or a matte
ID = r"^[a-z0-9][a-z0-9-]{0,63}$"
