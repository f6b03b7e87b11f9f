"""Saves: what is kept of a player, and what became of names from one version to the next."""

# fmt: off
# A line a key, however long.

from cleaver.design.keys import KeyTable, key
from cleaver.design.models.values import Choice, Text, Whole, Word

SECTIONS = (
    "currencies",
    "items",
    "exchanges",
    "pickups",
    "levels",
    "quests",
    "achievements",
    "ratings",
    "records",
    "lives",
)
ASKED = ("statuses", "cooldowns", "tags", "team", "score")
"""What is kept only where a design asks for it: in games in which leaving must not heal or reset."""
KEPT = SECTIONS + ASKED


class Change(KeyTable):
    """What became of names from one version of saved data to the next."""

    from_: Whole = key("the version before the change", "1", ge=1, le=1_000_000)
    rename: dict[Text, Word] = key("names that became others", '{ scrip = "brass" }', default={})


class Saves(KeyTable):
    """What is kept of a player."""

    changes: tuple[Change, ...] = key("what names became from one version to the next", '[ { from = 1, rename = { scrip = "brass" } } ]', default=())
    include: tuple[Choice, ...] = key("what is kept besides meters that say so", '["currencies", "items", "quests"]', default=SECTIONS, among=KEPT)
