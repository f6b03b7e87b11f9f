"""Rooms: what clients may ask for, where several play on several screens."""

# fmt: off
# A line a key, however long.

from cleaver.design.keys import KeyTable, key
from cleaver.design.models.values import Choice, Number

ASKS = ("take", "exchange", "wear", "take_off", "accept", "turn_in", "abandon", "talk")
"""What a player does for itself; the rest comes from the server's own code."""
MORE_ASKS = ("use", "end_turn")
"""What it may do where the design says so."""


class Rooms(KeyTable):
    """What a client may ask for itself, and how often."""

    allow: tuple[Choice, ...] = key("what a client may ask for itself", '["take", "exchange", "accept", "turn_in", "abandon", "talk"]', default=ASKS, among=ASKS + MORE_ASKS)
    rate: Number = key("how many times a second it may ask, for a while", "20", default=20.0, gt=0, le=1_000)
