"""The steps that lead from an empty or older data file to today's. `PRAGMA user_version` says how many have run."""

from __future__ import annotations

import json
from typing import Any

from peewee import SqliteDatabase

from aurelon.core.rig.migrate import up_to_date
from aurelon.store.errors import StoreError
from aurelon.store.tables import Tables

# The tables as they were first made; what came later is a step of its own.
FIRST = """
CREATE TABLE "blob" ("hash" VARCHAR(255) NOT NULL PRIMARY KEY, "size" INTEGER NOT NULL);
CREATE TABLE "chunk" ("blob_id" VARCHAR(255) NOT NULL, "place" INTEGER NOT NULL, "data" BLOB NOT NULL,
  PRIMARY KEY ("blob_id", "place"), FOREIGN KEY ("blob_id") REFERENCES "blob" ("hash") ON DELETE CASCADE);
CREATE INDEX "chunk_blob_id" ON "chunk" ("blob_id");
CREATE TABLE "plate" ("id" INTEGER NOT NULL PRIMARY KEY, "name" VARCHAR(255) NOT NULL, "file_name" VARCHAR(255) NOT NULL,
  "blob_id" VARCHAR(255) NOT NULL, "width" INTEGER NOT NULL, "height" INTEGER NOT NULL, "depth" VARCHAR(255) NOT NULL,
  "head" INTEGER NOT NULL, "thumbnail" BLOB, "thumbnail_of" INTEGER NOT NULL, "created" REAL NOT NULL, "deleted" REAL,
  FOREIGN KEY ("blob_id") REFERENCES "blob" ("hash") ON DELETE RESTRICT);
CREATE INDEX "plate_blob_id" ON "plate" ("blob_id");
CREATE TABLE "revision" ("id" INTEGER NOT NULL PRIMARY KEY, "plate_id" INTEGER NOT NULL, "parent_id" INTEGER,
  "label" VARCHAR(255) NOT NULL, "rig" TEXT NOT NULL, "created" REAL NOT NULL,
  FOREIGN KEY ("plate_id") REFERENCES "plate" ("id") ON DELETE CASCADE,
  FOREIGN KEY ("parent_id") REFERENCES "revision" ("id") ON DELETE CASCADE);
CREATE INDEX "revision_plate_id" ON "revision" ("plate_id");
CREATE INDEX "revision_parent_id" ON "revision" ("parent_id");
"""
TAKES_AND_RIGS = """
CREATE TABLE "piece" ("hash" VARCHAR(255) NOT NULL PRIMARY KEY, "text" TEXT NOT NULL);
CREATE TABLE "take" ("id" INTEGER NOT NULL PRIMARY KEY, "plate_id" INTEGER NOT NULL, "name" VARCHAR(255) NOT NULL,
  "rig" TEXT NOT NULL, "created" REAL NOT NULL, "deleted" REAL,
  FOREIGN KEY ("plate_id") REFERENCES "plate" ("id") ON DELETE CASCADE);
CREATE INDEX "take_plate_id" ON "take" ("plate_id");
CREATE TABLE "namedrig" ("id" INTEGER NOT NULL PRIMARY KEY, "name" VARCHAR(255) NOT NULL, "rig" TEXT NOT NULL,
  "picture" BLOB, "created" REAL NOT NULL, "deleted" REAL);
CREATE TABLE "fileuse" ("id" INTEGER NOT NULL PRIMARY KEY, "blob_id" VARCHAR(255) NOT NULL, "plate_id" INTEGER,
  "named_id" INTEGER, "file_name" VARCHAR(255) NOT NULL,
  FOREIGN KEY ("blob_id") REFERENCES "blob" ("hash") ON DELETE RESTRICT,
  FOREIGN KEY ("plate_id") REFERENCES "plate" ("id") ON DELETE CASCADE,
  FOREIGN KEY ("named_id") REFERENCES "namedrig" ("id") ON DELETE CASCADE);
CREATE INDEX "fileuse_blob_id" ON "fileuse" ("blob_id");
CREATE INDEX "fileuse_plate_id" ON "fileuse" ("plate_id");
CREATE INDEX "fileuse_named_id" ON "fileuse" ("named_id");
"""

RUNS = """
CREATE TABLE "run" ("id" INTEGER NOT NULL PRIMARY KEY, "name" VARCHAR(255) NOT NULL, "rig" TEXT, "rig_name" VARCHAR(255) NOT NULL,
  "placing" VARCHAR(255) NOT NULL, "export" TEXT NOT NULL, "cluster" VARCHAR(255) NOT NULL, "state" VARCHAR(255) NOT NULL,
  "error" TEXT NOT NULL, "seconds" REAL NOT NULL, "created" REAL NOT NULL);
CREATE TABLE "runitem" ("id" INTEGER NOT NULL PRIMARY KEY, "run_id" INTEGER NOT NULL, "plate_id" INTEGER NOT NULL,
  "state" VARCHAR(255) NOT NULL, "says" TEXT NOT NULL, "revision" INTEGER NOT NULL, "blob_id" VARCHAR(255),
  "file_name" VARCHAR(255) NOT NULL, "media_type" VARCHAR(255) NOT NULL,
  FOREIGN KEY ("run_id") REFERENCES "run" ("id") ON DELETE CASCADE,
  FOREIGN KEY ("plate_id") REFERENCES "plate" ("id") ON DELETE CASCADE,
  FOREIGN KEY ("blob_id") REFERENCES "blob" ("hash") ON DELETE RESTRICT);
CREATE INDEX "runitem_run_id" ON "runitem" ("run_id");
CREATE INDEX "runitem_plate_id" ON "runitem" ("plate_id");
CREATE INDEX "runitem_blob_id" ON "runitem" ("blob_id");
"""


def _sql(db: Any, statement: str, values: tuple[Any, ...] = ()) -> Any:
    return db.execute_sql(statement, values)


def _run(db: SqliteDatabase, script: str) -> None:
    for statement in script.strip().split(";\n"):
        if statement.strip():
            _sql(db, statement.rstrip(";\n "))


def _first(tables: Tables) -> None:
    _run(tables.db, FIRST)


def _takes_and_rigs(tables: Tables) -> None:
    _run(tables.db, TAKES_AND_RIGS)


def _runs(tables: Tables) -> None:
    _run(tables.db, RUNS)


def _reels(tables: Tables) -> None:
    """Plates know how many frames they have, and runs which frames a file is of."""
    _sql(tables.db, 'ALTER TABLE "plate" ADD COLUMN "frames" INTEGER NOT NULL DEFAULT 0')
    for column in ("first", "last"):
        _sql(tables.db, f'ALTER TABLE "runitem" ADD COLUMN "{column}" INTEGER NOT NULL DEFAULT 0')
    _sql(tables.db, 'ALTER TABLE "runitem" ADD COLUMN "part" VARCHAR(255) NOT NULL DEFAULT \'\'')


def _rigs_of_version_2(tables: Tables) -> None:
    """Saved rigs move to version 2 of the rig, and revisions know how many lights they have."""
    _sql(tables.db, 'ALTER TABLE "revision" ADD COLUMN "lights" INTEGER NOT NULL DEFAULT 0')
    for name in ("revision", "take", "namedrig"):
        for number, text in _sql(tables.db, f'SELECT "id", "rig" FROM "{name}"').fetchall():
            rig = up_to_date(json.loads(text))
            moved = json.dumps(rig, separators=(",", ":"))
            _sql(tables.db, f'UPDATE "{name}" SET "rig" = ? WHERE "id" = ?', (moved, number))
            if name == "revision":
                count = len(rig.get("lights", []))
                _sql(tables.db, 'UPDATE "revision" SET "lights" = ? WHERE "id" = ?', (count, number))


MIGRATIONS = (_first, _takes_and_rigs, _rigs_of_version_2, _runs, _reels)


def migrate(tables: Tables) -> None:
    """Brings the file to the newest schema, each step in a transaction of its own. Raises StoreError for a newer file."""
    done = tables.db.pragma("user_version")
    if done > len(MIGRATIONS):
        raise StoreError(
            f"the data file is of version {done}, newer than this Aurelon knows ({len(MIGRATIONS)}); update Aurelon to open it"
        )
    for number, step in enumerate(MIGRATIONS[done:], start=done + 1):
        with tables.db.atomic("IMMEDIATE"):
            step(tables)
            tables.db.pragma("user_version", number)
