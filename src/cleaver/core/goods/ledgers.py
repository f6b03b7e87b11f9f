"""Ledgers: the state of goods, and moves that are worked out before they are made. Start at `Ledger`."""

from __future__ import annotations

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.state import Record

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

else:
    Any = object

MONEY, ITEM = "currency", "item"


class Holding(Record):
    """What one holder has: money by currency, things by item."""

    __slots__ = ("items", "purse")
    purse: dict[str, int]
    items: dict[str, int]

    def __init__(self) -> None:
        self.purse, self.items = {}, {}


class Entry(Record):
    """One line of the books, summed: how much of a good came and went for one reason, how often, and when
    last."""

    __slots__ = ("came", "good", "holder", "last", "reason", "times", "went")
    good: str
    holder: str
    reason: str
    came: int
    went: int
    times: int
    last: int

    def __init__(self, good: str, holder: str, reason: str) -> None:
        self.good, self.holder, self.reason = good, holder, reason
        self.came = self.went = self.times = self.last = 0


class Debt(Record):
    """Something a player has earned and had no room for: so many of an item, and for what."""

    __slots__ = ("amount", "item", "reason")
    item: str
    amount: int
    reason: str

    def __init__(self, item: str, amount: int, reason: str) -> None:
        self.item, self.amount, self.reason = item, amount, reason


class GoodsTable(Record):
    """The state of this part: what is held, what is owed to players, in order, and the books."""

    __slots__ = ("books", "held", "owed", "reasons")
    reasons: dict[str, int]
    held: dict[str, Holding]
    owed: dict[str, list[Debt]]
    books: dict[str, Entry]

    def __init__(self) -> None:
        self.held, self.owed, self.books, self.reasons = {}, {}, {}, {}


class Move:
    """One gain (+) or loss (−) of a good that a ledger holds; `over` is what did not fit. A `strict` one
    refuses the whole where not all of it fits."""

    __slots__ = ("amount", "body", "name", "over", "position", "reason", "source", "strict", "what")
    body: Body
    what: str
    name: str
    amount: int
    reason: str
    source: str
    position: int
    over: int
    strict: bool

    def __init__(
        self, body: Body, what: str, name: str, amount: int, reason: str, source: str = "", position: int = -1
    ) -> None:
        self.body, self.what, self.name, self.amount, self.reason, self.source, self.position = (
            body,
            what,
            name,
            amount,
            reason,
            source,
            position,
        )
        self.over = 0
        self.strict = False

    def of(self, body: Body) -> Move:
        """Return the same for another body."""
        made = Move(body, self.what, self.name, self.amount, self.reason, self.source, self.position)
        made.over, made.strict = self.over, self.strict
        return made

    @property
    def key(self) -> tuple[str, str, str, bool]:
        """What moves that are told as one have in common."""
        return self.name, self.body.id, self.reason, self.amount > 0


class Ledger:
    """Gains and losses that happen together or not at all. With `split`, an item that fits in part is taken
    in part. `left` and `room` are what a holder would have after the moves so far."""

    __slots__ = ("left", "most_first", "moves", "room", "split")
    split: bool
    most_first: bool
    """Whether `most` is named where both it and a full bag refuse."""

    def __init__(self) -> None:
        self.moves: list[Move] = []
        self.split = self.most_first = False
        self.left: dict[tuple[str, str], int] = {}
        self.room: dict[str, int] = {}
