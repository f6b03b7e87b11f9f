"""Rooms: one world, many screens. What each viewer may see, as bytes; what clients may ask for; a replica of
the world at the client. Without a network of its own. Start at `Room`.
"""

from cleaver.rooms.asking import Reply
from cleaver.rooms.replica import Replica
from cleaver.rooms.room import Room

__all__ = ["Replica", "Reply", "Room"]
