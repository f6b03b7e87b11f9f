"""Every code block and command of README and docs does what the page shows."""

from __future__ import annotations

from pathlib import Path

import pytest

import pages

PAGES = [pages.ROOT / "README.md", *sorted((pages.ROOT / "docs").rglob("*.md"))]


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.stem)
def test_what_a_page_shows_is_what_comes(page: Path, tmp_path: Path) -> None:
    for block, done, shown, came in pages.follow(page, tmp_path):
        assert pages.matches(shown, came), f"{page.name}:{block.line}: {done}\nshown:\n{shown}\ncame:\n{came}"


def test_elided_lines_match_and_others_do_not() -> None:
    assert pages.matches("a\n…\nc\n", "a\nb\nb\nc\n") and pages.matches("…\n", "a\n") and pages.matches("a  \n", "a\n\n")
    assert not pages.matches("a\nc\n", "a\nb\nc\n") and not pages.matches("…\nb\n", "a\n")
