"""Schema: the JSON Schema of a design file, for editors and for other programs.

Made of the models, so that it says what the loader says of one entry by itself; what names refer to is beyond
it. Start at `made`.
"""

from __future__ import annotations

from typing import Any

from cleaver.design.keys import BESIDE, EFFECTS, KEYS
from cleaver.design.models import NAMED, DesignTables
from cleaver.design.reading import ALIKE

ID = "urn:cleaver-progression:design"
_DIALECT = "https://json-schema.org/draft/2020-12/schema"
_LIKE = {
    "type": "string",
    "description": 'another entry that it is like, but for what it says itself; for example like = "eel"',
}


def made() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of a design file."""
    whole = {"$schema": _DIALECT, "$id": ID} | DesignTables.model_json_schema(by_alias=True)
    whole["title"] = "Cleaver design"
    for name, table in {**whole["$defs"], "DesignTables": whole}.items():
        for key, (meaning, example) in KEYS.get(name, {}).items():
            table["properties"][key]["description"] = f"{meaning}; for example {key} = {example}"
    _effects(whole)
    _closed(whole)
    for name in sorted({NAMED[section].__name__ for section in ALIKE} | {"Attack", "Pulse"}):
        _may_be_alike(whole["$defs"][name])
    whole["properties"]["$schema"] = {"type": "string", "description": "which schema the file keeps to"}
    return whole


def _effects(part: Any) -> None:
    """Let each effect, and what stands beside its verb, say what it does."""
    if isinstance(part, dict):
        verb = part.get("title")
        if isinstance(verb, str) and verb in EFFECTS and verb in part.get("properties", {}):
            part["description"] = _told(EFFECTS[verb])
            for key, shape in part["properties"].items():
                meaning = EFFECTS[verb] if key == verb else BESIDE[key]
                part["properties"][key] = shape | {"description": _told(meaning)}
        for inner in part.values():
            _effects(inner)
    elif isinstance(part, list):
        for inner in part:
            _effects(inner)


def _told(said: tuple[str, str]) -> str:
    return f"{said[0]}; for example {said[1]}"


def _closed(part: Any) -> None:
    """Let tables by name hold nothing under a name that cannot be one."""
    if isinstance(part, dict):
        if "patternProperties" in part and "additionalProperties" not in part:
            part["additionalProperties"] = False
        for inner in part.values():
            _closed(inner)
    elif isinstance(part, list):
        for inner in part:
            _closed(inner)


def _may_be_alike(table: dict[str, Any]) -> None:
    """Let an entry say `like`; what it does not say itself it then has from the other."""
    table["properties"]["like"] = _LIKE
    required = table.pop("required", None)
    if required:
        table |= {"if": {"not": {"required": ["like"]}}, "then": {"required": required}}
