"""Reading: a design file as a plain tree, with the line of every key.

TOML or JSON, limits on size and depth, and `like` (one entry made from another, merged key by key, lists
replaced). Knows the shape of files, not what the entries mean. Start at `read_file`.
"""

from __future__ import annotations

from collections.abc import Mapping

from cleaver.design.keys import KeyTable
from cleaver.design.lines import Path, bare_at, is_bare, json_lines, key_of, toml_lines
from cleaver.errors import DesignError, DesignFileError, Problem, advice, unreadable

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from pathlib import Path as FilePath
    from typing import Any

    Tree = dict[str, Any]

MAX_DEPTH = 30
MAX_KEYS = 200_000
MAX_PARTS = 1_000  # of one key
MOST_TOLD = 100  # problems of one design


class Source:
    """A design as it was written, its tree once `like` is followed, where it came from, and the line of each
    key."""

    written: Tree
    tree: Tree
    name: str
    lines: dict[Path, int]

    def __init__(self, tree: Tree, name: str = "design", lines: Mapping[Path, int] | None = None) -> None:
        self.written, self.tree, self.name, self.lines = tree, tree, name, dict(lines or {})
        self.parents: dict[Path, Path] = {}  # an entry: the one it is like
        self.problems: list[Problem] = []
        self.more: int = 0  # problems beyond those that are told
        self._told: set[Problem] = set()

    def line(self, path: Path) -> int:
        """Return the line of the nearest key above *path* that stands in the file; 0 for none."""
        for count in range(len(path), 0, -1):
            if path[:count] in self.lines:
                inherited = self._inherited(path)
                return (
                    self.lines[inherited]
                    if count < len(path) and inherited in self.lines
                    else self.lines[path[:count]]
                )
        return 0

    def _inherited(self, path: Path) -> Path:
        seen = 0
        while path not in self.lines and seen < MAX_DEPTH:
            above = next(
                (
                    self.parents[path[:count]] + path[count:]
                    for count in range(len(path), 0, -1)
                    if path[:count] in self.parents
                ),
                None,
            )
            if above is None:
                break
            path, seen = above, seen + 1
        return path

    def tell(self, path: Path, wrong: str, right: str = "") -> None:
        """Note a problem at *path*."""
        if len(self.problems) >= MOST_TOLD:
            self.more += 1
            return
        problem = Problem(self.name, self.line(path), key_of(path), wrong, right)
        if problem not in self._told:
            self._told.add(problem)
            self.problems.append(problem)


def read_file(path: str | FilePath) -> Source:
    """Return the design file at *path* as a `Source`; TOML unless its name ends in .json.

    Raises:
        DesignError: Where the file cannot be read at all, with the line.
    """
    from pathlib import Path as FilePath  # a design made in Python needs no files

    from cleaver import files
    from cleaver.design.near import MAX_BYTES

    path = FilePath(path)
    name = path.name
    try:
        text = files.read(path, MAX_BYTES).decode("utf-8-sig")
    except files.TooLongError as error:
        raise DesignError(
            [Problem(name, 0, "", f"is {error.size:,} bytes long", f"a design file may have {MAX_BYTES:,}")]
        ) from None
    except UnicodeDecodeError as error:
        raise DesignError(
            [Problem(name, 0, "", f"is not UTF-8 text (byte {error.start})", "save it as UTF-8")]
        ) from None
    except OSError as error:
        raise DesignFileError([Problem(str(path), 0, "", unreadable(error), "check the path")]) from None
    return read_text(text, name, json_file=path.suffix.lower() == ".json")


def read_text(text: str, name: str = "design", *, json_file: bool = False) -> Source:
    """Return the text of a design as a `Source`."""
    import json  # slow to import, and few need it
    import tomllib

    if not json_file:
        _look_at_keys(text, name)
    try:
        tree = _json(text) if json_file else tomllib.loads(text)
        if json_file and isinstance(tree, dict) and isinstance(tree.get("$schema"), str):
            del tree["$schema"]  # for editors
    except tomllib.TOMLDecodeError as error:
        message, _, place = str(error).partition(" (at ")
        line = int("".join(c for c in place.partition("line ")[2].partition(",")[0] if c.isdigit()) or 0)
        raise DesignError(
            [
                Problem(
                    name, line or text.count("\n") + 1, "", f"is no valid TOML: {message}", place.rstrip(")")
                )
            ]
        ) from None
    except json.JSONDecodeError as error:
        raise DesignError(
            [Problem(name, error.lineno, "", f"is no valid JSON: {error.msg}", f"column {error.colno}")]
        ) from None
    except ValueError as error:
        raise DesignError([Problem(name, 0, "", f"cannot be read: {error}", "")]) from None
    except RecursionError:
        raise DesignError(
            [Problem(name, 0, "", "is nested too deeply", f"at most {MAX_DEPTH} levels")]
        ) from None
    if not isinstance(tree, dict):
        raise DesignError(
            [Problem(name, 1, "", "is not a table", "the top of a design is a table of sections")]
        )
    _measure(tree, name)
    return Source(tree, name, json_lines(text) if json_file else toml_lines(text))


def _look_at_keys(text: str, name: str) -> None:
    """Raise where a key has so many parts that only reading it would take long."""
    for number, line in enumerate(text.splitlines(), 1):
        key = line if line.lstrip().startswith("[") else line.partition("=")[0]
        if key.count(".") > MAX_PARTS:
            raise DesignError(
                [
                    Problem(
                        name, number, "", f"has a key of more than {MAX_PARTS:,} parts", "at most a handful"
                    )
                ]
            )


def _json(text: str) -> Any:
    import json  # slow to import, and few need it

    def once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        table = dict(pairs)
        if len(table) != len(pairs):
            keys = [key for key, _ in pairs]
            raise ValueError(
                f"the key {next(key for key in keys if keys.count(key) > 1)!r} stands twice in one table"
            )
        return table

    def refuse(word: str) -> float:
        raise ValueError(f"{word} is no number a design may hold")

    return json.loads(text, object_pairs_hook=once, parse_constant=refuse)


def _measure(tree: Tree, name: str) -> None:
    waiting: list[tuple[Any, int]] = [(tree, 0)]
    count = 0
    while waiting:
        value, depth = waiting.pop()
        inner = list(value.values()) if isinstance(value, dict) else value
        inner = inner if isinstance(inner, list) else []
        count += len(inner)
        if depth > MAX_DEPTH or count > MAX_KEYS:
            raise DesignError(
                [
                    Problem(
                        name,
                        0,
                        "",
                        "is nested too deeply" if depth > MAX_DEPTH else "holds too many keys",
                        f"at most {MAX_DEPTH} levels and {MAX_KEYS:,} keys",
                    )
                ]
            )
        waiting.extend((item, depth + 1) for item in inner)


def plain_text(value: Any) -> Any:
    """Return *value* with tables and tuples as plain tables and lists; a design built in Python is read this
    way."""
    if isinstance(value, KeyTable):
        return plain_text(value.written())
    if isinstance(value, Mapping):
        return {str(key): plain_text(item) for key, item in value.items()}
    return [plain_text(item) for item in value] if isinstance(value, (list, tuple)) else value


def inherit(source: Source) -> None:
    """Make the tree of *source*: as it is written, with each entry that says `like` replaced by the merged
    one."""
    from cleaver.design.models import Actor, DesignTables  # these say which entries may be alike

    tree = dict(source.written)  # what is written stays, and what says no `like` is shared with it
    for section in [name for name, declared in DesignTables.declared().items() if declared.alike]:
        if not isinstance(tree.get(section), dict):
            continue
        entries = tree[section] = _merged(source, (section,), tree[section])
        for name, entry in entries.items() if section == "actors" else ():
            inner = {
                key: _merged(source, (section, name, key), entry[key])
                for key, declared in Actor.declared().items()
                if declared.alike and isinstance(entry, dict) and isinstance(entry.get(key), dict)
            }
            if any(value is not entry[key] for key, value in inner.items()):
                entries[name] = entry | inner
    source.tree = tree


def _merged(source: Source, base: Path, entries: Tree) -> Tree:
    """Return named entries with each that says `like` merged; the same ones where none does."""
    if not any(isinstance(entry, dict) and "like" in entry for entry in entries.values()):
        return entries if len(base) > 1 else dict(entries)
    done: dict[str, Any] = {}

    def merged(name: str, trail: tuple[str, ...]) -> Any:
        entry = entries[name]
        if name in done:
            return done[name]
        if not isinstance(entry, dict) or "like" not in entry:
            return entry
        parent = entry["like"]
        rest = {key: value for key, value in entry.items() if key != "like"}
        if not isinstance(parent, str) or parent not in entries:
            others = [other for other in entries if other != name]
            source.tell(
                (*base, name, "like"),
                f"there is no {parent!r} among {'.'.join(map(str, base))}",
                advice(str(parent), others),
            )
        elif parent in (*trail, name):
            source.tell(
                (*base, name, "like"),
                f"goes in a circle: {' → '.join((*trail, name, parent))}",
                "let one of them stand by itself",
            )
        else:
            source.parents[(*base, name)] = (*base, parent)
            rest = merge(merged(parent, (*trail, name)), rest, (*base, name))
        done[name] = rest
        return rest

    return {name: merged(name, ()) for name in entries}


def merge(low: Any, high: Any, path: Path = ()) -> Any:
    """Return *high* laid over *low*: tables key by key, everything else replaced; a bare value over a table
    is what it stands for there (`bare_at`)."""
    bare = bare_at(path)
    if isinstance(low, dict) and isinstance(high, dict):
        both = {
            key: merge(value, high[key], (*path, key)) if key in high else value for key, value in low.items()
        }
        return both | {key: value for key, value in high.items() if key not in low}
    if bare and isinstance(low, dict) and is_bare(high):
        return low | {bare: high}
    if bare and isinstance(high, dict) and is_bare(low):
        return {bare: low} | high
    return high
