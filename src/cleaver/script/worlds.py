"""Commands of worlds: what is declared in `core.commands`, as commands of scripts. Start at `add_all`."""

from __future__ import annotations

from functools import cached_property
from string import Formatter
from typing import Any

from cleaver.core.commands import COMMANDS as DECLARED
from cleaver.core.commands import GOODS, Declared, LinePart
from cleaver.core.kernel.results import HitResult, Result, TalkResult
from cleaver.core.telling import THEMES
from cleaver.errors import UsageError
from cleaver.rounding import counted, shown
from cleaver.script.command import COMMANDS, Command
from cleaver.script.parameters import Parameter, choice, reading_of
from cleaver.script.session import Session

_IN_ORDER = ("World", "Actor", "MeterView", "Bag", "OwnData", "Placement", "Shot", "Match")


class OfWorld(Command):
    """A command of a world, as it is declared; several of one name where a word, or what it is given to,
    tells them apart: ``stage enter``, ``stage leave``."""

    ways: dict[str, Declared]
    branches: bool

    def __init__(self, ways: list[Declared]) -> None:
        first = ways[0]
        super().__init__(first.word, first.theme, first.example, True, self.carry_out)
        self.ways = {self._word_of(way) or way.of: way for way in ways}
        self.branches = bool(self._word_of(first))

    @cached_property
    def help(self) -> str:
        """See `Command`."""
        if not self.branches:
            return next(iter(self.ways.values())).help
        return "; ".join(f"{word}: {way.help.partition(';')[0]}" for word, way in self.ways.items())

    @cached_property
    def parameters(self) -> tuple[Parameter, ...]:
        """See `Command`."""
        found: dict[str, Parameter] = {}
        for way in self.ways.values():
            for part in way.parts:
                if not part.literal:
                    one = _parameter(part, way.of)
                    found.setdefault(one.name, one)
        everywhere = [
            {_parameter(part, way.of).name for part in way.parts if not part.literal}
            for way in self.ways.values()
        ]
        parameters = [
            one if all(one.name in names for names in everywhere) else one._replace(required=False)
            for one in found.values()
        ]
        if self.branches:
            what = Parameter("what", choice(*self.ways), False, True, False)
            parameters = [what, *(one._replace(required=False) for one in parameters)]
        return tuple(sorted(parameters, key=lambda one: one.option + (one.many and one.option)))

    @staticmethod
    def _word_of(way: Declared) -> str:
        """Return the word after the name of a command that says which of several is meant; "" if there is
        one."""
        return "".join(part.literal for part in way.parts[1:] if part.literal)

    @cached_property
    def plans(self) -> dict[str, list[tuple[str, str, str, LinePart]]]:
        """What is done with each part of a line, by way: what it is, the option, the argument, the part."""
        return {
            name: [
                (
                    "names" if part.several else "inputs" if part.argument and part.argument.many else "one",
                    f"{part.option}_" if part.option in ("as", "with", "from") else part.option,
                    part.argument.name if part.argument is not None else "",
                    part,
                )
                for part in way.parts
                if not part.literal
            ]
            for name, way in self.ways.items()
        }

    def carry_out(self, session: Session, /, *args: Any, **options: Any) -> str:
        """Do it, with what the words of a line stand for; returns in one line what it did."""
        words = list(args)
        label = words.pop(0) if self.branches else self._kind_of(options)
        way = self.ways[label]
        given: dict[str, Any] = {}
        me: Any = session.world
        names: list[str] | None = None
        for what, option, name, part in self.plans[label]:
            if what == "names":
                names, words = session.all_free(words) or [""], []
            elif what == "inputs":
                given |= options
                options = {}
            elif option in options:
                value = options.pop(option)
                me, given[name] = (me, value) if name else (value, None)
            elif not option and words:
                value = words.pop(0)
                me, given[name] = (me, value) if name else (value, None)
            elif not name:
                me = _only_match(session, words, way)
            elif part.argument is not None and part.argument.kind is GOODS:
                given[name] = {}
            elif part.argument is not None and part.argument.required:
                self._missing(session, part)
        given.pop("", None)
        if words or options:
            self._nothing_left(way, words, options)
        done = getattr(me, way.name)
        result = done(**given) if names is None else [done(**given, name=name) for name in names]
        return told(session, way, me, result, given)

    def _kind_of(self, options: dict[str, Any]) -> str:
        """Return which of several ways is meant, by what does it."""
        if len(self.ways) == 1:
            return next(iter(self.ways))
        return type(options["by"]).__name__

    def _missing(self, session: Session, part: LinePart) -> None:
        parameter = _parameter(part, "")
        known = getattr(session.design.tables, f"{parameter.name}s", ())
        raise UsageError(f"{parameter.reading.label} is missing: which one? ({', '.join(known)})")

    def _nothing_left(self, way: Declared, words: list[Any], options: dict[str, Any]) -> None:
        if words:
            usage = " ".join(part.literal or _parameter(part, way.of).usage for part in way.parts)
            raise UsageError(f"{words[0]!r} is an unexpected argument; write: {usage}")
        if options:
            own = [f"{part.option}=" for part in way.parts if part.option and part.argument is not None]
            what = f"{next(iter(options)).rstrip('_')}= is not for a {way.of.lower()}"
            raise UsageError(f"{what}; beside it stand {' and '.join(own)} alone")


def _parameter(part: LinePart, of: str) -> Parameter:
    """Return a part of a command's line as a parameter."""
    reading = reading_of(part, of)
    if part.argument is None:
        name = part.option or ("actor" if of == "Actor" else of.lower())
        return Parameter(name, reading, bool(part.option), True, False)
    return Parameter(
        part.option or part.argument.name,
        reading,
        bool(part.option),
        part.argument.required and not part.several and part.argument.kind is not GOODS,
        part.argument.many or part.several,
    )


def _only_match(session: Session, words: list[Any], way: Declared) -> Any:
    """Return the match that is meant where none is named: the only one that runs."""
    running = [found for found, match in session.world.matches.items() if match.running]
    if way.name == "start" or len(running) != 1:
        trouble = "which match?" if running or way.name == "start" else "no match is running"
        raise UsageError(f"NAME is missing: {trouble} ({', '.join(session.design.tables.matches)})")
    return session.world.match(running[0])


class _Shown(Formatter):
    def format_field(self, value: Any, format_spec: str) -> str:
        if format_spec:
            return counted(value, format_spec)
        return shown(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else str(value)


_SHOWN = _Shown()


def told(session: Session, way: Declared, me: Any, result: Any, given: dict[str, Any]) -> str:
    """Keep a result for `expect`, and say it: what was done, or why not."""
    blocked: Any = getattr(result, "blocked", "")
    session.result = result if isinstance(result, Result) else Result(blocked)
    if session.quiet:  # nobody reads it, and explaining a hit costs as much as the hit
        return ""
    if blocked:
        who = getattr(result, "who", "")
        why = f": {result.explain()}" if isinstance(result, HitResult) and blocked == "deflected" else ""
        return f"refused: {blocked}{why}{f' ({who})' if who else ''}"
    if not (result or result is None or isinstance(result, TalkResult)):
        return "nothing changed"
    given = {one.name: one.default for one in way.arguments} | given
    if callable(way.says):
        return way.says(me, result, given)
    return _SHOWN.vformat(way.says, (), given | {"me": me, "result": result})


def add_all() -> None:
    """Add every command of worlds to the table that no function of its own carries out."""
    ways: dict[str, list[Declared]] = {}
    for declared in sorted(DECLARED.values(), key=lambda one: _IN_ORDER.index(one.of)):
        if declared.word not in COMMANDS:
            ways.setdefault(declared.word, []).append(declared)
    for name, found in ways.items():
        COMMANDS[name] = OfWorld(found)
    in_order = sorted(COMMANDS.items(), key=lambda item: THEMES.index(item[1].theme))
    COMMANDS.clear()
    COMMANDS.update(in_order)
