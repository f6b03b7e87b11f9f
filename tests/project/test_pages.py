"""Every code block and command of README and docs does what the page shows."""

from __future__ import annotations

import re
from importlib import import_module
from pathlib import Path

import pytest

import pages
from cleaver.cli.main import COMMANDS

PAGES = [pages.ROOT / "README.md", *sorted((pages.ROOT / "docs").rglob("*.md"))]


@pytest.mark.long
@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.stem)
def test_what_a_page_shows_is_what_comes(page: Path, tmp_path: Path) -> None:
    for block, done, shown, came in pages.follow(page, tmp_path):
        assert pages.matches(shown, came), f"{page.name}:{block.line}: {done}\nshown:\n{shown}\ncame:\n{came}"


def helps() -> list[tuple[str, str]]:
    """Return (command, example) of every example that a help text shows."""
    found = []
    for name in COMMANDS:
        command = import_module(f"cleaver.cli.{name}").command
        every = [command, *getattr(command, "commands", {}).values()]
        for one in every:
            for line in (one.help or "").splitlines():
                example = re.sub(r"^\s*(Example:\s+)?", "", line)
                if re.match(r"(echo .*)?cleaver ", example) and line.startswith(("  ", "Example")):
                    found.append((one.name, example))
    return found


@pytest.mark.long
def test_every_example_of_a_help_text_runs(tmp_path: Path) -> None:
    reader = pages.Reader(tmp_path)
    reader.shell(
        "cp lanternreef.toml before.toml; cp lanternreef.toml new.toml; mkdir scripts; "
        "(echo '# design: ../lanternreef.toml'; cat dive.play) > scripts/dive.play; sed -i '1i # design: lanternreef.toml' dive.play"
    )
    reader.shell(
        "python -c \"import cleaver; w = cleaver.World(cleaver.load_design('lanternreef.toml')); "
        "j = cleaver.journal(w, 'session.play'); a = w.join('diver', 'ana'); w.advance(125); a.hurt(5); "
        'w.advance(20); j.close()"'
    )
    for _ in range(4):
        reader.shell(
            'printf "join diver ana\\nearn ana scrip 2\\nleave ana\\n" | cleaver play lanternreef.toml --store sqlite:///saves.db'
        )
    done = [(example, reader.shell(f"{example}; echo exit $?")) for _, example in helps()]

    assert len(done) > 20
    assert [
        (example, came) for example, came in done if not came.endswith("exit 0\n") and "# " not in example
    ] == []


def test_elided_lines_match_and_others_do_not() -> None:
    assert pages.matches("a\n…\nc\n", "a\nb\nb\nc\n")
    assert pages.matches("…\n", "a\n")
    assert pages.matches("a  \n", "a\n\n")
    assert not pages.matches("a\nc\n", "a\nb\nc\n")
    assert not pages.matches("…\nb\n", "a\n")
