"""Visible: texts from elsewhere, made harmless for a terminal.

Ids, titles and lines of scripts may hold characters that steer a terminal (escape sequences, the bell, a
change of writing direction). They are shown as what they are instead. Imports nothing of Cleaver. Start at
`visible`.
"""

from __future__ import annotations

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
