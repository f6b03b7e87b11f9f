"""Layout: making the tables of a fresh store, and bringing those of an older one up to date.

Both in one transaction that only one process has at a time. Start at `prepare`.
"""

from __future__ import annotations

import uuid
from typing import NamedTuple

from sqlalchemy import Connection, Engine, Table, insert, inspect, select, text, update

from cleaver.errors import StoreCorruptError, UsageError
from cleaver.saves import tables
from cleaver.saves.tables import LAYOUT, meta, metadata

COMMITS = "commits"
_TURN = 0x436C7672  # of PostgreSQL's advisory locks: who makes tables


class Known(NamedTuple):
    """What a store says of itself: its id, and how many transactions it has made (SQLite only)."""

    id: str
    commits: int


def prepare(engine: Engine, label: str, *, read_only: bool) -> Known:
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
                ],
            )
        found = {row.key: row.value for row in connection.execute(select(meta)).all()}
        if found.get("layout") == "1" and not read_only:
            _from_1(connection)
            found.setdefault(COMMITS, "0")
        elif found.get("layout") == "1":
            raise UsageError(
                f"{label} is of an older layout, and must be brought up to date before it can be only read: "
                "open it once with your game"
            )
        elif found.get("layout") != str(LAYOUT):
            raise StoreCorruptError(
                f"{label} has layout {found.get('layout')}, and this version reads {LAYOUT}; it was left "
                "alone"
            )
        needed = {table.name for table in metadata.sorted_tables}
        missing = needed - set(inspect(connection).get_table_names())
        if missing:
            raise StoreCorruptError(
                f"{label} has no table {', '.join(sorted(missing))}; it was left alone. Restore a backup"
            )
        count = found.get(COMMITS, "0")
        return Known(str(found.get("id", "")), int(count) if str(count).isdigit() else 0)


def _from_1(connection: Connection) -> None:
    """Add what layout 2 has more; what was saved before has no links, and is taken as it is."""
    for table in (tables.holders, tables.profiles, tables.generations, tables.boards):
        _add_columns(connection, table)
    metadata.create_all(connection)
    connection.execute(update(meta).where(meta.c.key == "layout").values(value=str(LAYOUT)))
    connection.execute(insert(meta).values(key=COMMITS, value="0"))


def _add_columns(connection: Connection, table: Table) -> None:
    there = {column["name"] for column in inspect(connection).get_columns(table.name)}
    for column in table.columns:
        if column.name not in there:
            kind = column.type.compile(connection.dialect)
            connection.execute(text(f"ALTER TABLE {table.name} ADD COLUMN {column.name} {kind}"))
    for index in table.indexes:
        index.create(connection, checkfirst=True)
