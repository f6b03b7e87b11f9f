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
        phase for phase in Phase if not os.environ.get("CLEAVER_PLANTED") or phase in (Phase.explicit, Phase.generate)
    ],
)
settings.load_profile("default")


LONG = (
    "test_every_example_of_a_help_text_runs",
    "test_an_answer_says_how_far_it_rests_on_the_guesses",
    "test_very_many_sessions_are_written_where_they_are_played",
    "test_sessions_are_the_same_wherever_and_in_whatever_blocks_they_are_played",
    "test_sessions_are_written_as_a_table",
    "test_a_cluster_gives_the_same_also_where_a_worker_is_killed",
    "test_a_chance_is_solved_for",
    "test_a_mean_is_solved_for_and_whole_numbers_stay_whole",
    "test_levers_find_what_matters_and_nothing_else",
    "test_the_command_answers_and_says_json",
    "test_nothing_grows_with_what_is_gone",
    "test_memory_does_not_grow_either",
    "test_what_is_typed_ahead_is_carried_out_after",
    "test_every_report_is_there_as_data",
    "test_a_dash_is_standard_input_or_output",
    "test_what_a_page_shows_is_what_comes",
    "test_the_types_of_everything_public_are_known",
    "test_a_misspelt_field_of_an_event_is_an_error",
    "test_an_empty_design_and_a_file_that_cannot_be_read",
    "test_the_base_brings_nothing_else_and_is_as_large_as_the_readme_says",
    "test_the_hook_looks_at_every_file_that_is_a_design",
    "test_colours_are_there_where_they_are_wanted",
    "test_closed_streams_bring_no_traceback",
    "test_saves_are_listed_shown_moved_checked_and_previewed",
    "test_after_a_hundred_kills_every_acknowledged_save_is_there",
    "test_games_asked_to_end_save_whole_commands",
    "test_a_folder_that_cannot_be_written_is_a_line",
    "test_limits_are_told_when_they_are_reached",
    "test_no_command_prints_what_steers_a_terminal",
    "test_the_game_plays_itself_and_its_numbers_are_those_of_its_journal",
    "test_the_commands_write_tables",
    "test_everybody_is_up_to_date_through_breaks_floods_crashes_and_moves",
    "test_what_is_no_regular_file_is_neither_read_nor_waited_for",
    "test_an_example_prints_what_is_kept_beside_it",
)
"""Tests that take many seconds: of programs that are started, of servers, of many sessions. With ``--long`` they
are run, too; CI runs them."""


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--long", action="store_true", help="also the tests that take many seconds")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    if config.getoption("--long") or any("::" in arg for arg in config.args) or config.getoption("keyword"):
        return  # who names a test means it
    left = [item for item in items if getattr(item, "originalname", None) in LONG]
    config.hook.pytest_deselected(items=left)
    items[:] = [item for item in items if item not in set(left)]


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
