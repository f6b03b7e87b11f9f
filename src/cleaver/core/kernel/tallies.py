"""Tallies: count the events that match, up to a target.

Goals, achievements and records are tallies. Those of one owner that count the same thing share one bucket: an
event is matched and added once, and a member is looked at only when its own threshold is due. Knows nothing
of quests: whoever starts a tally is called when it moves. Start at `Tallies.start`.
"""

from __future__ import annotations

from collections.abc import Callable
from heapq import heapify, heappop, heappush
from math import inf

from cleaver.core.kernel.clock import NO_DAY
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.expressions import MOST
from cleaver.core.kernel.part import Part
from cleaver.core.kernel.rules import leaves_out, matches
from cleaver.core.kernel.scope import Scope
from cleaver.core.kernel.spans import Periods, seconds_of, unit_of
from cleaver.core.kernel.stage import Reaction, Stage
from cleaver.core.kernel.state import Record, each_under_its_name
from cleaver.errors import UsageError
from cleaver.rounding import at_least, tidy

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any, ClassVar

    from cleaver.core.kernel.crossing import Crossing
    from cleaver.core.kernel.kinds import TallyKind

    Kept = dict[str, Any]

MOST_STAMPS = 100_000  # events within one window
MOST_DISTINCT = 10_000  # values that one tally tells apart
Told = Callable[["Bucket", list["Member"], list["Member"]], None]


class Member(Record):
    """One tally: whose it is (`user` part and `ref`), what its bucket stood at when it began, and its
    target."""

    __slots__ = ("ref", "start", "target", "user")
    user: str
    ref: str
    start: float
    target: float

    def __init__(self, user: str, ref: str, start: float, target: float) -> None:
        self.user, self.ref, self.start, self.target = user, ref, start, target


class Bucket(Record):
    """What tallies of one owner have in common: what they count (`spec`), how much there was, and who is
    waiting.

    It counts events after number `since`. `stamps` are (time, amount) pairs for `within`, of which those
    before `old` are over; `seen` the different values for `distinct`; `members` by their ref.
    """

    __slots__ = (
        "_heap", "_serial", "_waiting", "full", "key", "kind", "members", "old", "owner", "seen", "since",
        "spec", "stamps", "total",
    )  # fmt: skip
    caches: ClassVar[tuple[str, ...]] = ("kind",)
    key: str
    spec: str
    owner: str
    since: int
    total: float
    seen: dict[str, int]
    stamps: list[list[float]]
    old: int
    full: bool
    members: dict[str, Member]
    kind: TallyKind

    def __init__(self, kind: TallyKind, key: str, owner: str, since: int) -> None:
        self.kind, self.spec, self.key, self.owner, self.since = kind, kind.spec, key, owner, since
        self.total, self.old, self.full = 0, 0, False
        self.seen, self.stamps, self.members = {}, [], {}
        self.fresh()

    def fresh(self) -> None:
        """See `Record.fresh`."""
        self._heap: list[tuple[float, int, Member]] = []
        self._serial = 0
        self._waiting = 0  # members that have not reached their target

    def enter(self, member: Member) -> None:
        """Put a member on the heap of thresholds, if it has not reached its own."""
        if self.reached(member):
            return
        self._serial += 1
        self._waiting += 1
        heappush(self._heap, (self._threshold(member), self._serial, member))

    def enter_anew(self, member: Member) -> None:
        """Let a member wait for another target."""
        self._heap = [entry for entry in self._heap if entry[2] is not member]
        heapify(self._heap)
        self._waiting = len(self._heap)
        self.enter(member)

    def _threshold(self, member: Member) -> float:
        """Return when a member's turn comes, on a scale that only grows: the negative value for what is to
        become small."""
        return -member.target if self.kind.how == "least" else tidy(member.start + member.target)

    def level(self) -> float:
        """Return where the bucket stands on the scale of thresholds."""
        if self.kind.how == "least":
            return -self.total if self.seen else -inf
        return self.total if self.kind.how != "best" or self.seen else -inf

    def reached(self, member: Member) -> bool:
        """Return whether a member is at its target."""
        return at_least(self.level(), self._threshold(member))

    def progress(self, member: Member) -> float:
        """Return how far a member is, never above its target; the least of something is there or it is
        not."""
        if self.kind.how == "least":
            return member.target if self.reached(member) else 0
        done = tidy(self.total - member.start)
        return member.target if at_least(done, member.target) else max(done, 0)

    def prune(self, before: int) -> None:
        """Forget what happened before an instant, for windows; each stamp is looked at once."""
        stamps, old = self.stamps, self.old
        while old < len(stamps) and stamps[old][0] <= before:
            self.total = tidy(self.total - stamps[old][1])
            old += 1
        if old == len(stamps):
            self.stamps, old, self.total = [], 0, 0
        elif old > 64 and old * 2 > len(stamps):
            self.stamps, old = stamps[old:], 0
        self.old = old

    def recent(self, before: int) -> float:
        """Return what is not over at an instant; looking changes nothing."""
        stamps, total = self.stamps, self.total
        for place in range(self.old, len(stamps)):
            if stamps[place][0] > before:
                return total
            total = tidy(total - stamps[place][1])
        return 0


class TallyTable(Record):
    """The state of this part: the buckets by their key."""

    __slots__ = ("buckets",)
    buckets: dict[str, Bucket]

    def __init__(self) -> None:
        self.buckets = {}


class Tallies(Part):
    """All tallies at work in one world. Their index has an event under the name the tally gives it:
    `defeated` is not `died`."""

    table: TallyTable

    name = "tallies"

    def __init__(self, stage: Stage) -> None:
        self.stage = stage
        self.table = TallyTable()
        self.told: dict[str, Told] = {}  # user part: what it does with (bucket, advanced, met)
        self.steps: dict[
            str, Callable[[], bool]
        ] = {}  # user part whose steps are events: whether anybody asks for them
        self._members: dict[tuple[str, str, str], Bucket] = {}  # (owner, user, ref): its bucket
        self._index: dict[
            str, dict[str, dict[str, list[Bucket]]]
        ] = {}  # event: whose: other party, "" for any: buckets
        self._resets: dict[str, dict[str, list[Bucket]]] = {}  # event: owner: buckets that it resets

    def fit(self, crossing: Crossing) -> None:
        """See `Part`: those who count by it say what is taken out, before all is put together."""
        self._members = {
            (bucket.owner, member.user, member.ref): bucket
            for bucket in self.table.buckets.values()
            for member in bucket.members.values()
        }

    def take_out(self, owner: str, user: str, ref: str) -> None:
        """Let a tally not be there, in what is not put together yet."""
        bucket = self._members.pop((owner, user, ref))
        del bucket.members[ref]
        if not bucket.members:
            del self.table.buckets[bucket.key]

    def relink(self) -> None:
        """Put the caches back after unpacking."""
        self._members = {}
        each_under_its_name(self.table.buckets, "key")
        for bucket in self.table.buckets.values():
            each_under_its_name(bucket.members, "ref")
            bucket.kind = self.stage.kinds.tallies[bucket.spec]
            for member in bucket.members.values():
                bucket.enter(member)
                self._members[bucket.owner, member.user, member.ref] = bucket
        self.file_anew()

    def _file(self, bucket: Bucket) -> None:
        kind = bucket.kind
        of = kind.match.of if kind.match.of_kind else ""
        self._index.setdefault(kind.match.named, {}).setdefault(self._whose(bucket), {}).setdefault(
            of, []
        ).append(bucket)
        if kind.reset_on:
            self._resets.setdefault(kind.reset_on, {}).setdefault(bucket.owner, []).append(bucket)

    def _whose(self, bucket: Bucket) -> str:
        who = bucket.kind.who
        if who == "anyone":
            return "*"
        body = self.stage.actors.get(bucket.owner)
        return f"team {body.team}" if who == "team" and body is not None and body.team else bucket.owner

    def file_anew(self) -> None:
        """File the buckets anew, after somebody has changed sides."""
        self._index, self._resets = {}, {}
        for bucket in self.table.buckets.values():
            self._file(bucket)

    def start(
        self, kind: TallyKind, owner: str, user: str, ref: str, target: float, *, done: Kept | None = None
    ) -> tuple[Bucket, Member]:
        """Let a tally begin: events from now on count for it. *done* is what it had already (see `kept`)."""
        since = self.stage.seq
        key = f"{owner}/{user}/{kind.spec}"
        if not kind.shared:
            key = f"{key}/{ref}"
        elif self.stage.draining or any(event.shape.name == kind.match.on for event in self.stage.queue):
            # Events wait that others count and this one, which began after them, does not
            key = f"{key}/{since}"
        bucket = self.table.buckets.get(key)
        if bucket is None:
            bucket = self.table.buckets[key] = Bucket(kind, key, owner, since)
            self._file(bucket)
        member = bucket.members[ref] = Member(user, ref, bucket.total, target)
        self._members[owner, user, ref] = bucket
        if done is not None:
            self._go_on(bucket, member, done)
        bucket.enter(member)
        return bucket, member

    def stop(self, owner: str, user: str, ref: str) -> None:
        """Let a tally end; it counts and costs nothing any more."""
        bucket = self._members.pop((owner, user, ref), None)
        if bucket is None:
            return
        member = bucket.members.pop(ref)
        if not bucket.reached(member):
            bucket._waiting -= 1
        if not bucket.members:
            del self.table.buckets[bucket.key]
            self._unfile(bucket)

    def _unfile(self, bucket: Bucket) -> None:
        kind = bucket.kind
        of = kind.match.of if kind.match.of_kind else ""
        per, whose = self._index.get(kind.match.named, {}), self._whose(bucket)
        places: tuple[tuple[dict[Any, list[Bucket]], Any], ...] = (
            (per.get(whose, {}), of),
            (self._resets.get(kind.reset_on, {}), bucket.owner),
        )
        for lists, key in places:
            if bucket in lists.get(key, ()):
                lists[key].remove(bucket)
                if not lists[key]:
                    del lists[key]
        if whose in per and not per[whose]:
            del per[whose]

    def find(self, owner: str, user: str, ref: str) -> tuple[Bucket, Member] | None:
        """Return a tally at work."""
        bucket = self._members.get((owner, user, ref))
        return (bucket, bucket.members[ref]) if bucket is not None else None

    def value(self, bucket: Bucket) -> float:
        """Return what a bucket stands at now; with `within`, what of it is recent enough."""
        kind = bucket.kind
        return bucket.recent(self.now(kind) - kind.window) if kind.within else bucket.total

    def now(self, kind: TallyKind | None) -> int:
        """Return where the clock stands in which a tally looks back."""
        return self.stage.clock.instant(0 if kind is None else kind.within)

    def looks_back(self, owner: str) -> bool:
        """Return whether anything of somebody counts that is over by itself."""
        return any(bucket.owner == owner and bucket.stamps for bucket in self.table.buckets.values())

    def first_day(self) -> None:
        """Let what came before anybody said what day it is have come today."""
        day = self.stage.clock.day or 0
        for bucket in self.table.buckets.values():
            for stamp in bucket.stamps:
                if stamp[0] <= NO_DAY:
                    stamp[0] += day - NO_DAY

    def progress(self, bucket: Bucket, member: Member) -> float:
        """Return how far a tally is now, never above its target; with `within`, what is older is gone from
        it."""
        return min(self.value(bucket), member.target) if bucket.kind.within else bucket.progress(member)

    # events

    def follow(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan the counting of events of one name: only where a tally of the design is about them."""
        asked = self.stage.kinds.tallied
        return [("", self._count)] if name in asked else []

    def _count(self, event: Event) -> None:
        name, seen_as = event.shape.name, event.shape.seen_as
        if self._resets:
            self._reset(name, event.actor, event)
            if seen_as:
                self._reset(seen_as, event.credit, event)
        if name in self._index:
            self._count_for(event, name, event.actor, event.source)
        if seen_as in self._index:
            self._count_for(event, seen_as, event.credit, event.actor)

    def _count_for(self, event: Event, name: str, credited: str, other: str) -> None:
        """Add an event, under one of its names, to the buckets of whom it is credited to, of its team, and of
        anyone."""
        per, stage = self._index[name], self.stage
        body = stage.party(credited)
        team = body.team if body is not None else stage.team_of(credited)
        place, party = event.shape.party, ""
        if place >= 0:
            party = str(event.values[place])
        elif other:
            party = stage.kind_of(other)
        for whose in ("" if body is None else credited, "*", f"team {team}" if team else ""):
            there = per.get(whose)
            if there:
                if party and party in there:
                    for bucket in tuple(there[party]):
                        self._add(bucket, event)
                if "" in there:
                    for bucket in tuple(there[""]):
                        self._add(bucket, event)

    def _add(self, bucket: Bucket, event: Event) -> None:
        if not bucket.members or event.seq <= bucket.since:
            return  # ended by what another bucket made of the same event, or begun only after it
        kind, stage = bucket.kind, self.stage
        match = kind.match
        if match.mirrored and leaves_out(match, stage, event):
            return
        if (
            match.fields or match.where is not None or (match.of and not match.of_kind)
        ):  # else the index has matched it already
            owner = stage.actors.get(bucket.owner)
            scope = Scope(stage, owner, stage.party(event.source), stage.actors.get(event.actor), event=event)
            if not matches(match, stage, event, scope):
                return
        if kind.how == "count" and not kind.within:  # most of them
            bucket.total += 1
            self._tell(bucket)
            return
        before = bucket.level()
        amount = 1 if kind.field < 0 else event.values[kind.field]
        if kind.how == "distinct":
            if not self._see(bucket, str(amount)):
                return
        elif kind.how in ("best", "least"):
            new = float(amount)
            if bucket.seen and (new <= bucket.total if kind.how == "best" else new >= bucket.total):
                return
            bucket.seen["any"] = 1
            bucket.total = amount  # type: ignore[assignment]  # a number, by the event
        elif kind.streak is not None:
            if not self._in_a_row(bucket, kind.streak):
                return
        elif kind.within:
            now = self.now(kind)
            bucket.prune(now - kind.window)
            if len(bucket.stamps) - bucket.old >= MOST_STAMPS:
                said = f"{seconds_of(kind.within):g} {unit_of(kind.within)}"
                self._too_many(bucket, f"more than {MOST_STAMPS:,} events within {said}")
                return
            if not self._add_up(bucket, amount):
                return
            bucket.stamps.append([now, amount])  # type: ignore[list-item]  # a number, by the event
        elif not self._add_up(bucket, amount):
            return
        if bucket.level() != before or kind.within:
            self._tell(bucket)

    def _add_up(self, bucket: Bucket, amount: Any) -> bool:
        """Add to a sum; False where that would be more than can be kept."""
        total = tidy(bucket.total + amount)
        if not -MOST <= total <= MOST:
            self._too_many(bucket, f"a sum beyond {MOST:,}")
            return False
        bucket.total = total
        return True

    def _in_a_row(self, bucket: Bucket, periods: Periods) -> bool:
        """Count a day, or a week, on which it came; False where it came on this one already, or nobody has
        said what day it is."""
        if self.stage.clock.day is None:
            return False
        today, last = periods.of(self.stage.clock.day), int(next(iter(bucket.seen), NO_DAY))
        if today == last:
            return False
        bucket.total = bucket.total + 1 if today == last + 1 else 1
        bucket.seen = {str(today): 1}
        return True

    def _see(self, bucket: Bucket, word: str) -> bool:
        """Note a different value; False where it was seen before."""
        if word in bucket.seen:
            return False
        if len(bucket.seen) >= MOST_DISTINCT:
            self._too_many(bucket, f"more than {MOST_DISTINCT:,} different values")
            return False
        bucket.seen[word] = 1
        bucket.total += 1
        return True

    @staticmethod
    def _too_many(bucket: Bucket, what: str) -> None:
        """Say, once, that a tally counts no further."""
        if not bucket.full:
            bucket.full = True
            raise UsageError(
                f"{bucket.kind.where} has seen {what}; it counts no more of them. Count something coarser"
            )

    def _tell(self, bucket: Bucket) -> None:
        """Tell those who wait that the bucket has moved, and those whose threshold it has reached."""
        heap, met = bucket._heap, []
        waiting = bucket._waiting
        level = bucket.total if bucket.kind.how == "count" else bucket.level()
        while heap and at_least(level, heap[0][0]):
            _, _, member = heappop(heap)
            if bucket.members.get(member.ref) is member:
                met.append(member)
        bucket._waiting -= len(met)
        user = next(iter(bucket.members.values())).user
        asked = self.steps.get(user)
        if asked is None:
            self.told[user](bucket, [], met)
            return
        if not asked():
            self.stage.seq += waiting  # each step is an event, numbered whether it is built or not
            if met:
                self.told[user](bucket, [], met)
            return
        done = {id(member) for member in met}
        advanced = [
            member for member in bucket.members.values() if id(member) in done or not bucket.reached(member)
        ]
        self.told[user](bucket, advanced, met)

    def _reset(self, named: str, credited: str, event: Event) -> None:
        """Begin anew where an event says so: one about the owner, or about nobody."""
        owners = self._resets.get(named, {})
        if credited:
            owners = {credited: owners.get(credited, [])} if self.stage.party(credited) is not None else {}
        for bucket in [bucket for buckets in owners.values() for bucket in buckets]:
            if event.seq > bucket.since and (bucket.total or bucket.seen or bucket.stamps):
                bucket.total, bucket.old, bucket.seen, bucket.stamps = 0, 0, {}, []
                bucket._heap, bucket._waiting = [], 0
                for member in bucket.members.values():
                    member.start = 0
                    bucket.enter(member)
                user = next(iter(bucket.members.values())).user
                self.stage.touched(user, bucket.owner)
                if user in self.steps:
                    self.told[user](bucket, list(bucket.members.values()), [])

    # what outlives the session

    def kept(self, bucket: Bucket, member: Member) -> Kept:
        """Return a tally as data, whole: how much there is, what it has seen, and for a window how long ago
        each part was (microseconds)."""
        kind = bucket.kind
        if kind.within:
            now = self.now(kind)
            stamps = [
                [now - int(time), amount]
                for time, amount in bucket.stamps[bucket.old :]
                if time > now - kind.window
            ]
            return {"total": tidy(sum(amount for _, amount in stamps)), "seen": [], "stamps": stamps}
        total = tidy(bucket.total - member.start) if kind.how in ("count", "sum") else bucket.total
        return {"total": total, "seen": list(bucket.seen), "stamps": []}

    def _go_on(self, bucket: Bucket, member: Member, done: Kept) -> None:
        """Let a tally that was just started go on from what was `kept`."""
        kind = bucket.kind
        if kind.within:
            now = self.now(kind)
            bucket.stamps = [[now - age, amount] for age, amount in done["stamps"] if age < kind.window]
            bucket.total = tidy(sum(amount for _, amount in bucket.stamps))
        elif kind.shared:
            member.start = tidy(bucket.total - done["total"])
        else:
            bucket.seen.update(dict.fromkeys(done["seen"], 1))
            bucket.total = done["total"]
