"""Tables: events, books, scores and saves as rows, for a spreadsheet or a notebook.

Each is a `Table`, which goes to a pandas DataFrame, to CSV or to Parquet. Start at `events`.
"""

from cleaver.table import Table
from cleaver.tables.kept import saves, scores
from cleaver.tables.told import books, events

__all__ = ["Table", "books", "events", "saves", "scores"]
