"""Trail: who corrected what by hand, when and why, and what it was before and after. Start at `Trail`."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any

from sqlalchemy import Connection, insert, select

from cleaver.core.kernel.arguments import line
from cleaver.core.profile import Profile
from cleaver.saves.leases import Leases
from cleaver.saves.outcomes import Correction
from cleaver.saves.tables import audit
from cleaver.visible import visible

MOST = 400  # letters of a reason, and of a detail


class Trail:
    """The audit trail of one store; each call is given the transaction it works in, which is that of the
    correction itself: there is none without its line.

    Args:
        name: Who corrects.
        leases: Whose clock tells when.
    """

    name: str
    leases: Leases

    def __init__(self, name: str, leases: Leases) -> None:
        self.name, self.leases = name, leases

    def note(
        self,
        connection: Connection,
        what: str,
        player: str,
        detail: str = "",
        why: str = "",
        change: tuple[Mapping[str, Any], Mapping[str, Any]] = ({}, {}),
    ) -> None:
        """Add a line; *change* is what was there before and what is there after, by path, as `change` has
        it.

        Raises:
            UsageError: The reason is no line of text, or a long one.
        """
        line("why", why, MOST)
        before, after = (json.dumps(dict(side), ensure_ascii=False) if side else None for side in change)
        connection.execute(
            insert(audit).values(
                at=self.leases.now(connection),
                who=self.name,
                what=what,
                player=player,
                detail=visible(detail)[:MOST],
                why=why,
                before=before,
                after=after,
            )
        )

    def read(self, connection: Connection, player: str) -> list[Correction]:
        """Return the lines, oldest first; of one player if given."""
        rows = select(audit).order_by(audit.c.at)
        if player:
            rows = rows.where(audit.c.player == player)
        return [
            Correction(
                row.at,
                row.who,
                row.what,
                row.player,
                row.detail,
                row.why or "",
                json.loads(row.before or "{}"),
                json.loads(row.after or "{}"),
            )
            for row in connection.execute(rows)
        ]


def change(before: Profile | None, after: Profile | None) -> tuple[dict[str, Any], dict[str, Any]]:
    """Return what two profiles have by path where they differ: (in the one before, in the one after).
    What is in one only is in its side only."""
    old, new = (dict(_leaves("", one.sections)) if one is not None else {} for one in (before, after))
    differ = [path for path in {**old, **new} if path not in old or path not in new or old[path] != new[path]]
    return {path: old[path] for path in differ if path in old}, {
        path: new[path] for path in differ if path in new
    }


def _leaves(path: str, value: Any) -> Iterator[tuple[str, Any]]:
    if isinstance(value, Mapping) and value:
        for key, one in value.items():
            yield from _leaves(f"{path}.{key}" if path else str(key), one)
    elif path:
        yield path, value
