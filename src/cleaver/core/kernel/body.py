"""Bodies: an actor as data. Meters, tags, statuses, pulses, grace, cooldowns, lives.

State only: what happens to a body is in `vitals`, `combat` and `statuses`. Goods, scores, quests and the like
are kept by their own parts, by the actor's id. Start at `Body`.
"""

from __future__ import annotations

from cleaver.core.kernel.clock import ENDS, PULSES, RETURNS, STEPS, VANISHES, Timer
from cleaver.core.kernel.state import Record

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import ClassVar

    from cleaver.core.kernel.actor_kinds import ActorKind, FlowKind, MeterKind, PulseKind, StatusKind

Course = tuple[tuple[float, float], ...]
"""The flows at work on a meter: a rate and a limit each."""


class Leaver(str):
    """The id of an actor that has left the world, in what it caused before: its kind and team, and whom that
    counts for, are all that is still known of it.

    Whoever has been given the same id since is somebody else.
    """

    __slots__ = ("credit", "kind", "team")
    kind: str
    team: str
    credit: str

    @classmethod
    def named(cls, name: str, kind: str, team: str, credit: str = "") -> Leaver:
        """Return the id of somebody who has left; *credit* is whom what it did counts for, "" for itself."""
        made = cls(name)
        made.kind, made.team, made.credit = kind, team, credit
        return made


class Party(Record):
    """Who somebody is, as it is kept in what it has caused: its id and its arrival, and its kind and team for
    when it has gone."""

    __slots__ = ("came", "id", "kind", "team")
    id: str
    came: int
    kind: str
    team: str

    def __init__(self, id: str, came: int, kind: str, team: str) -> None:
        self.id, self.came, self.kind, self.team = id, came, kind, team


class Meter(Timer):
    """A meter's anchor: its `value` at the instant `since`, from which its course goes on.

    `base` is the number shown at the anchor where only whole numbers show; `above` has a bit for each mark
    the value counts as above; `steps` says when each stepped flow acts next. As a timer it is due at the next
    bound, mark, step or end of quiet.
    """

    __slots__ = ("above", "base", "course", "kind", "max", "since", "steps", "value")
    caches: ClassVar[tuple[str, ...]] = ("course", "kind")
    rank: ClassVar[int] = STEPS
    verb: ClassVar[str] = "meter"
    value: float
    max: float
    base: float
    since: int
    above: int
    steps: dict[str, int] | None
    course: Course
    kind: MeterKind
    owner: Body

    def __init__(self, kind: MeterKind, owner: Body, now: int) -> None:
        super().__init__()
        self.kind, self.owner, self.course = kind, owner, ()
        self.value = self.base = kind.start
        self.max = kind.max
        self.since = now
        self.above = 0
        self.steps = None


class Beat(Timer):
    """A pulse at work: due at its next beat, `span` after the last; `left` is what was left to it when it was
    paused, else -1."""

    __slots__ = ("kind", "left", "span", "status")
    caches: ClassVar[tuple[str, ...]] = ("kind", "status")
    rank: ClassVar[int] = PULSES
    verb: ClassVar[str] = "pulse"
    left: int
    span: int
    kind: PulseKind
    owner: Body
    status: Ailment | None

    def __init__(self, kind: PulseKind, owner: Body, status: Ailment | None = None) -> None:
        super().__init__()
        self.kind, self.owner, self.status = kind, owner, status
        self.left, self.span = -1, 0


class Ailment(Timer):
    """One status on one actor: due at its end. `source` caused it, in event number `cause`, for whom `credit`
    names where that is another; it began with event `began`."""

    __slots__ = ("beats", "began", "cause", "credit", "kind", "name", "source")
    caches: ClassVar[tuple[str, ...]] = ("kind",)
    rank: ClassVar[int] = ENDS
    verb: ClassVar[str] = "status"
    name: str
    source: Party | None
    credit: Party | None
    cause: int
    began: int
    beats: list[Beat]
    kind: StatusKind
    owner: Body

    def __init__(self, kind: StatusKind, owner: Body) -> None:
        super().__init__()
        self.kind, self.owner, self.name = kind, owner, kind.name
        self.source = self.credit = None
        self.cause = self.began = 0
        self.beats = []


class Comeback(Timer):
    """A respawn that is due."""

    __slots__ = ()
    rank: ClassVar[int] = RETURNS
    verb: ClassVar[str] = "respawn"


class Corpse(Timer):
    """The end of a dead creature's stay."""

    __slots__ = ()
    rank: ClassVar[int] = VANISHES
    verb: ClassVar[str] = "corpse"


class Body(Record):
    """An actor's state. `tags` are those the host or an effect set; `word_counts` counts all it has, those
    of its statuses included.

    An actor is its id and its arrival: `came` numbers all arrivals of a world, `arrived` is the instant
    (microseconds). One with an `owner` acts for it, and what it does counts for `lead`, the owner of all; it
    has its owner's team where it has none of its own (`lent`). `inputs` are those the host has set for it.
    `raised` is by how much effects and the game have raised something, by its name and their cause; `worn`
    what is in each slot, the one worn longest first. `turns` is twice the number of its turns that are over,
    and one more while one is on; `hurt_on` where the clocks stood that the game moves when it was hurt last.
    """

    __slots__ = (
        "ailments", "alive", "arrived", "came", "comeback", "cooldowns", "corpse", "deals", "flowing",
        "flows", "grace", "here", "hunters", "hurt_at", "hurt_on", "id", "ill", "inputs", "kind",
        "kind_name", "lead", "lent", "lives", "luck", "meters", "owner", "owner_came", "owns", "pulses",
        "quiets", "raised", "rates", "scale", "stats", "tags", "team", "through", "turns", "word_counts",
        "worn", "x", "y", "z",
    )  # fmt: skip
    caches: ClassVar[tuple[str, ...]] = (
        "deals",
        "flowing",
        "flows",
        "here",
        "hunters",
        "ill",
        "kind",
        "luck",
        "owns",
        "quiets",
        "rates",
        "scale",
        "stats",
        "through",
        "word_counts",
    )
    id: str
    came: int
    arrived: int
    kind_name: str
    team: str
    lent: bool
    owner: str
    owner_came: int
    lead: Party | None
    inputs: dict[str, float]
    alive: bool
    lives: int
    grace: int
    hurt_at: int
    hurt_on: list[int | None] | None
    turns: int
    meters: dict[str, Meter]
    raised: dict[str, dict[str, float]]
    worn: dict[str, list[str]]
    tags: dict[str, int]
    cooldowns: dict[str, int]
    ailments: list[Ailment]
    pulses: dict[str, Beat]
    comeback: Comeback | None
    corpse: Corpse | None
    x: float | None
    y: float | None
    z: float | None
    kind: ActorKind
    here: bool
    ill: bool
    luck: str
    hunters: set[str]
    owns: dict[str, Body]
    quiets: bool
    flowing: bool
    deals: float
    scale: float
    stats: dict[str, float]
    rates: dict[str, tuple[float, float]]

    def __init__(self, id: str, kind: ActorKind, team: str, owner: Body | None, came: int, now: int) -> None:
        self.came, self.arrived = came, now
        self.id, self.kind_name, self.kind, self.team = id, kind.name, kind, team
        self.owner, self.owner_came, self.lead, self.lent = "", 0, None, False
        self.inputs = {}
        if owner is not None:
            self.owner, self.owner_came = owner.id, owner.came
            self.lead = owner.lead or owner.party()
            if not team:
                self.team, self.lent = owner.team, True
        self.alive = True
        self.lives = kind.lives
        self.grace = 0
        self.hurt_at, self.hurt_on = -1, None
        self.turns = 0
        self.meters = {}
        self.raised, self.worn = {}, {}
        self.tags = {}
        self.cooldowns = {}
        self.ailments = []
        self.pulses = {}
        self.comeback = self.corpse = None
        self.x = self.y = self.z = None
        self.fresh()

    def fresh(self) -> None:
        """See `Record.fresh`."""
        self.here = True
        self.flowing = False  # whether anything but its kind makes its meters flow
        self.quiets = True  # whether a flow of its kind or of a status pauses after a hurt
        self.ill = False  # whether a status changes what hits or flows do to it
        self.luck = self.stream("crit")
        self.hunters: set[str] = set()  # ids of those who have a cooldown against it
        self.owns: dict[str, Body] = {}  # those it is the owner of
        self.stats: dict[str, float] = {}
        self.rates: dict[str, tuple[float, float]] = {}  # by meter: a further flow, and what all are times
        self.unburden()

    def unburden(self) -> None:
        """Empty what its statuses bring, before it is gathered anew."""
        self.word_counts: dict[str, int] = {}
        self.flows: list[tuple[str, FlowKind, Ailment, str]] = []  # meter, flow, whose, key of its steps
        self.deals = 1.0
        self.scale = 1.0
        self.through: dict[str, float] = {}

    def party(self) -> Party:
        """Return who it is, to be kept in what it causes."""
        return Party(self.id, self.came, self.kind_name, self.team)

    def stream(self, what: str) -> str:
        """Return the name of a stream of its luck: one of its own for each arrival under its id."""
        return f"{what}/{self.id}@{self.arrived}" if self.arrived else f"{what}/{self.id}"

    def has(self, word: str) -> bool:
        """Return whether it has a tag: by its kind, by a status or by the host."""
        return word in self.word_counts or word in self.kind.tags

    def wears(self, item: str) -> int:
        """Return how many of an item it wears."""
        return sum(several.count(item) for several in self.worn.values())

    def is_a(self, word: str) -> bool:
        """Return whether *word* is its kind or one of its tags."""
        return word == self.kind_name or self.has(word)

    def words(self) -> list[str]:
        """Return all its tags: its kind's first, the others in the order they came."""
        return list(dict.fromkeys((*self.kind.tags, *self.word_counts)))
