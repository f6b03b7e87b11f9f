"""Documents: a profile as bytes and back.

JSON, keys sorted, checked on the way out: a NaN, an infinity, a set or a huge
whole number is refused with its path, never written as null. Knows nothing of
stores. Start at `encode`.
"""

from __future__ import annotations

import hashlib
import json
import re
from math import isfinite
from typing import Any

from cleaver.core.profile import Profile
from cleaver.errors import AmountError, SaveError

FORMAT = 1
LARGEST = 2**63 - 1
_LONG = re.compile(r"\d{19}")
DEEPEST = 20
MAX_BYTES = 4_000_000


def encode(profile: Profile) -> bytes:
    """Return *profile* as bytes. Keys must be texts: JSON would make texts of them.

    Raises:
        AmountError: Something in it that JSON cannot hold or `decode` would refuse, with its path.
    """
    tree = {"format": FORMAT, "player": profile.player, "version": profile.version, "sections": profile.sections}
    try:
        text = json.dumps(tree, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False)
    except (TypeError, ValueError, RecursionError):
        check(profile.sections, "profile", 0)  # raises, and says where
        raise
    # the walk that says where takes as long as the encoding, so it is taken only where a number may be too large or the nesting too deep
    if _LONG.search(text) or (text.count("{") + text.count("[") > DEEPEST and _deep(profile.sections, DEEPEST)):
        check(profile.sections, "profile", 0)
    body = text.encode()
    if len(body) > MAX_BYTES:
        raise AmountError("the size of the profile", len(body), f"at most {MAX_BYTES:,} bytes")
    return body


def _deep(value: Any, left: int) -> bool:
    """Whether anything in *value* may lie deeper than *left* levels."""
    items = value.values() if isinstance(value, dict) else value
    return left <= 0 or any(isinstance(item, (dict, list)) and _deep(item, left - 1) for item in items)


def check(value: Any, path: str, depth: int) -> None:
    """Raise where *value* holds what cannot be saved, naming its path."""
    if depth > DEEPEST:
        raise AmountError(path, "…", f"nested at most {DEEPEST} deep")
    if isinstance(value, dict):
        for key, item in value.items():
            if not isinstance(key, str):
                raise AmountError(f"a key of {path}", key, "a text")
            check(item, f"{path}.{key}", depth + 1)
    elif isinstance(value, list):
        for index, item in enumerate(value):
            check(item, f"{path}[{index}]", depth + 1)
    elif isinstance(value, float) and not isfinite(value):
        raise AmountError(path, value, "a finite number")
    elif isinstance(value, int) and abs(value) > LARGEST:
        raise AmountError(path, value, f"within ±{LARGEST}")
    elif value is not None and not isinstance(value, (str, int, float, bool)):
        raise AmountError(path, value, "a number, a text, a truth, a list or a table of them")


def decode(body: bytes) -> Profile:
    """Return the profile in *body*; raises `SaveError` where there is none."""
    try:
        if len(body) > MAX_BYTES:
            raise ValueError(f"{len(body):,} bytes are more than a profile may have ({MAX_BYTES:,})")
        tree = json.loads(body.decode())
        if tree["format"] != FORMAT or not isinstance(tree["player"], str) or not isinstance(tree["version"], int):
            raise ValueError("not a profile of this format")
        sections = tree["sections"]
        if not isinstance(sections, dict) or not all(isinstance(section, dict) for section in sections.values()):
            raise ValueError("sections are no tables")
        check(sections, "profile", 0)
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise SaveError(f"not a readable profile: {error}") from None
    return Profile(tree["player"], tree["version"], sections)


def checksum(player: str, revision: int, version: int, body: bytes) -> str:
    """Return the checksum over player, revision, version and body (SHA-256, as hexadecimal text)."""
    digest = hashlib.sha256(f"{player}\0{revision}\0{version}\0".encode())
    digest.update(body)
    return digest.hexdigest()


def decode_file(path: str, player: str) -> Profile:
    """Return the profile in a JSON file, as `cleaver saves export` writes it, for *player*; a folder or anything else is refused."""
    from pathlib import Path  # only where a file is read

    try:
        body = Path(path).read_bytes()
    except OSError as error:
        raise SaveError(f"{path} cannot be read: {error.strerror}; check the path") from None
    found = decode(body)
    return Profile(player, found.version, found.sections)
