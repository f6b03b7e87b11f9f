"""Clients: what of a design may go to clients. Start at `for_clients`."""

from __future__ import annotations

import copy

SERVERS = ("rules", "quest_sets", "check", "saves", "rooms", "variants")
"""Sections that are the server's alone."""

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


def for_clients(tree: dict[str, Any]) -> dict[str, Any]:
    """Return a design as clients may have it: without its rules, what is drawn, what stocks hold, what it is
    checked for, and achievements that are hidden until they are given."""
    found = {name: copy.deepcopy(section) for name, section in tree.items() if name not in SERVERS}
    shown = {name: one for name, one in found.get("achievements", {}).items() if not one.get("hidden")}
    if "achievements" in found:
        found["achievements"] = shown
    for exchange in found.get("exchanges", {}).values():
        for key in ("stock", "restock_after"):
            exchange.pop(key, None)
    return found
