"""Written together or not at all: batches of a store, players who have traded, and answers that were lost."""

from __future__ import annotations

import signal
import socket
import threading
import time
from collections.abc import Iterator
from typing import Any
from urllib.parse import urlsplit

import pytest

import kills
from cleaver import Actor, Design, Profile, ProfileStaleError, SaveError, StoreUnavailableError, World
from cleaver.saves import Autosaver, Failure, Found, Store, Trouble, open_store
from helpers import Clock

GAME: dict[str, Any] = {
    "currencies": {"scrip": {}},
    "items": {"pearl": {}},
    "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
}
DESIGN = Design.from_dict(GAME)


@pytest.fixture
def store(url: str) -> Iterator[Store]:
    with open_store(url, DESIGN) as opened:
        yield opened


def scrip(player: str, amount: int) -> Profile:
    return Profile(player, 1, {"currencies": {"scrip": amount}})


def amount(store: Store, player: str, section: str = "currencies", name: str = "scrip") -> int:
    found = store.load(player)
    return found.profile.sections.get(section, {}).get(name, 0) if isinstance(found, Found) else -1


# a store


def test_of_what_is_saved_together_all_is_saved_or_nothing(store: Store) -> None:
    ana, bea, cid = (store.hold(name) for name in ("ana", "bea", "cid"))
    for held in (ana, bea, cid):
        held.save(scrip(held.player, 1))
    bea.fence -= 1  # as if somebody had taken it over
    writes = [store.encoded(held, scrip(held.player, 2)) for held in (ana, bea, cid)]
    first, second, third = store.save_many(writes, together=True)

    assert isinstance(second, ProfileStaleError)
    assert str(first) == str(third)
    assert "together with the profile of bea, which was refused; nothing was written" in str(first)
    assert [amount(store, name) for name in ("ana", "bea", "cid")] == [1, 1, 1]
    assert [type(one) is SaveError for one in (first, third)] == [True, True]
    # They may go on by themselves.
    assert ana.save(scrip("ana", 3)).revision == 2


def test_each_group_of_a_batch_stands_for_itself(store: Store) -> None:
    helds = [store.hold(name) for name in ("ana", "bea", "cid", "dee")]
    helds[1].fence -= 1
    writes = [store.encoded(held, scrip(held.player, 5)) for held in helds]
    results = store.save_groups(writes, [[0, 1], [2, 3]])

    assert [isinstance(result, SaveError) for result in results] == [True, True, False, False]
    assert [amount(store, held.player) for held in helds] == [-1, -1, 5, 5]


def test_a_save_counts_only_after_its_transaction(store: Store, monkeypatch: pytest.MonkeyPatch) -> None:
    ana, bea = store.hold("ana"), store.hold("bea")
    bea.fence -= 1  # so that the batch is redone one by one
    writes = [store.encoded(held, scrip(held.player, 1)) for held in (ana, bea)]
    connection = store._writer()
    commit = type(connection)._commit_impl
    monkeypatch.setattr(
        type(connection), "_commit_impl", lambda self: (_ for _ in ()).throw(OSError("no space left"))
    )
    with pytest.raises(OSError, match="no space"):
        store.save_many(writes)
    monkeypatch.setattr(type(connection), "_commit_impl", commit)
    store._drop_writer()

    assert ana.revision == 0
    assert ana.save(scrip("ana", 2)).revision == 1


# an answer that was lost


@pytest.mark.parametrize("newer", [2, 3])
def test_a_retry_after_a_lost_answer_is_no_takeover(store: Store, newer: int) -> None:
    held = store.hold("ana")
    held.save(scrip("ana", 1))
    held.save(scrip("ana", 2))
    held.revision -= 1  # the answer to that never came

    assert held.save(scrip("ana", newer)).revision == newer
    assert amount(store, "ana") == newer
    assert held.save(scrip("ana", 9)).revision == newer + 1


def test_a_store_that_has_gone_back_is_told_as_such(store: Store) -> None:
    held = store.hold("ana")
    for number in (1, 2, 3):
        held.save(scrip("ana", number))
    held.revision += 2  # as if an older copy of the store had been put in its place
    with pytest.raises(ProfileStaleError, match="gone back from revision 5 to 3.*start the game anew"):
        held.save(scrip("ana", 4))


class Proxy:
    """Stands before a server. Once armed, it lets one COMMIT through, waits until it is done, and cuts both
    ends."""

    def __init__(self, url: str) -> None:
        found = urlsplit(url)
        self.server = (found.hostname or "127.0.0.1", found.port or 5432)
        self.listening = socket.create_server(("127.0.0.1", 0))
        self.url = url.replace(
            f"{found.hostname}:{found.port}", f"127.0.0.1:{self.listening.getsockname()[1]}"
        )
        self.armed, self.cut = False, 0
        threading.Thread(target=self._accept, daemon=True).start()

    def _accept(self) -> None:
        while True:
            try:
                near = self.listening.accept()[0]
            except OSError:
                return
            far = socket.create_connection(self.server)
            cut = threading.Event()
            threading.Thread(target=self._up, args=(near, far, cut), daemon=True).start()
            threading.Thread(target=self._down, args=(near, far, cut), daemon=True).start()

    def _up(self, near: socket.socket, far: socket.socket, cut: threading.Event) -> None:
        try:
            while data := near.recv(65536):
                if self.armed and b"COMMIT\0" in data:  # the statement, and no level of isolation
                    self.armed = False
                    cut.set()
                    far.sendall(data)
                    time.sleep(0.2)  # until the server has done it
                    self.cut += 1
                    near.shutdown(socket.SHUT_RDWR)
                    break
                far.sendall(data)
        except OSError:
            pass
        near.close()
        far.close()

    @staticmethod
    def _down(near: socket.socket, far: socket.socket, cut: threading.Event) -> None:
        try:
            while data := far.recv(65536):
                if not cut.is_set():
                    near.sendall(data)
        except OSError:
            pass


@pytest.fixture
def proxy(server_url: str) -> Iterator[Proxy]:
    made = Proxy(server_url)
    yield made
    made.listening.close()


def test_a_connection_cut_after_its_commit_loses_nobody_a_save(proxy: Proxy) -> None:
    with open_store(proxy.url, DESIGN) as store:
        held = store.hold("ana")
        held.save(scrip("ana", 1))
        proxy.armed = True
        with pytest.raises(StoreUnavailableError, match="worth trying again"):
            held.save(scrip("ana", 2))
        assert held.save(scrip("ana", 3)).revision == 3
        assert amount(store, "ana") == 3


def test_an_autosaver_goes_on_after_a_lost_answer(proxy: Proxy) -> None:
    failures: list[Failure] = []
    with open_store(proxy.url, DESIGN) as store:
        saver, world = Autosaver(store, interval=0, threaded=False, on_failure=failures.append), World(DESIGN)
        ana = saver.join(world, "ana")
        ana.earn("scrip", 1)
        saver.pump(5)
        proxy.armed = True
        ana.earn("scrip", 1)
        saver.pump(5)
        ana.earn("scrip", 1)  # what is tried again is newer than what the server has
        assert saver.close() == []
        assert [failure.final for failure in failures] == [False]
        assert proxy.cut == 1
        assert amount(store, "ana") == 3


# players who have traded


def traders(store: Store, **settings: Any) -> tuple[Clock, World, Autosaver, list[Actor]]:
    clock, world = Clock(), World(DESIGN)
    saver = Autosaver(store, interval=8, threaded=False, clock=clock, **settings)
    actors = [saver.join(world, name) for name in ("ana", "bea", "cid")]
    actors[0].give("pearl", 5)
    saver.pump(5)
    return clock, world, saver, actors


def pearls(store: Store) -> list[int]:
    return [amount(store, name, "items", "pearl") for name in ("ana", "bea", "cid")]


def test_who_has_traded_is_written_together_when_all_may_be(store: Store) -> None:
    clock, world, saver, (ana, bea, cid) = traders(store)
    clock.now = 4
    bea.earn("scrip", 1)
    saver.pump(5)  # bea may be written again at 12, ana at 8
    world.trade(ana, {"pearl": 2}, bea, {})
    for clock.now in (8, 11.9):
        saver.pump(5)
        assert pearls(store) == [5, 0, -1]
    clock.now = 12
    saver.pump(5)
    assert pearls(store) == [3, 2, -1]
    assert [store.revisions(name)[0][0] for name in ("ana", "bea")] == [2, 2]


def test_trades_in_a_row_tie_all_of_them_and_end_with_the_write(store: Store) -> None:
    clock, world, saver, (ana, bea, cid) = traders(store)
    clock.now = 8
    world.trade(ana, {"pearl": 2}, bea, {})
    world.trade(bea, {"pearl": 1}, cid, {})
    store.trouble = Trouble(failing=1)
    saver.pump(5)  # one transaction, which failed
    assert (store.trouble.calls, pearls(store)) == (1, [5, -1, -1])
    clock.now = 8.5
    store.trouble = Trouble()
    saver.pump(5)
    assert (store.trouble.calls, pearls(store)) == (1, [3, 1, 1])
    clock.now = 20
    ana.earn("scrip", 1)
    saver.pump(5)  # by itself again
    assert [store.revisions(name)[0][0] for name in ("ana", "bea")] == [3, 1]


def test_leaving_writes_who_has_traded_with_one_too(store: Store) -> None:
    _, world, saver, (ana, bea, _) = traders(store)
    world.trade(ana, {"pearl": 2}, bea, {})
    assert saver.leave("ana") is None
    assert pearls(store) == [3, 2, -1]
    assert saver.state_of("bea") == ("saved", "")
    assert saver.close() == []


def test_where_one_of_them_was_taken_over_the_other_is_saved_alone_and_it_is_told(store: Store) -> None:
    failures: list[Failure] = []
    clock, world, saver, (ana, bea, _) = traders(store, on_failure=failures.append)
    bea.earn("scrip", 1)
    saver.pump(5)
    clock.now = 8
    world.trade(ana, {"pearl": 2}, bea, {})
    saver._unsaved.entries["bea"].held.fence -= 1
    saver.pump(5)
    assert pearls(store) == [5, 0, -1]
    assert [(failure.player, failure.final) for failure in failures] == [("ana", False), ("bea", True)]
    assert "together with the profile of bea" in str(failures[0].error)
    clock.now = 9
    saver.pump(5)
    assert pearls(store) == [3, 0, -1]


def test_what_cannot_be_encoded_holds_back_who_has_traded_with_it(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    failures: list[Failure] = []
    clock, world, saver, (ana, bea, _) = traders(store, on_failure=failures.append)
    clock.now = 8
    world.trade(ana, {"pearl": 2}, bea, {})
    broken = world.profile
    monkeypatch.setattr(
        world, "profile", lambda actor: scrip("ana", 10**30) if actor.id == "bea" else broken(actor)
    )
    saver.pump(5)
    assert pearls(store) == [5, -1, -1]
    assert [failure.player for failure in failures] == ["bea"]
    monkeypatch.undo()
    bea.earn("scrip", 1)
    saver.pump(5)
    assert pearls(store) == [3, 2, -1]


# ends at any instant


@pytest.mark.filterwarnings("ignore::DeprecationWarning")
@pytest.mark.parametrize("mode", kills.MODES)
@pytest.mark.parametrize(("where", "count"), [("file_url", 34), ("server_url", 7)])
def test_games_killed_at_any_instant_lose_and_split_nothing(
    where: str, count: int, mode: str, request: pytest.FixtureRequest
) -> None:
    found = kills.kills(request.getfixturevalue(where), mode, count)
    assert (found.lost, found.damaged, found.torn, found.split) == (0, 0, 0, 0)
    assert found.acknowledged > 0


@pytest.mark.long
@pytest.mark.filterwarnings("ignore::DeprecationWarning")
@pytest.mark.parametrize("mode", kills.MODES)
def test_games_asked_to_end_save_whole_commands(file_url: str, mode: str) -> None:
    found = kills.kills(file_url, mode, 34, signal.SIGTERM)
    assert (found.lost, found.damaged, found.torn, found.split) == (0, 0, 0, 0)
    assert found.acknowledged > 34
    assert found.longest < 5  # what is promised of the end
