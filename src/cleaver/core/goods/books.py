"""Books: where goods came from and where they went. A view on what `goods` booked; start at `Books`."""

from __future__ import annotations

from cleaver.core.kernel.living import Living
from cleaver.named import NamedTuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any

    from cleaver.core.goods.goods import Goods


class BookLine(NamedTuple):
    """One gain (+) or loss (−): when (seconds), whose, what, how much, and why."""

    time: float
    holder: str
    good: str
    amount: int
    reason: str


class Sum(NamedTuple):
    """What came and went of a good for one reason, and how often."""

    good: str
    reason: str
    holder: str
    came: int
    went: int
    times: int


class Books(Living):
    """The books of a world.

    `lines` are the latest gains and losses, as many as the world keeps events; `sums` are all of them since
    the world began, added up, and go on across snapshots.
    """

    def __init__(self, goods: Callable[[], Goods]) -> None:
        self._goods = goods  # as they are now: another design has others

    @property
    def lines(self) -> tuple[BookLine, ...]:
        """The latest gains and losses, oldest first."""
        return tuple(
            BookLine(time / 1e6, holder, good, amount, reason)
            for time, holder, good, amount, reason in self._goods().journal
        )

    def __repr__(self) -> str:
        return f"<Books with {len(self.lines)} lines>"

    def sums(self, good: str = "", holder: str = "") -> tuple[Sum, ...]:
        """Return what came and went by reason, of one good or holder if given, in the order first booked."""
        return tuple(
            Sum(entry.good, entry.reason, entry.holder, entry.came, entry.went, entry.times)
            for entry in self._goods().table.books.values()
            if good in ("", entry.good) and holder in ("", entry.holder)
        )

    def came(self, good: str, holder: str = "") -> int:
        """Return how much of a good came in all."""
        return sum(line.came for line in self.sums(good, holder))

    def went(self, good: str, holder: str = "") -> int:
        """Return how much of a good went in all."""
        return sum(line.went for line in self.sums(good, holder))

    def to_frame(self) -> Any:
        """Return `lines` as a pandas DataFrame; needs the extra "lab". `cleaver.tables` has more of them."""
        from cleaver.table import Table  # only those who analyse need it

        return Table(BookLine._fields, self.lines).to_frame()
