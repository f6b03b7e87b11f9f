"""Loading: a trial from its file, with everything that is wrong with it, before the first play.

Start at `load_trial`.
"""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from pathlib import Path as FilePath
from typing import Any

from cleaver.core.kernel.clock import LONGEST
from cleaver.design.design import Design, load_design
from cleaver.design.lines import bare_at, key_of
from cleaver.design.reading import Source, read_file
from cleaver.design.shape import validated
from cleaver.errors import CleaverError, DesignError, Problem, advice
from cleaver.lab.checks import check_trial
from cleaver.lab.tables import MOST_HABITS, MOST_LOOKS, MOST_MEASURES, MOST_PLAYERS, Tally, TrialTables
from cleaver.lab.trial import Trial

TRIAL = "trial"
"""What errors are said to be in."""


def load_trial(path: str | os.PathLike[str], design: Design | None = None) -> Trial:
    """Return the trial in a file.

    Args:
        path: The file, TOML or JSON.
        design: What to play instead of the design that it names, which is looked for beside it.

    Raises:
        DesignError: Everything that is wrong with it, each with its line.
    """
    file = FilePath(path)
    try:
        source = read_file(file)
    except DesignError as error:
        raise type(error)(error.problems, TRIAL) from None
    if design is None:
        named = source.tree.get("design")
        if not isinstance(named, str) or not named:
            raise DesignError(
                [Problem(source.name, 0, "design", "is missing", "name a design file beside it")], TRIAL
            )
        try:
            design = load_design(file.parent / named)
        except DesignError as error:
            problems = [
                Problem(
                    source.name, source.line(("design",)), "design", f"is {named!r}, which does not load", ""
                )
            ]
            raise DesignError([*problems, *error.problems], TRIAL) from None
    variant = source.tree.get("variant")
    try:
        design = design.variant(variant) if isinstance(variant, str) and variant else design
    except CleaverError as error:
        problem = Problem(source.name, source.line(("variant",)), "variant", str(error), "")
        raise DesignError([problem], TRIAL) from None
    return made(source, design, file)


def made(source: Source, design: Design, file: FilePath | None = None, *, checked: bool = False) -> Trial:
    """Return the trial in *source*, played on *design* with what it sets.

    Args:
        source: Where it is written.
        design: What it is played on.
        file: Its file.
        checked: Whether it was found right before, on a design with the same names: then it is not carried
            out once more to see.

    Raises:
        DesignError: Everything that is wrong with it.
    """
    tables = _tables(source)
    changed = _set(source, design, source.tree.get("set", {}))
    if tables is None or changed is None or source.problems:
        raise DesignError(source.problems, TRIAL)
    trial = Trial(tables, changed, source, file)
    if not checked:
        check_trial(trial)
        if source.problems:
            raise DesignError(source.problems, TRIAL)
    return trial


def trial_of(data: Mapping[str, Any], design: Design, *, checked: bool = False) -> Trial:
    """Return the trial in a table, as `Trial.data` gives it."""
    return made(Source(json.loads(json.dumps(data)), "trial"), design, checked=checked)


def _tables(source: Source) -> TrialTables | None:
    tables: TrialTables | None = validated(source, TrialTables, source.tree, ())
    if tables is None:
        return None
    inputs: dict[str, set[str]] = {name: set(given) - {"share"} for name, given in tables.players.items()}
    first = next(iter(inputs.values()), set())
    for name, own in inputs.items():
        for key in sorted(own ^ first):
            source.tell(
                ("players", name),
                f"{key!r} is not given to every kind of player",
                "give the same inputs to each",
            )
    for name, given in tables.players.items():
        if given.get("share", 1.0) <= 0:
            source.tell(("players", name, "share"), f"is {given['share']:g}", "it must be more than 0")
    for name, habit in tables.habits.items():
        if (habit.every is None) == (habit.on is None):
            source.tell(("habits", name), "has no clock and no event, or both", "give it every = … or on = …")
        if habit.each is not None and habit.pick is not None:
            source.tell(("habits", name), "has both each and pick", "`it` is one or the other")
        if habit.on is not None and habit.each is not None:
            source.tell(("habits", name), "has both each and on", "use where = … on the event")
    for name, measure in tables.measures.items():
        if isinstance(measure, Tally):
            ways = [way for way, _ in measure.ways]
            if len(ways) > 1:
                source.tell(("measures", name), f"has {' and '.join(ways)}", "give it one of them")
    every = tables.over_time.get("every", 0)
    if tables.over_time and (
        isinstance(every, bool) or not isinstance(every, (int, float)) or not 0 < every <= LONGEST
    ):
        source.tell(
            ("over_time", "every"),
            f"is {every!r}",
            f"it must be a number of seconds above 0, at most {LONGEST:,}",
        )
    elif tables.over_time and tables.end.after > MOST_LOOKS * every:
        source.tell(
            ("over_time", "every"),
            f"is {every:g}, more than {MOST_LOOKS:,} looks in {tables.end.after:g} s",
            "look less often, or end sooner",
        )
    if tables.end.after > LONGEST:
        source.tell(("end", "after"), f"is {tables.end.after:g}", f"at most {LONGEST:,} seconds")
    for name, text in tables.over_time.items():
        if name != "every" and not isinstance(text, str):
            source.tell(("over_time", name), f"is {text!r}", "it must be a formula in quotes")
    for what, entries, most in (
        ("players", tables.players, MOST_PLAYERS),
        ("habits", tables.habits, MOST_HABITS),
        ("measures", tables.measures, MOST_MEASURES),
    ):
        if len(entries) > most:
            source.tell((what,), f"has {len(entries)} entries", f"at most {most}")
    if not tables.measures:
        source.tell(("measures",), "is empty", 'measure something, such as score = "ana.score"')
    return tables


def _set(source: Source, design: Design, values: Any) -> Design | None:
    """Return the design with all that the trial sets, None where some of it is wrong: the problems are the
    trial's, each at the key that brought it about."""
    if not isinstance(values, dict):
        return design
    try:
        return with_known(design, values)
    except DesignError as error:
        for problem in error.problems:
            key = next((one for one in values if problem.key.startswith(one)), problem.key)
            source.tell(("set", key), problem.wrong, problem.right)
    except CleaverError as error:
        source.tell(("set",), str(error))
    return None


def with_known(design: Design, values: Mapping[str, Any]) -> Design:
    """Return the design with other values at keys that it has: a new one would show no effect.

    Raises:
        DesignError: A key that it does not have, with the nearest one, or a value that it does not allow.
    """
    known = known_keys(design)
    missing = [str(key) for key in values if key not in known]
    if missing:
        raise DesignError(
            [
                Problem(design.source.name, 0, key, "is no key of this design", advice(key, known))
                for key in missing
            ]
        )
    return design.with_values(values)


def known_keys(design: Design) -> list[str]:
    """Return the path of every value, table and list of a design, as `cleaver diff` writes it."""
    found: list[str] = []

    def walk(value: Any, path: tuple[str | int, ...]) -> None:
        if path:
            found.append(key_of(path))
        items = (
            value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
        )
        for key, inner in items:
            walk(inner, (*path, key))
        bare = bare_at(path)
        if bare and not isinstance(value, dict):
            found.append(key_of((*path, bare)))

    walk(design.source.tree, ())
    return found
