"""Commands: what a line of a script can say, one function each, in a module a topic. Importing this fills the
table `cleaver.script.command.COMMANDS`; the order of the imports is the order of the themes in `help`."""

# isort: off
from cleaver.script.commands import (
    people,
    vitals,
    goods,
    contests,
    stages,
    quests,
    time,
    saves,
    running,
    testing,
    looking,
)

__all__ = [
    "contests",
    "goods",
    "looking",
    "people",
    "quests",
    "running",
    "saves",
    "stages",
    "testing",
    "time",
    "vitals",
]
