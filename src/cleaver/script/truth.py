"""Truth: whether an expectation holds, and what each side of it really is. Start at `told_sides`."""

from __future__ import annotations

from cleaver.core import read
from cleaver.core.kernel.scope import Scope
from cleaver.core.wording import value_text
from cleaver.errors import UsageError
from cleaver.formula import Formula
from cleaver.parsing import comparisons
from cleaver.script.session import Memory


def told_sides(memory: Memory, text: str) -> list[str]:
    """Return what is not as *text* expects, a line for each comparison with both sides; nothing where it
    holds.

    Raises:
        CleaverError: It is no formula, or nothing that can be true or false.
    """
    formula = memory.formula(text)
    scope = Scope(read.parts(memory.world).stage, None)
    if formula.formula.type not in ("truth", "number"):
        raise UsageError(f"expect takes what can be true or false, and {text!r} is a {formula.formula.type}")
    if formula.value(scope):
        return []
    return _sides(memory, formula.formula) or [f"{text} is {value_text(formula.value(scope))}"]


def _sides(memory: Memory, formula: Formula) -> list[str]:
    """Return what each side of every comparison that failed really is."""
    import ast  # only for an expectation that failed

    told = []
    for whole, left, right in comparisons(formula):
        if memory.evaluate(whole):
            continue
        sides = []
        for side in (left, right):
            text = ast.unparse(side)
            if not isinstance(side, ast.Constant):
                value = memory.evaluate(text)
                shown = f"{{{', '.join(value)}}}" if isinstance(value, list) else value_text(value)
                sides.append(f"{text} is {shown}")
        told.append(f"{whole}: {', '.join(sides)}")
    return told
