"""Play: ``python -m game`` in the folder `examples`; ``--help`` lists the rest."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

import platformdirs

import cleaver
from cleaver.saves import Autosaver
from cleaver.window import Window
from game.dive import Dive

SAVES = platformdirs.user_data_path("lanternreef", appauthor=False, ensure_exists=True) / "saves.db"


def main() -> None:
    """Play until the window is closed; what was earned is saved then."""
    parser = argparse.ArgumentParser("game", description="Lanternreef in a window.")
    parser.add_argument("--design", default=Path(__file__).parent / "lanternreef.toml", help="the design")
    parser.add_argument("--saves", default=SAVES, help="the file of the saved slots")
    parser.add_argument("--small", action="store_true", help="a window of 640x400 pixels")
    parser.add_argument("--frames", type=int, default=0, help="play by itself for so many, without a monitor")
    parser.add_argument("--picture", default="", help="write the last frame as a PNG file")
    parser.add_argument("--journal", default="", help="write what happens as a script")
    given = parser.parse_args()
    watch = cleaver.Watch(given.design)
    saver = Autosaver(cleaver.open_store(f"sqlite:///{given.saves}", watch.design))
    hidden, size = given.frames > 0, (640, 400) if given.small else (1280, 800)
    with saver.closing(), Window("Lanternreef", size, frames=given.frames, hidden=hidden) as window:
        dive = Dive(window, saver, watch, journal=given.journal)
        for seconds in window:
            if hidden and dive.reef is None:
                dive.open("slot1")
            dive.frame(seconds)
        if given.picture:
            window.picture(given.picture)
        print(dive.told())
        dive.close()


if __name__ == "__main__":
    try:
        main()
    except cleaver.CleaverError as error:
        sys.exit(str(error))
