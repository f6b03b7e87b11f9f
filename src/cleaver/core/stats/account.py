"""Account: what raises the stats, maxima, flows and bag of each actor, by cause, and what they come to.

What tables `adds` and `times` bring is worked out from what an actor has, and kept nowhere. What effects and
the game have raised is kept by its cause (`Body.raised`). A value is always the design's base, plus what is
added, times what multiplies it. Start at `Stats.worked_out`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from math import isfinite

from cleaver.core.kernel.body import Body
from cleaver.core.kernel.expressions import BoundEffect, Expression, amount_of
from cleaver.core.kernel.gathered import only
from cleaver.core.kernel.part import Keeper, Part
from cleaver.core.kernel.results import ChangeResult
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.stage import Stage
from cleaver.core.stats.kinds import STATUSES
from cleaver.errors import FormulaError, UnknownNameError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

    from cleaver.core.kernel.crossing import Crossing
    from cleaver.core.stats.kinds import Sheet, StatKinds, Worked
    from cleaver.literals import Blocked

CAUSES = {
    "exchange": "exchanges",
    "levels": "levels",
    "achievement": "achievements",
    "quest": "quests",
    "pickup": "pickups",
}
"""The section of a profile that keeps whether somebody has what raises something, by its sort."""
GAME = "game"
"""The cause of what the game sets by hand."""
EARLIER = "earlier"
"""The cause of what a profile of an earlier version of Cleaver holds as a sum."""
LARGEST = 1e300
MOST_RAISED = 2.0**62  # by one cause: it is saved
Entry = tuple[str, bool, float]
"""What changes a value: its cause, whether it multiplies, and by how much."""

UNTOLD = ("input", "record", "bought")
"""What changes without an event of its own: what follows from it follows from the event being told."""


class Stats(Part):
    """The account of one world."""

    stage: Stage
    kinds: StatKinds

    def __init__(self, stage: Stage, kinds: StatKinds) -> None:
        self.stage, self.kinds = stage, kinds
        self.fits: dict[str, Callable[[Body, str, float, str, int], None]] = {}
        """What lets a maximum, a rate or a bag be what it came to: "max", "rate" and "bag"."""
        self.waiting: dict[tuple[str, str], tuple[float, str, int]] = {}
        """Stats that have changed in this command, of which nobody has heard yet: before, why, and the event
        that did it."""
        self.troubles: list[FormulaError] = []
        stage.verbs["raise_stat"] = (self._prepare, self._commit)
        if any(sheet.worked for sheet in kinds.sheets.values()):
            stage.touched = self._touched
            stage.last = self._tell

    # reading

    def sheet(self, body: Body) -> Sheet:
        """Return what is worked out of a body's kind."""
        return self.kinds.sheets[body.kind_name]

    def entries(self, body: Body, target: str) -> list[Entry]:
        """Return what changes a value, by cause, in the order in which it is reckoned."""
        found: list[Entry] = []
        worked = self.sheet(body).worked.get(target)
        scope = Scope(self.stage, body)
        for source in worked.sources if worked is not None else ():
            count = self.stage.bears[source.what](body, source.name)
            if count > 0:
                amount = (
                    source.amount.value(scope) if isinstance(source.amount, Expression) else source.amount
                )
                found.append((source.cause, source.times, amount**count if source.times else amount * count))
        found += [(cause, False, more) for cause, more in body.raised.get(target, {}).items()]
        return sorted(found)

    def base(self, body: Body, target: str) -> float:
        """Return what a value is before anything changes it."""
        base = body.kind.bases[target]
        found: float = base.value(Scope(self.stage, body)) if isinstance(base, Expression) else base
        return found

    def added(self, body: Body, target: str) -> tuple[float, float]:
        """Return what is added to the base of a value, and what that is multiplied by."""
        added, factor = 0.0, 1.0
        for _, times, amount in self.entries(body, target):
            if times:
                factor *= amount
            else:
                added += amount
        return added, factor

    def worked_out(self, body: Body, target: str) -> float:
        """Return what a value comes to.

        Raises:
            FormulaError: It is beyond 1e300, or no number.
        """
        base = self.base(body, target)
        added, factor = self.added(body, target)
        value = (base + added) * factor if added or factor != 1 else base
        if not isfinite(value) or abs(value) > LARGEST:
            text = f"({base:g} + {added:g}) × {factor:g}"
            raise FormulaError(text, f"gives {value:g}, and {body.id}.{target} is within ±1e300")
        worked = self.sheet(body).worked.get(target)
        if worked is not None:
            if worked.least is not None and value < worked.least:
                value = worked.least
            if worked.most is not None and value > worked.most:
                value = worked.most
        return value

    # where something has changed

    def anew(self, body: Body, *, told: bool = False) -> None:
        """Work out all of a body; listeners hear of stats that are others now where that is *told*."""
        before, body.stats, body.rates = body.stats, {}, {}
        for target in (*self.sheet(body).worked, *body.raised):
            if target in body.kind.stats or target == "bag":
                body.stats[target] = self.worked_out(body, target)
            elif target.endswith(".rate"):
                self.set_rate(body, target.removesuffix(".rate"))
            elif target == STATUSES:
                self.fits[target](body, "", 0, "", -1)
        for stat in body.kind.stats if told and self._asked(body) else ():
            was, now = before.get(stat, 0), body.stats[stat]
            if was != now:
                self.stage.emit("stat_changed", body.id, "", (stat, was, now, self.stage.told_why))

    def set_rate(self, body: Body, meter: str) -> None:
        """Note what flows of a meter are added, and what all of them are multiplied by."""
        added, factor = self.added(body, f"{meter}.rate")
        if added or factor != 1:
            body.rates[meter] = added * factor, factor
        else:
            body.rates.pop(meter, None)
        body.flowing = bool(body.flows or body.rates)

    def _touched(self, what: str, who: str) -> None:
        """Look at all that hangs on something that has changed of somebody, or of everybody ("")."""
        if self.stage.still:
            return
        actors = self.stage.actors
        for body in (actors[who],) if who in actors else list(actors.values()) if not who else ():
            moved = self.sheet(body).moved.get(what)
            if moved:
                self._look(body, moved, what, self.stage.cause if what in UNTOLD else self.stage.seq)

    def _look(self, body: Body, moved: Iterable[Worked], why: str, cause: int) -> None:
        for worked in moved:
            target, stats = worked.target, body.stats
            if worked.asked:
                self.fits[target](body, "", 0, "", -1)
                continue
            try:
                value = self.worked_out(body, target)
            except FormulaError as error:  # the value stays as it was; `_tell` raises the error
                self.troubles.append(error)
                continue
            if target not in body.kind.stats:
                self.let_fit(body, target, value)
            elif stats[target] != value:
                self.waiting.setdefault((body.id, target), (stats[target], why, cause))
                stats[target] = value

    def let_fit(self, body: Body, target: str, value: float, keep: str = "", cause: int = -1) -> None:
        """Let a maximum, a rate or the bag be what it came to."""
        name, _, part = target.rpartition(".")
        self.fits[part](body, name, value, keep, cause)

    def _tell(self) -> None:
        """Tell of the stats that a command has changed, once each, where anybody asks."""
        waiting, self.waiting = self.waiting, {}
        for (who, stat), (before, why, cause) in waiting.items():
            body = self.stage.actors.get(who)
            after = before if body is None else body.stats.get(stat, before)
            if body is not None and after != before and self._asked(body):
                self.stage.emit("stat_changed", who, "", (stat, before, after, why), cause)
        if self.troubles:
            errors, self.troubles = self.troubles, []
            raise only(list(errors))

    def _asked(self, body: Body) -> bool:
        """Return whether anybody would hear that a stat of a body has changed."""
        name = "stat_changed"
        return name in self.stage.listeners.cache or bool(self.stage.plan(name, body.kind_name, ""))

    # what outlasts a session, or a design

    def keepers(self) -> tuple[Keeper, ...]:
        """See `Part`."""
        return (Keeper("raised", self.kept, self.back, of_players=False, known=lambda kind: kind.bases),)

    def more_keepers(self) -> tuple[Keeper, ...]:
        """See `Part`: what the game set on meters that are not saved."""
        return (Keeper("set by hand", self._set_by_hand, self._set_back, of_players=False),)

    @staticmethod
    def _set_by_hand(body: Body) -> dict[str, float]:
        return {
            target: causes[GAME]
            for target, causes in body.raised.items()
            if GAME in causes and _of_session(body, target)
        }

    @staticmethod
    def _set_back(body: Body, data: dict[str, float], told: bool) -> dict[str, Any]:
        for target, more in data.items():
            if target in body.kind.bases:
                _put(body, target, GAME, more)
        return {}

    def kept(self, body: Body) -> dict[str, dict[str, float]]:
        """Return what was raised, by what and by cause, to be saved: what the game set on a meter that is not
        saved is not."""
        found = {}
        for target, causes in body.raised.items():
            here = _of_session(body, target)
            mine = {cause: more for cause, more in causes.items() if more and not (here and cause == GAME)}
            if mine:
                found[target] = mine
        return found

    def back(self, body: Body, data: dict[str, Any], told: bool) -> dict[str, Any]:
        """Let be raised what was; returns what the design does not know."""
        kept = {what for what, section in CAUSES.items() if section in self.stage.keeping}
        before = body.raised
        body.raised = {target: dict(data.pop(target)) for target in list(data) if target in body.kind.bases}
        for target in {**before, **body.raised} if kept else ():
            mine = {
                cause: more
                for causes, stays in ((body.raised, False), (before, True))
                for cause, more in causes.get(target, {}).items()
                if (cause.partition(":")[0] in kept) == stays
            }
            body.raised[target] = mine
        body.raised = {target: causes for target, causes in body.raised.items() if causes}
        return data

    def forget(self, body: Body) -> None:
        """Let somebody who goes have no stats any more."""
        body.stats = {}

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: what is not there any more is not raised."""
        for body in self.stage.actors.values():
            known = crossing.new.actors[body.kind_name].bases
            body.raised = {target: causes for target, causes in body.raised.items() if target in known}

    def cross(self, crossing: Crossing, body: Body) -> None:
        """Work out all of a body under another design, and note which stats are others now."""
        self.anew(body)
        was = crossing.stats[body.id]
        for stat in body.kind.stats:
            if stat in was and was[stat] != body.stats[stat]:
                values = (stat, was[stat], body.stats[stat], "adopted")
                crossing.told.append(("stat_changed", body.id, values))

    # what effects and the game raise

    def raised(self, body: Body, target: str, amount: float, cause: str, keep: str = "") -> ChangeResult:
        """Raise a value for good, by its cause."""
        if target not in body.kind.bases:
            raise UnknownNameError("stat", target, tuple(body.kind.bases), body.id)
        if not amount or _endless(body, target):
            return ChangeResult("no_change")
        before = body.raised.get(target, {}).get(cause, 0)
        _put(body, target, cause, min(max(before + amount, -MOST_RAISED), MOST_RAISED))
        try:
            self._raised(body, target, cause, keep)
        except FormulaError:
            _put(body, target, cause, before)
            raise
        return ChangeResult("", amount)

    def _raised(self, body: Body, target: str, cause: str, keep: str) -> None:
        value = self.worked_out(body, target)
        if target in body.kind.stats:
            self._look(body, self.sheet(body).worked.values(), cause, self.stage.cause)
        else:
            self.let_fit(body, target, value, keep)

    def let_be(self, body: Body, target: str, value: float) -> None:
        """Let the game have set a value: what it comes to is that number now."""
        for _ in range(4):  # decimals may leave the first try a trace beside it
            _, factor = self.added(body, target)
            off = value - self.worked_out(body, target)
            if not off or not factor:
                break
            _put(body, target, GAME, body.raised.get(target, {}).get(GAME, 0) + off / factor)

    def _prepare(self, scope: Scope, effect: BoundEffect, body: Body) -> tuple[Any, Blocked]:
        amount = amount_of(effect.beside["amount"], scope)
        known = effect.operand in body.kind.bases and not _endless(body, effect.operand)
        return amount, "" if amount and known else "no_change"

    def _commit(self, scope: Scope, effect: BoundEffect, body: Body, amount: Any) -> None:
        if amount and effect.operand in body.kind.bases:
            self.raised(body, effect.operand, amount, cause_of(scope))


def _put(body: Body, target: str, cause: str, amount: float) -> None:
    """Note what a cause has raised of somebody; nothing is kept of one that has raised nothing."""
    mine = body.raised.setdefault(target, {})
    mine[cause] = amount
    if not amount:
        del mine[cause]
    if not mine:
        del body.raised[target]


def _endless(body: Body, target: str) -> bool:
    """Return whether something is a bag without a limit, which cannot grow."""
    return target == "bag" and body.kind.bag is None and target not in body.stats


def _of_session(body: Body, target: str) -> bool:
    """Return whether something is the maximum of a meter that is not saved."""
    meter = body.meters.get(target.removesuffix(".max")) if target.endswith(".max") else None
    return meter is not None and not meter.kind.saved


def cause_of(scope: Scope) -> str:
    """Return what the effects of a list are told as where they raise something, such as "exchange:tank"."""
    section, _, rest = scope.place.partition(".")
    if section.startswith("rules"):
        return "rule"
    return f"{_CAUSES.get(section, section.removesuffix('s'))}:{rest.partition('.')[0]}" if rest else GAME


_CAUSES = {"levels": "levels", "statuses": "status", "matches": "match"}
