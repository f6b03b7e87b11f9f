"""Goods: money and items, who holds how many, and the books.

Whole numbers only. Every change goes through a ledger that adds up a whole list of gains and losses before
any happens: what leaves first, then whether what arrives fits. Each change is booked with its reason, so that
what is held always equals what came less what went. Knows nothing of shops or pickups. Start at
`Goods.settle`.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import MOST, Effect, amount_of, whole_amount
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import ChangeResult
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Reaction, Stage
from cleaver.core.kernel.state import Record
from cleaver.errors import AmountError, SnapshotError, UnknownNameError, UsageError
from cleaver.rounding import half_up

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Container, Iterable
    from typing import Any

    from cleaver.core.goods.kinds import GoodsKinds
    from cleaver.core.kernel.actor_kinds import ActorKind
    from cleaver.core.kernel.crossing import Crossing
    from cleaver.literals import Blocked
else:
    Any = object

MONEY, ITEM = "currency", "item"
LEFT = "left"
"""What the books of those who have left are summed under, with no holder."""
MOST_REASONS = 1_000  # of the host's own, in one world
LONGEST_REASON = 100  # letters
Told = dict[tuple[str, str, str, bool], list[int]]
"""What many moves are told as: how much, and what did not fit, by good, holder, reason and whether it
comes."""


class Holding(Record):
    """What one holder has: money by currency, things by item, the size of its bag (-1: as its kind says)."""

    __slots__ = ("bag", "items", "purse")
    purse: dict[str, int]
    items: dict[str, int]
    bag: int

    def __init__(self) -> None:
        self.purse, self.items, self.bag = {}, {}, -1


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


class Goods(Part):
    """Money and items of one world."""

    stage: Stage
    kinds: GoodsKinds
    table: GoodsTable
    verbs: dict[str, tuple[str, int]]

    name = "goods"

    def __init__(self, stage: Stage, kinds: GoodsKinds) -> None:
        self.stage, self.kinds = stage, kinds
        self.table = GoodsTable()
        self.overlay: Ledger | None = (
            # What holders would have after moves that are being worked out: read in place of what they have
            None
        )
        self.journal: deque[tuple[int, str, str, int, str]] = deque(
            maxlen=stage.history.maxlen
        )  # time, holder, good, amount, reason; not state
        stage.verbs["raise_bag"] = (self._prepare_raise, self._commit_raise)
        self.verbs = {"earn": (MONEY, 1), "spend": (MONEY, -1), "give": (ITEM, 1), "remove": (ITEM, -1)}
        for verb in self.verbs:
            stage.verbs[verb] = (_never, _never)
        stage.readable[MONEY] = lambda body, name, part: self.money(body, name)
        stage.readable[ITEM] = lambda body, name, part: self.count(body, name)
        stage.readable["bag"] = self._read_bag

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (
            Keeper("currencies", self.money_kept, self.money_back, of_players=False, known=self._currencies),
            Keeper("items", self.items_kept, self.items_back, of_players=False, known=self._items),
            Keeper("owed", self.owed_kept, self.owed_back, "items", known=self._items),
        )

    def _currencies(self, kind: ActorKind) -> Container[str]:
        return self.kinds.currencies

    def _items(self, kind: ActorKind) -> Container[str]:
        return self.kinds.items

    def relink(self) -> None:
        """See `Part`: nobody has less than nothing."""
        for holder, held in self.table.held.items():
            for name, amount in (*held.purse.items(), *held.items.items()):
                if amount < 0 or not self._is_good(name):
                    raise SnapshotError(f"{holder} has {amount} {name} in the snapshot, which nobody can have")
        for entry in self.table.books.values():
            if min(entry.came, entry.went, entry.times, entry.last) < 0:
                raise SnapshotError(f"the books of {entry.good} in the snapshot have less than nothing")

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: of goods that are not there any more nobody has any, and nothing is in the books."""
        if crossing.same_names:
            return
        currencies, items = self.kinds.currencies, self.kinds.items
        for holder, held in self.table.held.items():
            for mine, known, told in ((held.purse, currencies, "spent"), (held.items, items, "lost")):
                for name in [name for name in mine if name not in known]:
                    amount = mine.pop(name)
                    if amount:
                        crossing.told.append((told, holder, (name, amount, "adopted", 0)))
        for player, debts in list(self.table.owed.items()):
            left = [debt for debt in debts if debt.item in items]
            self.table.owed[player] = left
            if not left:
                del self.table.owed[player]
        for key in [key for key, entry in self.table.books.items() if not self._is_good(entry.good)]:
            del self.table.books[key]

    def _is_good(self, name: str) -> bool:
        return name in self.kinds.currencies or name in self.kinds.items

    def go_on(self, crossing: Crossing) -> None:
        """See `Part`: of a currency that is new everybody has what one starts with."""
        new = [name for name in self.kinds.currencies if name not in crossing.old.known.currencies]
        for body in self.stage.players.values():
            for name in new:
                kind, holder = self.kinds.currencies[name], self.holder(body, name)
                if (
                    kind.start
                    and name not in self._holding(holder).purse
                    and name not in crossing.comes_back(body, "currencies")
                ):
                    self.put(holder, name, kind.start, "start")

    def remember(self) -> Any:
        """See `Part`: the purses that teams share."""
        teams = map(team_holder, self.stage.kinds.teams)
        return {holder: self.table.held[holder].purse for holder in teams if holder in self.table.held}

    def put_back(self, data: Any) -> None:
        """See `Part`."""
        for holder in map(team_holder, self.stage.kinds.teams):
            now, then = self._holding(holder).purse, data.get(holder, {})
            for name in {**now, **then}:
                if now.get(name, 0) != then.get(name, 0):
                    self.put(holder, name, then.get(name, 0), self.stage.told_why)

    def _holding(self, holder: str) -> Holding:
        found = self.table.held.get(holder)
        if found is None:
            found = self.table.held[holder] = Holding()
        return found

    def holder(self, body: Body, currency: str) -> str:
        """Return whose purse a currency of a body is in: its own, or its team's where the currency is
        pooled."""
        return team_holder(body.team) if body.team and self.kinds.currencies[currency].pooled else body.id

    def start(self, body: Body, *, saved: bool) -> None:
        """Give a player the starting amounts of what its profile, if it was *saved*, does not know, booked as
        "start", without an event; a pooled one comes once a team, and to who was never saved."""
        for name, kind in self.kinds.currencies.items():
            holder = self.holder(body, name)
            held = self.table.held.get(holder)
            known = held is not None and name in held.purse
            if kind.start and not known and not (saved and kind.pooled and holder == body.id):
                self.put(holder, name, kind.start, "start")

    def put(self, holder: str, name: str, amount: int, reason: str) -> None:
        """Let a holder have that much of a currency, booked, without an event."""
        purse = self._holding(holder).purse
        self.book(holder, name, amount - purse.get(name, 0), reason)
        purse[name] = amount

    def forget(self, body: Body) -> None:
        """Drop what is kept of somebody who goes; of the books a sum per good stays, with all others who
        left."""
        self.table.owed.pop(body.id, None)
        if self.table.held.pop(body.id, None) is None:
            return  # it never held anything, so nothing was booked
        books = self.table.books
        for key in [key for key, entry in books.items() if entry.holder == body.id]:
            entry = books.pop(key)
            gone = books.setdefault(f"{entry.good}//{LEFT}", Entry(entry.good, "", LEFT))
            gone.came += entry.came
            gone.went += entry.went
            gone.times += entry.times
            gone.last = max(gone.last, entry.last)

    def bring(self, holder: str, good: str, amount: int) -> None:
        """Book what a player brings along: out of the sum of those who left, as far as that goes, so that
        coming back is no new income."""
        gone = self.table.books.get(f"{good}//{LEFT}")
        if gone is not None:
            back = min(amount, gone.came - gone.went)
            gone.came -= back
        self.book(holder, good, amount, "saved")

    # reading

    def known(self, what: str, name: str) -> None:
        """Raise where the design has no such currency or item."""
        known = self.kinds.currencies if what == MONEY else self.kinds.items
        if name not in known:
            raise UnknownNameError(what, name, tuple(known))

    def money(self, body: Body, name: str) -> int:
        """Return how much of a currency a body has."""
        holder = self.holder(body, name)
        if self.overlay is not None and (holder, name) in self.overlay.left:
            return self.overlay.left[holder, name]
        held = self.table.held.get(holder)
        return held.purse.get(name, 0) if held is not None else 0

    def sharers(self, body: Body, currency: str) -> list[Body]:
        """Return those whose purse of a currency is that of a body, itself included."""
        if body.team and currency in self.kinds.currencies and self.kinds.currencies[currency].pooled:
            return [other for other in self.stage.actors.values() if other.team == body.team]
        return [body]

    def team_money(self, team: str, name: str) -> int:
        """Return how much of a pooled currency a team has."""
        held = self.table.held.get(team_holder(team))
        return held.purse.get(name, 0) if held is not None else 0

    def count(self, body: Body, name: str) -> int:
        """Return how many of an item a body holds."""
        if self.overlay is not None and (body.id, name) in self.overlay.left:
            return self.overlay.left[body.id, name]
        held = self.table.held.get(body.id)
        return held.items.get(name, 0) if held is not None else 0

    def of(self, body: Body, good: str) -> int:
        """Return how much of a good, money or item, a body has."""
        return self.money(body, good) if good in self.kinds.currencies else self.count(body, good)

    def bag_most(self, body: Body) -> int:
        """Return how much fits into a body's bag; -1 for no limit."""
        held = self.table.held.get(body.id)
        if held is not None and held.bag >= 0:
            return held.bag
        return -1 if body.kind.bag is None else body.kind.bag

    def bag_used(self, body: Body) -> int:
        """Return how much of a body's bag is taken, by the sizes of what it holds."""
        if self.overlay is not None and body.id in self.overlay.room:
            return max(self.bag_most(body), 0) - self.overlay.room[body.id] if self.bag_most(body) >= 0 else 0
        held = self.table.held.get(body.id)
        items = self.kinds.items
        return (
            sum(number * items[name][1] for name, number in held.items.items() if name in items)
            if held is not None
            else 0
        )

    def _read_bag(self, body: Body, name: str, part: str) -> int:
        used, most = self.bag_used(body), self.bag_most(body)
        if part == "used":
            return used
        if most < 0:
            return MOST
        return most if part == "most" else max(most - used, 0)

    # what outlives the session

    def money_kept(self, body: Body) -> dict[str, Any]:
        """Return a player's own money, to be saved. What its team has in common is the team's; of a pooled
        currency that is what it had without a team."""
        held = self.table.held.get(body.id)
        own = {} if held is None else held.purse
        return {
            name: own.get(name, 0) for name, kind in self.kinds.currencies.items() if not kind.pooled or name in own
        }

    def money_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player have the money that was saved, and of a currency that never was what one starts with,
        or nothing where it is pooled; returns those that are unknown."""
        purse = self._holding(body.id).purse
        for name, kind in self.kinds.currencies.items():
            if kind.pooled and name not in data:
                self._become(body, MONEY, name, 0, told)
                purse.pop(name, None)
            elif told or name in data:
                self._become(body, MONEY, name, data.pop(name, kind.start), told)
        return data

    def beyond(self, sections: Mapping[str, Any]) -> tuple[str, int, int] | None:
        """Return the first amount in the sections of a profile that is beyond what the design lets one have:
        (path, amount, most)."""
        limits = (
            ("currencies", {name: kind.most for name, kind in self.kinds.currencies.items()}),
            ("items", {name: most for name, (most, _) in self.kinds.items.items()}),
        )
        for section, mosts in limits:
            for name, amount in sections.get(section, {}).items():
                most = mosts.get(name)
                if most is not None and amount > most:
                    return f"{section}.{name}", amount, most
        return None

    def items_kept(self, body: Body) -> dict[str, Any]:
        """Return the items a body holds, and the size of its bag where it was changed, to be saved."""
        held = self.table.held.get(body.id)
        if held is None:
            return {}
        kept: dict[str, Any] = {name: count for name, count in held.items.items() if count}
        return kept | ({"bag size": held.bag} if held.bag >= 0 else {})

    def items_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a body hold the items that were saved and no others; returns those that are unknown."""
        self._holding(body.id).bag = data.pop("bag size", -1)
        for name in self.kinds.items:
            self._become(body, ITEM, name, data.pop(name, 0), told)
        return data

    def owed_kept(self, body: Body) -> dict[str, Any]:
        """Return what a player is owed, to be saved: by item, how many for which reason, in order."""
        kept: dict[str, Any] = {}
        for number, debt in enumerate(self.table.owed.get(body.id, ())):
            kept.setdefault(debt.item, []).append([number, debt.amount, debt.reason])
        return kept

    def owed_back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let a player be owed what was saved; returns items that are unknown."""
        known = [
            (place, name, amount, reason) for name in self.kinds.items for place, amount, reason in data.pop(name, ())
        ]
        self.table.owed.pop(body.id, None)
        if known:
            self.table.owed[body.id] = [Debt(name, amount, reason) for _, name, amount, reason in sorted(known)]
        return data

    def _become(self, body: Body, what: str, name: str, amount: int, told: bool) -> None:
        """Let a body have exactly *amount* of a good; *told*: report it, with the reason why it is only
        told."""
        held = self._holding(body.id)
        now = (held.purse if what == MONEY else held.items).get(name, 0)
        if told and amount != now:
            move = Move(body, what, name, amount - now, self.stage.told_why)
            self._tell(move, move.amount, 0, self._shift(move, move.amount, body.id))
        elif not told:
            if what == MONEY:
                held.purse[name] = amount
            elif amount:
                held.items[name] = amount
            if amount:
                self.bring(body.id, name, amount)

    # ledgers

    @staticmethod
    def ledger() -> Ledger:
        """Return a new ledger: gains and losses that are worked out together."""
        return Ledger()

    def amount(self, effect: Effect, scope: Scope) -> int:
        """Return how much an effect of goods moves."""
        return whole_amount(effect.beside.get("amount", 1), scope)

    def draft(self, ledger: Ledger, scope: Scope, effect: Effect, body: Body, amount: int, position: int) -> Move:
        """Add what an effect of goods would move to a ledger."""
        what, sign = self.verbs[effect.verb]
        source = scope.source if body is scope.me else scope.me
        move = Move(
            body,
            what,
            effect.operand,
            sign * amount,
            scope.reason or scope.place,
            source.id if source is not None else scope.credit,
            position,
        )
        ledger.moves.append(move)
        return move

    def follow(self, scope: Scope, effect: Effect, body: Body, amount: int, *, owed: bool) -> bool:
        """Do one effect of goods of a list that follows from an event; returns False for a cost that cannot
        be paid.

        What of an item does not fit is owed to a player, or told as missed.
        """
        ledger = Ledger()
        ledger.split = True
        move = self.draft(ledger, scope, effect, body, amount, 0)
        if self.settle(ledger):
            return False
        self.move(ledger.moves)
        if move.what == ITEM and 0 < move.over <= MOST:
            if owed and body.kind.player:
                self.owe(body, move.name, move.over, move.reason)
                self.stage.emit("owed", body.id, move.source, (move.name, move.over, move.reason))
            else:
                self.stage.emit("missed", body.id, move.source, (move.name, move.over, move.reason))
        return True

    def owe(self, body: Body, item: str, amount: int, reason: str) -> None:
        """Keep for a player what it has earned and has no room for."""
        debts = self.table.owed.setdefault(body.id, [])
        for debt in debts:
            if (debt.item, debt.reason) == (item, reason):
                debt.amount = min(debt.amount + amount, MOST)
                return
        debts.append(Debt(item, amount, reason))

    def pay_debts(self, body: Body) -> None:
        """Give a player what it is owed, in order, as far as it fits now."""
        debts = self.table.owed.get(body.id)
        for debt in tuple(debts or ()):
            ledger = self.split_gain(body, {debt.item: debt.amount}, debt.reason)
            self.settle(ledger)
            debt.amount = ledger.moves[0].over
            self.move(ledger.moves)
        if debts:
            self.table.owed[body.id] = [debt for debt in debts if debt.amount]
            if not self.table.owed[body.id]:
                del self.table.owed[body.id]

    def plan(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan the payment of what is owed: when something was lost, or a bag has grown."""
        return [("", self._room_made)] if name in ("lost", "adjusted") and self.kinds.items else []

    def _room_made(self, event: Event) -> None:
        body = self.stage.players.get(event.actor)
        if body is not None and event.actor in self.table.owed:
            self.pay_debts(body)

    def settle(self, ledger: Ledger, reasons: list[Blocked] | None = None) -> Blocked:
        """Work out whether all of a ledger can move; returns the refusal or "".

        What leaves is taken first; money beyond its most is cut, an item that does not fit refuses the whole
        (or is cut, where the ledger may be split). *reasons* gets the reason of each move that would change
        nothing.
        """
        self.begin(ledger)
        for move in in_turn(ledger.moves):
            refused = self._settle(ledger, move, reasons)
            if refused:
                return refused
        return ""

    @staticmethod
    def split_gain(body: Body, items: Mapping[str, int], reason: str) -> Ledger:
        """Return a ledger of items that a body gains, as far as they fit."""
        ledger = Ledger()
        ledger.split = True
        ledger.moves = [Move(body, ITEM, name, amount, reason) for name, amount in items.items()]
        return ledger

    @staticmethod
    def left_over(ledger: Ledger) -> dict[str, int]:
        """Return what of the items of a ledger that was settled did not fit, by name."""
        found: dict[str, int] = {}
        for move in ledger.moves:
            if move.what == ITEM and move.over:
                found[move.name] = found.get(move.name, 0) + move.over
        return found

    def take_over(self, ledger: Ledger) -> None:
        """Let holders have what a ledger leaves them."""
        for (holder, name), amount in ledger.left.items():
            held = self._holding(holder)
            (held.purse if name in self.kinds.currencies else held.items)[name] = amount

    def begin(self, ledger: Ledger) -> None:
        """Let a ledger start from what its holders have now."""
        ledger.left, ledger.room = {}, {}

    def try_more(self, ledger: Ledger, moves: list[Move]) -> Blocked:
        """Add moves to a ledger if all of them can follow on what it holds; returns the refusal, and leaves
        it as it was."""
        left, room = dict(ledger.left), dict(ledger.room)
        for move in in_turn(moves):
            refused = self._settle(ledger, move, None)
            if refused:
                ledger.left, ledger.room = left, room
                return refused
        ledger.moves += moves
        return ""

    def _settle(self, ledger: Ledger, move: Move, reasons: list[Blocked] | None) -> Blocked:
        """Work out one move after those before it; returns the refusal of the whole or ""."""
        body, name = move.body, move.name
        key = (self.holder(body, name) if move.what == MONEY else body.id, name)
        if key not in ledger.left:
            ledger.left[key] = self.money(body, name) if move.what == MONEY else self.count(body, name)
        held = ledger.left[key]
        most, size = self.kinds.items[name] if move.what == ITEM else (self.kinds.currencies[name].most, 0)
        if size and body.id not in ledger.room:
            whole = self.bag_most(body)
            ledger.room[body.id] = MOST if whole < 0 else whole - self.bag_used(body)
        if move.amount < 0:
            if held + move.amount < 0:
                return "too_poor"
            fits = move.amount
        else:
            fits = min(move.amount, max((MOST if most is None else most) - held, 0))
            if move.amount > MOST:  # more than anything can be: nothing of it comes
                fits = 0
            reason: Blocked = "most" if fits < move.amount else ""
            room = max(ledger.room[body.id], 0) // size if size else move.amount
            if room < move.amount:
                fits, reason = min(fits, room), reason if reason and ledger.most_first else "full"
            if fits < move.amount and (move.strict or (move.what == ITEM and not ledger.split)):
                return reason
            if reasons is not None and move.position >= 0 and fits == 0:
                reasons[move.position] = reason or "no_change"
        move.over = move.amount - fits
        ledger.left[key] = held + fits
        if size:
            ledger.room[body.id] -= fits * size
        return ""

    def move(self, moves: Iterable[Move], told: Told | None = None) -> None:
        """Do moves that were settled, what leaves before what arrives, each booked and told.

        With *told*, what moves is reported as the sums that it holds, each where the first of it happens.
        """
        for move in in_turn(moves):
            amount = move.amount - move.over
            if amount:
                now = self._shift(move, amount)
                whole, over = [amount, move.over] if told is None else told.pop(move.key, (0, 0))
                if whole:
                    self._tell(move, whole, over, now - amount + whole)

    @staticmethod
    def sums(moves: Iterable[Move]) -> Told | None:
        """Return what each good comes or goes in all; None where one both comes and goes, which is reported
        move by move."""
        found: Told = {}
        for move in moves:
            told = found.setdefault(move.key, [0, 0])
            told[0], told[1] = told[0] + move.amount - move.over, told[1] + move.over
        ways = {(name, body, comes) for name, body, _, comes in found}
        return None if any((name, body, not comes) in ways for name, body, comes in ways) else found

    def _shift(self, move: Move, amount: int, holder: str = "") -> int:
        """Let a holder, where none is given that of the move, have so much more or less, booked; returns
        what it has then."""
        holder = holder or (self.holder(move.body, move.name) if move.what == MONEY else move.body.id)
        held = self._holding(holder)
        shelf = held.purse if move.what == MONEY else held.items
        now = shelf[move.name] = shelf.get(move.name, 0) + amount
        self.book(holder, move.name, amount, move.reason)
        return now

    def _tell(self, move: Move, amount: int, over: int, now: int) -> None:
        body, name, emit = move.body, move.name, self.stage.emit
        if move.what == ITEM:
            emit("gained" if amount > 0 else "lost", body.id, move.source, (name, abs(amount), move.reason, now))
        elif amount > 0:
            emit("earned", body.id, move.source, (name, amount, move.reason, now, over))
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
        self.journal.append((entry.last, holder, good, amount, reason))

    def resize(self, body: Body, most: int) -> ChangeResult:
        """Let a body's bag hold *most*; what it holds already stays, also where it is more."""
        before = self.bag_most(body)
        if before == most:
            return ChangeResult("no_change")
        self._holding(body.id).bag = most
        self.stage.emit("adjusted", body.id, "", ("bag", "max", max(before, 0), most))
        return ChangeResult("", most - max(before, 0))

    def _prepare_raise(self, scope: Scope, effect: Effect, body: Body) -> tuple[Any, Blocked]:
        amount = half_up(amount_of(effect.operand, scope))
        return amount, "no_change" if not amount or self.bag_most(body) < 0 else ""

    def _commit_raise(self, scope: Scope, effect: Effect, body: Body, amount: Any) -> None:
        if amount and self.bag_most(body) >= 0:  # a bag without an end cannot grow
            self.resize(body, min(self.bag_most(body) + amount, MOST))

    def pay(self, body: Body, name: str, amount: int, reason: str, source: str) -> None:
        """Earn a constant amount by a pulse, the short way: the same as a ledger of one move."""
        kind = self.kinds.currencies[name]
        holder = team_holder(body.team) if kind.pooled and body.team else body.id
        purse = self._holding(holder).purse
        held = purse.get(name, 0)
        most = MOST if kind.most is None else kind.most
        paid = amount if held + amount <= most else most - held
        if paid > 0:
            purse[name] = now = held + paid
            self.book(holder, name, paid, reason)
            self.stage.emit("earned", body.id, source, (name, paid, reason, now, amount - paid))

    # commands

    def change(self, body: Body, verb: str, name: str, amount: Any, reason: str) -> ChangeResult:
        """Earn, spend, give or remove by the host's hand."""
        what, sign = self.verbs[verb]
        self.known(what, name)
        if isinstance(amount, bool) or not isinstance(amount, int) or not 0 <= amount <= MOST:
            raise AmountError(f"the amount of {name} to {verb}", amount, f"a whole number from 0 to {MOST}")
        if reason not in (verb, *self.table.reasons):
            if not 0 < len(reason) <= LONGEST_REASON or not reason.isprintable():
                raise AmountError("the reason", reason, f"a printable text of 1 to {LONGEST_REASON} letters")
            if len(self.table.reasons) >= MOST_REASONS:
                raise UsageError(
                    f"there are {MOST_REASONS:,} different reasons in the books already; use one of them "
                    "again (a reason names a source, such as "
                    "'quest', not each single gain)"
                )
            self.table.reasons[reason] = 1
        ledger = Ledger()
        ledger.most_first = True
        move = Move(body, what, name, sign * amount, reason)
        ledger.moves.append(move)
        reasons: list[Blocked] = [""]
        move.position = 0
        refused = self.settle(ledger, reasons)
        if refused or reasons[0] not in ("", "no_change"):
            return ChangeResult(refused or reasons[0], over=amount if verb in ("earn", "give") else 0)
        self.move(ledger.moves)
        return ChangeResult("", amount - move.over, move.over)


def in_turn(moves: Iterable[Move]) -> list[Move]:
    """Return moves as they happen: what leaves before what arrives."""
    return sorted(moves, key=lambda move: move.amount > 0)


def team_holder(team: str) -> str:
    """Return the name under which a team's purse is kept; no actor can have it."""
    return f"team {team}"


def _never(*arguments: Any) -> Any:
    raise AssertionError("goods move through the ledger")
