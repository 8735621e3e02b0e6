"""Rigs as text, with what many states have in common kept once.

Every step of painting is a state of the whole rig, and most of its strokes are those of the state
before. So each stroke is kept under the hash of its text, and a state only names it.
"""

from __future__ import annotations

import hashlib
import json
from typing import Any

from peewee import chunked

from aurelon.core import Rig, check_rig
from aurelon.store.tables import Tables

MARK = "$piece"
SHORTEST = 200  # characters; what is shorter stays where it is
AT_ONCE = 200  # rows in one statement, within what SQLite takes


def put_rig(tables: Tables, rig: Rig) -> str:
    """The text of a rig for a row, its strokes kept as pieces. Within a transaction."""
    pieces: dict[str, str] = {}

    def take_apart(value: Any) -> Any:
        if isinstance(value, list):
            return [take_apart(one) for one in value]
        if not isinstance(value, dict):
            return value
        if "points" in value:
            text = json.dumps(value, separators=(",", ":"))
            if len(text) >= SHORTEST:
                name = hashlib.sha256(text.encode()).hexdigest()
                pieces[name] = text
                return {MARK: name}
        return {key: take_apart(one) for key, one in value.items()}

    skeleton = take_apart(rig.model_dump(mode="json"))
    rows = [{"hash": name, "text": text} for name, text in pieces.items()]
    for some in chunked(rows, AT_ONCE):
        tables.Piece.insert_many(some).on_conflict_ignore().execute()
    return json.dumps(skeleton, separators=(",", ":"))


def get_rig(tables: Tables, text: str) -> Rig:
    """The rig of a row's text."""
    skeleton = json.loads(text)
    names: set[str] = set()

    def look_for(value: Any) -> None:
        if isinstance(value, list):
            for one in value:
                look_for(one)
        elif isinstance(value, dict):
            if MARK in value:
                names.add(value[MARK])
            for one in value.values():
                look_for(one)

    look_for(skeleton)
    pieces: dict[str, Any] = {}
    for some in chunked(sorted(names), AT_ONCE):
        rows = tables.Piece.select().where(tables.Piece.hash.in_(some))
        pieces |= {row.hash: json.loads(row.text) for row in rows}

    def put_together(value: Any) -> Any:
        if isinstance(value, list):
            return [put_together(one) for one in value]
        if not isinstance(value, dict):
            return value
        return pieces[value[MARK]] if MARK in value else {key: put_together(one) for key, one in value.items()}

    return check_rig(put_together(skeleton))
