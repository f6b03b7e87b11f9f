"""A design file that is edited while it is watched."""

from __future__ import annotations

import os
import time
from pathlib import Path

import pytest

from cleaver import Design, DesignError, Watch

GOOD = '[actors.eel]\nvital = "hide"\nmeters = { hide = %d }\n'


def write(path: Path, text: str, age: float = 5.0) -> None:
    """Write a file as if that had been *age* seconds ago, as the clock of the file system is coarse."""
    path.write_text(text, encoding="utf-8")
    then = time.time() - age
    os.utime(path, (then, then))


def hide(found: object) -> float:
    assert isinstance(found, Design)
    return float(found.tables.actors["eel"].meters["hide"].max)


def test_a_change_is_told_once(tmp_path: Path) -> None:
    path = tmp_path / "reef.toml"
    write(path, GOOD % 30, 50)
    watch = Watch(path)
    assert hide(watch.design) == 30
    assert [watch.changed() for _ in range(3)] == [None, None, None]
    write(path, GOOD % 40, 40)
    assert hide(watch.changed()) == 40
    assert watch.changed() is None
    assert hide(watch.design) == 40
    assert "reef.toml" in repr(watch)


def test_what_is_wrong_is_told_once_and_the_last_that_loads_stays(tmp_path: Path) -> None:
    path = tmp_path / "reef.toml"
    write(path, GOOD % 30, 50)
    watch = Watch(str(path))
    write(path, (GOOD % 30).replace("hide = 30", "hide = -1"), 40)
    found = watch.changed()
    assert isinstance(found, DesignError)
    assert found.problems[0].key == "actors.eel.meters.hide.max"
    assert watch.changed() is None
    assert hide(watch.design) == 30
    write(path, GOOD % 30, 30)  # undone: told, so that a message can go
    assert hide(watch.changed()) == 30


def test_a_file_that_is_being_written_is_waited_for(tmp_path: Path) -> None:
    path = tmp_path / "reef.toml"
    write(path, GOOD % 30, 50)
    watch = Watch(path)
    write(path, (GOOD % 40)[:20], age=-1000.0)  # a clock that runs ahead
    assert watch.changed() is None
    write(path, GOOD % 40, age=-1001.0)  # the rest of it
    assert watch.changed() is None
    assert hide(watch.changed()) == 40  # it stood still between two calls
    path.unlink()
    assert watch.changed() is None
    write(path, GOOD % 50, 20)  # an editor that saves beside and renames
    assert hide(watch.changed()) == 50


def test_a_file_that_is_gone_is_told_once(tmp_path: Path) -> None:
    path = tmp_path / "reef.toml"
    write(path, GOOD % 30, 50)
    watch = Watch(path)
    path.unlink()
    assert watch.changed() is None
    found = watch.changed()
    assert isinstance(found, DesignError)
    assert "no such file" in str(found)
    assert watch.changed() is None
    write(path, GOOD % 30, 20)
    assert hide(watch.changed()) == 30


def test_what_does_not_load_cannot_be_watched(tmp_path: Path) -> None:
    with pytest.raises(OSError, match="no such file"):
        Watch(tmp_path / "reef.toml")
