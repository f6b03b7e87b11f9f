"""Pairing: which goal of a quest is which under another design. Start at `paired`."""

from __future__ import annotations

from cleaver.core.kernel.expressions import Amount, Expression
from cleaver.named import NamedTuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Sequence

    from cleaver.core.kernel.kinds import TallyKind
    from cleaver.core.quests.kinds import GoalKind


def asks(count: Amount | str | None) -> object:
    """Return what a goal asks for, to be compared: a number, the text of a formula, or "all"."""
    return count.formula.text if isinstance(count, Expression) else count


class Identity(NamedTuple):
    """What tells one goal from another: its name, what it counts, and how many of it."""

    name: str
    counts: str
    asks: object


def identity(goal: GoalKind | TallyKind) -> Identity:
    """Return what tells a goal, or a fail, from the others of its quest."""
    counts = goal.written if hasattr(goal, "written") else goal.what
    return Identity(getattr(goal, "name", ""), counts, asks(goal.count))


def paired(was: Sequence[Identity], now: Sequence[Identity]) -> list[int | None]:
    """Return which of the goals that were each goal is now, by number from 0: the one of its name, else one
    that is equal, else one that counts the same; None for a new one."""
    left, found = dict(enumerate(was)), list[int | None]([None] * len(now))
    for same in (_same_name, _equal, _same_count):
        for number, goal in enumerate(now):
            if found[number] is None:
                at = next((at for at, old in left.items() if same(old, goal)), None)
                if at is not None:
                    found[number] = at
                    del left[at]
    return found


def _same_name(one: Identity, other: Identity) -> bool:
    return bool(one.name) and one.name == other.name


def _equal(one: Identity, other: Identity) -> bool:
    return _same_count(one, other) and str(one.asks) == str(other.asks)


def _same_count(one: Identity, other: Identity) -> bool:
    return not (one.name and other.name) and one.counts == other.counts
