"""Dialogue: a talk with a giver, line by line, with what the player may answer. Start at `Dialogue`."""

from __future__ import annotations

from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import HANDLE, TEXT, checked, finite
from cleaver.core.kernel.results import Result, TalkResult
from cleaver.errors import AmountError
from cleaver.hud.drawn import Drawn

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Literal

    Answer = Literal["accept", "turn_in", "go_on", ""]


class Dialogue(Drawn):
    """A talk as a screen shows it: `giver`, `title`, `typed` (as much of `text` as has appeared), `answer`.

    The world decides what is said and what an answer does (`Actor.talk`, `accept`, `turn_in`). This object
    keeps only how far the player has read.

    Args:
        actor: The player who talks.
        letters: How many letters appear in a second; 0 for whole lines at once.
    """

    _tells = ("giver", "text", "answer")

    actor: Actor
    giver: str
    refused: str

    @checked(actor=HANDLE)
    def __init__(self, actor: Actor, *, letters: float = 45.0) -> None:
        if not finite(letters) or letters < 0:
            raise AmountError("letters", letters, "a number of letters a second, 0 or more")
        self.actor, self._letters = actor, letters
        self.giver, self.refused = "", ""
        self._said, self._age = TalkResult(), 0.0

    @property
    def open(self) -> bool:
        """Whether somebody is being talked with."""
        return bool(self.giver)

    @property
    def text(self) -> str:
        """The whole line that is being said, "" where nothing is."""
        return self._said.text

    @property
    def title(self) -> str:
        """The title of the quest that it is about, "" for none."""
        return self.actor.quests[self._said.quest].title if self._said.quest else ""

    @property
    def typed(self) -> str:
        """As much of the line as has appeared."""
        return self.text[: int(self._age * self._letters)] if self._letters else self.text

    @property
    def answer(self) -> Answer:
        """What `go_on` does: "accept" or "turn_in" the quest, "go_on" with the talk, or nothing."""
        return (self._said.next or "go_on") if self.open else ""

    @checked(giver=TEXT)
    def begin(self, giver: str) -> TalkResult:
        """Let *giver* say its next line; the dialogue is open where it has one."""
        said = self.actor.talk(giver)
        self.refused = said.blocked
        if said.done and said.text:
            self.giver, self._said, self._age = giver, said, 0.0
        return said

    def go_on(self) -> Result | None:
        """Show the rest of the line at once; else accept or turn in, where that is next; else hear the next
        line, or end.

        Returns:
            The result of accepting or turning in, else None. After a refusal `refused` says why, and the
            dialogue stays open.
        """
        if not self.open:
            return None
        if len(self.typed) < len(self.text):
            self._age = len(self.text) / self._letters + 1e-6
            return None
        before, giver, done = self._said, self.giver, None
        if before.next:
            done = (
                self.actor.accept(before.quest)
                if before.next == "accept"
                else self.actor.turn_in(before.quest)
            )
            self.refused = done.blocked
            if done.blocked:
                return done
        self.end()
        said = self.actor.talk(giver)
        # A giver says its last line again and again: a talk is over where nothing new comes.
        known = (before.text, before.quest, before.state)
        if said.done and said.text and (said.text, said.quest, said.state) != known:
            self.giver, self._said, self._age = giver, said, 0.0
        return done

    def end(self) -> None:
        """End the talk; nothing is accepted or turned in."""
        self.giver, self.refused = "", ""
        self._said, self._age = TalkResult(), 0.0

    def update(self, seconds: float) -> None:
        """Let more letters appear for *seconds*."""
        self._age += seconds
