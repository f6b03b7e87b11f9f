"""Tallies: count the facts that match, up to a target.

Goals, achievements and records are tallies. Those of one owner that count the
same thing share one bucket: a fact is matched and added once, and a member is
looked at only when its own threshold is due. Knows nothing of quests: whoever
starts a tally is told what became of it. Start at `Tallies.start`.
"""

from __future__ import annotations

from collections.abc import Callable
from heapq import heappop, heappush

from cleaver.core.events import Fact
from cleaver.core.kinds import Scope, TallyKind
from cleaver.core.record import Record
from cleaver.core.rules import matches
from cleaver.core.stage import Reaction, Stage

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any

Told = Callable[["Bucket", list["Member"], list["Member"]], None]


class Member(Record):
    """One tally: whose it is (`user` room and `ref`), what its bucket stood at when it began, and its target."""

    __slots__ = ("ref", "start", "target", "user")
    user: str
    ref: str
    start: float
    target: float

    def __init__(self, user: str, ref: str, start: float, target: float) -> None:
        self.user, self.ref, self.start, self.target = user, ref, start, target


class Bucket(Record):
    """What tallies of one owner have in common: what they count (`spec`), how much there was, and who is waiting.

    `stamps` are (time, amount) pairs for `within`, `seen` the different values for `distinct`; `members` by their ref.
    """

    __slots__ = ("_heap", "_kind", "_serial", "_waiting", "members", "owner", "seen", "spec", "stamps", "total")
    spec: str
    owner: str
    total: float
    seen: dict[str, int]
    stamps: list[list[float]]
    members: dict[str, Member]
    _kind: TallyKind

    def __init__(self, kind: TallyKind, owner: str) -> None:
        self._kind, self.spec, self.owner = kind, kind.spec, owner
        self.total = 0
        self.seen, self.stamps, self.members = {}, [], {}
        self.fresh()

    def fresh(self) -> None:
        """See `Record.fresh`."""
        self._heap: list[tuple[float, int, Member]] = []
        self._serial = 0
        self._waiting = 0  # members that have not reached their target

    def enter(self, member: Member) -> None:
        """Put a member on the heap of thresholds."""
        self._serial += 1
        self._waiting += 1
        heappush(self._heap, (member.start + member.target, self._serial, member))

    def progress(self, member: Member) -> float:
        """Return how far a member is, never above its target."""
        return min(max(self.total - member.start, 0), member.target)


class TallyTable(Record):
    """The state of this room: the buckets by their key."""

    __slots__ = ("buckets",)
    buckets: dict[str, Bucket]

    def __init__(self) -> None:
        self.buckets = {}


class Tallies:
    """All tallies at work in one world. Their index has a fact under the name the tally gives it: `defeated` is not `died`."""

    def __init__(self, stage: Stage) -> None:
        self.stage = stage
        self.table = TallyTable()
        self.told: dict[str, Told] = {}  # user room: what it does with (bucket, advanced, met)
        self.steps: dict[str, Callable[[], bool]] = {}  # user room whose steps are facts: whether anybody asks for them
        self._index: dict[tuple[str, str], dict[str, list[Bucket]]] = {}  # (event, whose): other party, "" for any: buckets
        self._resets: dict[str, list[Bucket]] = {}  # event: buckets that it resets

    def relink(self) -> None:
        """Put the caches back after unpacking."""
        self._index, self._resets = {}, {}
        for bucket in self.table.buckets.values():
            bucket._kind = self.stage.kinds.tallies[bucket.spec]
            for member in bucket.members.values():
                if bucket.progress(member) < member.target:
                    bucket.enter(member)
            self._file(bucket)

    def _file(self, bucket: Bucket) -> None:
        kind = bucket._kind
        of = kind.match.of if kind.match.of_kind else ""
        self._index.setdefault((kind.match.named, self._whose(bucket)), {}).setdefault(of, []).append(bucket)
        if kind.reset_on:
            self._resets.setdefault(kind.reset_on, []).append(bucket)

    def _whose(self, bucket: Bucket) -> str:
        who = bucket._kind.who
        if who == "anyone":
            return "*"
        body = self.stage.actors.get(bucket.owner)
        return f"team {body.team}" if who == "team" and body is not None and body.team else bucket.owner

    def team_changed(self) -> None:
        """File the buckets anew after somebody has changed sides."""
        self._index, self._resets = {}, {}
        for bucket in self.table.buckets.values():
            self._file(bucket)

    def start(self, kind: TallyKind, owner: str, user: str, ref: str, target: float, *, done: float = 0) -> tuple[Bucket, Member]:
        """Let a tally begin: from now on what matches counts for it. *done* is what it had already."""
        key = self._key(kind, owner, user, ref)
        bucket = self.table.buckets.get(key)
        if bucket is None:
            bucket = self.table.buckets[key] = Bucket(kind, owner)
            self._file(bucket)
        member = bucket.members[ref] = Member(user, ref, bucket.total - done, target)
        if done < target:
            bucket.enter(member)
        return bucket, member

    @staticmethod
    def _key(kind: TallyKind, owner: str, user: str, ref: str) -> str:
        return f"{owner}/{user}/{kind.spec}" if kind.shared else f"{owner}/{user}/{kind.spec}/{ref}"

    def stop(self, kind: TallyKind, owner: str, user: str, ref: str) -> None:
        """Let a tally end; it counts and costs nothing any more."""
        key = self._key(kind, owner, user, ref)
        bucket = self.table.buckets.get(key)
        if bucket is None or ref not in bucket.members:
            return
        member = bucket.members.pop(ref)
        if bucket.progress(member) < member.target:
            bucket._waiting -= 1
        if not bucket.members:
            del self.table.buckets[key]
            self._unfile(bucket)

    def _unfile(self, bucket: Bucket) -> None:
        kind = bucket._kind
        of = kind.match.of if kind.match.of_kind else ""
        for lists, key in ((self._index.get((kind.match.named, self._whose(bucket)), {}), of), (self._resets, kind.reset_on)):
            if key in lists and bucket in lists[key]:
                lists[key].remove(bucket)
                if not lists[key]:
                    del lists[key]

    def find(self, kind: TallyKind, owner: str, user: str, ref: str) -> tuple[Bucket, Member] | None:
        """Return a tally at work."""
        bucket = self.table.buckets.get(self._key(kind, owner, user, ref))
        member = bucket.members.get(ref) if bucket is not None else None
        return (bucket, member) if bucket is not None and member is not None else None

    def value(self, bucket: Bucket) -> float:
        """Return what a bucket stands at now; with `within`, what of it is recent enough."""
        within = bucket._kind.within
        if within:
            now = self.stage.clock.now
            return sum(amount for time, amount in bucket.stamps if time + within > now)
        return bucket.total

    # facts

    def follow(self, name: str, kind: str, source_kind: str) -> list[tuple[str, Reaction]]:
        """Plan the counting of facts of one name: only where a tally of the design is about them."""
        asked = self.stage.kinds.tallied
        return [("", self._count)] if name in asked else []

    def _count(self, fact: Fact) -> None:
        name = fact.kind.name
        if self._resets and (name in self._resets or fact.kind.seen_as in self._resets):
            self._reset(fact, name)
        self._count_for(fact, name, fact.actor, fact.source)
        if fact.kind.seen_as:
            self._count_for(fact, fact.kind.seen_as, fact.source, fact.actor)

    def _count_for(self, fact: Fact, name: str, credited: str, other: str) -> None:
        """Add a fact, under one of its names, to the buckets of whom it is credited to, of its team, and of anyone."""
        index, actors = self._index, self.stage.actors
        body = actors.get(credited)
        party = str(fact.values[fact.kind.party]) if fact.kind.party >= 0 else ""
        for key in ((name, credited), (name, "*"), (name, f"team {body.team}")) if body is not None and body.team else ((name, credited), (name, "*")):
            there = index.get(key)
            if there:
                if not party and other:
                    met = actors.get(other)
                    party = met.kind_name if met is not None else self.stage.kind_of(other)
                for bucket in tuple(there.get(party, ())) if party else ():
                    self._add(bucket, fact)
                for bucket in tuple(there.get("", ())):
                    self._add(bucket, fact)

    def _add(self, bucket: Bucket, fact: Fact) -> None:
        if not bucket.members:
            return  # ended by what another bucket made of the same fact
        kind, stage = bucket._kind, self.stage
        match = kind.match
        if match.fields or match.where is not None or (match.of and not match.of_kind):  # else the index has matched it already
            owner = stage.actors.get(bucket.owner)
            scope = Scope(stage, owner, stage.actors.get(fact.source), stage.actors.get(fact.actor), fact=fact)
            if not matches(match, stage, fact, scope):
                return
        before = bucket.total
        amount = 1 if kind.field < 0 else fact.values[kind.field]
        if kind.how == "distinct":
            word = str(amount)
            if word in bucket.seen:
                return
            bucket.seen[word] = 1
            bucket.total += 1
        elif kind.how in ("best", "least"):
            new = float(amount)
            if bucket.seen and (new <= before if kind.how == "best" else new >= before):
                return
            bucket.seen["any"] = 1
            bucket.total = amount  # type: ignore[assignment]  # a number, by the event
        elif kind.within:
            now = stage.clock.now
            bucket.stamps = [stamp for stamp in bucket.stamps if stamp[0] + kind.within > now]
            bucket.stamps.append([now, float(amount)])
            bucket.total = sum(value for _, value in bucket.stamps)
        else:
            bucket.total += amount  # type: ignore[operator]  # a number, by the event
        if bucket.total != before or kind.within:
            self._tell(bucket)

    def _tell(self, bucket: Bucket) -> None:
        """Tell those who wait that the bucket has moved, and those whose threshold it has reached."""
        heap, met = bucket._heap, []
        waiting = bucket._waiting
        while heap and heap[0][0] <= bucket.total:
            _, _, member = heappop(heap)
            if bucket.members.get(member.ref) is member:
                met.append(member)
        bucket._waiting -= len(met)
        user = next(iter(bucket.members.values())).user
        asked = self.steps.get(user)
        if asked is None or not asked():
            if asked is not None:
                self.stage.seq += waiting  # each step is a fact, numbered whether it is built or not
            if met:
                self.told[user](bucket, [], met)
            return
        done = {id(member) for member in met}
        advanced = [member for member in bucket.members.values() if id(member) in done or bucket.progress(member) < member.target]
        self.told[user](bucket, advanced, met)

    def _reset(self, fact: Fact, name: str) -> None:
        """Begin anew where a fact about the owner says so."""
        for event, credited in ((name, fact.actor), (fact.kind.seen_as, fact.source)):
            for bucket in tuple(self._resets.get(event, ())) if event else ():
                if bucket.owner == credited and bucket.total:
                    bucket.total, bucket.seen, bucket.stamps = 0, {}, []
                    bucket._heap, bucket._waiting = [], 0
                    for member in bucket.members.values():
                        member.start = 0
                        bucket.enter(member)
                    user = next(iter(bucket.members.values())).user
                    if user in self.steps:
                        self.told[user](bucket, list(bucket.members.values()), [])

    # what outlives the session

    def kept(self, bucket: Bucket, member: Member) -> list[Any]:
        """Return a tally as data: its progress, and what it has seen."""
        return [bucket.progress(member) if bucket._kind.how in ("count", "sum") else bucket.total, dict(bucket.seen)]

    def put_back(self, bucket: Bucket, member: Member, data: list[Any]) -> None:
        """Let a tally that was just started go on from `kept`."""
        value, seen = data
        bucket.seen.update(seen)
        if bucket._kind.how in ("count", "sum"):
            member.start = bucket.total - value
        else:
            bucket.total, member.start = value, 0
        bucket._heap = [entry for entry in bucket._heap if entry[2] is not member]
        bucket._waiting = len(bucket._heap)
        if bucket.progress(member) < member.target:
            bucket.enter(member)

