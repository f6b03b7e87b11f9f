"""A command is declared once: handle, script, help, completion, journal, rooms and references follow."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
import reference

from cleaver import Actor, Design, UsageError
from cleaver.core import telling
from cleaver.core.commands import COMMANDS as DECLARED
from cleaver.core.commands import command
from cleaver.core.kernel.door import Call
from cleaver.core.kernel.results import Result
from cleaver.journals.lines import script_line
from cleaver.prompt.completing import complete
from cleaver.rooms.asking import fulfil
from cleaver.script import Session, play
from cleaver.script.command import COMMANDS
from cleaver.script.worlds import add_all

REEF = Design.from_dict(
    {
        "statuses": {"venom": {"lasts": 3}},
        "actors": {"diver": {"player": True, "vital": "suit", "meters": {"suit": 90}}},
    }
)


@pytest.fixture
def soothe(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    def soothe(self: Any, status: str, *, lasts: float = 1.0) -> Result:
        """Let a status hurt nobody for a while."""
        return Result("" if status in self.statuses else "no_change")

    soothe.__qualname__ = "Actor.soothe"
    made = command("soothe ana venom lasts=2", telling.STATUSES, says="{me.id} feels no {status}")(soothe)
    monkeypatch.setattr(Actor, "soothe", made, raising=False)
    add_all()
    yield
    del DECLARED["Actor", "soothe"], COMMANDS["soothe"]


@pytest.mark.usefixtures("soothe")
def test_a_new_command_is_one_declaration() -> None:
    run = Session(REEF)
    play(run, ["join diver ana", "status ana venom"])
    ana: Any = run.world.actor("ana")
    with pytest.raises(UsageError, match="status is 7; it must be a text"):
        ana.soothe(7)
    assert ana.soothe("venom")
    found = COMMANDS["soothe"]
    assert (found.usage, found.help) == (
        "soothe NAME STATUS [lasts=]",
        "let a status hurt nobody for a while",
    )
    assert found.run(run, "ana venom lasts=2") == "ana feels no venom"
    assert found.run(run, "ana cold") == "refused: no_change"
    assert complete(run, "soothe ana ") == ["venom"]
    call = Call(DECLARED["Actor", "soothe"], ana, ("venom",), {"lasts": 2.5})
    assert script_line(call, lambda what, text: what) == "soothe ana venom lasts=2.5"
    assert fulfil(run.world, ana, "soothe", "venom", {}) == (True, "")
    assert (
        "| `soothe NAME STATUS [lasts=]` | let a status hurt nobody for a while |" in reference.script_page()
    )
    assert "soothe(status: str" in reference.PAGES["python.md"]()


def test_what_clients_may_ask_for_takes_one_name_and_perhaps_how_often() -> None:
    from cleaver.design.models.rooms import ASKS

    for name in ASKS:
        first, *more = DECLARED["Actor", name].arguments
        assert first.required
        assert {one.name for one in more} <= {"times", "target", "instead"}
