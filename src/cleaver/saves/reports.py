"""Reports: what a saver reports to the game and to its log.

What other people's code raises there is logged, and costs nobody a save. Start at `Reports`.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from typing import Literal, NamedTuple

from cleaver.errors import CleaverError

log: logging.Logger = logging.getLogger("cleaver.saves")

Metric = Literal[
    "saves", "save_bytes", "save_seconds", "encode_seconds", "lag_seconds", "save_failures", "recoveries"
]
"""What is counted and timed.

`saves`, `save_bytes`, `save_seconds` come once a transaction: players written, their bytes, how long the
store took. `encode_seconds` comes once a frame that writes. `lag_seconds` is how much later than at its time
the first of a batch was given out. `save_failures` are saves that did not happen, `recoveries` players of
whom an older generation, or what an earlier run had left to write, was taken.
"""


class Failure(NamedTuple):
    """A save that did not happen: whose, why, and whether it is final."""

    player: str
    error: CleaverError
    final: bool


def some(players: Sequence[str]) -> str:
    """Return the names of players, the first few of many: "ana, bea, cid and 97 more"."""
    return ", ".join(players[:3]) + (f" and {len(players) - 3} more" if len(players) > 3 else "")


class Reports:
    """Where a saver's reports go; each may be None."""

    def __init__(
        self,
        on_failure: Callable[[Failure], None] | None,
        on_recovery: Callable[[str, str], None] | None,
        on_metric: Callable[[Metric, float], None] | None,
    ) -> None:
        self._failure, self._recovery, self._metric = on_failure, on_recovery, on_metric

    def failed(self, failures: Sequence[Failure]) -> None:
        """Report saves that did not happen; without `on_failure` they are logged as errors, one line for all
        that failed for the same reason."""
        if not failures:
            return
        self.metric("save_failures", len(failures))
        if self._failure is None:
            alike: dict[tuple[str, bool], list[str]] = {}
            for player, error, final in failures:
                alike.setdefault((str(error), final), []).append(player)
            for (error_text, final), players in alike.items():
                log.error(
                    "%s could not be saved%s: %s", some(players), " any more" if final else "", error_text
                )
            return
        for failure in failures:
            try:
                self._failure(failure)
            except Exception:
                log.exception(
                    "on_failure failed for %s, who could not be saved: %s", failure.player, failure.error
                )

    def recovered(self, player: str, note: str) -> None:
        """Report what was taken in place of what should have been there; logged as a warning either way."""
        log.warning("%s", note)
        self.metric("recoveries", 1)
        if self._recovery is not None:
            try:
                self._recovery(player, note)
            except Exception:
                log.exception("on_recovery failed for %s", player)

    def metric(self, name: Metric, value: float) -> None:
        """Report a count or a time (seconds)."""
        if self._metric is not None:
            try:
                self._metric(name, value)
            except Exception:
                log.exception("on_metric failed for %s", name)
