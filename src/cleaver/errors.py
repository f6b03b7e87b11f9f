"""Errors: everything Cleaver raises on purpose.

Stands below everything else and imports nothing of Cleaver but `named`. Each error derives from
`CleaverError` and, where one fits, from a builtin, so that both kinds of caller are served. A message says
what, where, and what would be right; the parts stay on the error as attributes. Start at `CleaverError`.
"""

from __future__ import annotations

from _thread import get_ident
from collections.abc import Iterable, Sequence

from cleaver.named import NamedTuple

_looks: dict[int, int] = {}  # thread: how many more nearest names are looked for in the design that it reads


class looking_for_names:  # used as a function
    """Look for so many nearest names at most meanwhile: of a thousand unknown ones the first are enough."""

    most: int

    def __init__(self, most: int = 100) -> None:
        self.most = most

    def __enter__(self) -> None:
        _looks[get_ident()] = self.most

    def __exit__(self, *error: object) -> None:
        _looks.pop(get_ident(), None)


def nearest(name: object, known: Iterable[str]) -> str:
    """Return the known name most like *name*, or "" where none is close; nothing is like what is no text."""
    if not isinstance(name, str):
        return ""
    if _looks:
        left = _looks.get(get_ident(), 1)
        if left <= 0:
            return ""
        if get_ident() in _looks:
            _looks[get_ident()] = left - 1
    known = list(known)
    from difflib import get_close_matches  # only needed once something is wrong; import costs start-up time

    # Of a path such as ana.foo only the last part is compared: all that begins with ana. would be near.
    start, dot, last = name.rpartition(".")
    tails = (
        {one[len(start) + 1 :]: one for one in known if one.startswith(f"{start}.")}
        if dot
        else {one: one for one in known}
    )
    if dot and not tails:  # an earlier part is wrong: that one is mended first
        mended = nearest(start, dict.fromkeys(one.rpartition(".")[0] for one in known if "." in one))
        path = f"{mended}.{last}"
        return "" if not mended else path if path in known else nearest(path, known)
    found = get_close_matches(last, list(tails), n=1, cutoff=0.55)
    return tails[found[0]] if found else ""


RENAMED = {
    "Fact": "Event",
    "advance_us": "advance",
    "award": "grant",
    "begin_status": "status",
    "checkout": "hold",
    "fails": "expect_error",
    "goal_of_nothing": "zero_goal",
    "kind": "type",
    "lonely_match": "single_team_match",
    "marks": "conditions",
    "matches_by_name": "matches",
    "misspelt_kind": "misspelt_type",
    "repeated_report": "repeated_announce",
    "put_back": "load",
    "Receipt": "SaveInfo",
    "report": "announce",
    "secret": "hidden",
    "silent_giver": "missing_giver_text",
    "steps": "migrations",
    "achieved": "achievements",
    "level": "levels",
    "record": "records",
    "stars": "ratings",
    "rated": "ratings",
    "xp": "levels",
    "xp_left": "levels",
}
"""What was called otherwise before 0.2.0: the old name is refused, and the message says the new one."""


def advice(name: object, known: Sequence[str], *, lead: str = "known") -> str:
    """Return what to offer instead of *name*: the nearest known name, then the first of all of them."""
    new = RENAMED.get(name.rstrip("=")) if isinstance(name, str) else None
    for found in (new, f"{new}="):
        if new is not None and found in known:
            return f"it is called {found!r} since version 0.2.0"
    near = nearest(name, known)
    listed = ", ".join(known[:12]) + (f" and {len(known) - 12} more" if len(known) > 12 else "")
    if not known:
        return "there are none here"
    return f"did you mean {near!r}? ({lead}: {listed})" if near else f"{lead}: {listed}"


def unreadable(error: OSError) -> str:
    """Return why a file could not be read: "cannot be read (no such file or directory)"."""
    return f"cannot be read ({(error.strerror or str(error)).lower()})"


def unwritable(error: OSError) -> str:
    """Return why a file could not be written: "cannot be written (no space left on device)"."""
    return f"cannot be written ({(error.strerror or str(error)).lower()})"


def said(value: object) -> str:
    """Return a value as it can be printed in a message, whatever it is: cut where it is long."""
    try:
        text = repr(value)
    except Exception:  # its own code, or a whole number too long to be written
        return f"a {type(value).__name__} that cannot be shown"
    return text if len(text) <= 80 else text[:77] + "..."


class CleaverError(Exception):
    """The common ancestor of all errors raised on purpose."""


class UnknownNameError(CleaverError, KeyError):
    """A name that the design or the world does not have."""

    what: str
    name: object
    known: tuple[str, ...]
    where: str

    def __init__(self, what: str, name: object, known: Sequence[str] = (), where: str = "") -> None:
        super().__init__(what, name, tuple(known), where)
        self.what, self.name, self.known, self.where = what, name, tuple(known), where

    def __str__(self) -> str:
        place = f" on {self.where}" if self.where else ""
        return (
            f"unknown {self.what} {said(self.name)}{place}; "
            f"{advice(self.name, self.known, lead='it has' if self.where else 'known')}"
        )


class AmountError(CleaverError, ValueError):
    """A number that cannot be used: negative, not finite, of the wrong type or out of range."""

    what: str
    value: object
    wanted: str

    def __init__(self, what: str, value: object, wanted: str) -> None:
        super().__init__(what, value, wanted)
        self.what, self.value, self.wanted = what, value, wanted

    def __str__(self) -> str:
        return f"{self.what} is {said(self.value)}; it must be {self.wanted}"


class FormulaError(CleaverError, ValueError):
    """A formula that cannot be read, or that gave no usable number when it was worked out."""

    text: str
    trouble: str
    where: str

    def __init__(self, text: str, trouble: str, where: str = "") -> None:
        super().__init__(text, trouble, where)
        self.text, self.trouble, self.where = text, trouble, where

    def __str__(self) -> str:
        shown = self.text if len(self.text) <= 80 else self.text[:77] + "..."
        place = f" at {self.where}" if self.where else ""
        return f"formula {shown!r}{place}: {self.trouble}"


class RenamedError(CleaverError, AttributeError):
    """A name of an earlier version; the message says the new one."""

    owner: str
    name: str
    new: str

    def __init__(self, owner: str, name: str, new: str) -> None:
        super().__init__(owner, name, new)
        self.owner, self.name, self.new = owner, name, new

    def __str__(self) -> str:
        return f"{self.owner}.{self.name} is called {self.new} since version 0.2.0"


def renamed(owner: str, name: str) -> AttributeError:
    """Return what to raise where *owner* has nothing of that name: with the new one, where it was renamed."""
    new = RENAMED.get(name)
    return (
        AttributeError(f"{owner!r} object has no attribute {name!r}")
        if new is None
        else RenamedError(owner, name, new)
    )


class UsageError(CleaverError, ValueError):
    """A call that makes no sense as it stands; the message says what would be right."""


class GoneError(CleaverError, LookupError):
    """A handle of an actor, a placement or a shot that has left its world."""

    what: str
    name: str
    why: str

    def __init__(self, what: str, name: str, why: str = "") -> None:
        super().__init__(what, name, why)
        self.what, self.name = what, name
        self.why = why or "has left this world; ask the world for one that is still in it"

    def __str__(self) -> str:
        return f"{self.what} {self.name!r} {self.why}"


class BusyError(CleaverError, RuntimeError):
    """A command that may not be given while events are being delivered."""

    def __init__(self, command: str) -> None:
        super().__init__(command)
        self.command = command

    def __str__(self) -> str:
        return (
            f"{self.command} is not possible while events are delivered or time passes; use "
            "world.after(0, …), which is called by the next advance"
        )


class InUseError(CleaverError, RuntimeError):
    """A design that a world cannot go on under, because something in use is gone from it. `uses` says each,
    with what uses it."""

    uses: tuple[str, ...]

    def __init__(self, uses: Sequence[str]) -> None:
        super().__init__(tuple(uses))
        self.uses = tuple(uses)

    def __str__(self) -> str:
        return f"the world cannot go on under this design: {'; '.join(self.uses)}. Nothing has changed"


class StoppedError(CleaverError):
    """A command that was stopped by hand while it ran."""


class RunawayRulesError(CleaverError, RuntimeError):
    """One command set off more events than any design means to: rules feed each other."""

    limit: int
    rules: tuple[str, ...]

    def __init__(self, limit: int, rules: Sequence[str]) -> None:
        super().__init__(limit, tuple(rules))
        self.limit, self.rules = limit, tuple(rules)

    def __str__(self) -> str:
        loop = "; ".join(self.rules) or "listeners that issue commands"
        return (
            f"more than {self.limit} events followed from one command; going round: {loop}. Give one of "
            "them a `when` or a `where` that ends it"
        )


class ReactionError(ExceptionGroup[Exception], CleaverError):
    """Errors of listeners and reactions, raised together after every other one had its turn."""

    # Only ever holds Exceptions
    def derive(self, excs: Sequence[Exception]) -> ReactionError:  # type: ignore[override]
        """Return a group of some of the errors, as `split` and `subgroup` make."""
        return ReactionError(self.message, excs)

    def __str__(self) -> str:
        told = dict.fromkeys(
            f"{error}" or type(error).__name__ for error in self.exceptions
        )  # the same one, time after time, is shown once
        first = list(told)[:3]
        more = len(told) - len(first)
        return "\n".join(
            [f"{self.message}:", *(f"  {text}" for text in first), *([f"  and {more} more"] if more else [])]
        )


class Problem(NamedTuple):
    """One thing wrong with a file: `file` (or "design" where it was built in Python), `line` (from 1; 0 for
    none), dotted `key` path, what is `wrong`, what would be `right`."""

    file: str
    line: int
    key: str
    wrong: str
    right: str = ""

    def __str__(self) -> str:
        place = f"{self.file}:{self.line}" if self.line else self.file
        right = f"; {self.right}" if self.right else ""
        return f"{place}: {self.key + ': ' if self.key else ''}{self.wrong}{right}"


class DesignError(CleaverError, ValueError):
    """A design that cannot be used, or a trial of one; `problems` holds every one of them."""

    problems: tuple[Problem, ...]
    more: int
    """How many there are beyond those that are told."""

    def __init__(self, problems: Sequence[Problem], what: str = "design", more: int = 0) -> None:
        super().__init__(tuple(problems), what)
        self.problems, self._what, self.more = tuple(problems), what, more

    def __str__(self) -> str:
        count = len(self.problems) + self.more
        return "\n".join(
            [
                f"{count:,} error{'s' if count != 1 else ''} in the {self._what}:",
                *(f"  {problem}" for problem in self.problems),
                *([f"  and {self.more:,} more"] if self.more else []),
            ]
        )


class DesignFileError(DesignError, OSError):
    """A design file that cannot be read: it is not there, or may not be read."""


class ScriptError(CleaverError, ValueError):
    """A line of a script that cannot be carried out."""

    file: str
    line: int
    words: str
    trouble: str

    def __init__(self, file: str, line: int, words: str, trouble: str) -> None:
        super().__init__(file, line, words, trouble)
        self.file, self.line, self.words, self.trouble = file, line, words, trouble

    def __str__(self) -> str:
        place = f"{self.file}:{self.line}: {self.words}\n  " if self.line else f"{self.file}: "
        return f"{place}{self.trouble}"


class BaselineError(CleaverError, ValueError):
    """A baseline that cannot be read, or written."""

    file: str
    line: int
    trouble: str

    def __init__(self, file: str, line: int, trouble: str) -> None:
        super().__init__(file, line, trouble)
        self.file, self.line, self.trouble = file, line, trouble

    def __str__(self) -> str:
        return f"{self.file}{f':{self.line}' if self.line else ''} {self.trouble}"


class SnapshotError(CleaverError, ValueError):
    """A snapshot that this design or this version cannot continue from."""


class MissingExtraError(CleaverError, ImportError):
    """A part of Cleaver whose optional packages are not installed."""

    wanted: str
    extra: str

    def __init__(self, wanted: str, extra: str) -> None:
        super().__init__(wanted, extra)
        self.wanted, self.extra = wanted, extra

    @property
    def install(self) -> str:
        """The command that installs it."""
        return f'pip install "cleaver-progression[{self.extra}]"'

    def __str__(self) -> str:
        return f"{self.wanted} needs the extra {self.extra!r}: {self.install}"


class SaveError(CleaverError):
    """Something about saving or loading profiles; the subclasses say what."""


class StoreCorruptError(SaveError, ValueError):
    """A store that cannot be trusted: no database, cut short, or someone else's."""


class StoreUnavailableError(SaveError, OSError):
    """A store that cannot be reached or written just now; trying again may help."""


class StoreBusyError(StoreUnavailableError):
    """A store that another program writes just now, for longer than was waited; trying again helps."""


class StoreReadOnlyError(SaveError, PermissionError):
    """A store that may be read but not written; trying again does not help."""


class ProfileError(SaveError, ValueError):
    """A profile that is not as Cleaver writes one; the path to what is wrong is named, and nothing was taken
    from it."""


class ProfileBusyError(SaveError):
    """A profile that another process holds."""

    player: str
    holder: str
    left: float

    def __init__(self, player: str, holder: str, left: float) -> None:
        super().__init__(player, holder, left)
        self.player, self.holder, self.left = player, holder, left

    def __str__(self) -> str:
        if self.left > 3600:  # no lease is that long: its clock was wrong, or was put right since
            return (
                f"profile {self.player} is in use by {self.holder}; its lease runs for more than an hour, so "
                "its clock was wrong. Where it has ended, free the player with `cleaver saves free`"
            )
        return (
            f"profile {self.player} is in use by {self.holder}; its lease runs {self.left:.0f} s more. "
            "Let the player leave there first, or wait"
        )


class ProfileStaleError(SaveError):
    """A profile that was taken over by another process; this one may not write it any more."""


class ProfileTooNewError(SaveError):
    """A profile of a newer version of the game; it is left alone."""


class MigrationError(SaveError, ValueError):
    """A step from an older version of a profile that failed; nothing was written."""


class ProfileDamagedError(SaveError, ValueError):
    """A profile of which no saved generation can be read; it is never treated as empty."""
