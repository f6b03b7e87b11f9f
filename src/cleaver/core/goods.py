"""Goods: money and items, who holds how many, and the books.

Whole numbers only. Every change goes through a ledger that adds up a whole list
of gains and losses before any happens: what leaves first, then whether what
arrives fits. Each change is booked with its reason, so that what is held always
equals what came less what went. Knows nothing of shops or pickups.
Start at `Goods.settle`.
"""

from __future__ import annotations

from cleaver.core.body import Body
from cleaver.core.kinds import MOST, Effect, Scope, amount_of
from cleaver.core.record import Record
from cleaver.core.results import ChangeResult
from cleaver.core.stage import Stage
from cleaver.errors import AmountError, UnknownNameError
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

MONEY, ITEM = "currency", "item"


class Holding(Record):
    """What one holder has: money by currency, things by item, the size of its bag (-1: as its kind says)."""

    __slots__ = ("bag", "items", "purse")
    purse: dict[str, int]
    items: dict[str, int]
    bag: int

    def __init__(self) -> None:
        self.purse, self.items, self.bag = {}, {}, -1


class Entry(Record):
    """One line of the books, summed: how much of a good came and went for one reason, how often, and when last."""

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


class GoodsTable(Record):
    """The state of this room."""

    __slots__ = ("books", "held")
    held: dict[str, Holding]
    books: dict[str, Entry]

    def __init__(self) -> None:
        self.held, self.books = {}, {}


class Move:
    """One gain (+) or loss (−) of a good that a ledger holds; `over` is what did not fit."""

    __slots__ = ("amount", "body", "name", "over", "position", "reason", "source", "what")

    def __init__(self, body: Body, what: str, name: str, amount: int, reason: str, source: str = "", position: int = -1) -> None:
        self.body, self.what, self.name, self.amount, self.reason, self.source, self.position = body, what, name, amount, reason, source, position
        self.over = 0


class Ledger:
    """Gains and losses that happen together or not at all. With `split`, an item that fits in part is taken in part."""

    __slots__ = ("moves", "split")

    def __init__(self) -> None:
        self.moves: list[Move] = []
        self.split = False


class Goods:
    """Money and items of one world."""

    def __init__(self, stage: Stage) -> None:
        self.stage = stage
        self.table = GoodsTable()
        self.verbs = {"earn": (MONEY, 1), "spend": (MONEY, -1), "give": (ITEM, 1), "remove": (ITEM, -1)}
        for verb in self.verbs:
            stage.verbs[verb] = (_never, _never)
        stage.readable[MONEY] = lambda body, name, part: self.money(body, name)
        stage.readable[ITEM] = lambda body, name, part: self.count(body, name)
        stage.readable["bag"] = self._read_bag

    def holding(self, body: Body) -> Holding:
        """Return what a body holds, to be changed by this room only."""
        found = self.table.held.get(body.id)
        if found is None:
            found = self.table.held[body.id] = Holding()
        return found

    def start(self, body: Body) -> None:
        """Give a player who was never saved the starting amounts, booked as "start", without a fact."""
        for name, (start, _) in self.stage.kinds.currencies.items():
            if start:
                self.holding(body).purse[name] = start
                self.book(body.id, name, start, "start")

    # reading

    def known(self, what: str, name: str) -> None:
        """Raise where the design has no such currency or item."""
        known = self.stage.kinds.currencies if what == MONEY else self.stage.kinds.items
        if name not in known:
            raise UnknownNameError(what, name, tuple(known))

    def money(self, body: Body, name: str) -> int:
        """Return how much of a currency a body has."""
        held = self.table.held.get(body.id)
        return held.purse.get(name, 0) if held is not None else 0

    def count(self, body: Body, name: str) -> int:
        """Return how many of an item a body holds."""
        held = self.table.held.get(body.id)
        return held.items.get(name, 0) if held is not None else 0

    def bag_most(self, body: Body) -> int:
        """Return how much fits into a body's bag; -1 for no limit."""
        held = self.table.held.get(body.id)
        if held is not None and held.bag >= 0:
            return held.bag
        return -1 if body._kind.bag is None else body._kind.bag

    def bag_used(self, body: Body) -> int:
        """Return how much of a body's bag is taken, by the sizes of what it holds."""
        held = self.table.held.get(body.id)
        items = self.stage.kinds.items
        return sum(number * items[name][1] for name, number in held.items.items() if name in items) if held is not None else 0

    def _read_bag(self, body: Body, name: str, part: str) -> int:
        used, most = self.bag_used(body), self.bag_most(body)
        if part == "used":
            return used
        return MOST if most < 0 else most if part == "most" else max(most - used, 0)

    # ledgers

    def draft(self, ledger: Ledger, scope: Scope, effect: Effect, body: Body, position: int) -> None:
        """Add what an effect of goods would move to a ledger."""
        what, sign = self.verbs[effect.verb]
        self.known(what, effect.operand)
        amount = half_up(amount_of(effect.beside.get("amount", 1), scope))
        source = scope.source if body is scope.me else scope.me
        ledger.moves.append(Move(body, what, effect.operand, sign * amount, scope.reason or scope.place, source.id if source is not None else scope.credit,
                                 position))

    def settle(self, ledger: Ledger, reasons: list[str] | None = None) -> str:
        """Work out whether all of a ledger can move; returns the refusal or "".

        What leaves is taken first; money beyond its most is cut, an item that does not fit refuses the whole (or is
        cut, where the ledger may be split). *reasons* gets the reason of each move that would change nothing.
        """
        left: dict[tuple[str, str], int] = {}
        room: dict[str, int] = {}
        items = self.stage.kinds.items

        def have(move: Move) -> int:
            key = (move.body.id, move.name)
            if key not in left:
                left[key] = self.money(move.body, move.name) if move.what == MONEY else self.count(move.body, move.name)
            return left[key]

        def space(body: Body) -> int:
            if body.id not in room:
                most = self.bag_most(body)
                room[body.id] = MOST if most < 0 else most - self.bag_used(body)
            return room[body.id]

        for move in sorted(ledger.moves, key=lambda move: move.amount > 0):
            held = have(move)
            size = items[move.name][1] if move.what == ITEM else 0
            if move.amount < 0:
                if held + move.amount < 0:
                    return "too_poor"
                fits = move.amount
            else:
                most = items[move.name][0] if move.what == ITEM else self.stage.kinds.currencies[move.name][1]
                fits = min(move.amount, max((MOST if most is None else most) - held, 0))
                reason = "most" if fits < move.amount else ""
                if size and fits * size > max(space(move.body), 0):
                    fits, reason = max(space(move.body), 0) // size, "full"
                if move.what == ITEM and fits < move.amount and (not ledger.split or fits == 0):
                    return reason
                if reasons is not None and move.position >= 0 and fits == 0:
                    reasons[move.position] = reason or "no_change"
            move.over = move.amount - fits
            left[move.body.id, move.name] = held + fits
            if size:
                room[move.body.id] = space(move.body) - fits * size
        return ""

    def commit(self, ledger: Ledger, *, leaving: bool) -> None:
        """Do the losses or the gains of a ledger that was settled, each told and booked."""
        for move in ledger.moves:
            if (move.amount < 0) == leaving and move.amount != move.over:
                self._change(move, move.amount - move.over)

    def _change(self, move: Move, amount: int) -> None:
        body, name = move.body, move.name
        held = self.holding(body)
        shelf = held.purse if move.what == MONEY else held.items
        now = shelf[name] = shelf.get(name, 0) + amount
        self.book(body.id, name, amount, move.reason)
        emit = self.stage.emit
        if move.what == ITEM:
            emit("gained" if amount > 0 else "lost", body.id, move.source, (name, abs(amount), move.reason, now))
        elif amount > 0:
            emit("earned", body.id, move.source, (name, amount, move.reason, now, move.over))
        else:
            emit("spent", body.id, move.source, (name, -amount, move.reason, now))

    def book(self, holder: str, good: str, amount: int, reason: str) -> None:
        """Write a gain or loss into the books."""
        key = f"{good}/{holder}/{reason}"
        entry = self.table.books.get(key)
        if entry is None:
            entry = self.table.books[key] = Entry(good, holder, reason)
        if amount > 0:
            entry.came += amount
        else:
            entry.went -= amount
        entry.times += 1
        entry.last = self.stage.clock.now

    # commands

    def change(self, body: Body, verb: str, name: str, amount: Any, reason: str) -> ChangeResult:
        """Earn, spend, give or remove by the host's hand."""
        what, sign = self.verbs[verb]
        self.known(what, name)
        if isinstance(amount, bool) or not isinstance(amount, int) or not 0 <= amount <= MOST:
            raise AmountError(f"the amount of {name} to {verb}", amount, f"a whole number from 0 to {MOST}")
        ledger = Ledger()
        move = Move(body, what, name, sign * amount, reason)
        ledger.moves.append(move)
        reasons = [""]
        move.position = 0
        refused = self.settle(ledger, reasons)
        if refused or reasons[0] not in ("", "no_change"):
            return ChangeResult(refused or reasons[0], over=amount if verb in ("earn", "give") else 0)
        self.commit(ledger, leaving=True)
        self.commit(ledger, leaving=False)
        return ChangeResult("", amount - move.over, move.over)


def _never(*arguments: Any) -> Any:
    raise AssertionError("goods move through the ledger")
