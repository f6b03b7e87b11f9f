"""Goods: money and items, who holds how many, and the books.

Whole numbers only. Every change goes through a ledger that adds up a whole list of gains and losses before
any happens: what leaves first, then whether what arrives fits. Each change is booked with its reason, so that
what is held always equals what came less what went. Knows nothing of shops or pickups. Start at
`Goods.settle`.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping

from cleaver.core.goods.bags import Bags
from cleaver.core.goods.debts import Debts
from cleaver.core.goods.keeping import GoodsKept
from cleaver.core.goods.ledgers import ITEM, MONEY, Entry, GoodsTable, Holding, Ledger, Move
from cleaver.core.kernel.body import Body
from cleaver.core.kernel.expressions import MOST, BoundEffect, whole_amount
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import ChangeResult
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.stats.account import Stats
from cleaver.errors import AmountError, SnapshotError, UnknownNameError, UsageError

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

LEFT = "left"
"""What the books of those who have left are summed under, with no holder."""
MOST_REASONS = 1_000  # of the host's own, in one world
LONGEST_REASON = 100  # letters
Told = dict[tuple[str, str, str, bool], list[int]]
"""What many moves are told as: how much, and what did not fit, by good, holder, reason and whether it
comes."""


class Goods(Part):
    """Money and items of one world."""

    stage: Stage
    kinds: GoodsKinds
    table: GoodsTable
    debts: Debts
    bags: Bags
    keeping: GoodsKept
    verbs: dict[str, tuple[str, int]]

    name = "goods"

    def __init__(self, stage: Stage, kinds: GoodsKinds, stats: Stats) -> None:
        self.stage, self.kinds = stage, kinds
        self.table = GoodsTable()
        self.debts, self.bags, self.keeping = Debts(self), Bags(self, stats), GoodsKept(self)
        self.overlay: Ledger | None = (
            # What holders would have after moves that are being worked out: read in place of what they have
            None
        )
        self.journal: deque[tuple[int, str, str, int, str]] = deque(
            maxlen=stage.history.maxlen
        )  # time, holder, good, amount, reason; not state
        stage.verbs["raise_bag"] = (self.bags.prepare_raise, self.bags.commit_raise)
        self.verbs = {"earn": (MONEY, 1), "spend": (MONEY, -1), "give": (ITEM, 1), "remove": (ITEM, -1)}
        for verb in self.verbs:
            stage.verbs[verb] = (_never, _never)
        stage.readable[MONEY] = lambda body, name, part: self.money(body, name)
        stage.readable[ITEM] = lambda body, name, part: self.count(body, name)
        stage.bears["held"] = self.count
        stage.readable["bag"] = self.bags.read_bag

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (
            Keeper(
                "currencies",
                self.keeping.money_kept,
                self.keeping.money_back,
                of_players=False,
                known=self._currencies,
            ),
            Keeper(
                "items", self.keeping.items_kept, self.keeping.items_back, of_players=False, known=self._items
            ),
            Keeper("owed", self.debts.owed_kept, self.debts.owed_back, "items", known=self._items),
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
                    raise SnapshotError(
                        f"{holder} has {amount} {name} in the snapshot, which nobody can have"
                    )
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
                    and name not in self.holding(holder).purse
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
            now, then = self.holding(holder).purse, data.get(holder, {})
            for name in {**now, **then}:
                if now.get(name, 0) != then.get(name, 0):
                    self.put(holder, name, then.get(name, 0), self.stage.told_why)

    def holding(self, holder: str) -> Holding:
        """Return what somebody holds, to be changed; nothing at first."""
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
        purse = self.holding(holder).purse
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

    # ledgers

    @staticmethod
    def ledger() -> Ledger:
        """Return a new ledger: gains and losses that are worked out together."""
        return Ledger()

    def amount(self, effect: BoundEffect, scope: Scope) -> int:
        """Return how much an effect of goods moves."""
        return whole_amount(effect.beside.get("amount", 1), scope)

    def draft(
        self, ledger: Ledger, scope: Scope, effect: BoundEffect, body: Body, amount: int, position: int
    ) -> Move:
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

    def follow(self, scope: Scope, effect: BoundEffect, body: Body, amount: int, *, owed: bool) -> bool:
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
                self.debts.owe(body, move.name, move.over, move.reason)
                self.stage.emit("owed", body.id, move.source, (move.name, move.over, move.reason))
            else:
                self.stage.emit("missed", body.id, move.source, (move.name, move.over, move.reason))
        return True

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
            held = self.holding(holder)
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
            whole = self.bags.bag_most(body)
            ledger.room[body.id] = MOST if whole < 0 else whole - self.bags.bag_used(body)
        if move.amount < 0:
            if held + move.amount < 0:
                return "too_poor"
            fits = move.amount
        else:
            worn = body.wears(name) if move.what == ITEM else 0
            fits = min(move.amount, max((MOST if most is None else most) - held - worn, 0))
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
                now = self.shift(move, amount)
                whole, over = [amount, move.over] if told is None else told.pop(move.key, (0, 0))
                if whole:
                    self.tell(move, whole, over, now - amount + whole)
                if move.what == ITEM:
                    self.stage.touched("item", move.body.id)

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

    def shift(self, move: Move, amount: int, holder: str = "") -> int:
        """Let a holder, where none is given that of the move, have so much more or less, booked; returns
        what it has then."""
        holder = holder or (self.holder(move.body, move.name) if move.what == MONEY else move.body.id)
        held = self.holding(holder)
        shelf = held.purse if move.what == MONEY else held.items
        now = shelf[move.name] = shelf.get(move.name, 0) + amount
        self.book(holder, move.name, amount, move.reason)
        return now

    def tell(self, move: Move, amount: int, over: int, now: int) -> None:
        """Tell that goods came or went."""
        body, name, emit = move.body, move.name, self.stage.emit
        if move.what == ITEM:
            emit(
                "gained" if amount > 0 else "lost",
                body.id,
                move.source,
                (name, abs(amount), move.reason, now),
            )
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

    def pay(self, body: Body, name: str, amount: int, reason: str, source: str) -> None:
        """Earn a constant amount by a pulse, the short way: the same as a ledger of one move."""
        kind = self.kinds.currencies[name]
        holder = team_holder(body.team) if kind.pooled and body.team else body.id
        purse = self.holding(holder).purse
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
