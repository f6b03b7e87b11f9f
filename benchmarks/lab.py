"""A session of a trial beside the same fight by hand, what a block adds, and what two processes gain."""

from __future__ import annotations

import sys
from pathlib import Path

from common import finish, ratio

sys.path.insert(0, str(Path(__file__).parent.parent / "tests/lab"))

import by_hand

from cleaver.lab import Lab, Processes, Serial
from cleaver.lab.jobs import play_block, player_of

PLAYED = 40
MANY = 160


def main() -> None:
    lab = Lab(by_hand.trial())
    job = lab.job()
    player = player_of(job.design, job.trial)

    def sessions() -> None:
        for number in range(PLAYED):
            player.play(0, number)

    def hands() -> None:
        for number in range(PLAYED):
            by_hand.by_hand(0, number)

    def blocks() -> None:
        play_block(job, (0, PLAYED))

    def serial() -> None:
        Lab(by_hand.trial(), engine=Serial()).play(MANY)

    def two() -> None:
        Lab(by_hand.trial(), engine=Processes(2)).play(MANY)

    ratio("a session of a trial / the same fight simulated by hand", sessions, hands, bar=10, each=PLAYED)
    ratio("a block of sessions / the sessions themselves", blocks, sessions, bar=1.03)
    ratio("two processes: faster than one", two, serial, bar=1.5, rounds=3, more=True)
    finish()


if __name__ == "__main__":
    main()
