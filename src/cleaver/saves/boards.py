"""Boards: high-score tables in a store, ranked by the database. Start at `Boards`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Connection, bindparam, delete, select, text, update
from sqlalchemy.dialects import postgresql, sqlite

from cleaver.core.kept import LARGEST
from cleaver.errors import AmountError, UnknownNameError, UsageError
from cleaver.saves.chain import seal
from cleaver.saves.outcomes import HighScore
from cleaver.saves.places import SaveKey, SavePlaces
from cleaver.saves.tables import boards, meta

MOST_ROWS = 10_000  # of one page
_SEASON = "/"  # between the name of a board and that of a season that has ended
_DIRECTION = "board:"  # of what is kept of a board in the table `meta`


class Boards:
    """The high-score tables of one store; each call is given the transaction it works in."""

    places: SavePlaces

    def __init__(self, store: str, server: bool) -> None:
        self.store = store
        self.places = SavePlaces()
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
        self.places.lock(connection, board)
        lower = self._decided(connection, board, lower)
        before: dict[str, SaveKey] = {}
        names = list(scores)
        for start in range(0, len(names), 500):
            here = select(boards.c.points, boards.c.reached, boards.c.player).where(
                boards.c.board == board, boards.c.player.in_(names[start : start + 500])
            )
            before.update({row.player: SaveKey(*row) for row in connection.execute(here)})
        points = {player: score if lower else -score for player, score in scores.items()}
        better = {
            player: player not in before or now_has < before[player].points
            for player, now_has in points.items()
        }
        new = [player for player in names if better[player]]
        if new:
            statement = self._insert(boards)
            changed = {name: statement.excluded[name] for name in ("score", "points", "reached", "seal")}
            connection.execute(
                statement.on_conflict_do_update(index_elements=["board", "player"], set_=changed),
                [self._row(board, player, scores[player], lower, now) for player in new],
            )
            self.places.changed(
                connection,
                board,
                gone=[before[player] for player in new if player in before],
                come=[SaveKey(points[player], now, player) for player in new],
            )
        return better

    def _row(self, board: str, player: str, score: int, lower: bool, reached: float) -> dict[str, Any]:
        return {
            "board": board,
            "player": player,
            "score": score,
            "points": score if lower else -score,
            "reached": reached,
            "seal": seal(self.store, board, player, score, reached),
        }

    def forget(self, connection: Connection, player: str) -> int:
        """Delete all rows of a player; returns how many there were."""
        has = select(boards.c.board).where(boards.c.player == player)
        for board in sorted(connection.execute(has).scalars()):  # always in one order: nobody waits in a ring
            self.places.lock(connection, board)
        rows = connection.execute(select(boards).where(boards.c.player == player)).all()
        connection.execute(delete(boards).where(boards.c.player == player))
        for row in rows:
            self.places.changed(connection, row.board, [SaveKey(row.points, row.reached, player)], [])
        return len(rows)

    def take_over(self, connection: Connection, board: str, table: str) -> None:
        """Put the rows of a board from a table of an older layout into this one's."""
        sign = "" if self._lower(connection, board) else "-"
        connection.execute(
            text(
                f"INSERT INTO {boards.name} (board, player, score, points, reached, seal) "
                f"SELECT board, player, score, {sign}score, reached, seal FROM {table} WHERE board = :board"
            ),
            {"board": board},
        )
        self.places.recount(connection, board)

    def recount(self, connection: Connection, board: str) -> None:
        """Count the rows of a board anew."""
        self.places.lock(connection, board)
        self.places.recount(connection, board)

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
                f"the season {season!r} needs a name without {_SEASON}, of at most 100 letters with "
                "the board's"
            )
        self.places.lock(connection, board)  # a score that comes meanwhile is one of the next season
        if connection.execute(select(boards.c.player).where(boards.c.board == ended).limit(1)).first():
            raise UsageError(f"{board} has a season {season} already; choose another name")
        moved = connection.execute(update(boards).where(boards.c.board == board).values(board=ended))
        if not moved.rowcount:
            raise UsageError(f"{board} has no scores; there is no season to end")
        self.places.rename(connection, board, ended)
        rows = connection.execute(select(boards).where(boards.c.board == ended)).all()
        seals = [
            {"who": row.player, "made": seal(self.store, ended, row.player, row.score, row.reached)}
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
        # One row more, which tells whether the first shares its rank with those before the page.
        rows = self.places.page(connection, board, max(start - 1, 0), limit + bool(start))
        lead = rows.pop(0) if start and rows else None
        return self._ranked(connection, board, rows, lead, start)

    def _ranked(
        self, connection: Connection, board: str, rows: Sequence[Any], lead: Any, place: int | None
    ) -> list[HighScore]:
        """Return rows that follow each other, with their ranks: one more than how many have a better score.

        Args:
            connection: The transaction.
            board: Which one.
            rows: Of it, as `SavePlaces` gives them.
            lead: The row before them; None where the board begins with them.
            place: How many rows stand before them; None where that is not known.
        """
        found: list[HighScore] = []
        for number, row in enumerate(rows):
            before = rows[number - 1] if number else lead
            if before is not None and before.score == row.score:
                same = found[-1].rank if found else 1 + self.places.better(connection, board, row.points)
                found.append(HighScore(same, row.player, row.score))
                continue
            if place is None:  # the first of its score: all rows before it are better
                place = self.places.better(connection, board, row.points) - number
            found.append(HighScore(place + number + 1, row.player, row.score))
        return found

    def rank(self, connection: Connection, board: str, player: str) -> HighScore | None:
        """Return one player's row of a board; None where it has none."""
        found = self.places.rank(connection, board, player)
        return None if found is None else HighScore(1 + found[1], player, found[0])

    def around(self, connection: Connection, board: str, player: str, each: int) -> list[HighScore]:
        """Return the rows around a player's: as many before and after as there are, up to *each*."""
        rows = self.places.around(connection, board, player, each + 1)
        mine = next((at for at, row in enumerate(rows) if row.player == player), None)
        if mine is None:
            known = connection.execute(
                select(boards.c.player).where(boards.c.board == board).limit(50)
            ).scalars()
            raise UnknownNameError("player", player, list(known), board)
        first = max(mine - each, 0)
        lead = rows[first - 1] if first else None
        place = None if first else 0
        return self._ranked(connection, board, rows[first : mine + each + 1], lead, place)

    def names(self, connection: Connection) -> list[str]:
        """Return every board, ended seasons included."""
        return sorted(connection.execute(select(boards.c.board).distinct()).scalars())

    def wrong(self, connection: Connection) -> list[tuple[str, str]]:
        """Return (player, what is wrong) of rows that are not as they were written; the player is "" for a
        whole board."""
        counts = [
            ("", f"the row counts of the board {board} do not match its rows; run store.recount({board!r})")
            for board in self.places.wrong(connection)
        ]
        return counts + [
            (str(row.player), f"its row on the board {row.board} is not as it was written")
            for row in connection.execute(select(boards))
            if not self._whole(row, row.board)
        ]

    def _whole(self, row: Any, board: str) -> bool:
        sealed = row.seal is None or row.seal == seal(self.store, board, row.player, row.score, row.reached)
        return bool(sealed and abs(row.points) == abs(row.score))


def _key(board: str) -> str:
    """Return under what is kept which scores of a board are better; names may be longer than keys."""
    return f"{_DIRECTION}{seal('', board)[:32]}"


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
