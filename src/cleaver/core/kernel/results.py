"""Results: what commands return. Small, read-only, truthy if something was done.

`blocked` is "" or the reason why the game's own rules refused; the reasons are a closed list. Knows no room.
Start at `Result`.
"""

from __future__ import annotations

from collections.abc import Callable

from cleaver.rounding import shown

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, Literal

    from cleaver.literals import Blocked, NextStep, QuestState, Reason

REASONS: tuple[Reason, ...] = (
    "dead",
    "source_dead",
    "cooldown",
    "grace",
    "immune",
    "friendly",
    "deflected",
    "full",
    "alive",
    "no_change",
    "gone",
    "not_for_you",
    "out_of_reach",
    "most",
    "too_poor",
    "locked",
    "closed",
    "sold_out",
    "completed",
    "active",
    "not_active",
    "not_ready",
    "busy",
    "not_a_player",
    "running",
    "not_running",
    "spent",
    "no_slot",
)
"""Every reason for which a command can be refused."""

Step = tuple[str, float, str]
"""One step of a hit: sign ("", "×", "−", …), number, and what it is."""


class Result:
    """What came of a command: `blocked` is "" or the reason for a refusal; true if something was done."""

    __slots__ = ("blocked", "done")
    done: bool

    def __init__(self, blocked: Blocked = "", done: bool = True) -> None:
        self.blocked = blocked
        self.done = done and not blocked

    def __bool__(self) -> bool:
        return self.done

    def fields(self) -> dict[str, Any]:
        """Return what else it holds, by name."""
        slots = [slot for cls in type(self).__mro__ for slot in cls.__dict__.get("__slots__", ())]
        return {slot: getattr(self, slot) for slot in slots if slot not in ("blocked", "done", "worked")}

    def __repr__(self) -> str:
        inner = (
            [f"blocked={self.blocked!r}"]
            if self.blocked
            else [f"{name}={value!r}" for name, value in self.fields().items()]
        )
        return f"<{type(self).__name__} {' '.join(inner) or ('done' if self.done else 'nothing done')}>"


_REFUSED: dict[Blocked, HitResult] = {}


class HitResult(Result):
    """What came of a hit: `amount` reached the guard's end, of which `absorbed` left shields, `dealt` the
    vital meter, `overkill` nothing."""

    __slots__ = ("absorbed", "amount", "critical", "dealt", "lethal", "overkill", "worked")
    done: bool
    worked: tuple[Step, ...] | Callable[[], tuple[Step, ...]]
    amount: float
    dealt: float
    absorbed: float
    overkill: float
    critical: bool
    lethal: bool

    def __init__(
        self,
        blocked: Blocked = "",
        amount: float = 0,
        dealt: float = 0,
        absorbed: float = 0,
        overkill: float = 0,
        critical: bool = False,
        lethal: bool = False,
        steps: tuple[Step, ...] | Callable[[], tuple[Step, ...]] = (),
    ) -> None:
        self.blocked = blocked
        self.done = not blocked
        self.amount = amount
        self.dealt = dealt
        self.absorbed = absorbed
        self.overkill = overkill
        self.critical = critical
        self.lethal = lethal
        self.worked = steps

    @property
    def steps(self) -> tuple[Step, ...]:
        """The steps that applied, as (sign, number, what) each."""
        return self.worked if isinstance(self.worked, tuple) else self.worked()

    @classmethod
    def refused(cls, reason: Blocked) -> HitResult:
        """Return the result of a hit that did not land; results are read-only, so one serves all."""
        found = _REFUSED.get(reason)
        if found is None:
            found = _REFUSED[reason] = cls(reason)
        return found

    def explain(self) -> str:
        """Return the hit as a sum a person can follow: "9 × 3 visor × 0.5 venom − 1 armour = 12.5"."""
        steps = self.steps
        return explained(steps, self.amount) if steps else f"refused: {self.blocked}"


def explained(steps: tuple[Step, ...], amount: float) -> str:
    """Return the steps of a hit as text."""
    words = []
    for sign, number, what in steps:
        if sign == "→":
            words.append(f"→ {what} {shown(number)}")
        else:
            words.append(" ".join(part for part in (sign, shown(number), what) if part))
    return f"{' '.join(words)} = {shown(amount)}"


class HealResult(Result):
    """What came of healing: `restored` is what was really given back."""

    __slots__ = ("restored",)
    restored: float
    done: bool

    def __init__(self, blocked: Blocked = "", restored: float = 0) -> None:
        self.blocked, self.restored = blocked, restored
        self.done = restored > 0


class ExchangeResult(Result):
    """What came of an exchange: how many `times` it was done."""

    __slots__ = ("times",)
    times: int
    done: bool

    def __init__(self, blocked: Blocked = "", times: int = 0) -> None:
        self.blocked, self.times = blocked, times
        self.done = times > 0


class TradeResult(Result):
    """The result of a trade: `who` is the player because of whom it was refused, "" where it was done."""

    __slots__ = ("who",)
    who: str
    done: bool

    def __init__(self, blocked: Blocked = "", who: str = "") -> None:
        self.blocked, self.who = blocked, who
        self.done = not blocked


class RateResult(Result):
    """What came of a rating: `stars` out of `of`, what was measured, what is `missing` for the next star, and
    that in words (`advice`)."""

    __slots__ = ("advice", "measure", "missing", "of", "stars")
    done: bool
    stars: int
    of: int
    measure: float
    missing: float
    advice: str

    def __init__(
        self,
        blocked: Blocked = "",
        stars: int = 0,
        of: int = 0,
        measure: float = 0,
        missing: float = 0,
        advice: str = "",
    ) -> None:
        self.blocked = blocked
        self.done = not blocked
        self.stars, self.of, self.measure, self.missing, self.advice = stars, of, measure, missing, advice


class QuestResult(Result):
    """What came of a command about a quest: the `state` it is in now."""

    __slots__ = ("state",)
    done: bool

    def __init__(self, blocked: Blocked = "", state: QuestState | Literal[""] = "") -> None:
        self.blocked, self.state = blocked, state
        self.done = not blocked


class TalkResult(Result):
    """What a giver says: `text`, about which `quest` in which `state`; `next` is what the player can do once
    its last line was said: "accept", "turn_in" or nothing."""

    __slots__ = ("next", "quest", "state", "text")
    done: bool
    text: str
    quest: str

    def __init__(
        self,
        blocked: Blocked = "",
        text: str = "",
        quest: str = "",
        state: QuestState | Literal[""] = "",
        next: NextStep = "",
    ) -> None:
        self.blocked, self.text, self.quest, self.state, self.next = blocked, text, quest, state, next
        self.done = bool(quest)


class ChangeResult(Result):
    """What came of a change of a number: `amount` is what really changed, `over` what did not fit."""

    __slots__ = ("amount", "over")
    amount: float
    over: float
    done: bool

    def __init__(self, blocked: Blocked = "", amount: float = 0, over: float = 0) -> None:
        self.blocked, self.amount, self.over = blocked, amount, over
        self.done = amount != 0 and not blocked
