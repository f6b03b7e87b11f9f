"""Saves: profiles, stores, migration. What a player earned is never lost.

Start at `open_store`.
"""

from cleaver.saves.store import Absent, Damaged, Found, Receipt, Store, open_store

__all__ = ["Absent", "Damaged", "Found", "Receipt", "Store", "open_store"]
