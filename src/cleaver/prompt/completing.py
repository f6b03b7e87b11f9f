"""Completing: what may be typed next — commands, names, meters, pickups, options. Start at `complete`."""

from __future__ import annotations

from collections.abc import Iterable

from cleaver.script.command import COMMANDS
from cleaver.script.parameters import Asked, Parameter
from cleaver.script.session import Session
from cleaver.script.state import state_of

MOST = 200  # candidates offered


def complete(session: Session, text: str) -> list[str]:
    """Return what the last word of *text* may become, in the order it is offered; nothing where anything
    goes."""
    words = text.split(" ")
    last, before = words[-1], [word for word in words[:-1] if word]
    while before and before[0] in ("expect_error", "repeat"):
        before = before[2:] if before[0] == "repeat" else before[1:]
    found = sorted(COMMANDS) if not before else _after(session, before, last)
    return [word for word in dict.fromkeys(found) if word.startswith(last) and word != last][:MOST]


def _after(session: Session, before: list[str], last: str) -> Iterable[str]:
    """Return candidates for the word after *before*, by the parameters of the command."""
    name = before[0]
    if name not in COMMANDS:
        return ()
    if name == "expect":
        return [
            *state_of(session.world, session.placements),
            *(f"count.{event}" for event in session.counts),
            *(f"event.{event}." for event in session.latest),
            "result.blocked",
        ]
    parameters = COMMANDS[name].parameters
    asked, left = _asked(session, parameters, before[1:])
    named = {parameter.name: parameter for parameter in parameters if parameter.option and not parameter.many}
    if "=" in last:
        option = last.partition("=")[0]
        known = named.get(option)
        return [f"{option}={value}" for value in known.reading.offers(asked)] if known is not None else ()
    inputs = [
        f"{value}="
        for parameter in parameters
        if parameter.option and parameter.many
        for value in parameter.reading.offers(asked)
    ]
    options = [f"{option}=" for option in named if option not in asked.given] + inputs
    if not left:
        return options
    return [*left[0].reading.offers(asked), *(() if left[0].required else options)]


def _asked(
    session: Session, parameters: tuple[Parameter, ...], words: list[str]
) -> tuple[Asked, list[Parameter]]:
    """Return the words given so far by their parameters, and the parameters that still want a word."""
    left = [parameter for parameter in parameters if not parameter.option]
    given: dict[str, str] = {}
    for word in words:
        option, equals, value = word.partition("=")
        if equals and option.isidentifier():
            given[option] = value
        elif left:
            given[left[0].name] = word
            left = left if left[0].many else left[1:]
    return Asked(session, given), left
