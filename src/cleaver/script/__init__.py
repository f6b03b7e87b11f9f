"""Script: play sessions in plain text — parse, run, tell.

Start at `runner.play`; `commands` has a function a command, `session` what a run remembers, `lines` how a
line is split.
"""

from cleaver.script.runner import Outcome, play
from cleaver.script.session import Session, Step

__all__ = ["Outcome", "Session", "Step", "play"]
