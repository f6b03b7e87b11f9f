"""Kept: what the sections of a profile look like, looked at before a world takes one back.

Profiles come from files that anybody may have written. A shape is plain data:
a word for a value, a list of one shape, a table of named shapes, or `EachOf` for names that are free. Knows
no design and no store. Start at `look_at_section`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from math import inf

from cleaver.core.kernel.clock import LONGEST
from cleaver.core.kernel.expressions import MOST
from cleaver.core.kernel.spans import CLOCKS, FARTHEST_DAY
from cleaver.core.quests.errands import STATES
from cleaver.errors import AmountError, ProfileError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any
else:
    Any = object


LARGEST = MOST  # of a whole number in a profile
DEEPEST = 20  # levels of tables and lists in a profile


def can_be_kept(value: Any, path: str, depth: int) -> None:
    """Raise where *value* holds what cannot be saved, naming its path."""
    if depth > DEEPEST:
        raise AmountError(path, "…", f"nested at most {DEEPEST} deep")
    if isinstance(value, dict):
        for key, item in value.items():
            if not isinstance(key, str):
                raise AmountError(f"a key of {path}", key, "a text")
            check_text(key, f"a key of {path}")
            can_be_kept(item, f"{path}.{key}", depth + 1)
    elif isinstance(value, list):
        for index, item in enumerate(value):
            can_be_kept(item, f"{path}[{index}]", depth + 1)
    elif isinstance(value, float) and not -inf < value < inf:
        raise AmountError(path, value, "a finite number")
    elif isinstance(value, int) and abs(value) > LARGEST:
        raise AmountError(path, value, f"within ±{LARGEST}")
    elif isinstance(value, str):
        check_text(value, path)
    elif value is not None and type(value) not in (int, float, bool):
        raise AmountError(path, value, "a number, a text, a truth, a list or a table of them")


def check_text(value: str, path: str) -> None:
    """Raise where a text cannot be written as UTF-8."""
    if not value.isascii() and any("\ud800" <= letter <= "\udfff" for letter in value):
        raise AmountError(path, value, "a text that can be written as UTF-8 (half a surrogate pair cannot)")


class EachOf:
    """A table of any names, each with the same shape."""

    __slots__ = ("shape",)
    shape: Any

    def __init__(self, shape: Any) -> None:
        self.shape = shape


class AnyOf:
    """One of several shapes, told apart by the name that only the first one has."""

    __slots__ = ("first", "name", "other")
    name: str
    first: Any
    other: Any

    def __init__(self, name: str, first: Any, other: Any) -> None:
        self.name, self.first, self.other = name, first, other


def _in_a_clock(value: Any) -> bool:
    """Return whether a value is a span in turns, rounds or days."""
    if not isinstance(value, dict) or len(value) != 1:
        return False
    ((clock, count),) = value.items()
    return clock in CLOCKS and type(count) is int and 0 <= count <= LONGEST


_LATEST = int(LONGEST * 1_000_000)  # microseconds
_STATES = frozenset(("", *STATES))
_WORDS: dict[str, tuple[str, str]] = {
    "whole": ("a whole number, 0 or more", "type({v}) is int and 0 <= {v} <= MOST"),
    "number": (
        f"a number within ±{MOST}",
        "(type({v}) is int or type({v}) is float) and -MOST <= {v} <= MOST",
    ),
    "amount": (f"a number from 0 to {MOST}", "(type({v}) is int or type({v}) is float) and 0 <= {v} <= MOST"),
    "points": ("a whole number", "type({v}) is int and -MOST <= {v} <= MOST"),
    "day": (f"a whole number within ±{FARTHEST_DAY}", "type({v}) is int and -FARTHEST <= {v} <= FARTHEST"),
    "truth": ("true or false", "type({v}) is bool"),
    "text": ("a text", "type({v}) is str"),
    "name": ("a name", "type({v}) is str"),
    "words": ("a text", "type({v}) is str"),
    "state": ("a state of a quest, or empty", "type({v}) is str and {v} in STATES"),
    "time": (
        'a number of microseconds, 0 or more, or such as {"turns": 2}',
        "(type({v}) is int and 0 <= {v} <= LATEST) or IN_A_CLOCK({v})",
    ),
    "span": (
        'null, a number of microseconds, 0 or more, or such as {"turns": 2}',
        "({v} is None or (type({v}) is int and 0 <= {v} <= LATEST) or IN_A_CLOCK({v}))",
    ),
}
"""What each word means: for people, and as code that asks it of the variable *v*."""
_TALLY = {"total": "number", "seen": ["name"], "stamps": [("time", "number")]}
_OLD_GOAL = {"progress": "number", "target": "number", "met": "truth", **_TALLY}
_GOAL = AnyOf("goal", {**_OLD_GOAL, "goal": ("name", "words", "text")}, _OLD_GOAL)

_QUEST = {
    "state": "state",
    "goals": [_GOAL],
    "fails": [_GOAL],
    "completions": "whole",
    "limit": "span",
    "again": "span",
}

SHAPES: dict[str, Any] = {
    "currencies": EachOf("whole"),
    "items": EachOf("whole"),
    "owed": EachOf([("whole", "whole", "text")]),
    "exchanges": EachOf("whole"),
    "pickups": EachOf("truth"),
    "lives": {"left": "whole", "dead": "truth"},
    "cooldowns": EachOf("time"),
    "visits": {"day": "day"},
    "raised": EachOf(EachOf("number")),
    "worn": EachOf(["whole"]),
    "levels": EachOf(AnyOf("level", {"xp": "whole", "level": "whole"}, {"xp": "whole"})),
    "ratings": EachOf("whole"),
    "records": EachOf(_TALLY),
    "meters": EachOf(AnyOf("max", {"value": "amount", "max": "amount"}, {"value": "amount"})),
    "achievements": EachOf({"achieved": ["name"], "tallies": EachOf(_TALLY)}),
    "score": {"points": "points"},
    "team": {"name": "name"},
    "tags": EachOf("truth"),
    "statuses": EachOf(
        [
            {
                "order": "whole",
                "left": "span",
                "source": "text",
                "kind": "name",
                "team": "name",
                "beats": [("time", "truth")],
            }
        ]
    ),
    "quests": EachOf(AnyOf("day", {**_QUEST, "day": "day"}, _QUEST)),
}
"""The shape of each section that Cleaver keeps; others are put aside as they are. What a table holds each of
stands under names of the design, and so does each "name"; "words" have such names in them."""


def renamed(
    section: str, data: Any, renames: Mapping[str, str], clash: Callable[[str, str], Exception]
) -> Any:
    """Return a section with other names in place of those that were renamed, wherever names stand in it.

    Args:
        section: Its name.
        data: What it holds.
        renames: The new names by the old ones.
        clash: Returns what to raise where one table has both an old name and its new one.
    """
    return _renamed(SHAPES.get(section, EachOf("")), data, renames, clash) if renames else data


def _renamed(
    shape: Any, data: Any, renames: Mapping[str, str], clash: Callable[[str, str], Exception]
) -> Any:
    if shape == "name" and isinstance(data, str):
        return renames.get(data, data)
    if shape == "words" and isinstance(data, str):
        return "".join(renames.get(part, part) for part in _parts_of(data))
    if isinstance(shape, tuple) and isinstance(data, list):
        return [_renamed(inner, one, renames, clash) for inner, one in zip(shape, data, strict=False)]
    if isinstance(shape, list) and isinstance(data, list):
        return [_renamed(shape[0], one, renames, clash) for one in data]
    if isinstance(shape, AnyOf) and isinstance(data, dict):
        return _renamed(shape.first if shape.name in data else shape.other, data, renames, clash)
    if isinstance(shape, dict) and isinstance(data, dict):
        return {
            name: _renamed(shape[name], one, renames, clash) if name in shape else one
            for name, one in data.items()
        }
    if not isinstance(shape, EachOf) or not isinstance(data, dict):
        return data
    made: dict[str, Any] = {}
    for name, one in data.items():
        # "suit.max" and "exchange:tank" have a name of the design in them
        new = "".join(renames.get(part, part) for part in _parts_of(name))
        if new in made or (new != name and new in data):
            raise clash(name, new)
        made[new] = _renamed(shape.shape, one, renames, clash)
    return made


def _parts_of(name: str) -> list[str]:
    """Return the words of a compound name and what stands between them."""
    import re  # only where something was renamed

    return re.split(r"(\W+)", name)


def look_at_section(player: str, sections: Mapping[str, Any]) -> None:
    """Raise `ProfileError` where a section is not of its shape, naming the path and what would be right."""
    for name, section in sections.items():
        fits = _QUICK.get(name)
        if fits is not None and not fits(section):
            _look(player, name, section, SHAPES[name])  # which says where


def _quick(shape: Any) -> Callable[[Any], bool]:
    """Return a question that says whether a value is of a shape.

    Every save asks it, so it is written once, as one function, and finds no words for what is wrong.
    """
    space: dict[str, Any] = {"MOST": MOST, "LATEST": _LATEST, "STATES": _STATES, "GONE": object()}
    space |= {"IN_A_CLOCK": _in_a_clock, "FARTHEST": FARTHEST_DAY}
    exec(f"def fits(v): return {_code(shape, 'v', [0])}", space)  # written from the shapes above alone
    found: Callable[[Any], bool] = space["fits"]
    return found


def _code(shape: Any, v: str, count: list[int]) -> str:
    """Return code that asks whether the variable *v* is of a shape; *count* numbers the variables within."""
    count[0] += 1
    e = f"v{count[0]}"
    if isinstance(shape, str):
        return f"({_WORDS[shape][1].format(v=v)})"
    if isinstance(shape, list):
        return f"(type({v}) is list and (not {v} or all([{_code(shape[0], e, count)} for {e} in {v}])))"
    if isinstance(shape, EachOf):
        inner = _code(shape.shape, e, count)
        return f"(type({v}) is dict and (not {v} or all([{inner} for {e} in {v}.values()])))"
    if isinstance(shape, AnyOf):
        first, other = _code(shape.first, v, count), _code(shape.other, v, count)
        return f"({first} if type({v}) is dict and {shape.name!r} in {v} else {other})"
    if isinstance(shape, tuple):
        parts = [
            f"[{_code(inner, e, count)} for {e} in ({v}[{index}],)][0]" for index, inner in enumerate(shape)
        ]
        whole = f"(type({v}) is list or type({v}) is tuple) and len({v}) == {len(shape)}"
        return f"({' and '.join([whole, *parts])})"
    parts = []
    for name, inner in shape.items():
        count[0] += 1
        part = f"v{count[0]}"
        parts.append(f"(({part} := {v}.get({name!r}, GONE)) is not GONE and {_code(inner, part, count)})")
    return f"({' and '.join([f'type({v}) is dict', *parts])})"


def _look(player: str, path: str, value: Any, shape: Any) -> None:
    if isinstance(shape, str):
        if not _FITS[shape](value):
            raise _wrong(player, path, value, _WORDS[shape][0])
    elif isinstance(shape, list):
        if not isinstance(value, list):
            raise _wrong(player, path, value, "a list")
        for number, item in enumerate(value, 1):
            _look(player, f"{path}[{number}]", item, shape[0])
    elif isinstance(shape, AnyOf):
        _look(
            player,
            path,
            value,
            shape.first if isinstance(value, Mapping) and shape.name in value else shape.other,
        )
    elif isinstance(shape, EachOf):
        if not isinstance(value, Mapping):
            raise _wrong(player, path, value, "a table")
        for name, item in value.items():
            _look(player, f"{path}.{name}", item, shape.shape)
    elif isinstance(shape, tuple):
        if not isinstance(value, (list, tuple)) or len(value) != len(shape):
            raise _wrong(player, path, value, f"a list of {len(shape)}")
        for number, (item, inner) in enumerate(zip(value, shape, strict=True), 1):
            _look(player, f"{path}[{number}]", item, inner)
    else:
        if not isinstance(value, Mapping):
            raise _wrong(player, path, value, "a table")
        for name, inner in shape.items():
            if name not in value:
                raise ProfileError(f"profile {player}: {path} has no {name}; nothing was taken from it")
            _look(player, f"{path}.{name}", value[name], inner)


def _wrong(player: str, path: str, value: Any, wanted: str) -> ProfileError:
    return ProfileError(
        f"profile {player}: {path} is {str(value)[:60]!r}; it must be {wanted}. Nothing was taken from it"
    )


_QUICK = {name: _quick(shape) for name, shape in SHAPES.items()}
_FITS = {word: _quick(word) for word in _WORDS}


def from_format_2(sections: Mapping[str, Any]) -> dict[str, Any]:
    """Return the sections of a profile of format 2 as they are written now: what meters and levels had raised
    stands in a section of its own, by its cause."""
    raised: dict[str, dict[str, float]] = {}
    made = {name: dict(section) for name, section in sections.items()}
    for meter, kept in made.get("meters", {}).items():
        more = kept.get("raised", 0)
        made["meters"][meter] = {name: value for name, value in kept.items() if name != "raised"}
        if more:
            raised.setdefault(f"{meter}.max", {})["earlier"] = more
    for ladder, kept in made.get("levels", {}).items():
        made["levels"][ladder] = {"xp": kept["xp"]}
        for meter, more in kept["raised"].items():
            raised.setdefault(f"{meter}.max", {})[f"levels:{ladder}"] = more
    return made | ({"raised": raised} if raised else {})


def from_format_1(sections: Mapping[str, Any]) -> dict[str, Any]:
    """Return the sections of a profile of format 1 as they are written now.

    Raises:
        ValueError: A section that is not as format 1 wrote it.
    """
    try:
        return {
            name: _FROM_1[name](section) if name in _FROM_1 else section for name, section in sections.items()
        }
    except (KeyError, TypeError, AttributeError, ValueError) as error:
        raise ValueError(f"a section is not as format 1 wrote it ({error!r})") from None


def _tally_from_1(tally: Any) -> dict[str, Any]:
    total, seen = tally
    return {"total": total, "seen": list(seen), "stamps": []}


_FROM_1: dict[str, Callable[[Any], Any]] = {
    "lives": lambda lives: {"left": lives["left"], "dead": lives["left"] == 0},
    "levels": lambda levels: {name: {"xp": total, "raised": {}} for name, total in levels.items()},
    "records": lambda records: {name: _tally_from_1(tally) for name, tally in records.items()},
    "achievements": lambda found: {
        name: {
            "achieved": kept["achieved"],
            "tallies": {rank: _tally_from_1(tally) for rank, tally in kept["tallies"].items()},
        }
        for name, kept in found.items()
    },
    "quests": lambda quests: {
        name: {
            **quest,
            "fails": [],
            "limit": None if quest["limit"] is None else max(quest["limit"], 0),
            "goals": [{**goal, "total": goal["progress"], "stamps": []} for goal in quest["goals"]],
        }
        for name, quest in quests.items()
    },
}
