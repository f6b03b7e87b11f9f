"""Schema: the JSON Schema of a design file, for editors and for other programs.

Made of the declared keys, so that it says what the loader says of one entry by itself; what names refer to is
beyond it. Start at `schema_made`.
"""

from __future__ import annotations

from typing import Any

from cleaver.design.keys import Shapes
from cleaver.design.models import DesignTables

ID = "urn:cleaver-progression:design"
_DIALECT = "https://json-schema.org/draft/2020-12/schema"


def schema_made() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of a design file."""
    shapes = Shapes()
    whole: dict[str, Any] = {"$schema": _DIALECT, "$id": ID, "title": "Cleaver design"}
    whole |= DesignTables.shape(shapes)
    whole["properties"]["$schema"] = {"type": "string", "description": "which schema the file keeps to"}
    return whole | {"$defs": shapes.parts}
