"""Lines: where in a TOML or JSON text each key stands.

The parsers of the standard library say what a file holds, but not where. This part walks a text that they
have already accepted and notes the line of every key path, so that a message can point at it. It knows
nothing of designs. Start at `toml_lines` and `json_lines`.
"""

from __future__ import annotations

from cleaver.rounding import is_number

TYPE_CHECKING = False  # only checkers need it
if TYPE_CHECKING:
    from typing import Any

Path = tuple[str | int, ...]
_BARE = {"meters": "max", "stats": "base"}


def bare_at(path: Path) -> str:
    """Return the key that a bare number or formula at *path* stands for; "" where it stands for itself."""
    return _BARE.get(str(path[-2]), "") if len(path) > 1 else ""


def is_bare(value: Any) -> bool:
    """Return whether a value may stand for a table: a number, or a formula."""
    return isinstance(value, str) or is_number(value)


def key_of(path: Path) -> str:
    """Return a path as people write it: "rules[2].do[1].amount", lists counted from 1; a name with a dot in
    it stands in quotes, as in TOML: ``items.suit.adds."hp.max"``."""
    parts = (f"[{one + 1}]" if isinstance(one, int) else f'"{one}"' if "." in one else one for one in path)
    return ".".join(parts).replace(".[", "[")


def path_of(key: str) -> Path:
    """Return the path that `key_of` writes as *key*; empty where it is written in another way."""
    import re  # slow to import, and a design made in Python is not looked at by patterns

    if not re.fullmatch(_KEY, key):
        return ()
    parts = re.findall(_PART, key)
    return tuple(
        int(part) - 1 if part.isdigit() and bracket else quoted or part for bracket, quoted, part in parts
    )


_NAME = r'("[^"]+"|[^.\[\]\s"]+)'
_KEY = rf"{_NAME}(\[[1-9]\d*\])*(\.{_NAME}(\[[1-9]\d*\])*)*"
_PART = r'(\[?)(?:"([^"]+)"|([^.\[\]"]+))'

_TOKEN = (
    r'(?P<string>"""(?:[^"\\]|\\.|"(?!""))*"{3,5}|\'\'\'(?:[^\']|\'(?!\'\'))*\'{3,5}|"(?:[^"\\\n]|\\.)*"|\'[^\'\n]*\')'
    r"|(?P<comment>\#[^\n]*)|(?P<newline>\n)|(?P<mark>[\[\]{}=,.:])|(?P<bare>[^\s\[\]{}=,.:\"'#]+)|(?P<space>[^\S\n]+)"
)


class _Tokens:
    """The tokens of a text with their lines; white space and comments dropped."""

    def __init__(self, text: str) -> None:
        import re  # slow to import, and few need it

        self.items: list[tuple[str, str, int]] = []
        line = 1
        for match in re.finditer(_TOKEN, text, re.DOTALL):
            kind = match.lastgroup or ""
            if kind not in ("comment", "space"):
                self.items.append((kind, match.group(), line))
            line += match.group().count("\n")
        self.at = 0

    def peek(self) -> tuple[str, str, int]:
        return self.items[self.at] if self.at < len(self.items) else ("end", "", 0)

    def take(self) -> tuple[str, str, int]:
        token = self.peek()
        self.at += 1
        return token

    def skip_newlines(self) -> None:
        while self.peek()[0] == "newline":
            self.at += 1


def _key(token: tuple[str, str, int]) -> str:
    kind, text, _ = token
    return text[1:-1] if kind == "string" else text


def _dotted(tokens: _Tokens) -> tuple[list[str], int]:
    first = tokens.take()
    parts, line = [_key(first)], first[2]
    while tokens.peek()[1] == ".":
        tokens.take()
        parts.append(_key(tokens.take()))
    return parts, line


def _value(tokens: _Tokens, path: Path, found: dict[Path, int], ends: str) -> None:
    """Pass over one value, noting the keys of what it holds; *ends* are the marks that end a plain one."""
    mark = tokens.peek()[1] if tokens.peek()[0] == "mark" else ""
    if mark == "[":
        tokens.take()
        index = 0
        tokens.skip_newlines()
        while tokens.peek()[1] != "]" and tokens.peek()[0] != "end":
            found.setdefault((*path, index), tokens.peek()[2])
            _value(tokens, (*path, index), found, ",]")
            tokens.skip_newlines()
            if tokens.peek()[1] == ",":
                tokens.take()
                tokens.skip_newlines()
            index += 1
        tokens.take()
    elif mark == "{":
        tokens.take()
        tokens.skip_newlines()
        while tokens.peek()[1] != "}" and tokens.peek()[0] != "end":
            parts, line = _dotted(tokens)
            _note(found, path, parts, line)
            tokens.take()  # = or :
            tokens.skip_newlines()
            _value(tokens, (*path, *parts), found, ",}")
            tokens.skip_newlines()
            if tokens.peek()[1] == ",":
                tokens.take()
                tokens.skip_newlines()
        tokens.take()
    else:
        while tokens.peek()[0] not in ("newline", "end") and not (
            tokens.peek()[0] == "mark" and tokens.peek()[1] in ends
        ):
            tokens.take()


def _note(found: dict[Path, int], base: Path, parts: list[str], line: int) -> None:
    for count in range(1, len(parts) + 1):
        found.setdefault((*base, *parts[:count]), line)


def toml_lines(text: str) -> dict[Path, int]:
    """Return the line, from 1, of each key path of a valid TOML text."""
    found: dict[Path, int] = {}
    tokens = _Tokens(text)
    base: Path = ()
    counts: dict[Path, int] = {}
    while tokens.peek()[0] != "end":
        tokens.skip_newlines()
        kind, mark, line = tokens.peek()
        if kind == "end":
            break
        if kind == "mark" and mark == "[":
            tokens.take()
            several = tokens.peek()[1] == "["
            if several:
                tokens.take()
            parts, _ = _dotted(tokens)
            tokens.take()
            if several:
                tokens.take()
            base = ()
            for position, part in enumerate(parts):
                base = (*base, part)
                found.setdefault(base, line)
                if several and position == len(parts) - 1:
                    counts[base] = counts.get(base, -1) + 1
                    base = (*base, counts[base])
                    found.setdefault(base, line)
                elif base in counts:
                    base = (*base, counts[base])
        else:
            parts, line = _dotted(tokens)
            _note(found, base, parts, line)
            tokens.take()
            _value(tokens, (*base, *parts), found, "")
    return found


def json_lines(text: str) -> dict[Path, int]:
    """Return the line, from 1, of each key path of a valid JSON text."""
    found: dict[Path, int] = {}
    tokens = _Tokens(text)
    tokens.skip_newlines()
    _value(tokens, (), found, "")
    return found
