"""Boards: high-score tables in a store, ranked by the database. Start at `Boards`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import ColumnElement, Connection, and_, bindparam, func, or_, select, update
from sqlalchemy.dialects import postgresql, sqlite

from cleaver.errors import AmountError, UnknownNameError, UsageError
from cleaver.saves.chain import seal
from cleaver.saves.document import LARGEST
from cleaver.saves.outcomes import HighScore
from cleaver.saves.tables import boards, meta

MOST_ROWS = 10_000  # of one page
_SEASON = "/"  # between the name of a board and that of a season that has ended
_DIRECTION = "board:"  # of what is kept of a board in the table `meta`


class Boards:
    """The high-score tables of one store; each call is given the transaction it works in."""

    def __init__(self, store: str, server: bool) -> None:
        self.store = store
        self._insert: Any = postgresql.insert if server else sqlite.insert

    # writing

    def keep(
        self, connection: Connection, board: str, scores: Mapping[str, int], now: float, lower: bool | None
    ) -> dict[str, bool]:
        """Put scores on a board, by player; only a player's best stays. Returns who has a new best."""
        if _SEASON in board:
            raise UsageError(
                f"{board} is a season that has ended; keep scores on {board.partition(_SEASON)[0]}"
            )
        lower = self._decided(connection, board, lower)
        best: dict[str, int] = {}
        names = list(scores)
        for start in range(0, len(names), 500):
            # Locked where there are row locks: two processes may keep scores of one player.
            here = select(boards.c.player, boards.c.score).where(
                boards.c.board == board, boards.c.player.in_(names[start : start + 500])
            )
            rows = connection.execute(here.with_for_update())
            best.update({row.player: row.score for row in rows})
        better = {
            player: player not in best or (score < best[player] if lower else score > best[player])
            for player, score in scores.items()
        }
        made = [self._row(board, player, scores[player], now) for player, new in better.items() if new]
        if made:
            statement = self._insert(boards)
            new = statement.excluded
            changed = {name: new[name] for name in ("score", "reached", "seal")}
            # Asked once more in the write: a row may have come meanwhile, which nobody could lock.
            still = new.score < boards.c.score if lower else new.score > boards.c.score
            connection.execute(
                statement.on_conflict_do_update(
                    index_elements=["board", "player"], set_=changed, where=still
                ),
                made,
            )
        return better

    def _row(self, board: str, player: str, score: int, reached: float) -> dict[str, Any]:
        made = seal(self.store, board, player, score, reached)
        return {"board": board, "player": player, "score": score, "reached": reached, "seal": made}

    def _lower(self, connection: Connection, board: str) -> bool | None:
        """Return whether lower is better on a board; None where that is not decided, which means higher."""
        found = connection.execute(select(meta.c.value).where(meta.c.key == _key(board))).scalar()
        return None if found is None else bool(found == "lower")

    def _decided(self, connection: Connection, board: str, lower: bool | None) -> bool:
        """Return whether lower is better on a board that gets a score: its first one decides."""
        found = self._lower(connection, board)
        if found is None:
            # Scores that came before such decisions were kept are those of a board where higher is better.
            any_there = select(boards.c.player).where(boards.c.board == board).limit(1)
            found = bool(lower) and connection.execute(any_there).first() is None
            self._decide(connection, board, found)
        if lower not in (None, found):
            which = "lower" if found else "higher"
            raise UsageError(f"on {board}, {which} is better: its first score decided that")
        return found

    def _decide(self, connection: Connection, board: str, lower: bool) -> None:
        row = {"key": _key(board), "value": "lower" if lower else "higher"}
        connection.execute(self._insert(meta).values(row).on_conflict_do_nothing(index_elements=["key"]))

    def end_season(self, connection: Connection, board: str, season: str) -> str:
        """Move all rows of a board to a season that has ended; returns its name."""
        ended = f"{board}{_SEASON}{season}"
        if _SEASON in season or len(ended) > 100:
            raise UsageError(
                f"the season {season!r} needs a name without {_SEASON}, of at most 100 letters with the "
                "board's"
            )
        if connection.execute(select(boards.c.player).where(boards.c.board == ended).limit(1)).first():
            raise UsageError(f"{board} has a season {season} already; choose another name")
        # In one statement: a score that comes meanwhile is one of the next season.
        moved = connection.execute(update(boards).where(boards.c.board == board).values(board=ended))
        if not moved.rowcount:
            raise UsageError(f"{board} has no scores; there is no season to end")
        rows = connection.execute(select(boards).where(boards.c.board == ended)).all()
        seals = [
            {"who": row.player, "made": self._row(ended, row.player, row.score, row.reached)["seal"]}
            for row in rows
            if self._whole(row, board)  # one that was altered stays so
        ]
        if seals:
            here = (boards.c.board == ended) & (boards.c.player == bindparam("who"))
            connection.execute(update(boards).where(here).values(seal=bindparam("made")), seals)
        lower = self._lower(connection, board)
        if lower is not None:
            self._decide(connection, ended, lower)
        return ended

    # reading

    def page(self, connection: Connection, board: str, start: int, limit: int) -> list[HighScore]:
        """Return *limit* rows of a board from place *start* (0 is the first): equal scores share a rank, the
        earlier first."""
        lower = bool(self._lower(connection, board))
        here = select(boards.c.player, boards.c.score).where(boards.c.board == board)
        rows = connection.execute(here.order_by(*_order(lower)).offset(start).limit(limit)).all()
        found: list[HighScore] = []
        for place, row in enumerate(rows, start + 1):
            if not found:
                rank = self._rank(connection, board, row.score, lower)
            elif row.score != found[-1].score:
                rank = place
            found.append(HighScore(rank, row.player, row.score))
        return found

    @staticmethod
    def _rank(connection: Connection, board: str, score: int, lower: bool) -> int:
        """Return the rank of a score: one more than there are better ones."""
        better = boards.c.score < score if lower else boards.c.score > score
        count = connection.execute(select(func.count()).where(boards.c.board == board, better)).scalar()
        return 1 + int(count or 0)

    def rank(self, connection: Connection, board: str, player: str) -> HighScore | None:
        """Return one player's row of a board; None where it has none."""
        mine = self._mine(connection, board, player)
        if mine is None:
            return None
        lower = bool(self._lower(connection, board))
        return HighScore(self._rank(connection, board, mine.score, lower), player, mine.score)

    def around(self, connection: Connection, board: str, player: str, each: int) -> list[HighScore]:
        """Return the rows around a player's: as many before and after as there are, up to *each*."""
        mine = self._mine(connection, board, player)
        if mine is None:
            known = connection.execute(
                select(boards.c.player).where(boards.c.board == board).limit(50)
            ).scalars()
            raise UnknownNameError("player", player, list(known), board)
        lower = bool(self._lower(connection, board))
        before = connection.execute(
            select(func.count()).where(boards.c.board == board, _ahead(mine, lower))
        ).scalar()
        start = max(int(before or 0) - each, 0)
        return self.page(connection, board, start, int(before or 0) - start + 1 + each)

    @staticmethod
    def _mine(connection: Connection, board: str, player: str) -> Any:
        here = (boards.c.board == board) & (boards.c.player == player)
        return connection.execute(select(boards).where(here)).first()

    def names(self, connection: Connection) -> list[str]:
        """Return every board, ended seasons included."""
        return sorted(connection.execute(select(boards.c.board).distinct()).scalars())

    def wrong(self, connection: Connection) -> list[tuple[str, str]]:
        """Return (player, what is wrong) of rows that are not as they were written."""
        return [
            (str(row.player), f"its row on the board {row.board} is not as it was written")
            for row in connection.execute(select(boards))
            if not self._whole(row, row.board)
        ]

    def _whole(self, row: Any, board: str) -> bool:
        return row.seal is None or row.seal == seal(self.store, board, row.player, row.score, row.reached)


def _key(board: str) -> str:
    """Return under what is kept which scores of a board are better; names may be longer than keys."""
    return f"{_DIRECTION}{seal('', board)[:32]}"


def _order(lower: bool) -> tuple[ColumnElement[Any], ...]:
    score = boards.c.score.asc() if lower else boards.c.score.desc()
    return score, boards.c.reached.asc(), boards.c.player.asc()


def _ahead(mine: Any, lower: bool) -> ColumnElement[bool]:
    """Return what stands before a row: a better score, an equal one reached earlier, then by name."""
    better = boards.c.score < mine.score if lower else boards.c.score > mine.score
    earlier = or_(
        boards.c.reached < mine.reached,
        and_(boards.c.reached == mine.reached, boards.c.player < mine.player),
    )
    return or_(better, and_(boards.c.score == mine.score, earlier))


def checked_score(score: Any) -> int:
    """Return a score, if it can be one."""
    if isinstance(score, bool) or not isinstance(score, int) or abs(score) > LARGEST:
        raise AmountError("the score", score, "a whole number")
    return score


def checked_count(what: str, value: Any, most: int = MOST_ROWS) -> int:
    """Return a number of rows or a place, if it can be one."""
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= most:
        raise AmountError(what, value, f"a whole number from 0 to {most:,}")
    return value
