"""Plugin: what pytest loads with Cleaver installed.

Collects ``*.play`` files that name their design or have one beside them, each as one test that fails as
`cleaver test` would tell it, baselines included, and offers the fixtures `cleaver_design` and
`cleaver_world`. Set ``cleaver_design`` in the project's pytest settings to name the design of all ``*.play``
files, and ``cleaver_scripts = false`` to collect none; ``--cleaver-update`` keeps the events of every script
as its baseline.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from cleaver.core.world import World
    from cleaver.design.design import Design

SUFFIX = ".play"


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add the options."""
    parser.addini(
        "cleaver_design",
        "The design file of scripts and of the fixture cleaver_world, from the folder of the settings.",
        default="",
    )
    parser.addini(
        "cleaver_scripts",
        "Whether *.play files are collected that name their design or have one beside them.",
        type="bool",
        default=True,
    )
    parser.getgroup("cleaver").addoption(
        "--cleaver-update",
        action="store_true",
        default=False,
        help="Keep the events of every *.play script beside it, for later runs to be compared with.",
    )


def pytest_collect_file(file_path: Path, parent: pytest.Collector) -> pytest.Collector | None:
    """Collect the scripts that are surely Cleaver's: that name their design, or have one beside them."""
    if file_path.suffix != SUFFIX or not parent.config.getini("cleaver_scripts"):
        return None
    ours = _design(parent.config) is not None or _is_ours(file_path)
    return _ScriptFile.from_parent(parent, path=file_path) if ours else None


def _is_ours(script: Path) -> bool:
    from cleaver import files  # only where there is a file of that name
    from cleaver.design.near import MAX_BYTES, designs_in, names_design

    try:
        lines = files.read(script, MAX_BYTES).decode().splitlines()
    except (OSError, files.TooLongError, UnicodeDecodeError):
        return False  # no text: a file of somebody else's
    return bool(names_design(lines) or designs_in(script.parent))


def _design(config: pytest.Config) -> Path | None:
    named = str(config.getini("cleaver_design"))
    return config.rootpath / named if named else None


class _ScriptFile(pytest.File):
    """A script as a file of one test."""

    def collect(self) -> Iterator[pytest.Item]:
        yield _ScriptItem.from_parent(self, name=self.path.stem)


class _Failed(Exception):
    """A script that did not pass; what is to be said of it is in its text."""


class _ScriptItem(pytest.Item):
    """A script as a test."""

    def runtest(self) -> None:
        from cleaver.script.suite import judge  # only where there is a script to play
        from cleaver.script.verdicts import verdict_lines

        verdict = judge(self.path, _design(self.config), update=bool(self.config.getoption("cleaver_update")))
        if not verdict.passed:
            raise _Failed("\n".join(verdict_lines(verdict, self.path.name)))

    def repr_failure(self, excinfo: pytest.ExceptionInfo[BaseException], style: Any = None) -> Any:
        """Tell a failure as the command line does, without a traceback."""
        return (
            str(excinfo.value) if isinstance(excinfo.value, _Failed) else super().repr_failure(excinfo, style)
        )

    def reportinfo(self) -> tuple[Path, int, str]:
        """Return where the script stands."""
        return self.path, 0, self.name


@pytest.fixture(scope="session")
def cleaver_design(request: pytest.FixtureRequest) -> Design:
    """The design that the setting ``cleaver_design`` names, else the only one in the project's folder."""
    from cleaver.design.design import load_design
    from cleaver.script.suite import design_named

    top = request.config.rootpath
    return load_design(_design(request.config) or design_named(top / f"any{SUFFIX}", (), top=top))


@pytest.fixture
def cleaver_world(cleaver_design: Design) -> World:
    """A fresh world of the project's design, its dice 0; check it with `cleaver.testing.expect`."""
    from cleaver.core.world import World

    return World(cleaver_design)
