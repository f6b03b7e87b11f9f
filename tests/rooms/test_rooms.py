"""Rooms: what a replica shows is what the world has; what is private stays so; events come once."""

from __future__ import annotations

import asyncio
import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import Design, UsageError, load_design, sample
from cleaver.core import read
from cleaver.hud import Bar
from cleaver.rooms import Replica, Room
from cleaver.rooms.sight import Sight
from cleaver.rooms.wire import unpacked
from cleaver.saves import Autosaver, open_store
from cleaver.script.state import actor_state
from strategies import DESIGNS, STREAMS, Play, law

REEF = load_design(sample.path("lanternreef.toml"))
PUBLIC = ("alive", "lives", "team", "tags", "statuses", "score")
VIEWERS = ("one", "two")


def playing(design: Design) -> tuple[Play, Room]:
    """Return a play on the world of a room."""
    play = Play(design)
    room = Room(design, "room", world=play.world)
    room.admit("one", "Ana")
    room.admit("two", "Ana")
    return play, room


def public(sight: Sight, kind: str, path: str) -> bool:
    """Return whether everybody may read a path of an actor of a kind."""
    first = path.partition(".")[0]
    if first in sight.meters[kind]:
        return sight.meters[kind][first] == "all"
    if first in sight.goods:
        return sight.goods[first] == "all"
    return first in PUBLIC


def same(room: Room, player: str, replica: Replica) -> None:
    """Compare a replica with the world, on every path that its viewer may read."""
    sight = Sight(room.world.design)
    hidden = {name for name, one in room.world.design.tables.achievements.items() if one.hidden}
    aliases = {actor.id: room._aliases.of(actor.id) for actor in room.world.actors}
    assert [aliases[actor.id] for actor in room.world.actors] == [actor.id for actor in replica.actors]
    for actor in room.world.actors:
        other = replica.actor(aliases[actor.id])
        shown = actor_state(other)
        for path, value in actor_state(actor).items():
            if path.removeprefix("achieved.") in hidden:
                continue
            if actor.id == player or public(sight, actor.kind, path):
                assert shown.get(path, 0) == value, (actor.id, path)
        assert other.position == actor.position
        assert other.owner == aliases.get(actor.owner, "")
    assert {one.id: one.present for one in replica.placements} == {
        one.id: one.present for one in room.world.placements
    }
    for name, match in room.world.matches.items():
        there = replica.match(name)
        assert (there.running, there.paused, there.round, there.left) == (
            match.running,
            match.paused,
            match.round,
            match.left,
        )
        assert [(one.rank, room._aliases.named(one.side), one.score) for one in match.standings] == [
            (one.rank, one.side, one.score) for one in there.standings
        ]
    assert replica.world.now == room.world.now


@law
@given(design=DESIGNS, stream=STREAMS, data=st.data())
def test_a_replica_is_what_the_world_is_whoever_joins_breaks_or_comes_back(
    design: Design, stream: list[Any], data: st.DataObject
) -> None:
    play, room = playing(design)
    client = design.for_clients()
    replicas: dict[str, Replica] = {}
    for command in stream:
        play.do(command)
        for player in VIEWERS:
            if player not in read.parts(room.world).stage.actors:
                replicas.pop(player, None)
                continue
            what = data.draw(st.sampled_from(("nothing", "nothing", "changes", "changes", "full", "break")))
            if what == "break":
                replicas.pop(player, None)
            elif what == "full" or (what == "changes" and player not in replicas):
                replica = replicas.setdefault(player, Replica(client))
                replica.feed(room.full(player))
                same(room, player, replica)
            elif what == "changes":
                replicas[player].feed(room.changes(player))
                same(room, player, replicas[player])


PRIVATE: list[tuple[Any, ...]] = [
    ("earn", "two", "scrip", 3),
    ("spend", "two", "scrip", 1),
    ("give", "two", "nail", 1),
    ("remove", "two", "nail", 1),
    ("gain_xp", "two", 1),
    ("quest", "two", "accept", "gather"),
    ("data", "two", "note", 1),
    ("rate", "two", "dive"),
]


@law
@given(design=DESIGNS, stream=STREAMS, secret=st.lists(st.sampled_from(PRIVATE), min_size=1, max_size=9))
def test_what_a_viewer_is_sent_does_not_depend_on_what_is_private_to_others(
    design: Design, stream: list[Any], secret: list[Any]
) -> None:
    """Two worlds that differ in what is somebody else's own alone: the same bytes."""
    sent = []
    for hidden in ([], secret):
        play, room = playing(quiet(design))
        told = [room.full("one")]
        for command in stream[:6]:
            if command[0] in PUBLIC_COMMANDS:
                play.do(command)
                told.append(room.changes("one"))
        for command in hidden:
            play.do(command)
        told.append(room.changes("one"))
        told.append(room.full("one", resume=0))
        sent.append(told)
    for one, other in zip(*sent, strict=True):
        assert one == other, (one, other)


PUBLIC_COMMANDS = ("advance", "tag", "score", "hit", "move")


def quiet(design: Design) -> Design:
    """Return a design in which nothing that others can see follows from what is somebody's own."""
    tree = json.loads(design.text)
    tree["rules"] = []
    for section in ("quests", "achievements"):
        for one in tree[section].values():
            one.pop("reward", None)
    for quest in tree["quests"].values():
        quest.pop("fails", None)
    for actor in tree["actors"].values():
        for meter in actor["meters"].values():
            if isinstance(meter, dict) and isinstance(meter["max"], str):  # a formula of one's own stats
                meter["max"] = 20
    for levels in tree["levels"].values():
        for key in ("do", "adds"):
            levels.pop(key, None)
    for match in tree["matches"].values():
        match["rules"] = [rule for rule in match["rules"] if rule["on"] in ("struck", "collected", "healed")]
    return Design.from_dict(tree)


@law
@given(design=DESIGNS, stream=STREAMS, cut=st.integers(0, 20))
def test_a_room_that_moves_goes_on_exactly(design: Design, stream: list[Any], cut: int) -> None:
    """A room that stays and one that moves in the middle come to the same, and so do their viewers."""
    stream = [command for command in stream if command[0] not in ("leave", "again", "join")]
    play, room = playing(design)
    other, moving = playing(design)
    heard: list[list[tuple[Any, ...]]] = []
    ends: list[Room] = []
    for one, here, moves in ((play, room, False), (other, moving, True)):
        replica, events = Replica(design.for_clients()), list[tuple[Any, ...]]()
        for name in here.world.event_names:
            if not read.parts(here.world).kinds.known.events[name].seen_from:
                replica.listen_own(name, _kept(events))
        replica.feed(here.full("one"))
        for number, command in enumerate(stream):
            one.do(command)
            if moves and number == cut:
                here = Room.thaw(here.freeze(), design)
                one.world = here.world
            replica.feed(here.changes("one"))
        same(here, "one", replica)
        heard.append(events)
        ends.append(here)
    assert ends[0].world.snapshot() == ends[1].world.snapshot()
    assert heard[0] == heard[1]


def test_a_room_moves_under_a_newer_design_with_its_profiles(tmp_path: Path) -> None:
    tree = json.loads(REEF.text)
    tree["actors"]["diver"]["attacks"]["jab"]["amount"] = 99
    newer = Design.from_dict(tree)
    url = f"sqlite:///{tmp_path / 'saves.db'}"
    store, second = open_store(url, REEF), open_store(url, newer)
    saver, heir = Autosaver(store, threaded=False), Autosaver(second, threaded=False)
    room = Room(REEF, "reef", saver=saver)
    asyncio.run(room.enter("p-1", kind="diver", shown_as="Ana"))
    room.world.actor("p-1").earn("scrip", 7)
    room.world.spawn("eel", "eel1")
    state = room.freeze()

    moved = Room.thaw(state, newer, saver=heir)

    assert room.viewers == ()
    assert moved.alias("p-1") == "Ana"
    moved.world.actor("p-1").earn("scrip", 1)
    assert heir.flush("p-1") is None
    found = second.read("p-1")
    assert found is not None
    assert found.sections["currencies"]["scrip"] == 8
    assert moved.world.actor("p-1").hit("eel1", "jab").dealt == 30  # more than it has
    asyncio.run(moved.leave("p-1"))
    with pytest.raises(UsageError, match="no state of a room"):
        Room.thaw(b"{}", newer)
    for one in (heir, saver):
        one.close()
    store.close()
    second.close()


def _kept(events: list[tuple[Any, ...]]) -> Any:
    def hear(event: Any) -> None:
        events.append((event.name, event.time_us, event.actor, event.source, event.values))

    return hear


@law
@given(design=DESIGNS, stream=STREAMS, data=st.data())
def test_each_event_comes_once_also_after_a_break(
    design: Design, stream: list[Any], data: st.DataObject
) -> None:
    play, room = playing(design)
    whole, broken = Replica(design.for_clients()), Replica(design.for_clients())
    heard: dict[Replica, list[tuple[Any, ...]]] = {whole: [], broken: []}
    for replica, events in heard.items():
        for name in room.world.event_names:
            if not read.parts(room.world).kinds.known.events[name].seen_from:
                replica.listen_own(name, _kept(events))
    # Both are of one viewer's screen: what comes to one is fed to the other, unless the line breaks.
    whole.feed(room.full("one"))
    broken.feed(room.full("one"))
    lost = False
    for command in stream:
        if command[0] in ("leave", "again", "join"):
            continue
        play.do(command)
        told = room.changes("one")
        whole.feed(told)
        lost = lost or data.draw(st.booleans())
        if not lost:
            broken.feed(told)
        elif data.draw(st.booleans()):
            broken.feed(room.full("one", resume=broken.number))
            lost = False
            same(room, "one", broken)
    broken.feed(room.full("one", resume=broken.number))
    assert heard[whole] == heard[broken]
    assert broken.missed == 0


KEYS = st.one_of(st.sampled_from(("do", "what", "times", "actor", "player", "number")), st.text(max_size=5))
NONSENSE: st.SearchStrategy[Any] = st.recursive(
    st.one_of(
        st.none(),
        st.booleans(),
        st.integers(),
        st.floats(),
        st.text(max_size=20),
        st.sampled_from(("take", "earn", "set", "give", "one", "two", "Ana", "glue1", "shop", "gather")),
    ),
    lambda inner: st.one_of(st.lists(inner, max_size=3), st.dictionaries(KEYS, inner, max_size=4)),
    max_leaves=6,
)
WHY = {"", "not_allowed", "malformed", "unknown", "too_often", "not_here"}


@law
@given(
    design=DESIGNS,
    asked=st.lists(
        st.one_of(
            NONSENSE,
            st.fixed_dictionaries(
                {"do": NONSENSE, "what": NONSENSE}, optional={"times": NONSENSE, "actor": NONSENSE}
            ),
        ),
        min_size=1,
        max_size=20,
    ),
)
def test_nonsense_gets_a_reply_and_changes_nothing(design: Design, asked: list[Any]) -> None:
    time = [0.0]
    play = Play(design)
    room = Room(design, "room", world=play.world, clock=lambda: time[0])
    room.admit("one", "Ana")
    for one in asked:
        time[0] += 1
        before = room.world.snapshot()
        reply = room.do("one", one, number=7)
        assert reply.number == 7
        assert reply.why in WHY or reply.done is False
        if not reply.done:
            assert room.world.snapshot() == before
        else:
            assert one["do"] in design.tables.rooms.allow


def test_a_client_may_ask_so_often() -> None:
    time = [0.0]
    room = Room(REEF, "reef", clock=lambda: time[0])
    asyncio.run(room.enter("p-1", kind="diver", shown_as="Ana"))
    asked = {"do": "accept", "what": "first_light"}

    found = [room.do("p-1", asked).why for _ in range(25)]

    # Twenty at once; the first is done, the others are refused by the game itself.
    assert [why == "too_often" for why in found] == [False] * 20 + [True] * 5
    time[0] = 0.5
    assert [room.do("p-1", asked).why == "too_often" for _ in range(11)] == [False] * 10 + [True]
    assert room.do("p-2", asked) == (0, False, "not_here")
    told = room.metrics
    assert (told["viewers"], told["asked"], told["done"]) == (1, 37, 1)
    assert (told["refused_too_often"], told["refused_not_here"]) == (6, 1)


def test_names_are_shown_and_made_unique_and_ids_stay_here() -> None:
    room = Room(REEF, "reef")
    for player, name in (("id-a-77", "Ana"), ("id-b-77", " Ana "), ("id-c-77", "Bram")):
        asyncio.run(room.enter(player, kind="diver", shown_as=name))
    eel = room.world.spawn("eel", "eel1")
    eel.hit("id-b-77", "sting")
    room.world.actor("id-a-77").earn("scrip", 5)
    sent = room.full("id-a-77") + room.full("id-c-77", resume=0)

    assert [room.alias(player) for player in room.viewers] == ["Ana", "Ana 2", "Bram"]
    assert b"id-" not in sent
    assert b"seed" not in sent
    with pytest.raises(UsageError, match="shown name"):
        asyncio.run(room.enter("id-d", kind="diver", shown_as="\n"))
    assert "id-d" not in {actor.id for actor in room.world.actors}
    assert asyncio.run(room.enter("id-a-77", kind="diver")) == "here"


def test_a_meter_goes_on_between_feeds_without_a_byte() -> None:
    room = Room(REEF, "reef")
    asyncio.run(room.enter("p", kind="diver", shown_as="Ana"))
    room.world.actor("p").tag("submerged")  # air drains 1.2 a second
    replica = Replica(REEF.for_clients())
    replica.feed(room.full("p"))
    for _ in range(120):
        replica.advance(1 / 60)
    room.tick(2)

    assert replica.me["air"].value == pytest.approx(60 - 2 * 1.2)
    assert room.changes("p") == b"2000000"
    assert Bar(replica.me, "air").fraction == pytest.approx(57.6 / 60)


def test_seen_by_says_who_sees_it() -> None:
    tree = json.loads(REEF.text)
    tree["currencies"]["scrip"]["seen_by"] = "all"
    tree["items"]["pearl"]["seen_by"] = "team"
    tree["statuses"]["venom"]["seen_by"] = "owner"
    tree["actors"]["diver"]["meters"]["suit"]["seen_by"] = "nobody"
    design = Design.from_dict(tree)
    room = Room(design, "reef")
    replicas = {}
    for player, team in (("a", "north"), ("b", "north"), ("c", "south")):
        asyncio.run(room.enter(player, kind="diver", shown_as=player.upper(), team=team))
        replicas[player] = Replica(design.for_clients())
    diver = room.world.actor("a")
    diver.earn("scrip", 7)
    diver.give("pearl", 2)
    diver.status("venom")
    diver.hurt(20)
    for player, replica in replicas.items():
        replica.feed(room.full(player))

    def seen(path: str) -> list[Any]:
        return [replica.value(f"A.{path}") for replica in replicas.values()]

    assert seen("scrip") == [7, 7, 7]
    assert seen("pearl") == [2, 2, 0]
    assert seen("statuses") == [["venom"], [], []]
    assert seen("suit") == [90, 90, 90]  # nobody sees what is left of it


def test_what_is_not_for_clients_is_not_in_their_design() -> None:
    client = REEF.for_clients()

    for section in ("rules", "quest_sets", "check", "saves"):
        assert section not in json.loads(client.text)
    assert client.tables.actors.keys() == REEF.tables.actors.keys()


def test_what_is_no_message_says_so() -> None:
    replica = Replica(REEF.for_clients())
    room = Room(REEF, "reef")
    asyncio.run(room.enter("p-1", kind="diver", shown_as="Ana"))
    replica.feed(room.full("p-1"))
    for wrong in (
        b"[5,[3]]",
        b"[5,[[]]]",
        b'[5,[["m","Ana","suit","x"]]]',
        b'[5,[["a","Bram",[1]]]]',
        b"true",
    ):
        with pytest.raises(UsageError):
            replica.feed(wrong)
    replica.feed(room.full("p-1"))
    same(room, "p-1", replica)
    replica = Replica(REEF.for_clients())
    for wrong in (b"", b"[]", b"\xff", b"[1]", b'"x"', b'{"a":1}', b'[9,0,"",0,[],[]]'):
        with pytest.raises(UsageError):
            replica.feed(wrong)
    with pytest.raises(UsageError, match="nothing has been fed"):
        _ = replica.me


def test_a_hidden_achievement_is_unknown_until_it_is_given() -> None:
    tree = json.loads(REEF.text)
    tree["achievements"]["first_pearl"]["hidden"] = True
    tree["achievements"]["secret_hoard"] = {"on": "earned", "count": 3, "hidden": True}
    design = Design.from_dict(tree)
    room = Room(design, "reef")
    asyncio.run(room.enter("p-1", kind="diver", shown_as="Ana"))
    asyncio.run(room.enter("p-2", kind="diver", shown_as="Bram"))
    replica = Replica(design.for_clients())

    assert "first_pearl" not in design.for_clients().text
    assert b"first_pearl" not in room.full("p-1")
    replica.feed(room.full("p-1"))
    room.world.actor("p-1").give("pearl")
    told = room.changes("p-1")

    room.world.actor("p-1").earn("scrip", 1)  # on its way, and its owner does not know of it
    assert b"secret_hoard" not in room.full("p-1") + room.changes("p-1")
    assert b'"achieved"' in told  # now it is given, and its owner hears of it
    assert b"first_pearl" in told
    replica.feed(told)
    assert b"first_pearl" not in room.full("p-2", resume=0)


def test_a_match_of_single_players_names_them_by_what_they_are_called() -> None:
    tree = json.loads(REEF.text)
    tree["matches"]["duel"] = {"rules": [{"on": "defeated", "do": [{"score": 1}]}], "win_at": 1}
    design = Design.from_dict(tree)
    room = Room(design, "reef")
    for player, name in (("id-1", "Ana"), ("id-2", "Bram")):
        asyncio.run(room.enter(player, kind="diver", shown_as=name))
    room.world.match("duel").start()
    room.world.spawn("eel", "eel1")
    room.world.actor("id-2").hit("eel1", amount=99)
    replica = Replica(design.for_clients())
    replica.feed(room.full("id-1", resume=0))

    assert replica.match("duel").winner == "Bram"
    assert [(one.side, one.score) for one in replica.match("duel").standings] == [("Bram", 1), ("Ana", 0)]
    assert b"id-" not in room.full("id-1", resume=0)


def test_what_a_stage_begins_without_is_gone_from_screens_too() -> None:
    """A match that ran and a team's purse, after the stage was begun anew; also for one who comes later."""
    design = Design.from_dict(
        {
            "currencies": {"share": {"start": 1, "pooled": True}},
            "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 9}}},
            "teams": {"north": {}},
            "matches": {"hunt": {"win_at": 3, "rules": [{"on": "struck", "do": [{"score": 1}]}]}},
            "stages": {"reef": {}},
        }
    )
    room = Room(design, "reef")
    asyncio.run(room.enter("p-1", kind="diver", shown_as="Ana", team="north"))
    replica, late = Replica(design.for_clients()), Replica(design.for_clients())
    replica.feed(room.full("p-1"))
    room.world.enter_stage("reef")
    room.world.match("hunt").start()
    room.world.actor("p-1").earn("share", 4)
    replica.feed(room.changes("p-1"))
    assert (replica.match("hunt").running, replica.value("Ana.share")) == (True, 5)

    room.world.restart_stage()
    replica.feed(room.changes("p-1"))
    late.feed(room.full("p-1"))
    for one in (replica, late):
        assert not one.match("hunt").running
        assert one.me.purse["share"] == room.world.actor("p-1").purse["share"]


def test_a_room_goes_on_under_another_design() -> None:
    room = Room(REEF, "reef")
    for player, name in (("p-1", "Ana"), ("p-2", "Bram")):
        asyncio.run(room.enter(player, kind="diver", shown_as=name))
    replica = Replica(REEF.for_clients())
    replica.feed(room.full("p-2"))
    tree = json.loads(REEF.text)
    tree["currencies"]["scrip"]["seen_by"] = "all"
    tree["actors"]["diver"]["meters"]["suit"]["seen_by"] = "owner"
    tree["events"]["rung"] = {"fields": {"bell": "name"}}

    room.world.actor("p-1").earn("scrip", 4)
    room.world.adopt(Design.from_dict(tree))
    room.world.actor("p-1").announce("rung", bell="big")
    room.world.actor("p-1").hurt(10)
    replica.feed(room.changes("p-2"))  # at the client it is still the old one: what is new is passed over
    newer = Replica(room.world.design.for_clients())
    heard: list[Any] = []
    newer.listen_own("rung", heard.append)
    newer.feed(room.full("p-2", resume=0))

    for one in (replica, newer):
        assert one.value("Ana.scrip") == 4
    assert newer.value("Ana.suit") == 90  # nobody else sees it any more
    assert [event.bell for event in heard] == ["big"]


def test_creatures_are_called_by_their_ids_and_nothing_is_kept_of_them() -> None:
    room = Room(REEF, "reef")
    room.world.spawn("eel", "eel1")
    asyncio.run(room.enter("p-1", kind="diver", shown_as="eel1"))
    asyncio.run(room.enter("p-2", kind="diver", shown_as="Bram"))
    room.world.spawn("eel", "Bram")  # a creature that is called as a player is
    replica = Replica(REEF.for_clients())
    for number in range(50):
        room.world.spawn("eel", f"more{number}")
        replica.feed(room.changes("p-1") if number else room.full("p-1"))
        room.world.dismiss(f"more{number}")
    replica.feed(room.changes("p-1"))

    assert {actor.id for actor in replica.actors} == {"eel1", "eel1 2", "Bram", "Bram 2"}
    assert (replica.me.id, replica.actor("Bram 2").kind) == ("eel1 2", "eel")
    assert len(room._aliases.by_id) == 3


def test_somebody_leaves_whose_creature_stays() -> None:
    tree = json.loads(REEF.text)
    tree["actors"]["eel"]["meters"]["hide"] = {"max": 30, "seen_by": "owner"}
    design = Design.from_dict(tree)
    room = Room(design, "reef")
    for player, name in (("p-1", "Ana"), ("p-2", "Bram")):
        asyncio.run(room.enter(player, kind="diver", shown_as=name))
    eel = room.world.spawn("eel", "pet", owner="p-1")
    seen = {player: Replica(design.for_clients()) for player in ("p-1", "p-2")}
    for player, replica in seen.items():
        replica.feed(room.full(player))
    eel.hurt(10)
    for player, replica in seen.items():
        replica.feed(room.changes(player))
    assert [replica.actor("pet")["hide"].value for replica in seen.values()] == [20, 30]

    asyncio.run(room.leave("p-1"))
    eel.hurt(5)
    seen["p-2"].feed(room.changes("p-2"))

    assert seen["p-2"].actor("pet").owner == ""
    assert "Ana" not in {actor.id for actor in seen["p-2"].actors}


def test_one_who_cannot_come_in_takes_nobody_else_s_name_away() -> None:
    room = Room(REEF, "reef")

    async def both() -> None:
        found = await asyncio.gather(
            room.enter("p-1", kind="diver", shown_as="Ana"),
            room.enter("p-2", kind="whale", shown_as="Bram"),
            room.enter("p-3", kind="diver", shown_as="Bram"),
            return_exceptions=True,
        )
        assert [isinstance(one, Exception) for one in found] == [False, True, False]

    asyncio.run(both())
    assert [room.alias(player) for player in room.viewers] == ["Ana", "Bram"]


def test_events_that_are_sent_again_are_told_once() -> None:
    room = Room(REEF, "reef")
    asyncio.run(room.enter("p-1", kind="diver", shown_as="Ana"))
    room.world.spawn("eel", "eel1")
    replica, heard = Replica(REEF.for_clients()), list[float]()
    replica.listen("damaged", lambda event: heard.append(event.time))
    replica.feed(room.full("p-1"))
    for _ in range(3):
        room.tick(1)
        room.world.actor("eel1").hit("p-1", amount=2)
        replica.feed(room.changes("p-1"))
    assert heard == [1, 2, 3]

    again = room.full("p-1", resume=replica.number - 2)
    assert len(unpacked(again).events) == 2
    replica.feed(again)
    replica.feed(room.full("p-1", resume=0))
    assert heard == [1, 2, 3]
    assert unpacked(room.full("p-1", resume=replica.number)).events == []
    assert unpacked(room.full("p-1", resume=replica.number + 5)).events == []


def test_nothing_is_kept_of_what_is_gone() -> None:
    room = Room(REEF, "reef")
    for player, name in (("p-1", "Ana"), ("p-2", "Bram")):
        asyncio.run(room.enter(player, kind="diver", shown_as=name))
    replica = Replica(REEF.for_clients())
    replica.feed(room.full("p-1"))
    room.full("p-2")  # and then its line is broken
    for number in range(1_500):
        eel = room.world.spawn("eel")
        if number % 3 == 0:
            replica.feed(room.changes("p-1"))
        room.world.dismiss(eel)
        room.tick(0.05)
    room.tick(0.05)
    replica.feed(room.changes("p-1"))

    assert len(room._watch.boards["all"].entries) < 300
    assert set(room._watch.boards) == {"all", "owner p-1", "owner p-2"}
    same(room, "p-1", replica)
    late = Replica(REEF.for_clients())
    late.feed(room.changes("p-2"))  # all that it sees, as it has fallen far behind
    same(room, "p-2", late)
    asyncio.run(room.leave("p-2"))
    room.changes("p-1")
    assert set(room._watch.boards) == {"all", "owner p-1"}


def test_whom_the_server_s_own_code_has_let_go_asks_in_vain_and_may_leave() -> None:
    room = Room(REEF, "reef")
    asyncio.run(room.enter("p-1", kind="diver", shown_as="Ana"))
    room.world.dismiss("p-1")

    assert room.do("p-1", {"do": "accept", "what": "first_light"}).why == "not_here"
    room.changes("p-1")
    asyncio.run(room.leave("p-1"))
    assert room.viewers == ()


def test_a_room_that_has_moved_is_no_more() -> None:
    room = Room(REEF, "reef")
    asyncio.run(room.enter("p-1", kind="diver", shown_as="Ana"))
    room.freeze()

    for use in (lambda: room.tick(1), room.freeze, lambda: asyncio.run(room.enter("p-2", kind="diver"))):
        with pytest.raises(UsageError, match="has moved"):
            use()
