"""Drawing a frame of the game in `examples/game`, beside painting its surface once by hand."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from common import finish, ratio, told

sys.path.insert(0, str(Path(__file__).parent.parent / "examples"))

from time import perf_counter

from game.dive import Dive

import cleaver
from cleaver.saves import Autosaver
from cleaver.window import Window

DESIGN = Path(__file__).parent.parent / "examples/game/lanternreef.toml"
DRAWN = 200  # frames
IN_A_FIGHT = 800  # of the pilot's dive: bars over eels, popups, a combo, flying coins, a quest


def main() -> None:
    watch = cleaver.Watch(DESIGN)
    with tempfile.TemporaryDirectory() as folder:
        store = cleaver.open_store(f"sqlite:///{folder}/saves.db", watch.design)
        saver = Autosaver(store)
        with saver.closing(), Window("game", (1280, 800), frames=IN_A_FIGHT, hidden=True) as window:
            dive = Dive(window, saver, watch)
            dive.open("slot1")
            for seconds in window:
                dive.frame(seconds)
            dive.overlay.tuning = True
            reef, surface = dive.reef, window.surface
            assert reef is not None

            def drawn() -> None:
                for _ in range(DRAWN):
                    dive.scene.draw(surface, reef)
                    dive.overlay.draw(surface)

            def overlay() -> None:
                for _ in range(DRAWN):
                    dive.overlay.draw(surface)

            def painted() -> None:
                for _ in range(DRAWN):
                    surface.fill((14, 40, 58))

            ratio("a frame drawn, 1280×800 / painting its surface once", drawn, painted, bar=10, each=DRAWN)
            ratio("of it the overlay / painting the surface once", overlay, painted, bar=6, each=DRAWN)
            began = perf_counter()
            drawn()
            each = (perf_counter() - began) / DRAWN * 1000
            told("a frame drawn, 1280×800, on this machine", each, 8, unit="ms")
            dive.close()
    finish()


if __name__ == "__main__":
    main()
