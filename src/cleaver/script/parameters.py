"""Parameters: what the words of a command are.

A `Reading` says how one word is written, how it is read, and what may stand there; commands declare it as the
type of a parameter. Everything else comes from that: usages, errors, completion. Start at `Reading` and
`parameters_of`.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable, Iterable
from typing import Annotated, Any, NamedTuple, get_args, get_origin, get_type_hints

from cleaver.core import read
from cleaver.core.commands import LinePart
from cleaver.core.handles import Actor
from cleaver.core.kernel.clock import LONGEST
from cleaver.core.views import MeterView
from cleaver.design.models.values import CALLED
from cleaver.design.vocabulary import IGNORABLE, KEEPS
from cleaver.errors import AmountError, UnknownNameError, UsageError
from cleaver.script.lines import Words, to_number, to_whole
from cleaver.script.session import Session
from cleaver.script.state import actor_state

SHORTEST_FRAME = 1e-6  # seconds


class Asked(NamedTuple):
    """What completion knows: the session, and the words given so far by the parameter they are for."""

    session: Session
    given: dict[str, str]

    def actor(self, parameter: str) -> Actor | None:
        """Return the actor that a word before names, if there is one."""
        name = self.given.get(parameter, "")
        return self.session.actor(name) if name in read.parts(self.session.world).stage.actors else None


def _nothing(asked: Asked) -> Iterable[str]:
    return ()


class Reading(NamedTuple):
    """How one word of a command is read.

    `label` stands for it in usages. `read` is given the session, what to call the word in an error, and the
    word. `offers` lists what may stand there. `missing` says more where the word is missing.
    """

    label: str
    read: Callable[[Session, str, str], Any]
    offers: Callable[[Asked], Iterable[str]] = _nothing
    missing: str = ""


class Parameter(NamedTuple):
    """One parameter of a command: a word, an option (`name=`), or as many of either as there are."""

    name: str
    reading: Reading
    option: bool
    required: bool
    many: bool

    @property
    def usage(self) -> str:
        """How it is written in a usage: what may be left out stands in brackets."""
        if self.option:
            text = f"{self.reading.label}=…" if self.many else f"{self.name}="
        else:
            text = f"{self.reading.label}…" if self.many else self.reading.label
        return text if self.required else f"[{text}]"

    @property
    def key(self) -> str:
        """Its name in Python, where `with` and `from` are taken."""
        return f"{self.name}_" if self.name in ("as", "with", "from") else self.name


def reading_of(part: LinePart, of: str) -> Reading:
    """Return how a part of a declared command is read: an argument, or what a command of the class *of* is
    given to."""
    if part.argument is None:
        return DOER if part.option == "by" and of == "Actor" else SUBJECTS[of]
    kind = part.argument.kind
    reading = READINGS[kind.of]
    label = (kind.label or part.argument.name).upper()
    return (
        reading
        if reading.label in ("yes|no", "GOOD:N", "STEP,STEP", "INPUT", "FIELD")
        else reading._replace(label=label)
    )


def parameters_of(function: Callable[..., str]) -> tuple[Parameter, ...]:
    """Return the parameters of a command's function, after the session: words are positional, options stand
    after the star."""
    hints = get_type_hints(function, include_extras=True)
    found = []
    for name, parameter in list(inspect.signature(function).parameters.items())[1:]:
        many = parameter.kind in (parameter.VAR_POSITIONAL, parameter.VAR_KEYWORD)
        option = parameter.kind in (parameter.KEYWORD_ONLY, parameter.VAR_KEYWORD)
        required = parameter.default is parameter.empty and not many
        found.append(Parameter(name.rstrip("_"), reading_in(hints[name]), option, required, many))
    return tuple(found)


def reading_in(hint: Any) -> Reading:
    """Return the reading in a type: of `Number` or of `Number | None`."""
    if get_origin(hint) is Annotated:
        found: Reading = hint.__metadata__[0]
        return found
    return next(reading_in(part) for part in get_args(hint) if get_origin(part) is Annotated)


Given = tuple[Reading, str, str, str]
"""One word of a line beside what it is for: how it is read, the name in Python ("" for a word by its place),
what to call it in an error, and the word. A plain tuple: a script has many."""


def words_given(parameters: Iterable[Parameter], usage: str, session: Session, text: str) -> list[Given]:
    """Return the words of a line, each beside what it is for; none of them is read yet."""
    words = Words(text)
    found: list[Given] = []
    for parameter in parameters:
        name, reading = parameter.name, parameter.reading
        if parameter.many and parameter.option:
            for key in words.options:
                if key in CALLED:  # the call would take it for something else
                    raise UnknownNameError(
                        reading.label.lower(), key, tuple(reading.offers(Asked(session, {})))
                    )
            found += [(reading, key, f"{key}=", value) for key, value in words.options.items()]
            words.options = {}
        elif parameter.many:
            found += [(reading, "", reading.label, word) for word in words.words]
            words.words = []
        elif parameter.option and words.options.get(name):
            found.append((reading, parameter.key, f"{name}=", words.options.pop(name)))
        elif not parameter.option and words.words:
            found.append((reading, "", reading.label, words.words.pop(0)))
        elif parameter.required:
            what = f"{name}=" if parameter.option else reading.label
            raise UsageError(f"{what} is missing{reading.missing or f'; write: {usage}'}")
        elif parameter.option:
            words.options.pop(name, None)  # given without a value, as if it were left out
    words.done(usage, tuple(parameter.name for parameter in parameters if parameter.option))
    return found


def arguments_of(
    parameters: Iterable[Parameter], usage: str, session: Session, text: str
) -> tuple[list[Any], dict[str, Any]]:
    """Return the arguments that a line gives.

    All of them are read before anything is done, so a line that is wrong changes nothing.
    """
    args: list[Any] = []
    options: dict[str, Any] = {}
    for reading, key, what, word in words_given(parameters, usage, session, text):
        value = reading.read(session, what, word)
        if key:
            options[key] = value
        else:
            args.append(value)
    return args, options


# texts and numbers


def _text(session: Session, what: str, word: str) -> str:
    return word


def _number(session: Session, what: str, word: str) -> float:
    return to_number(what, word)


def _whole(session: Session, what: str, word: str) -> int:
    return to_whole(what, to_number(what, word))


def _steps(session: Session, what: str, word: str) -> Any:
    return tuple(word.split(","))


def _truth(session: Session, what: str, word: str) -> bool:
    if word not in ("yes", "no"):
        raise UsageError(f"{what}{word} must be {what}yes or {what}no")
    return word == "yes"


def _between(least: float, most: float) -> Callable[[Session, str, str], float]:
    def seconds(session: Session, what: str, word: str) -> float:
        found = to_number(what, word)
        if not least <= found <= most:
            raise AmountError(what, found, f"a number of seconds from {least:g} to {most:,}")
        return found

    return seconds


def choice(*options: str) -> Reading:
    """Return the reading of a word that is one of a few."""

    def one(session: Session, what: str, word: str) -> str:
        if word not in options:
            raise UnknownNameError("word", word, options)
        return word

    return Reading("|".join(options), one, lambda asked: options)


def number_word(label: str) -> Reading:
    """Return the reading of a number."""
    return Reading(label, _number)


def whole_word(label: str) -> Reading:
    """Return the reading of a whole number."""
    return Reading(label, _whole)


def words(label: str) -> Reading:
    """Return the reading of any text."""
    return Reading(label, _text)


def _goods(session: Session, what: str, word: str) -> dict[str, int]:
    found: dict[str, int] = {}
    for part in word.split(","):
        good, colon, count = part.partition(":")
        if not good or good in found:
            raise UsageError(f"{what}{word} must name each good once, such as {what}pearl:2,scrip:30")
        found[good] = to_whole(f"{what}{good}", to_number(f"{what}{good}", count)) if colon else 1
    return found


def _goods_known(asked: Asked) -> list[str]:
    tables = asked.session.design.tables
    return [*tables.currencies, *tables.items]


FIXED = (_text, _number, _whole, _truth, _steps)
"""Readings that do not look at the session."""
Number = Annotated[float, number_word("N")]
Amount = Annotated[float, number_word("AMOUNT")]
Value = Annotated[float, number_word("VALUE")]
Whole = Annotated[int, whole_word("N")]
Truth = Annotated[bool, Reading("yes|no", _truth, lambda asked: ("yes", "no"))]
Seconds = Annotated[float, Reading("SECONDS", _between(0, LONGEST))]
Instant = Annotated[float, Reading("SECONDS", _between(-LONGEST, LONGEST))]
Frame = Annotated[float, Reading("SECONDS", _between(SHORTEST_FRAME, LONGEST))]
Input = Annotated[Any, Reading("INPUT", _number, lambda asked: asked.session.design.tables.inputs)]
Field = Annotated[str, words("FIELD")]
File = Annotated[str, words("FILE")]
Free = Annotated[str, Reading("NAME", lambda session, what, word: session.free(word))]
TallyName = Annotated[str, words("TALLY")]
Rest = Annotated[str, words("COMMAND…")]
Formula = Annotated[str, words("FORMULA")]


# who and what is there


def _actors(asked: Asked) -> list[str]:
    return [actor.id for actor in asked.session.world.actors]


def _actor(session: Session, what: str, word: str) -> Actor:
    return session.actor(word)


def _anybody(session: Session, what: str, word: str) -> Actor | None:
    return None if word == "-" else session.actor(word)


def actor(label: str, missing: str = "") -> Reading:
    """Return the reading of an actor's name."""
    return Reading(label, _actor, _actors, missing)


def _shots(asked: Asked) -> list[str]:
    return [shot.id for shot in asked.session.world.shots]


def _spot(session: Session, what: str, word: str) -> tuple[float, ...]:
    parts = word.split(",")
    if not 2 <= len(parts) <= 3:
        raise UsageError(f"{what}{word} must be two or three numbers, such as {what}3,4")
    return tuple(to_number(what, part) for part in parts)


def _input_value(session: Session, what: str, word: str) -> float | None:
    return None if word == "none" else to_number(what, word)


def hitter(label: str, missing: str = "") -> Reading:
    """Return the reading of who or what hits: an actor or a shot."""
    return Reading(
        label,
        lambda session, what, word: session.doer(word),
        lambda asked: [*_actors(asked), *_shots(asked)],
        missing,
    )


def _meter(session: Session, what: str, word: str) -> MeterView:
    name, dot, meter = word.rpartition(".")
    if not dot:
        raise UsageError(f"{word!r} names no meter; write NAME.METER, such as {word}.suit")
    return session.actor(name)[meter]


def _meters(asked: Asked) -> list[str]:
    return [f"{actor.id}.{name}" for actor in asked.session.world.actors for name in actor.meters]


def _paths(asked: Asked) -> list[str]:
    return [f"{actor.id}.{path}" for actor in asked.session.world.actors for path in actor_state(actor)]


def _placements(asked: Asked) -> list[str]:
    return [placement.id for placement in asked.session.world.placements if placement.present]


def _things(asked: Asked) -> list[str]:
    return [*_actors(asked), *(placement.id for placement in asked.session.world.placements)]


ActorName = Annotated[Actor, actor("NAME")]
Anybody = Annotated[Actor | None, Reading("NAME", _anybody, _actors)]
ValuePath = Annotated[str, Reading("NAME.PATH", _text, _paths)]
SnapshotName = Annotated[str, Reading("NAME", _text, lambda asked: asked.session.snapshots)]


# names of the design


def _kinds(asked: Asked, player: bool) -> list[str]:
    actors = asked.session.design.tables.actors
    return [kind for kind, actor in actors.items() if actor.player == player]


def _attacks(asked: Asked) -> Iterable[str]:
    actors = asked.session.design.tables.actors
    source = asked.actor("by") or asked.actor("actor")
    if source is not None:
        return actors[source.kind].attacks
    return [name for kind in actors.values() for name in kind.attacks]


def _abilities(asked: Asked) -> Iterable[str]:
    source = asked.actor("actor")
    return () if source is None else asked.session.design.tables.actors[source.kind].abilities


def _stats(asked: Asked) -> Iterable[str]:
    source = asked.actor("actor")
    bases = read.parts(asked.session.world).kinds.actors[source.kind].bases if source is not None else {}
    return [name for name in bases if not name.endswith(".rate")]


def _gear(asked: Asked) -> list[str]:
    """Return the items that can be worn."""
    return list(read.parts(asked.session.world).kinds.stats.slots)


def _zones(asked: Asked) -> Iterable[str]:
    target = asked.actor("target") or asked.actor("actor")
    return () if target is None else asked.session.design.tables.actors[target.kind].guard.zones


def _own_meters(asked: Asked) -> Iterable[str]:
    found = asked.actor("actor")
    return () if found is None else found.meters


def _pulses(asked: Asked) -> list[str]:
    return [name for kind in asked.session.design.tables.actors.values() for name in kind.pulses]


def section(label: str, name: str) -> Reading:
    """Return the reading of a name that a section of the design defines; the verb refuses unknown ones."""
    return Reading(label, _text, lambda asked: getattr(asked.session.design.tables, name))


def _givers(asked: Asked) -> Iterable[str]:
    return dict.fromkeys(quest.giver for quest in asked.session.design.tables.quests.values())


PlayerKind = Annotated[str, Reading("KIND", _text, lambda asked: _kinds(asked, True))]
Item = Annotated[str, section("ITEM", "items")]
Team = Annotated[str, section("TEAM", "teams")]
EventName = Annotated[str, section("EVENT", "events")]

SECTIONS = {
    "status": "statuses",
    "input": "inputs",
    "pickup": "pickups",
    "currency": "currencies",
    "item": "items",
    "exchange": "exchanges",
    "rating": "ratings",
    "levels": "levels",
    "stage": "stages",
    "quest": "quests",
    "team": "teams",
    "achievement": "achievements",
}
"""What names an entry of the design, with its section."""
READINGS: dict[str, Reading] = {
    **{name: section(name.upper(), of) for name, of in SECTIONS.items()},
    "number": number_word("N"),
    "whole": whole_word("N"),
    "text": words("TEXT"),
    "reason": words("TEXT"),
    "truth": reading_in(Truth),
    "steps": Reading("STEP,STEP", _steps, lambda asked: IGNORABLE),
    "keep": choice(*KEEPS),
    "spot": Reading("X,Y", _spot),
    "goods": Reading("GOOD:N", _goods, _goods_known),
    "inputs": reading_in(Input),
    "input_value": Reading("VALUE", _input_value, lambda asked: ("none",)),
    "new": reading_in(Free),
    "actor": actor("NAME"),
    "thing": Reading("NAME", lambda session, what, word: session.thing(word), _things),
    "placement": Reading("PLACEMENT", lambda session, what, word: session.placement(word), _placements),
    "player_kind": reading_in(PlayerKind),
    "other_kind": Reading("KIND", _text, lambda asked: _kinds(asked, False)),
    "ability": Reading("ABILITY", _text, _abilities),
    "stat": Reading("STAT", _text, _stats),
    "gear": Reading("ITEM", _text, _gear),
    "worn": Reading("ITEM", _text, lambda asked: (*_gear(asked), "all")),
    "attack": Reading("ATTACK", _text, _attacks),
    "zone": Reading("ZONE", _text, _zones),
    "type": Reading("TYPE", _text, lambda asked: read.parts(asked.session.world).kinds.known.hurts),
    "meter": Reading("METER", _text, _own_meters),
    "tag": Reading("TAG", _text, lambda asked: read.parts(asked.session.world).kinds.known.tags),
    "pulse": Reading("PULSE", _text, _pulses),
    "giver": Reading("GIVER", _text, _givers),
}
"""How a word of a command of worlds is read, by what it is (`Kind.of`)."""
SUBJECTS = {
    "Actor": actor("NAME"),
    "Bag": Reading("NAME", lambda session, what, word: session.actor(word).bag, _actors),
    "MeterView": Reading("NAME.METER", _meter, _meters),
    "Placement": READINGS["placement"],
    "Shot": Reading("SHOT", lambda session, what, word: session.shot(word), _shots),
    "Match": Reading(
        "NAME",
        lambda session, what, word: session.world.match(word),
        lambda asked: asked.session.design.tables.matches,
    ),
}
"""How what a command is given to is read, by its class."""
DOER = hitter("NAME", ": who hits? (hurt NAME AMOUNT needs nobody)")
