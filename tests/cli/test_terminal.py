"""What the commands print on terminals of several widths, in pipes, without colours, without Unicode."""

from __future__ import annotations

import os
import re
import struct
import subprocess
import sys
from pathlib import Path

import pytest

from helpers import DIVE, REEF

pty = pytest.importorskip("pty")
STORE = "sqlite:///saves.db"
COMMANDS = [
    f"demo --no-figure --store {STORE}",
    f"play {REEF} {DIVE}",
    f"show {REEF}",
    f"show {REEF} fights",
    f"check {REEF}",
    "check wrong.toml",
    f"diff {REEF} other.toml {DIVE}",
    f"why {REEF} {DIVE} ana.suit",
    f"saves list {REEF} --store {STORE}",
    f"saves show {REEF} ana --store {STORE}",
    f"saves verify {REEF} --store {STORE}",
    "test",
    "check --explain all",
    "chek",
]
WIDE = 10_000


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    where = tmp_path_factory.mktemp("terminal")
    reef = Path(REEF).read_text("utf-8")
    (where / "other.toml").write_text(reef.replace("lasts = 3.0", "lasts = 2.0"), "utf-8")
    (where / "wrong.toml").write_text(reef.replace("lasts = 3.0", "last = 3.0"), "utf-8")
    (where / "bad.play").write_text(f"# design: {REEF}\njoin diver ana\nexpect ana.suit == 1\n", "utf-8")
    for _ in range(2):
        piped(COMMANDS[0], where)
    return where


def environment(**given: str) -> dict[str, str]:
    kept = {name: value for name, value in os.environ.items() if name not in ("COLUMNS", "LINES", "NO_COLOR")}
    return {**kept, "TERM": "xterm", "PYTHONIOENCODING": "utf-8", **given}


def piped(command: str, where: Path, **given: str) -> str:
    """Return what a command prints into a pipe, on both streams."""
    done = subprocess.run(
        [sys.executable, "-m", "cleaver", *command.split()],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        cwd=where,
        env=environment(**given),
        check=False,
        stdin=subprocess.DEVNULL,
    )
    return done.stdout.decode()


def seen(command: str, where: Path, columns: int = 80, **given: str) -> str:
    """Return what a command prints on a terminal of so many columns."""
    import fcntl
    import termios

    ours, its = pty.openpty()
    fcntl.ioctl(its, termios.TIOCSWINSZ, struct.pack("HHHH", 24, columns, 0, 0))
    running = subprocess.Popen(
        [sys.executable, "-m", "cleaver", *command.split()],
        stdin=subprocess.DEVNULL,
        stdout=its,
        stderr=its,
        cwd=where,
        env=environment(**given),
    )
    os.close(its)
    told = b""
    try:
        while part := os.read(ours, 65_536):
            told += part
    except OSError:  # closed from the other side
        pass
    finally:
        os.close(ours)
        running.wait()
    return told.decode().replace("\r\n", "\n")


def words(text: str) -> set[str]:
    return set(re.findall(r"[^\s─│]{2,}", text))


@pytest.mark.parametrize("command", COMMANDS)
@pytest.mark.parametrize("columns", [40, 80, 120])
def test_lines_fit_the_terminal_and_words_stay_whole(folder: Path, command: str, columns: int) -> None:
    shown = seen(command, folder, columns, NO_COLOR="1")
    shown = re.sub(r"\x1b\[[0-9;?]*[A-Za-z]|\r", "\n", shown)  # of the progress bar

    whole = words(piped(command, folder))
    for line in shown.splitlines():
        assert len(line) <= columns or max(map(len, line.split())) > columns - 12, line
    if command.startswith("demo"):  # each dive begins with what the last one brought
        return
    strange = {word for word in words(shown) - whole if not re.search(r"[█░━]|^\d|:$|,$|\d/\d", word)}
    assert strange <= words("playing on core does not pass"), strange


@pytest.mark.parametrize("command", COMMANDS)
def test_nothing_is_wrapped_in_a_pipe(folder: Path, command: str) -> None:
    narrow, wide = piped(command, folder), piped(command, folder, COLUMNS=str(WIDE))

    if not command.startswith("demo"):  # where scrip counts on
        assert narrow == wide
    assert "\x1b" not in narrow
    assert not any(line != line.rstrip() for line in narrow.splitlines())


@pytest.mark.long
def test_colours_are_there_where_they_are_wanted(folder: Path) -> None:
    for command in ("test", "check wrong.toml", f"show {REEF} goods"):
        assert "\x1b[" in seen(command, folder), command
        assert "\x1b[" in piped(command, folder, FORCE_COLOR="1"), command
        assert "\x1b[" not in piped(command, folder), command
        assert not re.search(r"\x1b\[[0-9;]*m", seen(command, folder, NO_COLOR="1")), command
        assert "\x1b" not in piped(command, folder, NO_COLOR="1", FORCE_COLOR="1"), command
        assert "\x1b" not in seen(command, folder, TERM="dumb"), command
        assert "\x1b[" in seen(command, folder, TERM="dumb", FORCE_COLOR="1"), command


@pytest.mark.parametrize("command", COMMANDS)
def test_signs_are_plainer_where_the_encoding_lacks_them(folder: Path, command: str) -> None:
    shown = piped(command, folder, PYTHONIOENCODING="ascii")

    assert shown.isascii()
    assert "?" not in shown.replace("did you mean 'check'?", "").replace("did you mean 'lasts'?", "")
    if command.startswith("demo"):
        assert "##########" in shown
        assert "9 x 3 visor x 0.5 venom - 1 armour = 12.5" in shown
        assert re.search(r"\(\d+ -> \d+\.5\)", shown)


@pytest.mark.long
@pytest.mark.skipif(
    not Path("/proc/version").exists(), reason="no folder where nobody, not even root, can write"
)
def test_a_folder_that_cannot_be_written_is_a_line(tmp_path: Path) -> None:
    for command in (
        "new /proc/reef",
        f"play {REEF} {DIVE} --record /proc/mine.play",
        "demo --store sqlite:////proc/saves.db",
        "demo --no-figure",
        f"demo --store {STORE} --out /proc/figures",
        f"show {REEF} --figure /proc/reef.png",
        "test --junit /proc/junit.xml bad.play",
    ):
        (tmp_path / "bad.play").write_text(f"# design: {REEF}\njoin diver ana\n", "utf-8")
        told = piped(command, tmp_path, HOME="/proc", XDG_DATA_HOME="/proc/data")
        assert "Traceback" not in told, told
        assert "/proc" in told.splitlines()[-1], command
