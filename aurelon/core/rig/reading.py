"""Rigs from JSON and from plain data."""

from __future__ import annotations

import json
from typing import Any

from aurelon.core.errors import RigError
from aurelon.core.rig.model import Rig


def parse_rig(text: str | bytes) -> Rig:
    """A rig from JSON text. Raises RigError that pairs each path with what is wrong there."""
    try:
        return check_rig(json.loads(text))
    except json.JSONDecodeError as error:
        what = "is empty" if not error.doc.strip() else f"is not valid JSON; look at line {error.lineno}, column {error.colno}"
        raise RigError([("", f"the rig {what}")]) from error
    except UnicodeDecodeError as error:
        raise RigError([("", "the rig is not text in UTF-8; save it as that")]) from error
    except RecursionError as error:
        raise RigError([("", "the rig is nested too deeply to be one; write it anew")]) from error


def check_rig(data: Any) -> Rig:
    """A rig from plain data. Raises RigError that pairs each path with what is wrong there."""
    return Rig.model_validate(data)
