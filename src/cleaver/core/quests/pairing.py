"""Pairing: which goal of a quest is which under another design. Start at `paired`."""

from __future__ import annotations

from cleaver.core.kernel.expressions import Amount, Expression

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Sequence

    from cleaver.core.kernel.kinds import TallyKind
    from cleaver.core.quests.kinds import GoalKind


def asks(count: Amount | str | None) -> object:
    """Return what a goal asks for, to be compared: a number, the text of a formula, or "all"."""
    return count.formula.text if isinstance(count, Expression) else count


def paired(was: Sequence[GoalKind | TallyKind], now: Sequence[GoalKind | TallyKind]) -> list[int | None]:
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


def _same_name(one: GoalKind | TallyKind, other: GoalKind | TallyKind) -> bool:
    name = getattr(one, "name", "")
    return bool(name) and name == getattr(other, "name", "")


def _equal(one: GoalKind | TallyKind, other: GoalKind | TallyKind) -> bool:
    return _same_count(one, other) and asks(one.count) == asks(other.count)


def _same_count(one: GoalKind | TallyKind, other: GoalKind | TallyKind) -> bool:
    names = [name for goal in (one, other) if (name := getattr(goal, "name", ""))]
    return len(names) < 2 and counts(one) == counts(other)


def counts(goal: GoalKind | TallyKind) -> str:
    """Return what a goal counts, to be compared."""
    return goal.what if hasattr(goal, "what") else goal.spec
