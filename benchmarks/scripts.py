"""Scripts: a thousand lines beside the same calls made in Python, and a hundred scripts of six hundred lines
on two cores beside one."""

from __future__ import annotations

import tempfile
from pathlib import Path

from common import MOST_ROUNDS, finish, ratio

from cleaver import Design, World, load_design, sample
from cleaver.script import Session, play
from cleaver.script.suite import cores, find_scripts, run

TURNS = 166  # of six lines each


def thousand_lines() -> list[str]:
    """A fight of six lines a turn."""
    lines = ["seed 7", "join diver ana", "spawn eel eel1", "set_max ana.suit 9000", "set ana.suit 9000"]
    for _ in range(TURNS):
        lines += [
            "hit ana by=eel1 with=sting zone=visor charge=0.5",
            "heal ana 2",
            "tag ana submerged",
            "earn ana scrip 3",
            "advance 1.5",
            "expect ana.suit > 0 and ana.scrip >= 3",
        ]
    return lines


def by_script(design: Design, lines: list[str]) -> None:
    outcome = play(Session(design), lines)
    assert outcome.held == TURNS, outcome


def by_hand(design: Design) -> None:
    """The same calls, with nothing told or remembered."""
    world = World(design, seed=7)
    ana, eel = world.join("diver", "ana"), world.spawn("eel", "eel1")
    ana["suit"].set_max(9000)
    ana["suit"].set(9000)
    for _ in range(TURNS):
        eel.hit(ana, "sting", zone="visor", charge=0.5)
        ana.heal(2)
        ana.tag("submerged")
        ana.earn("scrip", 3)
        world.advance(1.5)
        assert ana["suit"].value > 0
        assert ana.purse["scrip"] >= 3


def main() -> None:
    place = sample.path("lanternreef.toml")
    design, lines = load_design(place), thousand_lines()
    ratio(
        "a script of 1,001 lines: speed, of the same calls in Python",
        lambda: by_script(design, lines),
        lambda: by_hand(design),
        bar=0.3,
        more=True,
        rounds=15,
    )
    with tempfile.TemporaryDirectory() as name:
        for number in range(100):
            (Path(name) / f"fight{number}.play").write_text("\n".join(lines[:605]), encoding="utf-8")
        scripts = find_scripts([Path(name)])

        def suite(jobs: int) -> None:
            assert all(verdict.passed for verdict in run(scripts, place, jobs=jobs))

        if cores() < 2:
            print("one core only: nothing to compare 100 scripts on two cores with")
        else:
            ratio(
                "100 scripts on two cores: faster than on one",
                lambda: suite(2),
                lambda: suite(1),
                bar=1.6,
                more=True,
                rounds=1 if MOST_ROUNDS < 9 else 3,  # twenty seconds each
            )
    finish()


if __name__ == "__main__":
    main()
