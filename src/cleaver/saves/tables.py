"""Tables: how a store is laid out, on SQLite and on PostgreSQL alike.

Profiles carry the revision and the fence of who may write; bodies stand in a ring of generations, each with
its checksum; holders are processes with a lease.
"""

from __future__ import annotations

from sqlalchemy import BigInteger, Column, Float, LargeBinary, MetaData, String, Table

LAYOUT = 1
APPLICATION_ID = 0x436C7672  # "Clvr", in the header of an SQLite file

metadata: MetaData = MetaData()

meta: Table = Table(
    "cleaver_meta",
    metadata,
    Column("key", String(40), primary_key=True),
    Column("value", String(200), nullable=False),
)

holders: Table = Table(
    "cleaver_holders",
    metadata,
    Column("holder", String(64), primary_key=True),
    Column("name", String(200), nullable=False),
    Column("until", Float, nullable=False),  # seconds since the epoch, by the store's reckoning
)

profiles: Table = Table(
    "cleaver_profiles",
    metadata,
    Column("player", String(200), primary_key=True),
    Column("revision", BigInteger, nullable=False),
    Column("fence", BigInteger, nullable=False),
    Column("holder", String(64)),
)

generations: Table = Table(
    "cleaver_generations",
    metadata,
    Column("player", String(200), primary_key=True),
    Column("slot", BigInteger, primary_key=True, autoincrement=False),
    Column("revision", BigInteger, nullable=False),
    Column("fence", BigInteger, nullable=False),
    Column("version", BigInteger, nullable=False),
    Column("checksum", String(64), nullable=False),
    Column("saved", Float, nullable=False),
    Column("body", LargeBinary, nullable=False),
)

boards: Table = Table(
    "cleaver_boards",
    metadata,
    Column("board", String(100), primary_key=True),
    Column("player", String(200), primary_key=True),
    Column("score", BigInteger, nullable=False),
    Column("reached", Float, nullable=False),  # of equal scores the earlier stands first
)

quarantine: Table = Table(
    "cleaver_quarantine",
    metadata,
    Column("player", String(200), primary_key=True),
    Column("revision", BigInteger, primary_key=True, autoincrement=False),
    Column("found", Float, primary_key=True),
    Column("body", LargeBinary, nullable=False),
)
