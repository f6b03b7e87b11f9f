"""Fixtures: the sample design, a world of it with a diver and an eel, and a log of its events.

By hand, many more cases of each: ``CLEAVER_CASES=20000 pytest tests/script/test_strangers.py``.
"""

from __future__ import annotations

import atexit
import os
import shutil
import tempfile

import pytest
from hypothesis import Phase, settings

from cleaver import Actor, Design, Event, World, load_design, sample

collect_ignore = ["fuzz.py"]  # needs atheris

os.environ["XDG_DATA_HOME"] = tempfile.mkdtemp()  # what games and the demo save of their own accord
atexit.register(shutil.rmtree, os.environ["XDG_DATA_HOME"], ignore_errors=True)

settings.register_profile(
    "default",
    deadline=None,
    max_examples=int(os.environ.get("CLEAVER_CASES", "60")),
    derandomize=bool(os.environ.get("CI")),
    phases=[
        phase
        for phase in Phase
        if not os.environ.get("CLEAVER_PLANTED") or phase in (Phase.explicit, Phase.generate)
    ],
)
settings.load_profile("default")


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--long", action="store_true", help="also the tests that take many seconds")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    if config.getoption("--long") or any("::" in arg for arg in config.args) or config.getoption("keyword"):
        return  # who names a test means it
    config.hook.pytest_deselected(items=[item for item in items if item.get_closest_marker("long")])
    items[:] = [item for item in items if not item.get_closest_marker("long")]


@pytest.fixture(scope="session")
def reef() -> Design:
    """Lanternreef, as shipped."""
    return load_design(sample.path("lanternreef.toml"))


@pytest.fixture
def world(reef: Design) -> World:
    """A world of Lanternreef with dice 7."""
    return World(reef, seed=7)


@pytest.fixture
def ana(world: World) -> Actor:
    """A diver."""
    return world.join("diver", "ana", team="north")


@pytest.fixture
def eel(world: World, ana: Actor) -> Actor:
    """An eel."""
    return world.spawn("eel", "eel1")


@pytest.fixture
def log(world: World, eel: Actor) -> list[Event]:
    """Every event of that world from now on."""
    events: list[Event] = []
    for name in world.event_names:
        if name not in ("defeated", "struck", "mended"):
            world.listen_own(name, events.append)
    return events
