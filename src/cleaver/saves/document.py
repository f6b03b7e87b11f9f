"""Documents: a profile as bytes and back.

JSON, keys sorted, read back and compared before it leaves: what JSON cannot hold (a NaN, an infinity, a set,
a huge whole number, a key that is no text) is refused with its path, never written as null. Knows nothing of
stores. Start at `encode`.
"""

from __future__ import annotations

import hashlib
import json
from typing import Any

from cleaver import files
from cleaver.core.kept import DEEPEST, LARGEST, can_be_kept, check_text, from_format_1, from_format_2
from cleaver.core.profile import Profile
from cleaver.errors import AmountError, MissingExtraError, ProfileError, SaveError, unreadable

FORMAT = 3
MAX_BYTES = 8 * 1024 * 1024
try:
    import orjson
except ModuleNotFoundError:  # of the extra "saves"; whoever only reads profiles needs none
    orjson = None  # type: ignore[assignment]


def _whole(digits: str) -> int:
    """Return a whole number that is written somewhere; one beyond what may be kept is refused."""
    number = int(digits) if len(digits) < 24 else LARGEST + 1
    if not -LARGEST <= number <= LARGEST:
        raise ValueError(f"a whole number of {len(digits)} digits; 64 bits are kept")
    return number


_read = json.JSONDecoder(parse_int=_whole).decode


def _tree(profile: Profile) -> dict[str, Any]:
    sections = profile.sections
    return {"format": FORMAT, "player": profile.player, "version": profile.version, "sections": sections}


def encode(profile: Profile) -> bytes:
    """Return *profile* as bytes, names sorted.

    Raises:
        AmountError: Something in it that JSON cannot hold or `decode` would refuse, with its path.
        MissingExtraError: The extra "saves" is not installed.
    """
    if orjson is None:
        raise MissingExtraError("saving profiles", "saves")
    tree = _tree(profile)
    try:
        # Strict: refuses whole numbers beyond 53 bits, which are looked at one by one then
        body = orjson.dumps(tree, option=orjson.OPT_SORT_KEYS | orjson.OPT_STRICT_INTEGER)
    except TypeError:
        _check(profile)
        body = orjson.dumps(tree, option=orjson.OPT_SORT_KEYS)
    # reading back costs less than walking through: what became null, a list or a text on the way is no longer
    # equal
    read = orjson.loads(body)["sections"]
    if read != profile.sections or (body.count(b"{") + body.count(b"[") > DEEPEST and _deep(read)):
        _check(profile)
    return _within(body)


def written_profile(profile: Profile) -> bytes:
    """Return *profile* as bytes, names in the order in which they came; raises `AmountError` as `encode`
    does. Slower, and needs no other package."""
    _check(profile)
    return _within(json.dumps(_tree(profile), separators=(",", ":"), ensure_ascii=False).encode())


def _check(profile: Profile) -> None:
    """Raise where a profile holds what cannot be saved, naming its path."""
    _check_version(profile.version)
    check_text(profile.player, "the player's id")
    can_be_kept(profile.sections, "profile", 0)


def _within(body: bytes) -> bytes:
    if len(body) > MAX_BYTES:
        raise AmountError("the size of the profile", len(body), f"at most {MAX_BYTES:,} bytes")
    return body


def _deep(tree: dict[str, Any]) -> bool:
    """Whether a tree that was read back goes deeper than `DEEPEST`, what is in its deepest tables and lists
    included; level by level, as calls cost more than the walk."""
    level: list[Any] = [tree]
    for _ in range(DEEPEST):
        level = [
            item
            for table in level
            for item in (table.values() if type(table) is dict else table)
            if type(item) is dict or type(item) is list
        ]
        if not level:
            return False
    return any(level)


def _check_version(version: object) -> None:
    if isinstance(version, bool) or not isinstance(version, int) or not 0 <= version <= 10**9:
        raise AmountError("the version of the profile", version, "a whole number from 0 to 1,000,000,000")


def decode(body: bytes) -> Profile:
    """Return the profile in *body*; raises `ProfileError` where there is none."""
    try:
        if len(body) > MAX_BYTES:
            raise ValueError(f"{len(body):,} bytes are more than a profile may have ({MAX_BYTES:,})")
        tree = _read(body.decode())
        if (
            tree["format"] not in (1, 2, FORMAT)
            or isinstance(tree["format"], bool)
            or not isinstance(tree["player"], str)
        ):
            raise ValueError("not a profile of this format")
        _check_version(tree["version"])
        sections = tree["sections"]
        if not isinstance(sections, dict) or not all(
            isinstance(section, dict) for section in sections.values()
        ):
            raise ValueError("sections are no tables")
        can_be_kept(sections, "profile", 0)
        if tree["format"] == 1:
            sections = from_format_1(sections)
        if tree["format"] < FORMAT:
            sections = from_format_2(sections)
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise ProfileError(f"not a readable profile: {error}") from None
    return Profile(tree["player"], tree["version"], sections)


def checksum(player: str, revision: int, version: int, body: bytes) -> str:
    """Return the checksum over player, revision, version and body (SHA-256, as hexadecimal text)."""
    digest = hashlib.sha256(f"{player}\0{revision}\0{version}\0".encode())
    digest.update(body)
    return digest.hexdigest()


def decode_file(path: str, player: str) -> Profile:
    """Return the profile in a JSON file, as `cleaver saves export` writes it, for *player*; a folder or
    anything else is refused."""
    try:
        body = files.read(path, MAX_BYTES)
    except OSError as error:
        raise SaveError(f"{path} {unreadable(error)}; check the path") from None
    except files.TooLongError as error:
        raise SaveError(f"{path} is {error.size:,} bytes long; a profile may have {MAX_BYTES:,}") from None
    found = decode(body)
    return Profile(player, found.version, found.sections)
