"""Writes the reference pages from the code: python docs/reference.py. The tests look whether they are as it
would write them."""

from __future__ import annotations

import re
import textwrap
from pathlib import Path
from typing import Any

from python_page import NOTE, python_page

from cleaver.core.kernel.results import REASONS
from cleaver.core.quests.errands import STATES
from cleaver.core.quests.talks import NEXT_STEPS
from cleaver.design import models
from cleaver.design.checks import RULES
from cleaver.design.keys import REQUIRED, KeyTable, kind_words
from cleaver.design.vocabulary import BESIDE, EVENTS, IGNORABLE, KEEPS, VERBS
from cleaver.script.command import COMMANDS, themes

OUT = Path(__file__).parent / "reference"
WHERE = {
    "DesignTables": "The top of the file",
    "Game": "[game]",
    "Event": "[events.NAME]",
    "Currency": "[currencies.NAME]",
    "Item": "[items.NAME]",
    "Actor": "[actors.KIND]",
    "MeterTable": "[actors.KIND.meters.NAME]",
    "Flow": "flows of a meter",
    "Guard": "[actors.KIND.guard]",
    "Attack": "[actors.KIND.attacks.NAME]",
    "Crit": "crit of an attack",
    "Pulse": "[actors.KIND.pulses.NAME]",
    "Bag": "bag",
    "Lives": "lives",
    "Respawn": "respawn",
    "Status": "[statuses.NAME]",
    "StatusFlow": "flows of a status",
    "Pickup": "[pickups.NAME]",
    "Rule": "[[rules]]",
    "Exchange": "[exchanges.NAME]",
    "Team": "[teams.NAME]",
    "Stage": "[stages.NAME]",
    "MatchTable": "[matches.NAME]",
    "Rating": "[ratings.NAME]",
    "Condition": "conditions of a rating",
    "LevelLadder": "[levels.NAME]",
    "Record": "[records.NAME]",
    "Quest": "[quests.NAME]",
    "Goal": "goals of a quest",
    "Fail": "fails of a quest",
    "QuestSet": "[quest_sets.NAME]",
    "Achievement": "[achievements.NAME]",
    "Rooms": "[rooms]",
    "Saves": "[saves]",
    "Change": "[[saves.changes]]",
    "Check": "[check]",
    "Silence": "[[check.silence]]",
    "Clocked": "{ turns = 2 }",
    "ByRoundsOrDays": "{ days = 2 }",
    "Days": "{ days = 7 }",
    "Open": "open",
}


def kind_of(kind: Any) -> str:
    """Return what a key holds, in words, with a link to a table."""
    words = kind_words(kind)
    for name in re.findall(r"\[\[(\w+)\]\]", words):
        link = f"[`{WHERE[name]}`](#{anchor(name)})" if name in WHERE else "a table"
        words = words.replace(f"[[{name}]]", link)
    return words


def anchor(model: str) -> str:
    """Return where a model's table stands on the page."""
    return f"k-{model.lower()}"


def default_of(value: Any) -> str:
    """Return a default as it would be written."""
    if value is REQUIRED:
        return "must be given"
    if value is None or value in ((), {}, "") or isinstance(value, KeyTable):
        return ""
    return (
        f"`{str(value).lower()}`"
        if isinstance(value, bool)
        else f"`{value:g}`"
        if isinstance(value, (int, float))
        else f"`{list(value)}`"
        if isinstance(value, tuple)
        else f'`"{value}"`'
    )


def design_page() -> str:
    """Return the page of every key of a design file."""
    lines = [
        NOTE,
        "# Every key of a design file\n",
        'A design is TOML or JSON. An unknown key is an error that names the nearest one. `like = "eel"` in '
        "an "
        "entry takes over all of another and changes what stands beside it. Times are in seconds, or in "
        "turns, rounds or days where a key says so; names are "
        "lower-case words joined by underscores.\n",
    ]
    for name, where in WHERE.items():
        model = getattr(models, name)
        lines += [f"## {where} {{ #{anchor(name)} }}\n", f"{(model.__doc__ or '').strip()}\n"]
        lines += ["| key | is | default | means | example |", "|---|---|---|---|---|"]
        for key, declared in model.declared().items():
            told = kind_of(declared.type).replace("|", "\\|")
            lines.append(
                f"| `{key}` | {told} | {default_of(declared.default)} | {declared.meaning} | "
                f"`{key} = {declared.example}` |".replace(" |  |", " | |")
            )
        if issubclass(model, models.Matcher):
            lines.append(
                '\nAny field of the event may stand beside these, and must then be equal: `meter = "air"`.'
            )
        lines.append("")
    lines += [
        "## Effects\n",
        "An effect is a table of one verb, and what stands beside it. `to` says who it is for (`self`, "
        "`source`, `owner`, `team`…), "
        "`when` is a formula that must hold.\n",
        "| verb | with | beside | does | example |",
        "|---|---|---|---|---|",
    ]
    lines += [
        f"| `{verb}` | {spec.operand} | "
        f"{', '.join(f'`{key}`: {BESIDE[key].kind}' for key in spec.beside) or 'nothing'} | "
        f"{spec.meaning} | `{spec.example}` |"
        for verb, spec in VERBS.items()
    ]
    lines += ["", "Beside the verb:\n", "| key | means | example |", "|---|---|---|"]
    lines += [f"| `{key}` | {told.meaning} | `{told.example}` |" for key, told in BESIDE.items()]
    lines += [
        "",
        "## Events\n",
        "What `on` can name, besides the design's own `[events]`. Every event also has `actor`, `source`, "
        "`time`, `seq` and `cause`.\n",
        "| event | fields |",
        "|---|---|",
    ]
    lines += [
        f"| `{name}` | {', '.join(f'`{field}`' for field in spec.names())} |" for name, spec in EVENTS.items()
    ]
    return "\n".join(lines) + "\n"


def script_page() -> str:
    """Return the page of every command of a script."""
    lines = [
        NOTE,
        "# Every command of a script\n",
        "The same in a `.play` file, from a pipe and at the prompt. `…` stands for more of the same, `[ ]` "
        "for what may be left out.\n",
    ]
    for theme, names in themes().items():
        lines += [f"## {theme.capitalize()}\n", "| command | does | example |", "|---|---|---|"]
        for found in (COMMANDS[name] for name in names):
            usage = found.usage.replace("|", "\\|")
            lines.append(f"| `{usage}` | {found.help} | `{found.example}` |")
        lines.append("")
    return "\n".join(lines)


def checks_page() -> str:
    """Return the page of every rule of `cleaver check`."""
    lines = [
        NOTE,
        "# Every rule of `cleaver check`\n",
        "Each can be silenced at one place, with a reason: see [testing a design](../testing.md).\n",
        "| rule | what it finds |",
        "|---|---|",
    ]
    lines += [
        f"| `{rule.name}` | {rule.explanation} |"
        for rule in sorted(RULES.values(), key=lambda rule: rule.name)
    ]
    return "\n".join(lines) + "\n"


PAGES = {
    "design.md": design_page,
    "scripts.md": script_page,
    "checks.md": checks_page,
    "python.md": python_page,
}


TYPED = Path(__file__).parent.parent / "src/cleaver/core/kernel/event_types.py"
LITERALS = Path(__file__).parent.parent / "src/cleaver/literals.py"
HOLDS = {"number": "float", "name": "str", "truth": "bool"}


def class_name(event: str) -> str:
    """Return the name of the class of an event: "quest_ready" is QuestReady."""
    return "".join(word.title() for word in event.split("_"))


def folded(names: list[str]) -> list[str]:
    """Return names as the lines of a tuple."""
    return textwrap.wrap(
        ", ".join(f'"{name}"' for name in names) + ",", 110, initial_indent="    ", subsequent_indent="    "
    )


def event_types() -> str:
    """Return the module with a class for each event, and what `World.listen` takes for each of them."""
    lines = [
        '"""A class for each event, for type checkers: at run time events are `Event`s with the same fields.',
        "",
        "Written by docs/reference.py from `design.vocabulary`; change that instead.",
        '"""',
        "",
        "from __future__ import annotations",
        "",
        "from collections.abc import Callable",
        "from typing import TYPE_CHECKING, Any, Literal, overload",
        "",
        "from cleaver.core.kernel.events import Event, EventBase",
        "",
        "if TYPE_CHECKING:",
        "    from cleaver.core.kernel.delivery import Listening",
        "",
        "# fmt: off",
        "__all__ = (",
        *folded(sorted(["Event", "EventBase", *map(class_name, EVENTS)])),
        ")",
        "",
    ]
    for name, spec in EVENTS.items():
        seen = f", {spec.seen_from} seen from the other side" if spec.seen_from else ""
        lines += [f"class {class_name(name)}(EventBase):", f'    """The event `{name}`{seen}."""']
        lines += [f"    {field}: {HOLDS[kind]}" for field, kind in spec.fields]
    lines += [
        "",
        "class Listens:",
        '    """What `listen` takes: for each event by its name, a call with that event."""',
        "",
    ]
    more = '*, actor: Any = "", kind: str = ""'
    for name in EVENTS:
        call = f"Callable[[{class_name(name)}], Any]"
        lines += [
            "    @overload",
            f'    def listen(self, event: Literal["{name}"], call: {call}, {more}) -> Listening: ...',
        ]
    lines += [
        f"    def listen(self, event: str, call: Any, {more}) -> Listening:",
        '        """See `World.listen_own`, which takes an event of any name."""',
        "        raise NotImplementedError",
    ]
    return formatted("\n".join(lines) + "\n")


def literals() -> str:
    """Return the module with a `Literal` for each closed list of words."""
    lists = {
        "Reason": (REASONS, "Why a command was refused."),
        "Blocked": (("", *REASONS), "The same, or nothing where it was not."),
        "QuestState": (STATES, "The states of a quest."),
        "NextStep": (("", *NEXT_STEPS), "What a player can do about a quest once its giver has said all."),
        "Keep": (KEEPS, "What a change of a maximum keeps."),
        "HitStep": (IGNORABLE, "The steps of a hit that an attack can leave out."),
        "EventName": (tuple(EVENTS), "The events of every design; it may add its own."),
    }
    lines = [
        '"""Closed lists of words as types, for type checkers.',
        "",
        "Written by docs/reference.py from the lists that the code checks against; change those instead.",
        '"""',
        "",
        "from typing import Literal",
        "",
    ]
    for name, (words, doc) in lists.items():
        lines += [f"{name} = Literal[{', '.join(map(repr, words))},]", f'"""{doc}"""', ""]
    return formatted("\n".join(lines))


def formatted(code: str) -> str:
    """Return Python code as the formatter of this project writes it."""
    import subprocess
    import sys

    command = [sys.executable, "-m", "ruff", "format", "--stdin-filename", str(TYPED), "-"]
    return subprocess.run(command, input=code, capture_output=True, text=True, check=True).stdout


if __name__ == "__main__":
    OUT.mkdir(exist_ok=True)
    for name, write in PAGES.items():
        (OUT / name).write_text(write(), encoding="utf-8")
    TYPED.write_text(event_types(), encoding="utf-8")
    LITERALS.write_text(literals(), encoding="utf-8")
