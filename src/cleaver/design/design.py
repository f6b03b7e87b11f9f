"""Design: everything a designer wrote, checked, and from then on immutable.

Built from a file (`load_design`) or from Python (`Design.from_dict`), by the same checks: shape, then
references. Knows nothing of run time; `core.kinds` binds a design for play.
"""

from __future__ import annotations

from collections.abc import Mapping

from cleaver.errors import DesignError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from pathlib import Path as FilePath
    from typing import Any

    from cleaver.design.models import DesignTables
    from cleaver.design.paths import Known
    from cleaver.design.reading import Source


class Design:
    """A checked design. Equal designs have equal `fingerprint`; nothing in it changes once loaded."""

    __slots__ = ("bound", "fingerprint", "known", "source", "tables")
    source: Source
    tables: DesignTables
    known: Known
    fingerprint: str

    def __init__(self, source: Source, tables: DesignTables, known: Known) -> None:
        import hashlib  # these two are slow to import, and a program that only imports cleaver needs neither
        import json

        self.source, self.tables, self.known = source, tables, known
        self.bound: Any = None
        """The design bound for play; made by `core.kinds` on first use."""
        text = json.dumps(source.tree, sort_keys=True, separators=(",", ":"), default=str)
        self.fingerprint = hashlib.sha256(text.encode()).hexdigest()[:16]

    @property
    def title(self) -> str:
        """The game's title."""
        return self.tables.game.title

    @classmethod
    def from_dict(cls, tables: Mapping[str, Any]) -> Design:
        """Return a design built in Python: the same tree as the file's, of dictionaries or of
        `cleaver.design.models`.

        Raises:
            DesignError: All that is wrong with it, each with its key path.

        >>> Design.from_dict({"actors": {"crate": {"vital": "planks", "meters": {"planks": 20}}}}).title
        'Untitled'
        """
        from cleaver.design.reading import (
            Source,
            plain,
        )  # pydantic is slow to import, and a game that only restores needs none

        return build(Source(plain(tables)))

    def with_values(self, values: Mapping[str, Any]) -> Design:
        """Return another design in which some values are other ones; checked as a whole, as if a file said
        so.

        Args:
            values: By key path, as problems and `cleaver diff` name them, lists counted from 1:
                ``{"actors.eel.attacks.sting.amount": 20}``. A key that an entry has from the one it is
                `like` becomes its own; a number in place of a table that has a `max` is its max.

        Raises:
            UnknownNameError: A path through something that is not there, with what is.
            DesignError: All that is wrong with the design that would come of it.

        >>> design = Design.from_dict({"actors": {"crate": {"vital": "planks", "meters": {"planks": 20}}}})
        >>> design.with_values({"actors.crate.meters.planks": 25}).source.tree["actors"]["crate"]["meters"]
        {'planks': 25}
        """
        from cleaver.design.tuning import tuned  # as above

        return build(tuned(self.source, values), self)

    def __reduce__(self) -> tuple[Any, ...]:
        return Design, (self.source, self.tables, self.known)  # what was bound for play is bound again

    def __repr__(self) -> str:
        return f"<Design {self.title!r} {self.fingerprint}>"


def build(source: Source, before: Design | None = None) -> Design:
    """Return the design in *source*, or raise `DesignError` with every problem found; what it shares with
    another one, *before*, is not looked at twice."""
    from cleaver.design.reading import inherit  # as above
    from cleaver.design.references import refer
    from cleaver.design.shape import shaped

    inherit(source)
    tables = shaped(source, None if before is None else (before.source, before.tables))
    known = refer(tables, source)
    if source.problems:
        raise DesignError(sorted(source.problems, key=lambda problem: problem.line))
    return Design(source, tables, known)


def load_design(path: str | FilePath) -> Design:
    """Return the design in the TOML or JSON file at *path*.

    Raises:
        DesignError: All that is wrong with it at once, each with file, line, key path and what would be
            right.
    """
    from cleaver.design.reading import read_file  # as above

    return build(read_file(path))


def schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of a design file, for editors."""
    from cleaver.design.schema import made  # as above

    return made()
