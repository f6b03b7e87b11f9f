"""Files from strangers, made at random and spoilt: by hand, ``python tests/attacks.py 60000``.

Formulas, designs, scripts, journals, profiles and snapshots. Nothing runs (a marker file would show it), nothing raises
but documented errors, and no case takes over five seconds.
"""

from __future__ import annotations

import json
import os
import random
import resource
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cleaver
from cleaver import CleaverError, Design, World, sample
from cleaver.core.kept import look_at_section
from cleaver.design.checks import findings
from cleaver.design.reading import read_text
from cleaver.saves.document import decode, encode
from cleaver.script import Session, play
from cleaver.script.command import COMMANDS

MARKER = "attacked.txt"
RUNS = f'__import__("os").system("touch {MARKER}")'
BITS = [
    "_r0(s)", f'_r0(s){{_power.__globals__["__builtins__"]["__import__"]("os").system("touch {MARKER}")}}', "{read}", "{0}",
    RUNS, f"open('{MARKER}', 'w')", '"', "'", "\\", "\n", "\r", "\u2028", "\0", "\x1b[31m", "self", "self.suit", "source.suit",
    "near(6)", "held('pearl')", "1e308", "2**63", "-1", "0.1", "nan", "inf", "if", "else", "==", "!=", "in", "(", ")", "[", "]",
    "lambda", ":=", ".__class__", "%s", "{}", "#", "=", ",", "true", "None", "9" * 30, "é", "𝓇", "{actor.__class__}", "{item:title}",
]  # fmt: skip
ODD: list[Any] = [
    None,
    True,
    -1,
    0,
    0.4,
    2**63,
    -(2**63),
    1e308,
    "",
    "x",
    "self.suit",
    [],
    {},
    [[]],
    {"a": 1},
    "1/0",
    RUNS,
    BITS[1],
]
REEF = Path(sample.path("lanternreef.toml")).read_text()
DESIGN = cleaver.load_design(sample.path("lanternreef.toml"))
DIVE = Path(sample.path("dive.play")).read_text().splitlines()


def spoilt_text(dice: random.Random, text: str) -> str:
    for _ in range(dice.randint(1, 4)):
        at, how = dice.randrange(len(text) + 1), dice.random()
        if how < 0.6:
            text = text[:at] + dice.choice(BITS) + text[at:]
        elif how < 0.8:
            text = text[:at] + text[at + dice.randint(1, 30) :]
        else:
            end = at + dice.randint(1, 200)
            text = text[:end] + text[at:end] + text[end:]
    return text


def spoilt_tree(dice: random.Random, tree: Any) -> Any:
    home: Any = None
    key: Any = None
    place = tree
    while isinstance(place, (dict, list)) and place and (home is None or dice.random() < 0.8):
        home = place
        key = dice.choice(list(place)) if isinstance(place, dict) else dice.randrange(len(place))
        place = place[key]
    if home is not None:
        if dice.random() < 0.2:
            del home[key]
        else:
            home[key] = dice.choice(ODD)
    return tree


def formula(dice: random.Random) -> None:
    text = " ".join(dice.choice(BITS) for _ in range(dice.randint(1, 8)))
    if dice.random() < 0.5:
        text = f"3 if self.kind == {text!r} else 4"
    world = World(DESIGN.with_values({"actors.diver.attacks.jab.amount": text}))
    world.join("diver", "ana").hit(world.spawn("eel", "eel1"), "jab")


def design(dice: random.Random) -> None:
    if dice.random() < 0.5:
        made = cleaver.design.design.build(read_text(spoilt_text(dice, REEF)))
    else:
        made = Design.from_dict(spoilt_tree(dice, json.loads(json.dumps(DESIGN.source.written))))
    findings(made)
    world = World(made)
    for kind in made.tables.actors:
        world.spawn(kind) if not made.tables.actors[kind].player else world.join(kind, f"a_{kind}")
    world.advance(3)
    world.snapshot()


def script(dice: random.Random) -> None:
    lines = ["join diver ana", "spawn eel eel1", "place pearl p1"]
    lines += [
        command.example
        for command in dice.sample(list(COMMANDS.values()), 4)
        if command.name not in ("quit", "record", "store")
    ]
    lines += dice.sample(DIVE, 5)
    if dice.random() < 0.2:
        lines.insert(0, "journal 1")
    text = spoilt_text(dice, "\n".join(lines))
    play(Session(DESIGN, history=50), text.splitlines())


def profile(dice: random.Random) -> None:
    world = World(DESIGN)
    ana = world.join("diver", "ana")
    ana.gain_xp("rank", 150)
    ana.accept("first_light")
    ana.earn("scrip", 9)
    body = encode(world.profile(ana))
    if dice.random() < 0.5:
        found = decode(spoilt_text(dice, body.decode()).encode("utf-8", "surrogatepass"))
    else:
        found = decode(json.dumps(spoilt_tree(dice, json.loads(body))).encode())
    look_at_section("ana", found.sections)
    other = World(DESIGN)
    back = other.join("diver", "ana", profile=found)
    other.advance(3)
    decode(encode(other.profile(back)))


def snapshot(dice: random.Random) -> None:
    world = World(DESIGN)
    world.join("diver", "ana").accept("first_light")
    world.spawn("eel", "eel1")
    world.advance(1.5)
    found = World.restore(DESIGN, spoilt_tree(dice, json.loads(json.dumps(world.snapshot()))))
    found.advance(5)
    json.dumps(found.snapshot(), allow_nan=False)


KINDS: list[Callable[[random.Random], None]] = [formula, design, script, profile, snapshot]


def main(count: int) -> None:
    seen: Counter[str] = Counter()
    slowest = (0.0, "")
    os.chdir(tempfile.mkdtemp())
    for seed in range(count):
        dice = random.Random(seed)
        kind = KINDS[seed % len(KINDS)]
        begun = time.process_time()
        try:
            kind(dice)
            seen[f"{kind.__name__}: taken"] += 1
        except CleaverError:
            seen[f"{kind.__name__}: refused"] += 1
        except Exception as error:
            seen[f"{kind.__name__}: RAW {type(error).__name__}"] += 1
            print(f"case {seed}, {kind.__name__}: RAW {type(error).__name__}: {str(error)[:150]}", flush=True)
        slowest = max(slowest, (time.process_time() - begun, f"case {seed}, {kind.__name__}"))
        if Path(MARKER).exists():
            raise SystemExit(f"case {seed}: A TEXT HAS RUN")
    print(dict(sorted(seen.items())))
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss >> 10
    print(f"no text ran; the slowest took {slowest[0]:.1f} s ({slowest[1]}); at most {memory} MB")


if __name__ == "__main__":
    main(int(sys.argv[1]))
