"""Commands: what a line of a script can say.

Importing this fills the table `cleaver.script.command.COMMANDS`: with what is of scripts alone, a function
each, and with every command of worlds as it is declared.
"""

from cleaver.script.commands import looking, people, quests, running, saves, testing, time
from cleaver.script.worlds import add_all

__all__ = ["looking", "people", "quests", "running", "saves", "testing", "time"]

add_all()
