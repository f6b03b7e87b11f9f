"""Commands about a game that runs: another design, and what a journal says of itself. Start at `adopt`."""

from __future__ import annotations

import tomllib
from typing import Annotated, Any

from cleaver.core import read
from cleaver.core.kernel.results import Result
from cleaver.errors import UsageError
from cleaver.rounding import counted
from cleaver.script.command import command
from cleaver.script.parameters import Whole, words
from cleaver.script.saved import design_in_file
from cleaver.script.session import Session

THEME = "a running game"
FORMAT = 1
"""Of journals."""


@command(THEME, "adopt actors.eel.attacks.sting.amount=20")
def adopt(session: Session, *what: Annotated[str, words("FILE|KEY=VALUE")]) -> str:
    """Goes on under another design: a file, or some values by their keys."""
    values = dict(_value(word) for word in what if "=" in word)
    others = [word for word in what if "=" not in word]
    if len(others) + bool(values) != 1:
        raise UsageError(
            "FILE is missing; write: adopt FILE, or adopt KEY=VALUE, such as adopt actors.eel.meters.hide=40"
        )
    design = design_in_file(session, others[0]) if others else session.design.with_values(values)
    done = session.adopt(design)
    session.result = Result("" if done else "no_change")
    if not done:
        return "nothing changed"
    told = [*done.changed, *(f"new: {one}" for one in done.began)]
    told += [f"ended: {one}" for one in done.ended] + [f"put aside: {one}" for one in done.put_aside]
    more = f"; and {counted(len(told) - 3, 'thing')} more" if len(told) > 3 else ""
    return "; ".join(told[:3]) + more


def _value(word: str) -> tuple[str, Any]:
    """Return a key path and its value, as TOML writes it; what is none is a text."""
    key, _, text = word.partition("=")
    try:
        return key, tomllib.loads(f"value = {text}")["value"]
    except tomllib.TOMLDecodeError:
        return key, text


@command(THEME, "journal 1", acts=False)
def journal(session: Session, format: Whole) -> str:
    """Says that a running game has written what follows: `cleaver.journal`."""
    if format != FORMAT:
        raise UsageError(f"this journal is of format {format}; this version of Cleaver reads {FORMAT}")
    session.journaled = True
    read.parts(session.world).stage.patience = None  # what came due in the game may come due here
    return "what a running game did"
