"""Saving: an indicator of whether a player's progress is safe. Reads the saver when asked, so it is never a
lie.

Start at `SaveIndicator`.
"""

from __future__ import annotations

from cleaver.core.kernel.arguments import SAVER, TEXT, checked
from cleaver.hud.drawn import Drawn

TYPE_CHECKING = False  # typing and the saver are slow to import, and only checkers need them
if TYPE_CHECKING:
    from cleaver.saves import Autosaver
    from cleaver.saves.saver import SaveState

WORDS: dict[SaveState, str] = {
    "saved": "saved",
    "unsaved": "not saved yet",
    "saving": "saving…",
    "waiting": "waiting to try again",
    "failed": "could not be saved",
}


class SaveIndicator(Drawn):
    """What to show of a player's saves: `state` ("saved", "unsaved", "saving", "waiting", "failed"), `why`,
    `text`."""

    _tells = ("player", "state", "why")

    saver: Autosaver
    player: str

    @checked(saver=SAVER, player=TEXT)
    def __init__(self, saver: Autosaver, player: str) -> None:
        self.saver, self.player = saver, player

    @property
    def state(self) -> SaveState:
        """The state now."""
        return self.saver.state_of(self.player)[0]

    @property
    def why(self) -> str:
        """Why it waits or failed; "" otherwise."""
        return self.saver.state_of(self.player)[1]

    @property
    def text(self) -> str:
        """The state in words, with why."""
        state, why = self.saver.state_of(self.player)
        return WORDS[state] + (f": {why}" if why else "")
