"""Layout: making the tables of a fresh store, and bringing those of an older one up to date.

Both in one transaction that only one process has at a time. Start at `prepare`.
"""

from __future__ import annotations

import uuid
from typing import NamedTuple

from sqlalchemy import Connection, Engine, Table, insert, inspect, select, text, update

from cleaver.errors import StoreCorruptError, UsageError
from cleaver.saves import tables
from cleaver.saves.boards import Boards
from cleaver.saves.tables import CHANGES, COMMITS, LAYOUT, meta, metadata

_OLD_SCORES = "cleaver_boards"  # the table of leaderboards before layout 3
_TURN = 0x436C7672  # of PostgreSQL's advisory locks: who makes tables


class KnownLayout(NamedTuple):
    """What a store says of itself: its id, and how many transactions it has made (SQLite only)."""

    id: str
    commits: int


def prepare(engine: Engine, label: str, *, read_only: bool) -> KnownLayout:
    """Return what a store says of itself, made or brought up to date first unless it is only read.

    Raises:
        UsageError: There is no store, and it is only to be read.
        StoreCorruptError: It has a layout that is not known here, or its tables are incomplete.
    """
    options = {"reading": True} if read_only else {}
    with engine.connect().execution_options(**options) as connection, connection.begin():
        if engine.dialect.name == "postgresql" and not read_only:
            connection.execute(text(f"SELECT pg_advisory_xact_lock({_TURN})"))
        there = set(inspect(connection).get_table_names())
        if meta.name not in there:
            if any(name.startswith("cleaver_") for name in there):
                raise StoreCorruptError(
                    f"{label} has no table {meta.name}; it was left alone. Restore a backup"
                )
            if read_only:
                raise UsageError(f"{label} holds no profiles yet; nothing was made")
            metadata.create_all(connection)
            connection.execute(
                insert(meta),
                [
                    {"key": "layout", "value": str(LAYOUT)},
                    {"key": "id", "value": uuid.uuid4().hex},
                    {"key": COMMITS, "value": "0"},
                    {"key": CHANGES, "value": "0"},
                ],
            )
        found = {row.key: row.value for row in connection.execute(select(meta)).all()}
        older = found.get("layout") in ("1", "2")
        if older and read_only:
            raise UsageError(
                f"{label} is of an older layout, and must be brought up to date before it can be only read: "
                "open it once with your game"
            )
        if older:
            if found["layout"] == "1":
                _from_1(connection)
                found.setdefault(COMMITS, "0")
            _from_2(connection)
        elif found.get("layout") != str(LAYOUT):
            raise StoreCorruptError(
                f"{label} has layout {found.get('layout')}, and this version reads {LAYOUT}; it was "
                "left alone"
            )
        needed = {table.name for table in metadata.sorted_tables}
        missing = needed - set(inspect(connection).get_table_names())
        if missing:
            raise StoreCorruptError(
                f"{label} has no table {', '.join(sorted(missing))}; it was left alone. Restore a backup"
            )
        count = found.get(COMMITS, "0")
        return KnownLayout(str(found.get("id", "")), int(count) if str(count).isdigit() else 0)


def _from_1(connection: Connection) -> None:
    """Add what layout 2 had more; what was saved before has no links, and is taken as it is."""
    for table in (tables.holders, tables.profiles, tables.generations):
        _add_columns(connection, table)
    there = {column["name"] for column in inspect(connection).get_columns(_OLD_SCORES)}
    if "seal" not in there:
        connection.execute(text(f"ALTER TABLE {_OLD_SCORES} ADD COLUMN seal VARCHAR(64)"))
    connection.execute(insert(meta).values(key=COMMITS, value="0"))


def _from_2(connection: Connection) -> None:
    """Put the rows of leaderboards into the table of layout 3, in their order, and count them. A program of
    an older version that is still at work fails to keep a score from then on, instead of keeping one that
    nobody counts."""
    metadata.create_all(connection)
    _add_columns(connection, tables.audit)
    store = connection.execute(select(meta.c.value).where(meta.c.key == "id")).scalar()
    made = Boards(str(store), connection.dialect.name == "postgresql")
    old = text(f"SELECT DISTINCT board FROM {_OLD_SCORES}")  # a name of ours
    for board in list(connection.execute(old).scalars()):
        made.take_over(connection, board, _OLD_SCORES)
    connection.execute(text(f"DROP TABLE {_OLD_SCORES}"))
    connection.execute(update(meta).where(meta.c.key == "layout").values(value=str(LAYOUT)))


def _add_columns(connection: Connection, table: Table) -> None:
    there = {column["name"] for column in inspect(connection).get_columns(table.name)}
    for column in table.columns:
        if column.name not in there:
            kind = column.type.compile(connection.dialect)
            connection.execute(text(f"ALTER TABLE {table.name} ADD COLUMN {column.name} {kind}"))
    for index in table.indexes:
        index.create(connection, checkfirst=True)
