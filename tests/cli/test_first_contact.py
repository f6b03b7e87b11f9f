"""What a newcomer meets before the first game works: closed streams, empty files, wrong ways of asking."""

from __future__ import annotations

import functools
import importlib
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any
from unittest.mock import AsyncMock, MagicMock, Mock

import click
import pytest

import cleaver
from cleaver import Actor, UsageError, World, hud
from cleaver.cli.main import COMMANDS as COMMANDS_OF_CLEAVER
from helpers import DIVE, REEF, run

TRIAL = Path(REEF).parent / "trials/dive.toml"
COMMANDS = (
    "--help", "--version", "nonsense", f"check {REEF}", f"check --format json {REEF}", "check nowhere.toml", f"show {REEF}",
    f"play {REEF} {DIVE}", f"test {DIVE}", f"why {REEF} {DIVE} ana.suit", f"diff {REEF} {REEF}", "schema", f"stubs {REEF}",
    "completion zsh", "demo --no-figure --store sqlite://", "saves list --store sqlite:///none.db " + REEF, "new reef",
    f"lab run {TRIAL} --sessions 2 --jobs 1", "journal cut none.play 1 2",
)  # fmt: skip


def reef_world() -> tuple[World, Actor, Actor]:
    world = World(cleaver.load_design(REEF), seed=7)
    return world, world.join("diver", "ana"), world.spawn("eel")


@pytest.mark.long
@pytest.mark.skipif(os.name != "posix", reason="how a shell closes streams")
@pytest.mark.parametrize("command", COMMANDS)
def test_closed_streams_bring_no_traceback(command: str, tmp_path: Path) -> None:
    for number, closed in enumerate((">&-", "2>&-", "<&- >&- 2>&-")):
        place = tmp_path / str(number)
        place.mkdir()
        done = subprocess.run(
            f"{sys.executable} -m cleaver {command} {closed}",
            shell=True,
            cwd=place,
            capture_output=True,
            text=True,
            check=False,
        )
        assert "Traceback" not in done.stdout + done.stderr, closed
        assert done.returncode in (0, 1, 2)


@pytest.mark.long
def test_an_empty_design_and_a_file_that_cannot_be_read(tmp_path: Path) -> None:
    (tmp_path / "empty.toml").write_text("# nothing yet\n")
    (tmp_path / "named.toml").write_text("[actors]\n")
    for name in ("empty", "named"):
        code, told, _ = run("check", f"{name}.toml", cwd=tmp_path)
        assert (code, told) == (
            1,
            f"{name}.toml: nothing in it; begin with a kind of actor: [actors.diver]\n",
        )
    code, told, _ = run("check", "-", cwd=tmp_path, stdin="")
    assert (code, told.split(";")[0]) == (1, "stdin: nothing in it")
    for command in (
        "check", "play", "show", "stubs", "diff nope.toml", "why {} x.play ana.suit", "test", "lab run", "test --design",
        "saves list --store sqlite://", "lab levers {} score",
    ):  # fmt: skip
        words = (command if "{}" in command else command + " {}").format("nope.toml").split()
        code, _, told = run(*words, cwd=tmp_path)
        assert code == 2, (command, told)
    code, told, _ = run("check", "--explain", "not_valid")
    assert (code, told.startswith("not_valid\n    The design cannot be loaded")) == (0, True)


def test_a_story_is_printed_as_it_is_told() -> None:
    world, ana, eel = reef_world()
    eel.hit(ana, "sting")
    world.advance(1)
    story = world.why("ana.suit")
    assert str(story).splitlines() == hud.tale(story)
    assert "#3: ana loses" in str(story)


async def later(*_: object) -> None:
    """Would never be waited for."""


class Later:
    """One to call."""

    async def __call__(self, *_: object) -> None:
        """Would never be waited for."""

    call = __call__


@pytest.mark.parametrize(
    "call", [later, functools.partial(later, 1), Later(), Later().call, AsyncMock()], ids=range(5)
)
def test_an_async_listener_is_an_error_that_says_what_to_do(call: Any) -> None:
    world, ana, _ = reef_world()
    for door in (
        lambda: world.listen("damaged", call),
        lambda: world.listen_own("damaged", call, actor=ana),
        lambda: world.after(1, call),
        lambda: world.advance(1, stop=call),
    ):
        with pytest.raises(UsageError, match="an async function, and nobody would wait for it"):
            door()
    assert not world.listeners


@pytest.mark.parametrize("call", [Mock(), MagicMock(), functools.partial(Mock(), 1), print], ids=range(4))
def test_whatever_else_can_be_called_listens(call: Any) -> None:
    """A stand-in of a test has every attribute that is asked for, without end."""
    world, ana, _ = reef_world()
    world.listen("damaged", call)
    ana.hurt(3)
    assert len(world.listeners) == 1


def test_a_name_is_of_one_class_and_every_part_is_there_by_its_name() -> None:
    found: dict[str, set[object]] = {}
    for name in ("", *cleaver.SUBMODULES):
        part = getattr(cleaver, name) if name else cleaver
        assert part is importlib.import_module(f"cleaver.{name}".rstrip("."))
        for public in getattr(part, "__all__", ()):
            one = getattr(part, public)
            if isinstance(one, type) and name != "design":
                found.setdefault(public, set()).add(one)
    assert len(found) > 80
    assert {name for name, classes in found.items() if len(classes) > 1} == set()


@pytest.mark.skipif(not shutil.which("bash"), reason="no bash")
@pytest.mark.parametrize(
    ("line", "replies"),
    [
        ("cleaver che", "check"),
        ("cleaver saves list reef.toml --store sqlite:///sa", "///saves.db"),
        ("cleaver saves list reef.toml --store sq", "sqlite:///"),
        (f"cleaver lab solve {TRIAL} actors.eel.attacks.sting.am", "actors.eel.attacks.sting.amount"),
        (f"cleaver lab levers {TRIAL} two", "two_stars"),
    ],
)
def test_bash_completes_what_has_colons(line: str, replies: str, tmp_path: Path) -> None:
    (tmp_path / "saves.db").touch()
    script = f"""
        cleaver() {{ {sys.executable} -m cleaver "$@"; }}; compopt() {{ :; }}
        env() {{ while [[ $1 == *=* ]]; do export "$1"; shift; done; "$@"; }}
        eval "$(cleaver completion bash)"
        COMP_LINE={line!r}; COMP_POINT=${{#COMP_LINE}}; _cleaver_completion cleaver; echo "${{COMPREPLY[*]}}"
    """
    done = subprocess.run(["bash", "-c", script], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert (done.stdout.strip(), done.stderr) == (replies, "")


def test_every_part_that_a_page_names_is_there_as_it_is_written() -> None:
    root = Path(__file__).parent.parent.parent
    pages = [*(root / "docs").rglob("*.md"), root / "README.md"]
    named = {
        name for page in pages for name in re.findall(r"`cleaver\.(\w+)", page.read_text(encoding="utf-8"))
    }
    assert len(named) > 8
    assert {name for name in named if not hasattr(cleaver, name)} == set()


def test_an_option_has_one_name_in_every_command() -> None:
    """What reports as data is `--format`, a table `--table` or what it is of, a place `--out`, processes `--jobs`."""
    found: dict[str, set[str]] = {}

    def look(command: click.Command, where: str) -> None:
        for option in command.params:
            if isinstance(option, click.Option):
                for flag in option.opts:
                    found.setdefault(flag, set()).add(where)
        for name, inner in getattr(command, "commands", {}).items():
            look(inner, f"{where} {name}")

    for name in COMMANDS_OF_CLEAVER:
        look(importlib.import_module(f"cleaver.cli.{name}").command, name)
    assert len(found["--format"]) > 10
    assert found["--jobs"] >= {"test", "lab run"}
    assert not {"--json", "--processes", "--csv", "--parquet", "--into", "--output", "--threads"} & set(found)
