"""The live prompt: what one look at a world costs with 200 actors, beside one with 2 and beside the time
between two looks."""

from __future__ import annotations

import asyncio
from time import perf_counter

from common import finish, told

from cleaver import load_design, sample
from cleaver.prompt.live import Live
from cleaver.prompt.screen import FRAMES, ActorList, PlayApp
from cleaver.script import Session

LOOKS = 30


def seconds_a_look(eels: int) -> float:
    """The middle of many looks, in a window of 140 × 44, while time runs and bars move."""
    now = [0.0]
    live = Live(Session(load_design(sample.path("lanternreef.toml")), remember=True), lambda: now[0])
    for line in (
        "join diver ana",
        "tag ana submerged",
        f"spawn eel {' '.join(f'eel{number}' for number in range(eels))}",
        "run",
    ):
        assert not live.enter(line).wrong
    taken = []

    async def look() -> None:
        app = PlayApp(live)
        async with app.run_test(size=(140, 44)) as pilot:
            listed = app.query_one(ActorList)
            for _ in range(LOOKS):
                now[0] += 0.1
                begun = perf_counter()
                app.look()
                for y in range(listed.size.height):
                    listed.render_line(y)
                taken.append(perf_counter() - begun)
                await pilot.pause()

    asyncio.run(look())
    return sorted(taken)[LOOKS // 2]


def main() -> None:
    few, many = seconds_a_look(1), seconds_a_look(199)
    told("a look at 200 actors / at 2", many / few, 4.0)
    told(f"a look at 200 actors / the time between two looks ({1 / FRAMES:g} s)", many * FRAMES, 0.25)
    finish()


if __name__ == "__main__":
    main()
