"""Adoption: what became of a world that went on under another design. Start at `Adoption`."""

from __future__ import annotations

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Iterable

    from cleaver.design.design import Design


class Adoption:
    """What became of a world that went on under another design; true where the design differs.

    `kept` are the ids of the actors, placements and shots that went on; `began` what is new on them, `ended`
    what is no longer there, `put_aside` what players had that the design does not name.
    """

    __slots__ = ("_designs", "began", "ended", "kept", "put_aside")
    kept: tuple[str, ...]
    began: tuple[str, ...]
    ended: tuple[str, ...]
    put_aside: tuple[str, ...]

    def __init__(
        self,
        old: Design,
        new: Design,
        kept: Iterable[str],
        began: Iterable[str] = (),
        ended: Iterable[str] = (),
        put_aside: Iterable[str] = (),
    ) -> None:
        self._designs = old, new
        self.kept, self.began = tuple(kept), tuple(began)
        self.ended, self.put_aside = tuple(ended), tuple(put_aside)

    @property
    def changed(self) -> tuple[str, ...]:
        """What differs in the design, in the words of `cleaver diff`, in the order of the new one."""
        from cleaver.design.changes import changes  # only where it is asked for

        old, new = (design.source.tree for design in self._designs)
        return tuple(map(str, changes(old, new)))

    def __bool__(self) -> bool:
        old, new = self._designs
        return not old.same_as(new)

    def __str__(self) -> str:
        """All of it, a line each."""
        parts = (
            ("", self.changed),
            ("new: ", self.began),
            ("ended: ", self.ended),
            ("put aside: ", self.put_aside),
        )
        lines = [f"{word}{line}" for word, lines in parts for line in lines]
        return "\n".join(lines) or "nothing has changed"

    def __repr__(self) -> str:
        began, ended, aside = map(len, (self.began, self.ended, self.put_aside))
        return f"<Adoption: {began} new, {ended} ended, {aside} put aside, {len(self.kept)} kept>"
