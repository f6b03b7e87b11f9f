"""Vitals: actors with their meters, guards and attacks, and statuses."""

# fmt: off
# A line a key, however long.

from cleaver.design.keys import KeyTable, key
from cleaver.design.models.effects import Effects
from cleaver.design.models.spans import Delay, Lasting, Span
from cleaver.design.models.stats import Modifying, Stat
from cleaver.design.models.values import (
    WHOLE_LIMIT,
    Amount,
    Chance,
    Choice,
    Count,
    CountOrFormula,
    Factor,
    Figure,
    Formulas,
    FormulaText,
    Fraction,
    Maximum,
    Name,
    NotNegative,
    Period,
    PeriodOrFormula,
    Seconds,
    SeenBy,
    Text,
    Truth,
    Whole,
    Word,
    Words,
)
from cleaver.design.vocabulary import IGNORABLE, KEEPS
from cleaver.rounding import MODES


class Flow(KeyTable):
    """A continuous change of a meter, in units per second."""

    rate: Figure = key("units a second, a number or a formula; below 0 drains", "-1.2")
    while_: Word | None = key("flows only while this tag is set", '"submerged"', default=None)
    unless: Word | None = key("flows only while this tag is not set", '"submerged"', default=None)
    after_hurt: Span = key("the time after the last hurt in which it rests", "3.0", default=0)
    until: Chance | None = key("the fraction of the maximum where it stops", "0.5", default=None)
    every: Period | None = key("changes in steps of so many seconds, each with an event, instead of smoothly", "0.5", default=None)

    @property
    def drains(self) -> bool:
        """Whether it takes from its meter, as far as a number says so."""
        return not isinstance(self.rate, str) and self.rate < 0


class StatusFlow(Flow):
    """A flow that a status brings to a meter."""

    meter: Word = key("the meter that flows", '"air"', of="meter")


class MeterTable(KeyTable):
    """A number between 0 and its maximum."""

    bare = "max"

    max: Maximum = key("its maximum, a number or a formula; a bare number for a meter is this", "90")
    keep: Choice = key('what becomes of the value where stats move the maximum: "value", "fraction" or what is "missing"', '"fraction"', default="value", among=KEEPS)
    start: NotNegative | None = key("its value at first; by default full", "0", default=None)
    whole: Truth = key("holds whole numbers only", "true", default=False)
    round: Choice = key("how an amount becomes whole", '"down"', default="half_up", among=MODES)
    marks: dict[Name, Fraction] = key("named fractions that raise `crossed`", "{ low = 0.25 }", default={})
    flows: tuple[Flow, ...] = key("what changes it by itself", "[ { rate = 5, after_hurt = 3.0 } ]", default=())
    overfill: NotNegative = key("how far healing may go above the maximum", "20", default=0)
    shields: Word | None = key("absorbs hits before this other meter", '"suit"', default=None)
    cells: Whole | None = key("into how many cells a bar shows it", "12", default=None, ge=1, le=1000)
    saved: Truth = key("outlives the session", "true", default=False)
    seen_by: SeenBy | None = key('whose screens know of it: "all", its "owner", the "team", or "nobody"', '"team"', default=None)


class Guard(KeyTable):
    """All that stands between a hit and a meter."""

    zones: dict[Word, Factor] = key("places on the body, and what they multiply a hit by", "{ visor = 3 }", default={})
    through: dict[Word, Factor] = key("types of damage, and what part of them comes through", "{ venom = 0.5 }", default={})
    armour: Factor = key("taken off every hit", "1", default=0)
    scale: FormulaText | None = key("a formula that every hit is multiplied by; `self` is who is hit", '"1 / (1 + near(6))"', default=None)
    grace: Span = key("the time without a hit after one", "0.8", default=0)
    immune_while: Words = key("tags under which nothing hits", '["in_harbour"]', default=())
    least: NotNegative = key("what armour leaves of a hit at least", "1", default=0)
    most: NotNegative | None = key("more than this no hit takes", "40", default=None)


class Crit(KeyTable):
    """The chance of a critical hit, and what it multiplies by."""

    chance: Chance = key("how likely a hit is critical", "0.1")
    times: Factor = key("what a critical hit is multiplied by", "2", default=2)


class Priced(KeyTable):
    """What an attack or an ability asks of whoever uses it."""

    costs: dict[Word, Amount] = key("what each use takes, in meters, money and items", "{ mana = 8 }", default={}, of="meter, currency or item")
    needs: Formulas = key("formulas that must hold, else it is `locked`", '["self.worn.hammer >= 1"]', default=())


class Attack(Priced):
    """The definition of a hit."""

    amount: Amount = key("what it takes: a number, or a formula over inputs and the attacker", '"6 + 6 * charge"')
    type: Word | None = key("its type of damage, which guards know by `through`", '"venom"', default=None)
    cooldown: Span = key("the time before the same attack may hit the same target again", '"2 - self.rank / 10"', default=0)
    cooldown_per: Choice = key('whether each target has a clock of its own, or the "attack" has one', '"attack"', default="target", among=("target", "attack"))
    crit: Crit | None = key("the chance of a critical hit", "{ chance = 0.1, times = 2 }", default=None)
    ignores: tuple[Choice, ...] = key("steps of the guard it passes by", '["armour"]', default=(), among=IGNORABLE)
    hits_owner: Truth = key("whether it may hit whom its attacker acts for, or a shot who launched it", "true", default=False)
    pierces: CountOrFormula = key("how many more a shot of it hits, each once", "1", default=0)
    flight: PeriodOrFormula = key("seconds after which a shot of it is over", "4.0", default=30)
    do: Effects = key("effects on the target of a hit that lands", '[ { status = "venom" } ]', default=())


class Ability(Priced):
    """Something an actor can do."""

    cooldown: Span = key("the time before it can be used again", "6.0", default=0)
    targets: Choice = key('whom it is used on: oneself, an "ally" (oneself too), a "foe" (everyone else), "any" or "nobody"', '"ally"', default="self", among=("self", "ally", "foe", "any", "nobody"))
    reach: Factor | None = key("from how far it can be used on another, where both have positions", "8", default=None)
    waste: Truth = key("is used even where it would change nothing", "true", default=False)
    do: Effects = key("effects; `self` and `source` are who uses it, `target` whom it is used on", '[ { heal = 10, to = "target" } ]', default=())
    title: Text = key("its name for players", '"Mend"', default="")


class Pulse(KeyTable):
    """Effects repeated again and again."""

    every: Lasting = key("the time from one to the next; a formula is worked out where each begins", "4.0")
    at_once: Truth = key("whether it comes at the start as well", "true", default=False)
    do: Effects = key("the effects", '[ { earn = "scrip", amount = 6, to = "owner" } ]')


class Bag(KeyTable):
    """How much an actor can hold."""

    most: CountOrFormula = key("how much it holds, in sizes of items", "4")


class Lives(KeyTable):
    """How many lives there are, the present one included."""

    start: Whole = key("at first, the present one included", "3", ge=1, le=WHOLE_LIMIT)
    most: Whole | None = key("more than this is not kept", "9", default=None, ge=1, le=WHOLE_LIMIT)


class Respawn(KeyTable):
    """How an actor comes back after a death."""

    after: Delay = key("the time from death to return", "2.0")
    fraction: Fraction = key("of each meter on return", "0.5", default=1)
    grace: Span = key("the time without hits on return", "1.5", default=0)


class Actor(KeyTable):
    """A kind of actor."""

    player: Truth = key("its progress can be saved; it has a purse, levels, quests", "true", default=False)
    vital: Word | None = key("the meter it dies of", '"suit"', default=None)
    tags: tuple[Name, ...] = key("words on it from the start", '["boss"]', default=())
    turns: Truth = key("takes turns", "true", default=False)
    title: Text = key("its name for players", '"Moray"', default="")
    spawn: Word | None = key("the name of the place where it enters", '"north_pier"', default=None)
    bag: Bag | None = key("how much it can hold", "{ most = 4 }", default=None)
    lives: Lives | None = key("how many lives it has", "{ start = 3 }", default=None)
    respawn: Respawn | None = key("how it comes back after a death", "{ after = 2.0 }", default=None)
    team: Word | None = key("the team of whoever comes without one", '"rats"', default=None, of="team")
    stats: dict[Name, Stat] = key("numbers that what it has changes", "{ might = 10 }", default={})
    slots: dict[Word, Count] = key("how many things it can wear in each slot", "{ hand = 1, finger = 2 }", default={})
    meters: dict[Name, MeterTable] = key("numbers between 0 and a maximum", "{ suit = 90 }", default={})
    guard: Guard = key("all that stands between a hit and a meter", "{ armour = 1 }", default=Guard())
    attacks: dict[Word, Attack] = key("hits it can land", "{ jab = { amount = 15, cooldown = 0.5 } }", default={}, alike=True)
    abilities: dict[Word, Ability] = key("what it can do", '{ mend = { costs = { mana = 12 }, do = [ { heal = 10 } ] } }', default={}, alike=True)
    pulses: dict[Word, Pulse] = key("effects it repeats", '{ haul = { every = 4.0, do = [ { earn = "scrip", amount = 6, to = "owner" } ] } }', default={}, alike=True)
    on_death: Effects = key("effects at its death; `source` is who did it", '[ { score = 100, to = "source" } ]', default=())
    vanish_after: Seconds | None = key("seconds from its death until it is taken out of the world", "2.0", default=None)
    keep: Truth = key("stays in the world where a stage ends", "true", default=False)
    reach: Factor | None = key("how far it takes and exchanges where these say no reach of their own, and from how far it is talked to, in your game's units", "3", default=None)

    def priced(self) -> tuple[Priced, ...]:
        """Return its attacks and abilities, which may cost something."""
        return (*self.attacks.values(), *self.abilities.values())


class Status(Modifying):
    """Something temporary on an actor."""

    lasts: Lasting | None = key("how long it lasts; by default until cured", "3.0", default=None)
    stack: Choice = key("what a second one does: begins anew, adds its time, runs beside the first, or is refused", '"extend"', default="refresh", among=("refresh", "extend", "add", "keep"))
    most: Whole | None = key("how many may run side by side with `add`", "3", default=None, ge=1, le=1000)
    tags: tuple[Name, ...] = key("tags it brings", '["slow"]', default=())
    flows: tuple[StatusFlow, ...] = key("what it lets meters do", '[ { meter = "air", rate = -2 } ]', default=())
    pulses: tuple[Pulse, ...] = key("effects it repeats", '[ { every = 0.5, do = [ { hurt = 2, type = "venom" } ] } ]', default=())
    active_when: FormulaText | None = key("is on exactly while this holds, and is not put on or cured by hand", '"self.hide.fraction <= 0.5"', default=None)
    for_: Words = key("kinds or tags that `active_when` is for; by default all that have what it reads", '["boss"]', default=(), of="kind or tag")
    deals: Factor = key("what hits of whoever has it are multiplied by", "0.5", default=1)
    through: dict[Word, Factor] = key("what part of a type of damage comes through", "{ venom = 2 }", default={})
    scale: Factor = key("what hits on whoever has it are multiplied by", "0.5", default=1)
    seen_by: SeenBy | None = key('whose screens know of it: "all", its "owner", the "team", or "nobody"', '"team"', default=None)
