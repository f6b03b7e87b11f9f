"""Design: everything a designer wrote, checked, and from then on immutable.

Built from a file (`load_design`) or from Python (`Design.from_dict`), by the same checks: shape, then
references. Knows nothing of run time; `core.kinds` binds a design for play.
"""

from __future__ import annotations

from collections.abc import Mapping

from cleaver.errors import DesignError, UnknownNameError, looking_for_names

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from pathlib import Path as FilePath
    from typing import Any

    from cleaver.design.models import DesignTables
    from cleaver.design.numbers import Key
    from cleaver.design.paths import Known
    from cleaver.design.reading import Source


class Design:
    """A checked design. Equal designs have equal `fingerprint`; nothing in it changes once loaded."""

    __slots__ = ("_fingerprint", "_text", "_variants", "bound", "known", "source", "tables")
    source: Source
    tables: DesignTables
    known: Known

    def __init__(self, source: Source, tables: DesignTables, known: Known) -> None:
        self.source, self.tables, self.known = source, tables, known
        self.bound: Any = None
        """The design bound for play; made by `core.kinds` on first use."""
        self._text = self._fingerprint = ""
        self._variants: dict[str, Design] = {}

    @property
    def fingerprint(self) -> str:
        """A short text that is the same for equal designs."""
        if not self._fingerprint:
            import hashlib  # these two are slow to import, and not every program needs them
            import json

            text = json.dumps(self.source.tree, sort_keys=True, separators=(",", ":"), default=str)
            self._fingerprint = hashlib.sha256(text.encode()).hexdigest()[:16]
        return self._fingerprint

    def same_as(self, other: Design) -> bool:
        """Return whether another design is equal to this one."""
        # A quick look first: 1 and true are equal there, and differ in a fingerprint.
        return self.source.tree == other.source.tree and self.fingerprint == other.fingerprint

    @property
    def text(self) -> str:
        """The whole design as JSON, in the order in which it was written."""
        if not self._text:
            import json  # slow to import, and few need it

            self._text = json.dumps(self.source.tree, separators=(",", ":"), ensure_ascii=False)
        return self._text

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
        from cleaver.design.reading import Source, plain_text  # a game that only restores needs none

        return build(Source(plain_text(tables)))

    def for_clients(self) -> Design:
        """Return the design as clients may have it: without its rules, what is drawn or in stock, and
        achievements that are hidden until they are given."""
        from cleaver.design.clients import for_clients  # only servers send it

        return Design.from_dict(for_clients(self.source.tree))

    def keys(self) -> tuple[Key, ...]:
        """Return every number of the design that is about play, in the order in which it is written: its key
        path, its value, whether it must be whole, and its line in the file (0 for none)."""
        from cleaver.design.lines import key_of  # few ask for these
        from cleaver.design.numbers import Key, must_be_whole, number_keys

        found = []
        for path, value in number_keys(self.source.tree):
            key, whole = key_of(path), False
            if isinstance(value, int):  # what a half more would be refused for
                try:
                    self.with_values({key: value + 0.5})
                except DesignError as error:
                    whole = must_be_whole(error)
            found.append(Key(key, value, whole, self.source.line(path)))
        return tuple(found)

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
        from cleaver.design.tuning import tuned  # slow to import, and few need it

        return build(tuned(self.source, values), self)

    def variant(self, name: str) -> Design:
        """Return the design of one of its variants.

        Raises:
            UnknownNameError: It has none of that name.
            DesignError: All that is wrong with it.
        """
        found = self._variants.get(name)
        if found is None:
            from cleaver.design.variants import varied  # few need it

            variant = self.tables.variants.get(name)
            if variant is None:
                raise UnknownNameError("variant", name, tuple(self.tables.variants))
            source = varied(self.source, variant.set, name)
            try:
                found = self._variants[name] = build(source, self)
            except DesignError as error:
                named = [one._replace(key=f"variants.{name}: {one.key}") for one in error.problems]
                raise DesignError(named) from None
        return found

    @property
    def variant_name(self) -> str:
        """Which variant of a design this is; "" for the design as it is written."""
        return self.tables.game.variant

    def __reduce__(self) -> tuple[Any, ...]:
        return Design, (self.source, self.tables, self.known)  # what was bound for play is bound again

    def __repr__(self) -> str:
        return f"<Design {self.title!r} {self.fingerprint}>"


def build(source: Source, before: Design | None = None) -> Design:
    """Return the design in *source*, or raise `DesignError` with every problem found; what it shares with
    another one, *before*, is not looked at twice."""
    from cleaver.design.reading import inherit  # slow to import, and few need it
    from cleaver.design.references import refer
    from cleaver.design.shape import shaped

    with looking_for_names():
        inherit(source)
        tables = shaped(source, None if before is None else (before.source, before.tables))
        known = refer(tables, source, None if before is None else (before.tables, before.known))
    if source.problems:
        raise DesignError(sorted(source.problems, key=lambda problem: problem.line), more=source.more)
    made = Design(source, tables, known)
    for name in tables.variants if before is None else ():
        made.variant(name)  # one that is wrong is an error now, whichever is played
    return made


def load_design(path: str | FilePath, variant: str = "") -> Design:
    """Return the design in the TOML or JSON file at *path*, or one of its variants.

    Raises:
        DesignError: All that is wrong with it at once, each with file, line, key path and what would be
            right.
    """
    from cleaver.design.reading import read_file  # slow to import, and few need it

    design = build(read_file(path))
    return design.variant(variant) if variant else design


def schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of a design file, for editors."""
    from cleaver.design.schema import schema_made  # slow to import, and few need it

    return schema_made()
