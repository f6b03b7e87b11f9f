"""Lines: each command that a game can give, as the line of a script that does the same.

One function a method. It is given what the method was: first the words, in their order, then the options that
differ from their defaults. What a line needs beside it, a profile or a design, goes into a file by `keep`.
Start at `LINES`.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from shlex import quote
from typing import Any

from cleaver.core.handles import Actor, Shot
from cleaver.core.views import Bag, Match, MeterView, OwnData, Placement
from cleaver.core.world import World

Keep = Callable[[str, str | bytes], str]
"""Keeps a text in a file of its own, named for what it is; returns how a line names it."""
Written = Callable[..., str]
_CALLED = {"source": "by"}
"""Options that a script calls otherwise than Python."""


def line(*words: Any, **options: Any) -> str:
    """Return words and options as a line; options that are None are left out."""
    written = [_word(word) for word in words]
    written += [
        f"{_CALLED.get(name, name)}={_word(value)}" for name, value in options.items() if value is not None
    ]
    return " ".join(written)


def _word(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int):
        return str(int(value))
    if isinstance(value, float):
        return repr(float(value))
    if isinstance(value, (tuple, list)):
        return ",".join(_word(part) for part in value)
    text: str = value if isinstance(value, str) else value.id
    quoted = quote(text)
    return f"'{text}'" if quoted == text and "=" in text else quoted  # else it would be an option


def _as(verb: str, *named: str) -> Written:
    """Return how a command is written under the name *verb*, its last words as options of these names."""

    def written(keep: Keep, me: Any, /, *words: Any, **options: Any) -> str:
        plain = len(words) - len(named)
        last = {name: word for name, word in zip(named, words[plain:], strict=True) if word != ""}
        return line(verb, me, *words[:plain], **last, **options)

    return written


def _of_world(*verb: str) -> Written:
    """Return how a command of the world is written: its name, and the words that are not empty."""

    def written(keep: Keep, world: World, /, *words: Any, **options: Any) -> str:
        return line(*verb, *(word for word in words if word != ""), **options)

    return written


def _hit(keep: Keep, me: Actor, target: Any, attack: str | None, /, **options: Any) -> str:
    return line("hit", target, by=me, **{"with": attack}, **options)


def _set_tag(keep: Keep, me: Actor, tag: str, on: bool, /) -> str:
    return line("tag" if on else "untag", me, tag)


def _set_input(keep: Keep, me: Actor, name: str, value: float | None, /) -> str:
    return line("input", me, name, "none" if value is None else value)


def _profile(keep: Keep, profile: Any) -> dict[str, str]:
    from cleaver.saves.document import written  # only where profiles come and go

    return {"from": keep("profile", written(profile))}


def _join(keep: Keep, world: World, kind: str, name: str, /, *, profile: Any = None, **options: Any) -> str:
    return line("join", kind, name, **options, **({} if profile is None else _profile(keep, profile)))


def _load(keep: Keep, world: World, actor: Any, profile: Any, /) -> str:
    return line("load", actor, **_profile(keep, profile))


def _take_back(keep: Keep, world: World, actor: Any, profile: Any, /) -> str:
    return line("load", actor, **_profile(keep, profile), over=True)


def _announce(keep: Keep, world: World, event: str, actor: str, fields: Any, /) -> str:
    return line("announce", actor or "-", event, **(fields or {}))


def _adopt(keep: Keep, world: World, design: Any, /) -> str:
    return line("adopt", keep("design", design.text))


def _goods(goods: Any) -> str | None:
    return ",".join(f"{good}:{int(count)}" for good, count in goods.items()) or None


def _trade(keep: Keep, world: World, one: Any, gives: Any, other: Any, gives_back: Any, /) -> str:
    return line("trade", one, other, gives=_goods(gives), gets=_goods(gives_back))


def _pulse(verb: str) -> Written:
    return lambda keep, me, pulse, /: line(verb, pulse, of=me)


def _match(what: str) -> Written:
    return lambda keep, match, /: line("match", what, match.name)


LINES: dict[type, dict[str, Written]] = {
    World: {
        "join": _join,
        "spawn": _of_world("spawn"),
        "dismiss": _of_world("dismiss"),
        "load": _load,
        "take_back": _take_back,
        "saved": _of_world("saved"),
        "trade": _trade,
        "place": _of_world("place"),
        "move": _of_world("move"),
        "set_day": _of_world("day"),
        "enter_stage": _of_world("stage", "enter"),
        "leave_stage": _of_world("stage", "leave"),
        "restart_stage": _of_world("stage", "restart"),
        "set_team": lambda keep, world, actor, team, /: line("team", actor, team),
        "announce": _announce,
        "adopt": _adopt,
    },
    Actor: {
        "hit": _hit,
        "hurt": _as("hurt"),
        "launch": _as("launch", "as"),
        "set_input": _set_input,
        "heal": _as("heal", "meter"),
        "drain": _as("drain", "meter"),
        "revive": _as("revive", "fraction"),
        "set_tag": _set_tag,
        "status": _as("status"),
        "cure": _as("cure"),
        "pause": _pulse("pause"),
        "resume": _pulse("resume"),
        "take": _as("take"),
        "earn": _as("earn"),
        "spend": _as("spend"),
        "give": _as("give"),
        "remove": _as("remove"),
        "exchange": _as("exchange", "times"),
        "add_score": _as("score"),
        "deduct": _as("deduct"),
        "accept": _as("accept"),
        "turn_in": _as("turn_in"),
        "abandon": _as("abandon"),
        "fail": _as("fail"),
        "talk": _as("talk"),
        "grant": _as("grant"),
        "gain_xp": _as("xp"),
        "rate": _as("rate"),
        "start_rating": _as("start_rating"),
        "add_lives": _as("lives"),
        "announce": _as("announce"),
    },
    MeterView: {
        "set": lambda keep, meter, value, /: line("set", meter.path, value),
        "set_max": lambda keep, meter, value, how, /: line("set_max", meter.path, value, keep=how),
    },
    Bag: {"resize": lambda keep, bag, most, /: line("bag", bag.whose, most)},
    OwnData: {
        "__setitem__": lambda keep, data, name, value, /: line("data", data.whose, name, json.dumps(value)),
        "__delitem__": lambda keep, data, name, /: line("data", data.whose, name),
    },
    Placement: {"remove": _as("remove_placement")},
    Shot: {
        "hit": lambda keep, shot, target, /, **options: line("hit", target, by=shot, **options),
        "drop": _as("drop"),
    },
    Match: {what: _match(what) for what in ("start", "end", "pause", "resume")},
}
"""By class and method."""
