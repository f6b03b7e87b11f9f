"""What tallies stand at, against a brute-force count over a diary of every event, also across leaving,
joining and loading."""

from __future__ import annotations

import json
from collections import namedtuple
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import Actor, AmountError, Design, Event, ReactionError, UsageError, World
from cleaver.core import read
from cleaver.core.goods import goods
from cleaver.core.kernel import tallies as tally
from cleaver.core.kernel.kinds import TallyKind
from cleaver.core.kernel.spans import FAR
from helpers import crate_world
from strategies import DESIGNS, LONG_STREAMS, Command, Play, law

MIRRORED = {"damaged": "struck", "died": "defeated", "healed": "mended"}


class Entry(
    namedtuple(
        "Entry",
        ("age", "seq", "event", "actor_team", "credit_team", "source_kind", "own_team", "mine", "theirs"),
    )
):
    """One event as one player saw it: `age` is how long that player had played (microseconds), `mine` whether
    it is the event's actor, `theirs` whether it is credited."""

    __slots__ = ()


class Diaries:
    """Every event that was told while a player was there, and what its host kept of that."""

    def __init__(self, play: Play) -> None:
        self.play, self.world = play, play.world
        self.now: dict[str, list[Entry]] = {}
        self.played: dict[str, tuple[int, int]] = {}  # player: (time played before, since when)
        self.kept: dict[str, tuple[list[Entry], int]] = {}
        self.loading = False
        for player in self.world.players:
            self.now[player.id], self.played[player.id] = [], (0, self.world.now_us)
        for name in self.world.event_names:
            if name not in MIRRORED.values():
                self.world.listen_own(name, self.note)

    def age(self, player: str) -> int:
        before, since = self.played[player]
        return before + self.world.now_us - since

    def note(self, event: Event) -> None:
        if self.loading:
            self.loading = event.name != "loaded"
            return
        stage = read.parts(self.world).stage
        for player, diary in self.now.items():
            body = stage.players.get(player)
            if body is not None:
                diary.append(
                    Entry(
                        self.age(player),
                        event.seq,
                        event,
                        stage.team_of(event.actor),
                        stage.team_of(event.credit),
                        stage.kind_of(event.source),
                        body.team,
                        event.actor == player and stage.party(event.actor) is body,
                        event.credit == player and stage.party(event.credit) is body,
                    )
                )

    def do(self, command: Command) -> Any:
        verb, player = command[0], command[1]
        if verb in ("keep", "leave", "again") and player in self.now:
            self.kept[player] = (list(self.now[player]), self.age(player))
        if verb in ("leave", "again", "dismiss"):
            self.now.pop(player, None)
        if verb in ("join", "again") and player not in self.now and player not in ("wasp1", "wasp2"):
            self.begin(player)
        self.loading = verb == "load" and player in read.parts(self.world).stage.players
        if self.loading:
            self.begin(player)
        result = self.play.do(command)
        self.loading = False
        if player not in read.parts(self.world).stage.players:
            self.now.pop(player, None)
        return result

    def begin(self, player: str) -> None:
        diary, age = self.kept.get(player, ([], 0))
        self.now[player], self.played[player] = list(diary), (age, self.world.now_us)


def wanted(kind: TallyKind, entry: Entry, names: tuple[str, ...]) -> bool:
    """Whether a tally counts an entry: the rules of the design file, written down once more."""
    match, event = kind.match, entry.event
    if match.named not in names:
        return False
    mirrored = match.named in MIRRORED.values()
    mine = entry.theirs if mirrored else entry.mine
    credited_team = entry.credit_team if mirrored else entry.actor_team
    if kind.who == "self" and not mine:
        return False
    if kind.who == "team" and not (mine or (entry.own_team and credited_team == entry.own_team)):
        return False
    if mirrored and not match.own_side and event.source:
        # One who has left, and whose thing goes on hitting, is not who came under the same name.
        if event.credit == event.actor and event.credit.__class__ is str:
            return False
        if match.named != "mended" and entry.actor_team and entry.actor_team == entry.credit_team:
            return False
    if match.of:
        party = (
            event.plain().get("pickup")
            if event.name == "collected"
            else event.actor.rstrip("0123456789#")
            if mirrored
            else entry.source_kind
        )
        if party != match.of:
            return False
    return all(event.values[index] == value for index, value in match.fields)


def count(kind: TallyKind, entries: list[Entry], age: int) -> float:
    """What a tally stands at after these entries."""
    found: list[tuple[int, Any]] = []
    for entry in entries:
        name = entry.event.name
        if kind.reset_on and (
            (name == kind.reset_on and entry.mine) or (MIRRORED.get(name) == kind.reset_on and entry.theirs)
        ):
            found = []
        for seen_as in (name, MIRRORED.get(name, "")):
            if seen_as and wanted(kind, entry, (seen_as,)):
                found.append((entry.age, 1 if kind.field < 0 else entry.event.values[kind.field]))
    if kind.how == "distinct":
        return len({value for _, value in found})
    if kind.how in ("best", "least"):
        return float((max if kind.how == "best" else min)((value for _, value in found), default=0))
    return float(sum(value for when, value in found if not kind.within or when > age - kind.within))


def check(world: World, diaries: Diaries, records: bool) -> None:
    for player, diary in diaries.now.items():
        actor, age = world.actor(player), diaries.age(player)
        if records:
            for name, kind in read.parts(world).kinds.contests.records.items():
                if kind.within >= FAR or kind.streak is not None:
                    continue  # of the clocks that the game moves: worked numbers, `tests/plays/clocks`
                assert abs(actor.records[name] - count(kind, diary, age)) < 1e-6, (player, name)
            for name, achievement in read.parts(world).kinds.quests.achievements.items():
                if achievement.tally is None:
                    continue
                for rank, target in achievement.ranks.items():
                    had = rank in read.parts(world).achievements.ranks(read.body(actor), name)
                    found = read.parts(world).tallies.find(player, "achievement", f"{name}/{rank}")
                    assert had == (found is None)
                    if found is not None:
                        # Numbers, in these designs
                        value = min(count(achievement.tally, diary, age), float(target))  # type: ignore[arg-type]
                        assert abs(read.parts(world).tallies.progress(*found) - value) < 1e-6, (
                            player,
                            name,
                            rank,
                        )
                        # As above
                        assert value < float(target) or achievement.tally.within  # type: ignore[arg-type]


@law
@given(DESIGNS, LONG_STREAMS)
def test_records_and_achievements_are_a_count_over_every_event(
    design: Design, commands: list[Command]
) -> None:
    play = Play(design)
    diaries = Diaries(play)
    records = "records" in design.tables.saves.include
    for command in commands:
        diaries.do(command)
        if command[:2] == ("stage", "restart") or (not records and command[0] in ("again", "join", "load")):
            return  # from here on they begin anew, or where the stage began
        check(play.world, diaries, True)


@law
@given(DESIGNS, LONG_STREAMS, st.sampled_from(["sting_down", "south_road", "zero", "daily_a", "daily_b"]))
def test_goals_are_a_count_over_every_event_since_the_quest_began(
    design: Design, commands: list[Command], quest: str
) -> None:
    play = Play(design)
    world = play.world
    diaries = Diaries(play)
    begun: dict[str, int] = {}

    def start(event: Event) -> None:
        if event.quest == quest:
            begun[event.actor] = len(diaries.now.get(event.actor, ()))

    world.listen_own("quest_started", start)
    world.actor("one").accept(quest)
    for command in commands:
        diaries.do(command)
        if command[:2] == ("stage", "restart") or command[0] in ("again", "join", "load"):
            return
        for player, diary in diaries.now.items():
            found = world.actor(player).quests[quest]
            if found.state != "active" or player not in begun:
                continue
            kind = read.parts(world).kinds.quests.quests[quest].goals[0].tally
            assert kind is not None
            goal = found.goals[0]
            value = count(kind, diary[begun[player] :], diaries.age(player))
            if kind.how == "least":
                assert goal.met == (0 < value <= goal.count)
            else:
                assert abs(goal.progress - min(value, goal.count)) < 1e-6, (player, quest)


# caps: nothing grows without bound, and what is reached is told


def capped(record: dict[str, Any]) -> tuple[World, Actor]:
    return crate_world(
        events={"seen": {"fields": {"much": "number"}}},
        records={"sights": {"on": "seen", **record}},
        currencies={"scrip": {}},
    )


@pytest.mark.parametrize(
    ("cap", "record"), [("MOST_DISTINCT", {"distinct": "much"}), ("MOST_STAMPS", {"within": 60})]
)
def test_a_tally_says_once_that_it_counts_no_further(
    cap: str, record: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tally, cap, 3)
    world, box = capped(record)
    for much in range(3):
        box.announce("seen", much=much)
    with pytest.raises(ReactionError) as caught:
        box.announce("seen", much=3)
    assert str(caught.value.exceptions[0]).startswith("records.sights has seen more than 3")
    size = len(json.dumps(world.snapshot()))
    for much in range(4, 9):
        box.announce("seen", much=much)
    assert box.records["sights"] == 3
    assert len(json.dumps(world.snapshot())) <= size + 3


def test_reasons_are_texts_of_which_there_are_only_so_many(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(goods, "MOST_REASONS", 3)
    world, box = capped({})
    for reason in ("a", "b", "c", "a"):
        box.earn("scrip", 1, reason=reason)
    before = world.snapshot()
    with pytest.raises(UsageError, match="3 different reasons"):
        box.earn("scrip", 1, reason="d")
    for wrong in ("", "x" * 101, "two\nlines", "\ud800"):
        with pytest.raises(AmountError):
            box.earn("scrip", 1, reason=wrong)
    assert world.snapshot() == before
    assert box.earn("scrip", 1)
