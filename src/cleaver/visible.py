"""Visible: texts from elsewhere, made harmless for a terminal.

Ids, titles and lines of scripts may hold characters that steer a terminal (escape sequences, the bell, a
change of writing direction). They are shown as escapes instead. Our own signs become plainer ones where an
encoding lacks them. Imports nothing of Cleaver. Start at `visible`.
"""

from __future__ import annotations

import codecs
import re

# Control characters but the line break and the tab; what changes the direction of writing; separators of
# lines and paragraphs; halves of surrogate pairs.
_STEERING = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ud800-\udfff]"
)


def visible(text: str) -> str:
    r"""Return *text* with each character that would steer a terminal written as an escape.

    >>> print(visible("\x1b[31mred"))
    \x1b[31mred
    """
    if text.isascii() and text.isprintable():
        return text
    return _STEERING.sub(_escape, text)


def _escape(found: re.Match[str]) -> str:
    return found.group().encode("unicode_escape", "surrogatepass").decode("ascii")


_PLAINER = str.maketrans(
    {
        **dict(zip("█▒░▓■□○◔◑◕●◦•·∙▶★⯪☆✓✗×−–—", "#=.+#-o.:O@o*-*>*+-vxx---", strict=True)),
        **dict(zip("‘’“”", "''\"\"", strict=True)),
        "→": "->",
        "←": "<-",
        "↑": "^",
        "↓": "v",
        "…": "...",
        "±": "+/-",
        "∞": "no limit",
        "≥": ">=",
        "≤": "<=",
        "≠": "!=",
        "¹": "1",
        "²": "2",
        "Δ": "change",
        "✦": "*",
    }
)
"""ASCII for the signs of our own that an encoding may lack; bars keep their width and what a shape tells."""
SPARE = "plainer"  # the name of the error handler, for streams


def plainer(text: str, encoding: str) -> str:
    """Return *text* as it can be written in *encoding*: with plainer signs where it lacks one.

    >>> print(plainer("suit ███░ 90 → 77.5", "ascii"))
    suit ###. 90 -> 77.5
    """
    if text.isascii():
        return text
    try:
        text.encode(encoding)
    except (UnicodeEncodeError, LookupError):
        return text.translate(_PLAINER)
    return text


def _spare(error: UnicodeError) -> tuple[str, int]:
    """Write what was not made plainer before, such as a frame of a table; what has no plainer sign is "?"."""
    if not isinstance(error, UnicodeEncodeError):
        raise error
    lacking = error.object[error.start : error.end]
    found = lacking.translate(_PLAINER)
    return "".join(sign if sign.isascii() else "?" for sign in found), error.end


codecs.register_error(SPARE, _spare)
