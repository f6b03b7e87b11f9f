"""Tables: how a store is laid out, on SQLite and on PostgreSQL alike.

Profiles carry the revision and the fence of who may write; bodies stand in a ring of generations, each with
its checksum and its link in the player's chain; holders are processes with a lease. What is corrected by hand
leaves a line in the audit trail.
"""

from __future__ import annotations

from sqlalchemy import BigInteger, Column, Float, Index, LargeBinary, MetaData, String, Table, Text

COMMITS, CHANGES = "commits", "changes"  # the keys under which saves, and all transactions, are counted
LAYOUT = 3
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
    Column("until", Float, nullable=False),  # seconds since 1970, by the clock of the database
    # Which process it is, so that a dead one is known on the same machine; see `processes`.
    Column("machine", String(64)),
    Column("namespace", String(64)),
    Column("process", BigInteger),
    Column("started", String(40)),
)

profiles: Table = Table(
    "cleaver_profiles",
    metadata,
    Column("player", String(200), primary_key=True),
    Column("revision", BigInteger, nullable=False),
    Column("fence", BigInteger, nullable=False),
    Column("holder", String(64)),
    Column("chain", String(64)),  # link of the newest generation; see `chain`
    Column("wanted", String(200)),  # who asks for the profile while somebody has it
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
    Column("before", String(64)),  # link of the generation before
    Column("chain", String(64)),
)

audit: Table = Table(
    "cleaver_audit",
    metadata,
    Column("at", Float, nullable=False),
    Column("who", String(200), nullable=False),
    Column("what", String(40), nullable=False),
    Column("player", String(200), nullable=False),
    Column("detail", String(400), nullable=False),
    Column("why", String(400)),
    Column("before", Text),  # what was there by path, as JSON, of what is another now
    Column("after", Text),
)

# As Python compares texts, and SQLite: by the numbers of their letters.
_PLAIN = String(200).with_variant(String(200, collation="C"), "postgresql")

boards: Table = Table(
    "cleaver_scores",
    metadata,
    Column("board", String(100), primary_key=True),
    Column("player", _PLAIN, primary_key=True),
    Column("score", BigInteger, nullable=False),
    Column("points", BigInteger, nullable=False),  # the score, its sign turned where higher is better
    Column("reached", Float, nullable=False),  # of equal scores the earlier stands first
    Column("seal", String(64)),
    Index("cleaver_scores_in_order", "board", "points", "reached", "player"),
)

blocks: Table = (
    Table(  # how many rows of a board stand from here to where the next block begins; see `places`
        "cleaver_score_blocks",
        metadata,
        Column("board", String(100), primary_key=True),
        Column("points", BigInteger, primary_key=True, autoincrement=False),
        Column("reached", Float, primary_key=True),
        Column("player", _PLAIN, primary_key=True),
        Column("size", BigInteger, nullable=False),
    )
)

quarantine: Table = Table(
    "cleaver_quarantine",
    metadata,
    Column("player", String(200), primary_key=True),
    Column("revision", BigInteger, primary_key=True, autoincrement=False),
    Column("found", Float, primary_key=True),
    Column("body", LargeBinary, nullable=False),
)
