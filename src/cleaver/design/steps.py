"""Steps: the order of a hit, each step once.

What a step does is written as text, so that all steps of a hit between two kinds are put together into one
function (`core.vitals.plans`), and one function tells what each of them did. What `ignores` may name follows
from this list. Start at `STEPS`.
"""

from __future__ import annotations

from collections.abc import Callable

from cleaver.named import NamedTuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any
else:
    Any = object


class HitPart(NamedTuple):
    """One step of a hit.

    `name` is what `ignores` may say, `there` whether a plan has it, and `pulse` whether it applies to what
    a pulse or a status hurts, too. `asks` is what must be known at each hit: a name, and how it is found
    (``combat``, ``stage``, ``source``, ``target``, ``blow``, ``forced`` and ``luck`` are at hand).
    `does` changes ``amount``; a line that calls ``tell`` adds to the account of the hit. Constants of the
    plan stand under their names. `still` says that what it asks is the same at each hit between two of whom
    nobody is ill, deals more or less, or is a friend: then a plan may be folded into a number.
    """

    name: str
    there: Callable[[Any], Any]
    pulse: bool
    asks: dict[str, str]
    does: str
    named: bool = True  # whether `ignores` may name it
    still: bool = False

    @property
    def constant(self) -> bool:
        """Whether it may be folded into a number."""
        return self.still or not self.asks


STEPS = [
    HitPart(
        "zone",
        lambda plan: plan.zone,
        False,
        {},
        """
amount *= zone_factor
tell(("×", zone_factor, zone))
""",
    ),
    HitPart(
        "critical",
        lambda plan: plan.crit is not None,
        False,
        # Drawn also where it is forced: luck must not depend on it.
        {
            "drawn": "bool(luck) and stage.dice.draw(luck) < chance",
            "critical": "drawn if forced is None else forced",
        },
        """
if critical:
    amount *= crit_factor
    tell(("×", crit_factor, "critical"))
""",
    ),
    HitPart(
        "deals",
        lambda plan: True,
        False,
        {"deals": "1.0 if source is None else source.deals"},
        """
if deals != 1:
    amount *= deals
    tell(("×", deals, "deals"))
""",
        still=True,
    ),
    HitPart(
        "scale",
        lambda plan: True,
        True,
        {},  # a formula, which is worked out before anything changes
        """
if scale != 1:
    amount *= scale
    tell(("×", scale, "scale"))
""",
    ),
    HitPart(
        "through",
        lambda plan: plan.type,
        True,
        {"through": "part_through * target.through.get(type, 1.0)"},
        """
if through != 1:
    amount *= through
    tell(("×", through, type))
""",
        still=True,
    ),
    HitPart(
        "",
        lambda plan: True,
        True,
        {},
        """
if amount <= 0:
    return amount
""",
        named=False,
    ),
    HitPart(
        "armour",
        lambda plan: plan.guard.armour,
        False,
        {},
        """
amount = hardened(amount, armour)
tell(("−", armour, "armour"))
""",
    ),
    HitPart(
        "armour",
        lambda plan: plan.guard.least,
        False,
        {},
        """
if amount < least:
    amount = least
    tell(("→", amount, "at least"))
""",
    ),
    HitPart(
        "armour",
        lambda plan: plan.guard.armour,
        False,
        {},
        """
if amount < 0:
    amount = 0
""",
    ),
    HitPart(
        "friendly",
        lambda plan: True,
        False,
        {"share": "1.0 if blow is None else combat.share(target, blow)"},
        """
if share != 1:
    amount *= share
    tell(("×", share, "friendly fire"))
""",
        still=True,
    ),
    HitPart(
        "",
        lambda plan: plan.whole,
        True,
        {},
        """
exact, amount = amount, rounded(amount, mode)
if amount != exact:
    tell(("→", amount, "rounded"))
""",
        named=False,
    ),
    HitPart(
        "most",
        lambda plan: plan.guard.most is not None,
        False,
        {},
        """
if amount > most:
    amount = most_shown
    tell(("→", amount, "at most"))
""",
        named=False,
    ),
]
"""In their order. After them shields take what they can, then the vital meter."""
GATE = ("cooldown", "grace", "immune", "friendly")
"""What refuses a hit before anything is worked out, and can be passed by."""


def ignorable() -> tuple[str, ...]:
    """Return the steps that `ignores` may name."""
    return tuple(dict.fromkeys((*GATE, *(step.name for step in STEPS if step.named), "shields")))


def passed_by_pulses() -> frozenset[str]:
    """Return the steps that the hurt of a status or a pulse passes by: only scale, through and shields apply
    to it."""
    return frozenset((*GATE, *(step.name for step in STEPS if not step.pulse)))
